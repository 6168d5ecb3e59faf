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

from nuvrik.core.infrared.codes import CodeMaker
from nuvrik.plan.form.media import CODE_FORMS, CodeForm, InfraredCode
from nuvrik.plan.tables.infrared import CARRIERS, FRAMES, code_table, key_code
from nuvrik.pulses.shape import Shape


class Protocol(NamedTuple):
    """What there is to know of one code. ``frames`` is how many a press sends at least; ``toggles`` whether a
    bit changes with every press."""

    name: str
    form: CodeForm
    bits: int
    carrier_hz: int
    unit_us: float
    frames: int
    toggles: bool


def _protocol(name: InfraredCode, bits: int, toggles: bool = False) -> Protocol:
    table = code_table(name, 0)
    unit_us, frames = table.unit_parts / table.unit_of, FRAMES.get(table.protocol, 1)
    return Protocol(name, CODE_FORMS[name], bits, CARRIERS[name], unit_us, frames, toggles)


PROTOCOLS = {
    made.name: made
    for made in (
        _protocol("nec", 32),
        _protocol("nec_extended", 32),
        _protocol("rc5", 14, toggles=True),
        _protocol("rc6", 21, toggles=True),
        _protocol("sirc12", 12),
        _protocol("sirc15", 15),
        _protocol("sirc20", 20),
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


def signed(maker: CodeMaker) -> list[int]:
    """What a maker has made: marks positive, spaces negative, in microseconds."""
    return [-us if place % 2 else us for place, us in enumerate(maker.times[: maker.count])]


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
    _check(protocol, address, command)
    maker = CodeMaker(code_table(protocol, address))
    maker.key(key_code(command), toggle & 1)
    return signed(maker)


def learned_frame(shape: Shape, code: int) -> list[int]:
    """One frame of a learned shape, from its first mark to its last. ValueError if the code does not fit."""
    if not 0 <= code < 1 << shape.bits:
        raise ValueError(f"code {code} does not fit: the shape has {shape.bits} bits")
    maker = CodeMaker(code_table(LEARNED, 0, shape))
    maker.key(key_code(code), 0)
    return signed(maker)


def nec_again() -> list[int]:
    """What a nec remote sends while a key is held."""
    maker = CodeMaker(code_table("nec", 0))
    maker.again()
    return signed(maker)


def press(protocol: str, address: int, command: int, repeats: int = 0, toggle: int = 0) -> list[int]:
    """A key pressed, and held for ``repeats`` more frames as the code defines them; each frame is followed by
    the space up to where the next one would begin."""
    about = _check(protocol, address, command)
    first = frame(protocol, address, command, toggle)
    again = nec_again() if protocol.startswith("nec") else first
    made: list[int] = []
    for count in range(max(about.frames, 1 + repeats)):
        made += spaced(again if count else first, about.form.period_us)
    return made


def spaced(one: Sequence[int], period_us: int) -> list[int]:
    """A frame and the silence up to the next one's start."""
    return [*one, -max(period_us - sum(map(abs, one)), 1000)]


def learned_press(shape: Shape, command: int, repeats: int = 0) -> list[int]:
    """A key of a learned shape, pressed and held."""
    return spaced(learned_frame(shape, command), shape.period_us) * (1 + repeats)
