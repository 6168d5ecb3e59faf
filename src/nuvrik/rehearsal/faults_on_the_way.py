"""Faults on the way from one end to the other: the eight communication errors."""

from collections.abc import Callable
from typing import Any

from nuvrik.core.machine.states import FAILSAFE
from nuvrik.failsafe.why import Code
from nuvrik.plan.form.channels import FlagChannel
from nuvrik.plan.form.frame_base import Lack
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.pulses.codes import PROTOCOLS, press
from nuvrik.rehearsal.beam import BeamWorld
from nuvrik.rehearsal.fault import ANY, Fault, every_link, only, sealed
from nuvrik.rehearsal.world import Arrivals, World
from nuvrik.wire.frames import Encoder

LONG_ENOUGH = (1200, 2200)
"""Longer than timeouts are, so that the machine must have stopped."""
DAMAGED = ("check", "stuffing", "too_short", "too_long", "bad_field", "wrong_layout", "version", "wrong_kind")


def _tampering(make: Callable[[World], Callable[[int, bytes], Arrivals]]) -> Callable[[World], None]:
    def strike(world: World) -> None:
        world.tamper = make(world)

    return strike


def _straight(world: World) -> None:
    world.tamper = None


def _tampered(
    name: str,
    group: str,
    imitates: str,
    make: Callable[[World], Callable[[int, bytes], Arrivals]],
    lasts_ms: tuple[int, int] = (1000, 3000),
    **more: Any,
) -> Fault:
    """A fault that does something to every frame on its way, for a while."""
    return Fault(name, group, imitates, _tampering(make), lasts_ms=lasts_ms, heal=_straight, **more)


def _bits_flipped(world: World) -> Callable[[int, bytes], Arrivals]:
    def tamper(at_us: int, wire: bytes) -> Arrivals:
        damaged = bytearray(wire)
        for bit in world.rng.sample(range(8 * len(wire)), world.rng.randint(1, 3)):
            damaged[bit >> 3] ^= 1 << (bit & 7)
        return [(at_us, bytes(damaged))]

    return tamper


def _noise_over(world: World) -> Callable[[int, bytes], Arrivals]:
    def tamper(at_us: int, wire: bytes) -> Arrivals:
        start = world.rng.randrange(len(wire))
        length = world.rng.randint(2, max(2, len(wire) - start))
        return [(at_us, wire[:start] + world.rng.randbytes(length) + wire[start + length :])]

    return tamper


def _overrun(world: World) -> Callable[[int, bytes], Arrivals]:
    def tamper(at_us: int, wire: bytes) -> Arrivals:
        start = world.rng.randrange(len(wire) - 1)
        return [(at_us, wire[:start] + wire[start + world.rng.randint(1, len(wire) - start) :])]

    return tamper


def _repeated(world: World) -> Callable[[int, bytes], Arrivals]:
    def tamper(at_us: int, wire: bytes) -> Arrivals:
        return [(at_us + 700 * again, wire) for again in range(world.rng.randint(2, 3))]

    return tamper


def _stuck(world: World) -> Callable[[int, bytes], Arrivals]:
    kept: list[bytes] = []

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        kept.append(wire)
        return [(at_us, kept[0])]

    return tamper


def _fading(world: World) -> Callable[[int, bytes], Arrivals]:
    began_us, length_us = world.t_us, 1000 * world.rng.randint(1000, 3000)

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        lost = (world.t_us - began_us) / length_us
        return [] if world.rng.random() < lost else [(at_us, wire)]

    return tamper


def _every_other(world: World) -> Callable[[int, bytes], Arrivals]:
    count = 0

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        nonlocal count
        count += 1
        return [(at_us, wire)] if count % 2 else []

    return tamper


def _noise_between(world: World) -> Callable[[int, bytes], Arrivals]:
    period_us = 1000 * world.link.period_ms

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        noise = world.rng.randbytes(world.rng.randint(1, 40))
        # Noise, and behind it whatever ends it: the frame after it is not to suffer.
        return [(at_us, wire), (at_us + world.rng.randrange(1, period_us // 2), noise + b"\0\n\xc0")]

    return tamper


def _other_file(world: World) -> Callable[[int, bytes], Arrivals]:
    """Sound frames of another link file."""
    other = older(world.link)
    encoder, count = Encoder(other), 0

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        nonlocal count
        count += 1
        values = [1 if channel.kind == "flag" else 0 for channel in other.channels.values()]
        return [(at_us, wire), (at_us + 3000, encoder.on_wire(encoder.command(values, count & 0xFF)))]

    return tamper


def older(link: Link) -> Link:
    """The same link before a channel was taken out of it."""
    spare = FlagChannel(kind="flag")
    return link.model_copy(update={"channels": {**link.channels, "taken_out_since": spare}})


def _swapped(world: World) -> Callable[[int, bytes], Arrivals]:
    held: list[bytes] = []

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        if not held:
            held.append(wire)
            return []
        return [(at_us, wire), (at_us + 500, held.pop())]

    return tamper


def _one_late(world: World) -> Callable[[int, bytes], Arrivals]:
    period_us = 1000 * world.link.period_ms

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        late = world.rng.random() < 0.2
        return [(at_us + late * world.rng.randint(2, 12) * period_us, wire)]

    return tamper


def _held_back(world: World) -> Callable[[int, bytes], Arrivals]:
    until_us = world.t_us + 1000 * (world.link.failsafe.timeout_ms + world.rng.randint(300, 1500))

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        return [(max(at_us, until_us), wire)]

    return tamper


def _queue(world: World) -> Callable[[int, bytes], Arrivals]:
    def tamper(at_us: int, wire: bytes) -> Arrivals:
        return [(at_us + 5_000_000, wire)]

    return tamper


def _neighbour(world: World) -> Callable[[int, bytes], Arrivals]:
    """Another handset of the same kind, with its own pair number, hard forward."""
    pair = world.link.frame.pair % 255 + 1
    frame = world.link.frame.model_copy(update={"pair": pair})
    encoder, count = Encoder(world.link.model_copy(update={"frame": frame})), 0

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        nonlocal count
        count += 1
        values = [0 if c.kind in ("choice", "count") else 1 for c in world.link.channels.values()]
        return [(at_us, wire), (at_us + 3000, encoder.on_wire(encoder.command(values, count & 0xFF)))]

    return tamper


def _replayed(world: World) -> Callable[[int, bytes], Arrivals]:
    """Everything that was sent up to a second ago comes once more, in its order."""
    recent: list[bytes] = []
    most = min(100, 1000 // world.link.period_ms)

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        recent.append(wire)
        if len(recent) <= most:
            return [(at_us, wire)]
        return [(at_us, wire), (at_us + 2000, recent.pop(0))]

    return tamper


_guarded = only(lambda link: link.failsafe.delay_guard_ms, "it has no delay_guard_ms", sealed)
infrared_link = only(
    lambda link: isinstance(link.medium, InfraredMedium), "only a remote control has a beam", every_link
)


def _lamp(world: World) -> None:
    assert isinstance(world, BeamWorld)
    world.beam.lamp_per_s = world.rng.choice((200.0, 400.0, 800.0))


def _lamp_off(world: World) -> None:
    assert isinstance(world, BeamWorld)
    world.beam.lamp_per_s = 0.0


def _second_remote(world: World) -> None:
    assert isinstance(world, BeamWorld)
    medium = world.link.medium
    assert isinstance(medium, InfraredMedium)
    name = medium.protocol if medium.protocol in PROTOCOLS else "nec"
    durations = press(name, medium.address ^ 1, 5)
    world.second_remote(durations, sum(map(abs, durations)))


def _answers_lost(world: World) -> None:
    if world.back is not None:
        world.back.cut = True


def _answers_back(world: World) -> None:
    if world.back is not None:
        world.back.cut = False


def _block(world: World) -> None:
    world.cut()


def _unblock(world: World) -> None:
    world.cut(on=False)


ORDER: tuple[Lack, ...] = ("no_sequence",)

FAULTS = (
    _tampered(
        "bits_flipped",
        "corruption",
        "interference inverts one to three bits in every frame",
        _bits_flipped,
        shows=DAMAGED,
        lasts_ms=LONG_ENOUGH,
        needs=("no_check",),
    ),
    _tampered(
        "noise_over",
        "corruption",
        "a burst of noise lies over a part of every frame",
        _noise_over,
        shows=DAMAGED,
        lasts_ms=LONG_ENOUGH,
        needs=("no_check",),
    ),
    _tampered(
        "receiver_overrun",
        "corruption",
        "the receiver is too slow, and loses a few bytes out of every frame",
        _overrun,
        shows=DAMAGED,
        lasts_ms=LONG_ENOUGH,
        needs=("no_check",),
    ),
    _tampered(
        "all_repeated",
        "unintended repetition",
        "a module that was not acknowledged sends every frame two or three times",
        _repeated,
        must="hold",
        shows=("repeated",),
        shows_authenticated=("old",),
        needs=ORDER,
    ),
    _tampered(
        "stuck_frame",
        "unintended repetition",
        "a module hangs and sends one and the same frame again and again",
        _stuck,
        shows=("repeated", "out_of_order", Code.SILENCE),
        shows_authenticated=("old",),
        ends_in=(FAILSAFE,),
        lasts_ms=LONG_ENOUGH,
        needs=ORDER,
    ),
    Fault(
        "cable_pulled",
        "loss",
        "the cable comes off, the aerial breaks, the handset's battery dies: no frame arrives any more",
        _block,
        heal=_unblock,
        ends_in=(FAILSAFE,),
        fits=every_link,
    ),
    Fault(
        "jam",
        "loss",
        "the band is jammed, or the cable hangs by a thread: nothing arrives for a while",
        _block,
        lasts_ms=(600, 3000),
        heal=_unblock,
        ends_in=(FAILSAFE,),
        fits=every_link,
    ),
    Fault(
        "out_of_range",
        "loss",
        "the machine goes out of range: fewer and fewer frames arrive, and at last none",
        _tampering(_fading),
        heal=_straight,
        ends_in=(FAILSAFE,),
    ),
    _tampered(
        "every_other_lost",
        "loss",
        "the aerial is bad, and only every other frame arrives",
        _every_other,
        must="hold",
    ),
    Fault(
        "answers_lost",
        "loss",
        "nothing comes back from the machine, though what is sent arrives",
        _answers_lost,
        must="hold",
        ends_in=ANY,
        lasts_ms=LONG_ENOUGH,
        heal=_answers_back,
        fits=only(lambda link: link.telemetry, "it has no telemetry"),
    ),
    _tampered(
        "noise_between",
        "insertion",
        "noise arrives between the frames",
        _noise_between,
        must="hold",
        needs=("no_check",),
    ),
    _tampered(
        "others_frames",
        "insertion",
        "sound frames of another link file arrive between the handset's",
        _other_file,
        must="hold",
        shows=("wrong_layout",),
        fits=sealed,
    ),
    _tampered(
        "swapped",
        "wrong order",
        "a network brings frames in pairs, the later one first",
        _swapped,
        must="hold",
        shows=("out_of_order",),
        shows_authenticated=("old",),
        needs=ORDER,
    ),
    _tampered(
        "one_late",
        "wrong order",
        "one frame in five takes a detour and comes after those that were sent later",
        _one_late,
        must="hold",
        shows=("out_of_order",),
        shows_authenticated=("old",),
        needs=ORDER,
    ),
    Fault(
        "held_back",
        "delay",
        "a host or a network stalls; then everything it held back arrives at once",
        _tampering(_held_back),
        heal=_straight,
        ends_in=(FAILSAFE,),
    ),
    _tampered(
        "queue",
        "delay",
        "a queue delays every frame by five seconds, in order: all of them sound, all of them old",
        _queue,
        shows=("late",),
        lasts_ms=(6500, 7500),
        fits=_guarded,
    ),
    _tampered(
        "replayed",
        "masquerade",
        "somebody plays back what was sent a second ago, between what is sent now",
        _replayed,
        must="hold",
        shows=("out_of_order", "repeated"),
        shows_authenticated=("old",),
        lasts_ms=(1500, 3000),
        needs=ORDER,
    ),
    _tampered(
        "neighbour",
        "wrong address",
        "a neighbour's handset of the same kind, with its own pair number, sends too",
        _neighbour,
        must="hold",
        shows=("wrong_pair",),
        fits=sealed,
    ),
    Fault(
        "lamp",
        "insertion",
        "a lamp comes on and floods the receiver",
        _lamp,
        lasts_ms=LONG_ENOUGH,
        heal=_lamp_off,
        fits=infrared_link,
    ),
    Fault(
        "second_remote",
        "wrong address",
        "somebody's remote control for something else is used in the same room",
        _second_remote,
        must="hold",
        shows=("wrong_address",),
        fits=infrared_link,
    ),
    Fault(
        "beam_blocked",
        "loss",
        "somebody walks through the beam while a key is held",
        _block,
        lasts_ms=(400, 2000),
        heal=_unblock,
        fits=infrared_link,
    ),
)
