"""What carries a link's frames, and how often its loops go round, as tables."""

from nuvrik.core.frames.medium import MediumTable
from nuvrik.core.frames.on_off import OnOffTable
from nuvrik.core.levels import NOBODY
from nuvrik.core.loop import LoopTable
from nuvrik.plan.form.media import AnyMedium, InfraredMedium, OnOffMedium, Packets, PulsesMedium, RadioMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.on_off import on_off_table

NO_CARRIER = made(OnOffTable, bitrate=1, half=0, fastest=0, slowest=0, most_lean=0, training_bits=0)


def loop_table(link: Link) -> LoopTable:
    """The loop of a link's ends."""
    return made(LoopTable, tick_ms=link.tick_ms, timeout_ms=link.failsafe.timeout_ms)


def medium_table(medium: AnyMedium, end: str = "machine") -> MediumTable:
    """What the board of an end has to know of a medium."""
    pins = getattr(medium, "pins", None)
    module = medium if isinstance(medium, RadioMedium) else None
    pulses = medium if isinstance(medium, PulsesMedium) else None
    carrier = medium if isinstance(medium, OnOffMedium) else None
    return made(
        MediumTable,
        bitrate=getattr(medium, "baud", getattr(medium, "bitrate", 0)),
        payload_max=medium.payload_max if isinstance(medium, Packets) else 0,
        channel=module.channel if module else 0,
        group=module.group if module else 0,
        address_low=module.address & 0xFFFF if module else 0,
        address_high=module.address >> 16 if module else 0,
        frame_us=pulses.frame_us if pulses else 0,
        pulse_us=pulses.pulse_us if pulses else 0,
        active_high=pulses is not None and pulses.active == "high",
        pin_in=_pin_number(pins, f"{end}_in"),
        pin_out=_pin_number(pins, f"{end}_out"),
        # The receivers of remote controls pull their output down while they see the carrier.
        in_high=pulses.active == "high" if pulses else not isinstance(medium, InfraredMedium),
        carrier=on_off_table(carrier.bitrate, carrier.training_bits) if carrier else NO_CARRIER,
    )


def _pin_number(pins: object, name: str) -> int:
    given = getattr(pins, name, None)
    return NOBODY if given is None else int(given)
