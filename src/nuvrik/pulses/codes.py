"""The consumer infrared codes in common use: what a press is in marks and spaces.

Every figure here is from the published timing of the code: times in microseconds at the nominal clock,
carrier in hertz.

========================  =================================================================================
nec, nec_extended         pulse distance: leader 9000/4500, marks of 562.5, a space of 562.5 is 0, of 1687.5
                          is 1; address, its complement (extended: its high byte), command, its complement,
                          lowest bit first; a key held sends only 9000/2250 and one mark
rc5                       bi-phase, half bits of 889: start bit, field bit (the complement of command bit 6),
                          toggle, 5 address bits, 6 command bits, highest first; a 1 is space then mark
rc6 (mode 0)              bi-phase, units of 444.4: leader 6/2 units, start bit, 3 mode bits, a toggle bit of
                          double length, 8 address and 8 command bits, highest first; a 1 is mark then space
sirc12, sirc15, sirc20    pulse width: leader 2400/600, a mark of 600 is 0, of 1200 is 1, spaces of 600; 7
                          command bits, then 5, 8 or 13 address bits, lowest first; at least three frames
========================  =================================================================================
"""

from collections.abc import Sequence
from typing import NamedTuple

from nuvrik.plan.form.media import CODE_FORMS, CodeForm
from nuvrik.pulses.shape import Shape


class Protocol(NamedTuple):
    """What there is to know of one code. ``repeat_us`` is how long after a frame's start the next one of
    the same press may start at the latest, one frame lost on the way included; ``frames`` how many a press
    sends at least; ``toggles`` whether a bit changes with every press."""

    name: str
    form: CodeForm
    bits: int
    carrier_hz: int
    unit_us: float
    repeat_us: int
    frames: int
    toggles: bool


PROTOCOLS = {
    made.name: made
    for made in (
        Protocol("nec", CODE_FORMS["nec"], 32, 38_000, 562.5, 290_000, 1, False),
        Protocol("nec_extended", CODE_FORMS["nec_extended"], 32, 38_000, 562.5, 290_000, 1, False),
        Protocol("rc5", CODE_FORMS["rc5"], 14, 36_000, 8000 / 9, 500_000, 1, True),
        Protocol("rc6", CODE_FORMS["rc6"], 21, 36_000, 4000 / 9, 500_000, 1, True),
        Protocol("sirc12", CODE_FORMS["sirc12"], 12, 40_000, 600, 120_000, 3, False),
        Protocol("sirc15", CODE_FORMS["sirc15"], 15, 40_000, 600, 120_000, 3, False),
        Protocol("sirc20", CODE_FORMS["sirc20"], 20, 40_000, 600, 120_000, 3, False),
    )
}

LEARNED = "learned"
"""The name of a code whose shape is not published but was learned from a recording."""


class Code(NamedTuple):
    """One frame that was read. ``command`` and ``address`` are None for a repeat of something not heard and
    for a shape that is not known (``protocol`` "unknown"); ``toggle`` is None where the code has none."""

    at_us: int
    protocol: str
    address: int | None
    command: int | None
    repeat: bool
    toggle: int | None
    bits: int

    @property
    def carrier_hz(self) -> int | None:
        """What the code is published to be carried on, in Hz; None where it is not known."""
        return PROTOCOLS[self.protocol].carrier_hz if self.protocol in PROTOCOLS else None


def edges(units: Sequence[int], unit_us: float) -> list[int]:
    """Marks (positive) and spaces in units to whole microseconds, rounded from edge to edge, so that rounding
    does not add up. Neighbours of one level are joined."""
    made: list[int] = []
    at = before = run = 0
    for place, length in enumerate(units):
        run += abs(length)
        if place + 1 < len(units) and (units[place + 1] > 0) == (length > 0):
            continue
        at += run
        end = round(at * unit_us)
        made.append(end - before if length > 0 else before - end)
        before, run = end, 0
    return made


def _low_first(value: int, bits: int) -> list[int]:
    return [value >> place & 1 for place in range(bits)]


def _high_first(value: int, bits: int) -> list[int]:
    return _low_first(value, bits)[::-1]


def _check(protocol: str, address: int, command: int) -> Protocol:
    about = PROTOCOLS.get(protocol)
    if about is None:
        raise ValueError(f'there is no code "{protocol}"; there are: {", ".join(PROTOCOLS)}')
    for name, value, bits in (
        ("address", address, about.form.address_bits),
        ("command", command, about.form.command_bits),
    ):
        if not 0 <= value < 1 << bits:
            raise ValueError(
                f"{name} {value} does not fit: {protocol} has {bits} bits for it, 0 to {(1 << bits) - 1}"
            )
    if protocol == "nec_extended" and address >> 8 == ~address & 0xFF:
        raise ValueError(f"address {address} is {address & 0xFF} and its complement: that is plain nec")
    return about


def frame(protocol: str, address: int, command: int, toggle: int = 0) -> list[int]:
    """One frame, from its first mark to its last, in microseconds.

    ValueError for an unknown code, and for an address or a command that does not fit.
    """
    about = _check(protocol, address, command)
    if protocol.startswith("nec"):
        high = address >> 8 if protocol == "nec_extended" else ~address & 0xFF
        bits = [b for byte in (address & 0xFF, high, command, ~command & 0xFF) for b in _low_first(byte, 8)]
        return edges([16, -8, *(x for bit in bits for x in (1, -3 if bit else -1)), 1], about.unit_us)
    if protocol.startswith("sirc"):
        bits = [*_low_first(command, 7), *_low_first(address, about.form.address_bits)]
        return edges([4, *(x for bit in bits for x in (-1, 2 if bit else 1))], about.unit_us)
    if protocol == "rc5":
        bits = [1, command >> 6 ^ 1, toggle & 1, *_high_first(address, 5), *_high_first(command & 0x3F, 6)]
        units = [x for bit in bits for x in ((-1, 1) if bit else (1, -1))][1:]
    else:
        units = [6, -2, 1, -1, *(-1, 1) * 3, *((2, -2) if toggle & 1 else (-2, 2))]
        bits = [*_high_first(address, 8), *_high_first(command, 8)]
        units += [x for bit in bits for x in ((1, -1) if bit else (-1, 1))]
    return edges(units[:-1] if units[-1] < 0 else units, about.unit_us)


NEC_REPEAT = edges([16, -4, 1], 562.5)


def press(protocol: str, address: int, command: int, repeats: int = 0, toggle: int = 0) -> list[int]:
    """A key pressed, and held for ``repeats`` more frames as the code defines them; each frame is followed by
    the space up to where the next one would begin."""
    about = _check(protocol, address, command)
    first = frame(protocol, address, command, toggle)
    again = NEC_REPEAT if protocol.startswith("nec") else first
    made: list[int] = []
    for count in range(max(about.frames, 1 + repeats)):
        made += spaced(again if count else first, about.form.period_us)
    return made


def spaced(one: Sequence[int], period_us: int) -> list[int]:
    """A frame and the silence up to the next one's start."""
    return [*one, -max(period_us - sum(map(abs, one)), 1000)]


def learned_press(shape: Shape, command: int, repeats: int = 0) -> list[int]:
    """A key of a learned shape, pressed and held."""
    return spaced(shape.frame(command), shape.period_us) * (1 + repeats)
