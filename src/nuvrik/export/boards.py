"""What the boards have that firmware is written for, and whether a link fits on one."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.budget.clocks import divisors
from nuvrik.export.chips import CHIPS, Chip
from nuvrik.plan.controls import ButtonControl, KeyControl
from nuvrik.plan.form.media import (
    InfraredMedium,
    OnOffMedium,
    PulsesMedium,
    RadioMedium,
    SerialMedium,
    chip_of,
)
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import MotorOutput
from nuvrik.plan.outputs.base import COIL, PLAIN, PULSE, PWM, STEP
from nuvrik.plan.problems import Problem, listing
from nuvrik.plan.telemetry import ANALOG, CONTACT, COUNTER

MOST_SERVOS = 12
"""More pulses than that do not fit into a round that servos like."""

MOST_RATE = 10_000
"""Steps a second: the timer that steps looks 20,000 times a second."""

MOST_BITRATE = 3000
"""Bits a second that are switched on and off. Half a bit is 166 us then, and the loop needs some 150 to read
an edge; at 4000 an emulated chip lost every frame that was longer than a stop."""

BAUD_PERCENT = 2.0
"""A receiver that samples eight times a bit stands 3.9 percent between both ends; half of that is ours."""


CORTEX_M3 = "cortex_m3"
"""An emulated one."""

SKETCH = "sketch"
"""Any that the common sketch framework knows."""

BOARDS = (*CHIPS, SKETCH, CORTEX_M3, "posix", "blank")


class Use(NamedTuple):
    """One pin that a machine uses: the key that names it, its role for a board, and what hangs on it."""

    key: str
    pin: int
    role: str
    of: str


MACHINE, HANDSET, BRIDGE, LISTENER = "machine", "handset", "bridge", "listener"
RADIO_BENCHES = ("radio-bench", "radio-bench-handset")
"""Two boards that try out their radio chips: one on the machine's pins, one on the handset's or the
bridge's."""

ENDS = (MACHINE, HANDSET, BRIDGE, LISTENER, *RADIO_BENCHES)

END, EDGE, EMIT, CARRIER = "end", "edge", "emit", "carrier"


def uses_of_outputs(link: Link) -> list[Use]:
    """Every pin of the outputs of a link, in the order of the file."""
    found = []
    for name, output in link.outputs.items():
        found += [Use(f"outputs.{name}.{one.key}", one.number, one.role, name) for one in output.on_pins]
    return found


def uses_of_sensors(link: Link) -> list[Use]:
    """Every pin of its sensors that a board can read by itself."""
    found = []
    ends = {
        getattr(one, key, None) for one in link.outputs.values() for key in ("end_forward", "end_backward")
    }
    for name, item in link.telemetry.items():
        how = END if name in ends else item.read_as
        if item.pin is not None and how:
            found.append(Use(f"telemetry.{name}.pin", item.pin, how, name))
    return found


def uses_of_controls(link: Link) -> list[Use]:
    """Every pin of the handset's board that a control is read from."""
    found = []
    for name, control in link.controls.items():
        turned = getattr(control, "pin_b", None) is not None
        for key in ("pin", "pin_b"):
            pin = getattr(control, key, None)
            if pin is not None:
                contact = turned or isinstance(control, ButtonControl | KeyControl)
                found.append(Use(f"controls.{name}.{key}", pin, CONTACT if contact else ANALOG, name))
    return found


def uses_of_inputs(link: Link, end: str) -> list[Use]:
    """Every pin that the board of an end reads by itself."""
    if end == MACHINE:
        return uses_of_sensors(link)
    return uses_of_controls(link) if end == HANDSET else []


def uses_of_medium(link: Link, end: str) -> list[Use]:
    """The pins of an end on which a link is switched and timed level by level."""
    pins, of = getattr(link.medium, "pins", None), MACHINE if end == LISTENER else end
    how = {"in": EDGE, "out": CARRIER if isinstance(link.medium, InfraredMedium) else EMIT}
    named = [(way, getattr(pins, f"{of}_{way}", None)) for way in how]
    return [
        Use(f"medium.pins.{of}_{way}", pin, how[way], "medium")
        for way, pin in named
        if pin is not None and not (end == LISTENER and way == "out")
    ]


def uses_of_radio(link: Link, end: str) -> list[Use]:
    """The pins of an end on which its radio chip hangs, beside those of the SPI bus."""
    medium = link.medium
    if not isinstance(medium, RadioMedium):
        return []
    where = f"medium.{medium.key_of(end)}"
    return [
        Use(f"{where}.{key}", pin, CONTACT if key == "irq" else PLAIN, "medium")
        for key, pin in (medium.pins_of(end) or ())
        if pin is not None
    ]


def second_line(link: Link, board: str, end: str) -> bool:
    """Whether a handset's board keeps a second line for a host: where the link has the first, and controls
    have pins of which it can tell."""
    has = board in CHIPS and bool(CHIPS[board].second)
    wants = (
        end == HANDSET
        and isinstance(link.medium, SerialMedium | RadioMedium)
        and bool(uses_of_controls(link))
    )
    return has and wants


def servo_timer(chip: Chip, uses: list[Use]) -> int:
    """The timer of 16 bits that times servo pulses: one whose pins do no PWM, 0 for none there is."""
    busy = {chip.pwm.get(use.pin) for use in uses if use.role == PWM}
    return next((timer for timer in chip.wide if timer not in busy), 0)


def misfits(link: Link, chip: Chip, end: str = MACHINE, *, packets: bool = False) -> Iterator[Problem]:
    """Everything for which an end of a link does not fit on a chip, with the key and what would fit.
    ``packets``: the builder's own driver carries the link."""
    if isinstance(link.medium, SerialMedium):
        yield from _baud(link.medium.baud, chip)
    timed = [] if packets else uses_of_medium(link, end)
    if not packets:
        yield from _timed(link, chip, end, timed)
    air = uses_of_radio(link, end) if packets else []
    if packets:
        yield from missing_radio(link, end)
    outputs, inputs = [], uses_of_inputs(link, end)
    if end == MACHINE:
        yield from missing_pins(link)
        outputs = uses_of_outputs(link)
    second = not packets and second_line(link, chip.name, end)
    bus = dict.fromkeys(chip.spi, "the SPI bus") if air else {}
    taken = chip.taken | (chip.second if second else {}) | bus
    for use in (*outputs, *inputs, *timed, *air):
        yield from _pin(use, chip, taken)
    for use in (*inputs, *air) if air else ():
        if use.pin == chip.spi_select and use.role != PLAIN:
            what = f"pin {use.pin} of the {chip.name} is its SPI's own: low as an input, it ends the bus"
            yield _problem(use.key, what, "let it be an output, or leave it free")
    yield from _timers(link, chip, outputs, timed)
    for use in inputs:
        able = {ANALOG: chip.analog, CONTACT: range(chip.pins)}.get(use.role, chip.counts)
        if use.pin not in able:
            does = CANNOT.get(use.role, "be read")
            fit = f"pins {_pins(chip, able)} can"
            yield _problem(use.key, f"pin {use.pin} of the {chip.name} cannot {does}", fit)


BEYOND = {
    STEP: "steps",
    COIL: "steps",
    EDGE: "hears levels",
    EMIT: "sends levels",
    CARRIER: "makes a carrier",
}
"""What the common sketch framework has no word for."""


def sketch_misfits(link: Link, end: str, *, packets: bool) -> Iterator[Problem]:
    """Everything for which an end does not fit on a board with the sketch framework: what that has no word
    for; and, where the link file names the chip, its pins."""
    chip = sketch_chip(link)
    outputs = uses_of_outputs(link) if end == MACHINE else []
    for use in [*outputs, *uses_of_medium(link, end)]:
        if use.role in BEYOND:
            what = f"{BEYOND[use.role]}, which no sketch can: the framework has no word for it"
            yield _problem(use.key, what, f"write it for {' or '.join(CHIPS)} itself")
    if packets and isinstance(link.medium, RadioMedium) and chip_of(link.medium) is None:
        what = "has no driver of ours, and a sketch's packets need one"
        yield _problem("medium.driver", what, 'say driver = "nrf24l01", or leave --packets out')
    if chip is None:
        yield from missing_radio(link, end) if packets else ()
        yield from missing_pins(link) if end == MACHINE else ()
        return
    yield from misfits(link, chip, end, packets=packets)
    for use in uses_of_inputs(link, end):
        if use.role in (COUNTER, END) and use.pin not in chip.interrupts:
            what = f"pin {use.pin} has no interrupt of its own, which a sketch needs to count"
            yield _problem(use.key, what, f"pins {_pins(chip, chip.interrupts)} have")


def sketch_chip(link: Link) -> Chip | None:
    """The chip of a sketch's board, where the link file names one that is known."""
    return CHIPS.get(link.board.chip or "") if link.board else None


CANNOT = {ANALOG: "read volts", COUNTER: "count", END: "notice an end switch that is run over"}


def _problem(where: str, what: str, do: str = "") -> Problem:
    return Problem("error", where, what, do)


def _pins(chip: Chip, pins: range | tuple[int, ...] | list[int]) -> str:
    if isinstance(pins, range):
        return (
            f"{pins.start} to {pins.stop - 1} ({chip.pin_name(pins.start)} to {chip.pin_name(pins.stop - 1)})"
        )
    return listing([str(pin) for pin in pins])


def missing_pins(link: Link) -> Iterator[Problem]:
    """Outputs of which nobody has said where they hang."""
    for name, output in link.outputs.items():
        if not output.on_pins:
            yield _problem(f"outputs.{name}", "names no pins", "say which of the board's pins it has")


def _baud(baud: int, chip: Chip) -> Iterator[Problem]:
    best = divisors(chip.clock_hz, baud, ("8",)) or divisors(chip.clock_hz, baud, ("16",))
    if not best or abs(best[0].error_percent) > BAUD_PERCENT:
        mhz = chip.clock_hz / 1e6
        off = f"; the nearest is {best[0].error_percent:+.1f} % off" if best else ""
        fit = listing([str(one) for one in (9600, 38400, 57600, 250000, 500000)])
        yield _problem("medium.baud", f"{baud} cannot be made of {mhz:g} MHz{off}", f"{fit} can")


def _pin(use: Use, chip: Chip, taken: dict[int, str]) -> Iterator[Problem]:
    if use.pin >= chip.pins:
        last = chip.pins - 1
        yield _problem(use.key, f"there is no pin {use.pin} on the {chip.name}", f"it has pins 0 to {last}")
    elif use.pin in taken:
        what = f"pin {use.pin} of the {chip.name} is taken by {taken[use.pin]}"
        yield _problem(use.key, what, "choose another")


def wants_answers(link: Link) -> list[str]:
    """What of a link makes no sense where nothing comes back from the machine."""
    wants = ["failsafe.delay_guard_ms"] if link.guard_bytes else []
    return wants + [f"[{name}]" for name in ("telemetry", "requests") if getattr(link, name)]


def missing_medium(link: Link, end: str, uses: list[Use]) -> Iterator[Problem]:
    """What is switched and timed level by level has its pins."""
    medium = link.medium
    if not isinstance(medium, InfraredMedium | OnOffMedium | PulsesMedium) or end == BRIDGE:
        return
    way = "out" if end == HANDSET else "in"
    of = HANDSET if end == HANDSET else MACHINE
    if not any(use.key.endswith(way) for use in uses):
        does = "sends" if way == "out" else "listens"
        yield _problem(f"medium.pins.{of}_{way}", f"is not there: the {end} {does} on it", "name one")
    back = "in" if end == HANDSET else "out"
    wants = wants_answers(link) if end != LISTENER else []
    if wants and not any(use.key.endswith(back) for use in uses):
        what = f"is not there, and {' and '.join(wants)} wants a way back"
        yield _problem(f"medium.pins.{of}_{back}", what, "name one, or leave that out")


def missing_radio(link: Link, end: str) -> Iterator[Problem]:
    """A radio chip that core drives has its pins."""
    medium = chip_of(link.medium)
    if medium is not None and end != LISTENER and not medium.pins_of(end):
        what = f"is not there: the {medium.driver} of the {end} hangs on its pins"
        yield _problem(
            f"medium.{medium.key_of(end)}", what, "say which: csn, ce, and irq where that wire is there"
        )


def _timed(link: Link, chip: Chip, end: str, uses: list[Use]) -> Iterator[Problem]:
    """That, and it is slow enough."""
    medium = link.medium
    if not isinstance(medium, InfraredMedium | OnOffMedium | PulsesMedium) or end == BRIDGE:
        return
    yield from missing_medium(link, end, uses)
    if isinstance(medium, OnOffMedium) and medium.bitrate > MOST_BITRATE:
        what = f"is {medium.bitrate}; the {chip.name} times {MOST_BITRATE} bits a second at most"
        yield _problem("medium.bitrate", what, "the cheapest modules carry no more than that either")
    for use in uses:
        if use.role == EDGE and use.pin not in chip.counts and use.pin < chip.pins:
            what = f"pin {use.pin} of the {chip.name} tells no edges"
            yield _problem(use.key, what, f"pins {_pins(chip, chip.counts)} do")
        elif use.role == CARRIER and use.pin != chip.carrier:
            what = f"pin {use.pin} of the {chip.name} makes no carrier"
            yield _problem(use.key, what, f"pin {chip.carrier} does")


def _timers(link: Link, chip: Chip, uses: list[Use], timed: list[Use]) -> Iterator[Problem]:
    pulses = [use for use in uses if use.role == PULSE]
    if len(pulses) > MOST_SERVOS:
        what = f"is the {len(pulses)}th pin with servo pulses; one timer times {MOST_SERVOS}"
        yield _problem(pulses[-1].key, what, "drive the others from a second board")
    steps = any(use.role in (STEP, COIL) for use in uses)
    for name, output in link.outputs.items():
        if output.steps_hz > MOST_RATE:
            what = f"is {output.steps_hz}; the {chip.name} makes {MOST_RATE} steps a second at most"
            yield _problem(f"outputs.{name}.rate_max", what, "let the driver step in larger steps")
        if isinstance(output, MotorOutput) and output.pwm_hz and not 900 <= output.pwm_hz <= 1050:
            what = f"is {output.pwm_hz}; the {chip.name} makes 976 Hz, whatever a file says"
            yield _problem(f"outputs.{name}.pwm_hz", what, "leave it out")
    taken = {2: "steps"} if steps else {}
    for use in timed:
        if use.role in (EMIT, CARRIER):
            if steps:
                what = "needs the timer that makes steps"
                yield _problem(use.key, what, "let a second board have the steppers")
            taken = {2: "what is sent"}
    if pulses and not servo_timer(chip, uses):
        fit = [pin for pin in chip.pwm if chip.pwm[pin] not in (*chip.wide, *taken)]
        what = "needs a timer of 16 bits, and PWM has them all"
        yield _problem(pulses[0].key, what, f"move PWM to pins {_pins(chip, fit)} until one is free")
    able = sorted(pin for pin, timer in chip.pwm.items() if timer not in taken)
    for use in uses:
        if use.role != PWM or use.pin in able or use.pin >= chip.pins:
            continue
        why = f"pin {use.pin} of the {chip.name} cannot do PWM"
        if use.pin in chip.pwm:
            why += f": its timer makes {taken[chip.pwm[use.pin]]}"
        yield _problem(use.key, why, f"pins {_pins(chip, able)} can")
