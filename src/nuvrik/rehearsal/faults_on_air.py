"""Faults of a radio chip that core drives, and of the air around it."""

from collections.abc import Callable
from typing import Any

from nuvrik.core.machine.states import FAILSAFE
from nuvrik.plan.form.media import chip_of
from nuvrik.rehearsal.fault import ANY, Fault, only
from nuvrik.rehearsal.on_air import Air
from nuvrik.rehearsal.world import World

LONG_ENOUGH = (1200, 2200)
"""Longer than timeouts are, so that the machine must have stopped."""

NO_WIRE = 0xFF
"""What a byte from a chip reads as whose wire is off."""


def _on_air(world: World) -> None:
    world.air = Air(world)


def _chip(name: str, **to: Any) -> Callable[[World], None]:
    """Something about the chip of an end becomes otherwise."""

    def strike(world: World) -> None:
        for field, value in to.items():
            setattr(getattr(world.air, name).chip, field, value)

    return strike


def _absent(world: World) -> None:
    world.air.machine.chip.absent = NO_WIRE


def _there_again(world: World) -> None:
    """Plugged in again, it is as it is when power comes."""
    world.air.machine.chip.absent = None
    world.air.machine.chip.power(world.t_us)


def _forgets(world: World) -> None:
    """Now and then its supply dips, for so short a time that nothing else notices."""
    chip = world.air.machine.chip

    def dip(_: object) -> None:
        if world.air.dips:
            chip.power(world.t_us, 0)
            world.at(world.t_us + 1000 * world.rng.randrange(100, 900), dip)

    world.air.dips = True
    dip(None)


def _dips_no_more(world: World) -> None:
    world.air.dips = False


def _other_channel(world: World) -> None:
    world.air.machine.chip.off_by = 1


def _same_channel(world: World) -> None:
    world.air.machine.chip.off_by = 0


def _another_pair(world: World) -> None:
    """Somebody else's handset comes onto the channel, arms its own machine, and drives."""
    link = world.link
    frame = link.frame.model_copy(update={"pair": link.frame.pair % 255 + 1})
    world.air.comes(link.model_copy(update={"frame": frame}))


def _goes(world: World) -> None:
    world.air.other = None


def _answers_at_once(world: World) -> None:
    """The machine's driver sends whenever it has something to say."""
    world.air.machine.retold(answers=False)


def _answers_in_silence(world: World) -> None:
    world.air.machine.retold(answers=True)


by_radio = only(lambda link: chip_of(link.medium), "no radio chip is driven for it")
"""Links whose radio has a driver of ours."""
_answers = only(lambda link: link.telemetry, "its machine says nothing unasked", by_radio)

FAULTS = (
    Fault(
        "radio_absent",
        "bench",
        "the machine's radio module is pulled, and plugged in again",
        _absent,
        ends_in=(FAILSAFE,),
        lasts_ms=LONG_ENOUGH,
        heal=_there_again,
        fits=by_radio,
        before=_on_air,
    ),
    Fault(
        "radio_forgets",
        "bench",
        "the supply of the machine's radio dips again and again, and its chip forgets what it was told",
        _forgets,
        must="hold",
        ends_in=ANY,
        lasts_ms=(2000, 4000),
        heal=_dips_no_more,
        fits=by_radio,
        before=_on_air,
    ),
    Fault(
        "radio_hangs",
        "loss",
        "the handset's radio chip takes packets and sends none",
        _chip("handset", hung=True),
        ends_in=(FAILSAFE,),
        lasts_ms=LONG_ENOUGH,
        heal=_chip("handset", hung=False),
        fits=by_radio,
        before=_on_air,
    ),
    Fault(
        "radio_wrong_channel",
        "loss",
        "one end's radio is tuned to another channel than it says",
        _other_channel,
        ends_in=(FAILSAFE,),
        lasts_ms=LONG_ENOUGH,
        heal=_same_channel,
        fits=by_radio,
        before=_on_air,
    ),
    Fault(
        "two_handsets_on_air",
        "masquerade",
        "another handset drives another machine on the same channel",
        _another_pair,
        must="hold",
        ends_in=ANY,
        lasts_ms=(2000, 4000),
        heal=_goes,
        fits=by_radio,
        before=_on_air,
    ),
    Fault(
        "answers_collide",
        "loss",
        "the machine's answers go out whenever there are some, and spoil what comes",
        _answers_at_once,
        must="hold",
        ends_in=ANY,
        lasts_ms=(2000, 4000),
        heal=_answers_in_silence,
        fits=_answers,
        before=_on_air,
    ),
)
