"""Somebody who hears everything that goes over a link with a key, and can send, keep back, change and play
back anything, but has not got the key: nothing may move by that.

What is recorded is what the handset has sent since power-up. Nothing of it may be accepted again, not even
after the machine has started anew: what the verdict calls strangers is the whole of it."""

from collections.abc import Callable
from typing import Any

from nuvrik.core.frames.sealed import AUTHENTICATED, TAG
from nuvrik.core.machine.states import FAILSAFE
from nuvrik.plan.form.frame_base import CHECK_BYTES, HEAD_BYTES
from nuvrik.plan.form.models import Link
from nuvrik.rehearsal.fault import ANY, Fault, only, sealed
from nuvrik.rehearsal.world import Arrivals, World
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import COMMAND, HELLO
from nuvrik.wire.sealed import check_bytes, initial_of
from nuvrik.wire.styles import style_of

_authenticated = only(lambda link: link.authenticated, "it has no key", sealed)

MOST_RECORDED = 2000


def resealed(link: Link, body: bytes, kind: int | None = None) -> bytes:
    """A body that somebody has changed, with a check that is right again, as it travels. Anybody can work
    that out."""
    covered = body[:-CHECK_BYTES]
    if kind is not None:
        covered = bytes((covered[0] & 0xF0 | kind,)) + covered[1:]
    encoder = Encoder(link)
    made = covered + check_bytes(covered, initial_of(covered[0] & 15, encoder.tag))
    return encoder.on_wire(made)


def opened(link: Link, wire: bytes) -> bytes:
    """The body in what travels."""
    if link.medium.datagrams:
        return wire
    framing = style_of(link).framing
    piece = next(one for one in wire.split(framing.end) if one)
    return bytes(framing.opened(piece) or b"")


def _record(world: World) -> None:
    """From power-up on, everything is written down and let through."""
    world.recorded = []

    def tamper(at_us: int, wire: bytes) -> Arrivals:
        world.recorded.append(wire)
        del world.recorded[:-MOST_RECORDED]
        return [(at_us, wire)]

    world.tamper = tamper


def _play(world: World, wires: list[bytes], every_us: int) -> None:
    for at, wire in enumerate(wires):
        world.inject(wire, world.t_us + (at + 1) * every_us)


def _all_recorded(world: World) -> None:
    """Everything that was recorded, four times as fast as it was sent, again and again."""
    rounds = max(1, 2000 // max(1, len(world.recorded)))
    _play(world, world.recorded * rounds, 250 * world.link.period_ms)


def _power_cut(world: World) -> None:
    world.reset_machine(boot_ms=world.rng.randint(50, 400))
    _all_recorded(world)


def _cut_and_played(world: World) -> None:
    world.tamper = lambda at_us, wire: []
    _all_recorded(world)


def _let_through(world: World) -> None:
    world.tamper = None


def _held_for_a_round(world: World) -> None:
    """Every frame is kept back until the machine has sent 256 more."""
    telemetry = world.link.telemetry.values()
    a_second = 40 + sum(1000 / item.every_ms for item in telemetry)
    late_us = int(256 * 1_000_000 / a_second)
    world.tamper = lambda at_us, wire: [(at_us + late_us, wire)]


def _changing(change: Callable[[World, bytes], bytes | None], kind: int = COMMAND) -> Callable[[World], None]:
    """Whatever comes of a command arrives just before the command itself."""

    def strike(world: World) -> None:
        def tamper(at_us: int, wire: bytes) -> Arrivals:
            body = opened(world.link, wire)
            changed = change(world, body) if body and body[0] & 7 == kind else None
            world.recorded.append(wire)
            return [(at_us, wire)] if changed is None else [(at_us, changed), (at_us + 1, wire)]

        world.tamper = tamper

    return strike


def _flipped(world: World, body: bytes) -> bytes:
    changed = bytearray(body)
    bit = world.rng.randrange(8 * HEAD_BYTES, 8 * (len(body) - CHECK_BYTES))
    changed[bit >> 3] ^= 1 << (bit & 7)
    return resealed(world.link, bytes(changed))


def _forged(world: World, body: bytes) -> bytes:
    """A command with a counter that is ahead, all its bits of a payload, and a tag that is a guess."""
    ahead = int.from_bytes(body[3:7], "little") + world.rng.randrange(1, 1000)
    inside = world.rng.randbytes(len(body) - HEAD_BYTES - 4 - TAG - CHECK_BYTES + TAG)
    made = body[:3] + ahead.to_bytes(4, "little") + body[7:8] + inside
    return resealed(world.link, made + bytes(CHECK_BYTES))


def _spliced(world: World, body: bytes) -> bytes | None:
    """The counter of this command, and what another said."""
    if not world.recorded:
        return None
    other = opened(world.link, world.rng.choice(world.recorded[-50:]))
    if len(other) != len(body):
        return None
    return resealed(world.link, body[: HEAD_BYTES + 4] + other[HEAD_BYTES + 4 :])


def _without(world: World, body: bytes) -> bytes:
    """The command as one without a key."""
    covered = body[:HEAD_BYTES] + body[HEAD_BYTES + 4 : -TAG - CHECK_BYTES] + bytes(CHECK_BYTES)
    return resealed(world.link, covered, body[0] & 15 & ~AUTHENTICATED)


def _old_questions(world: World) -> None:
    asked = [one for one in world.recorded if opened(world.link, one)[0] & 7 == HELLO]
    if asked:
        _play(world, [world.rng.choice(asked) for _ in range(600)], 4000)


def _fault(name: str, imitates: str, strike: Callable[[World], None], *shows: str, **more: Any) -> Fault:
    given: dict[str, Any] = {"must": "hold", "ends_in": ANY, "lasts_ms": (1500, 3000), "heal": _let_through}
    given |= {"shows": shows, "before": _record, "fits": _authenticated} | more
    return Fault(name, "masquerade", imitates, strike, **given)


FAULTS = (
    _fault(
        "recorded_before_power_cut",
        "somebody plays back all that was sent before the machine lost its power",
        _power_cut,
        "no_session",
        "forged",
        "old",
        must="stop",
    ),
    _fault(
        "recorded_and_jammed",
        "somebody jams the handset, and plays back what it sent before",
        _cut_and_played,
        "old",
        must="stop",
        ends_in=(FAILSAFE,),
    ),
    _fault(
        "held_for_a_round",
        "somebody keeps every frame back until the number that tells how old it is has gone round",
        _held_for_a_round,
        "forged",
        "late",
        must="stop",
        ends_in=ANY,
        lasts_ms=(9000, 11000),
    ),
    _fault(
        "flipped_and_sealed",
        "somebody inverts a bit of every command, and makes the check right again",
        _changing(_flipped),
        "forged",
        "old",
        "late",
        "bad_field",
    ),
    _fault(
        "forged",
        "somebody makes commands without the key",
        _changing(_forged),
        "forged",
        "bad_field",
        "late",
    ),
    _fault(
        "spliced",
        "somebody puts the counter of one command before what another said",
        _changing(_spliced),
        "forged",
    ),
    _fault(
        "stripped",
        "somebody takes counter and tag off, as if there were no key",
        _changing(_without),
        "not_authenticated",
    ),
    _fault(
        "old_questions",
        "somebody asks with old questions, 250 times a second",
        _old_questions,
    ),
)
