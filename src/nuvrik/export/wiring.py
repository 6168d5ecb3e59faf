"""Which wire goes where: the pins of a board as its builder solders them."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.export.boards import (
    CARRIER,
    EDGE,
    EMIT,
    END,
    MACHINE,
    Use,
    uses_of_inputs,
    uses_of_medium,
    uses_of_radio,
)
from nuvrik.export.chips import Chip
from nuvrik.plan.form.media import RadioPins
from nuvrik.plan.form.models import Link
from nuvrik.plan.telemetry import ANALOG, CONTACT, COUNTER, VoltsItem

PULL_OHMS = "10 k"
"""Weak enough for any pin to drive against, strong enough to hold a driver's input off through a reset."""

PULLED = {"low": "ground", "high": "the board's supply"}
"""Where a resistor goes that pulls a pin."""


class Wire(NamedTuple):
    """One wire: the board's ``pin``, as it is printed there; ``to``: what it goes to; ``carries``: what is on
    it; ``needs``: what has to be fitted beside it, "" for nothing; ``pulled``: that is a resistor."""

    pin: str
    to: str
    carries: str
    needs: str
    pulled: bool = False


def wires(link: Link, chip: Chip | None, end: str, radio: RadioPins | None = None) -> Iterator[Wire]:
    """Every wire of one end: outputs, what carries the link, inputs."""
    for name, output in link.outputs.items() if end == MACHINE else ():
        for one in output.on_pins:
            needs = f"{PULL_OHMS} to {PULLED[one.pull]}" if one.pull else ""
            yield Wire(_named(one.number, chip), f"{name}, {one.of}", one.carries, needs, bool(needs))
    for use in uses_of_medium(link, end):
        hears = use.role == EDGE
        needs = "the board's own pull-up" if hears else f"{PULL_OHMS} to ground"
        yield Wire(_named(use.pin, chip), _on_the_air(use.role, link), READS[use.role], needs, not hears)
    yield from _radio(link, chip, end) if radio else ()
    for use in uses_of_inputs(link, end):
        to = f"{use.of}, {'to ground' if use.role in (CONTACT, END) else 'its output'}"
        yield Wire(_named(use.pin, chip), to, READS[use.role], _beside(use, link))


READS = {
    ANALOG: "a voltage",
    COUNTER: "edges",
    CONTACT: "a contact",
    END: "an end switch",
    EDGE: "edges",
    EMIT: "on and off",
    CARRIER: "a carrier, on and off",
}


BUS = (("SCK", "the bus's clock"), ("MOSI", "data to the radio"), ("MISO", "data from the radio"))
"""The three wires of an SPI bus, in the order in which a chip names their pins."""

RADIO = {
    "csn": ("low while it is spoken to", "10 k to the radio's supply"),
    "ce": ("high while it hears or sends", "10 k to ground"),
    "irq": ("low when it has news", "the board's own pull-up"),
    "lamp": ("steady while something comes", "a resistor of 330 ohms and more"),
}
"""What a radio chip's own wires carry, and what is fitted beside them."""


def _radio(link: Link, chip: Chip | None, end: str) -> Iterator[Wire]:
    """The wires of a radio chip, those of the bus first."""
    for pin, (name, carries) in zip(chip.spi, BUS, strict=True) if chip else ():
        yield Wire(_named(pin, chip), f"the radio, {name}", carries, "")
    for use in uses_of_radio(link, end):
        key = use.key.rpartition(".")[2]
        carries, needs = RADIO[key]
        to = "a lamp" if key == "lamp" else f"the radio, {key.upper()}"
        yield Wire(_named(use.pin, chip), to, carries, needs, key in ("csn", "ce"))


def _on_the_air(role: str, link: Link) -> str:
    """What a pin goes to that carries the link itself."""
    if role == CARRIER:
        return "infrared lamp, its transistor's input"
    if role == EMIT:
        return "sender, its data input"
    return f"{'infrared receiver' if link.medium.kind == 'infrared' else 'receiver'}, its output"


def _beside(use: Use, link: Link) -> str:
    item = link.telemetry.get(use.of)
    if isinstance(item, VoltsItem):
        return "a divider: no more than the board's supply"
    return "" if use.role == ANALOG else "the board's own pull-up"


def _named(pin: int, chip: Chip | None) -> str:
    return str(pin) if chip is None else chip.pin_name(pin)
