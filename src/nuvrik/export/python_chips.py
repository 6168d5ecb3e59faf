"""Chips that run MicroPython, as far as a link's wires have to know them.

What pins do while a chip starts is what the makers' data sheets say of power-up glitches, strapping pins, and
what the loader in ROM prints and probes, as far as it is known here; none of it was measured."""

from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.export import boards
from nuvrik.export.boards import Use
from nuvrik.export.chips import LINE
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import InfraredMedium, OnOffMedium, PulsesMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import MotorOutput
from nuvrik.plan.outputs.base import PULSE, PWM
from nuvrik.plan.problems import Problem
from nuvrik.plan.telemetry import ANALOG, CONTACT

MOST_RATE = 2000
"""Steps a second: each takes a call of a function, some 30 us on a chip of 100 MHz, twice as often as the
fastest of them steps."""

PWM_HZ = 1000
"""How often the PWM of a motor goes up where the link file says nothing: between a hum and what cheap drivers
still switch."""

SERVO_HZ = 50


class Family(NamedTuple):
    """One family of chips. ``pins``: those there are; ``only_read``: of those, what cannot be set;
    ``analog``: what reads volts; ``at_start``: what does something of its own while the chip starts;
    ``kept``: what the chip or its usual board needs; ``line``: its serial line, number, tx and rx; ``spi``:
    its SPI bus, number, clock, data out and data in; ``timer``: the one for steps; ``pwm``: how many pins may
    do PWM; ``speeds``: at how many frequencies; ``clock_mhz``: how fast it runs."""

    name: str
    pins: frozenset[int]
    only_read: frozenset[int]
    analog: frozenset[int]
    at_start: dict[int, str]
    kept: dict[int, str]
    line: tuple[int, int, int]
    spi: tuple[int, int, int, int]
    timer: int
    pwm: int
    speeds: int
    clock_mhz: int


FLASH = "the chip's own flash"
STRAP = "decides how the chip starts"

RP2040 = Family(
    name="rp2040",
    pins=frozenset(range(30)),
    only_read=frozenset(),
    analog=frozenset(range(26, 30)),
    at_start=dict.fromkeys((23, 24, 25, 29), "hangs on something else on its usual board"),
    kept={},
    line=(0, 0, 1),
    spi=(0, 18, 19, 16),
    timer=-1,
    pwm=16,
    speeds=8,
    clock_mhz=125,
)

ESP32 = Family(
    name="esp32",
    pins=frozenset({*range(20), 21, 22, 23, 25, 26, 27, *range(32, 40)}),
    only_read=frozenset(range(34, 40)),
    analog=frozenset({0, 2, 4, *range(12, 16), 25, 26, 27, *range(32, 40)}),
    at_start={
        **dict.fromkeys((0, 5, 14, 15), "flickers while the chip starts"),
        1: "carries what the loader prints while the chip starts",
        3: "is high while the chip starts",
        2: STRAP,
        12: f"{STRAP}: it must not be pulled high then",
    },
    kept=dict.fromkeys(range(6, 12), FLASH),
    line=(2, 17, 16),
    spi=(2, 18, 23, 19),
    timer=0,
    pwm=16,
    speeds=8,
    clock_mhz=160,
)

ESP32S3 = Family(
    name="esp32s3",
    pins=frozenset({*range(22), *range(35, 49)}),
    only_read=frozenset(),
    analog=frozenset(range(1, 21)),
    at_start={
        **dict.fromkeys((0, 3, 45, 46), STRAP),
        **dict.fromkeys((18, 19, 20), "goes high for a moment while the chip starts"),
        43: "carries what the loader prints while the chip starts",
        44: "is high while the chip starts",
        39: "is high while the chip starts",
    },
    kept={},
    line=(1, 17, 18),
    spi=(1, 12, 11, 13),
    timer=0,
    pwm=8,
    speeds=4,
    clock_mhz=160,
)

ESP32C3 = Family(
    name="esp32c3",
    pins=frozenset({*range(11), *range(18, 22)}),
    only_read=frozenset(),
    analog=frozenset(range(5)),
    at_start={
        **dict.fromkeys((2, 8, 9), STRAP),
        **dict.fromkeys((18, 19), "is the chip's own USB, where its board has that"),
        20: "is high while the chip starts",
        21: "carries what the loader prints while the chip starts",
    },
    kept=dict.fromkeys(range(11, 18), FLASH),
    line=(1, 4, 5),
    spi=(1, 6, 7, 10),
    timer=0,
    pwm=6,
    speeds=4,
    clock_mhz=160,
)

ANY = Family(
    name="any",
    pins=frozenset(range(256)),
    only_read=frozenset(),
    analog=frozenset(range(256)),
    at_start={},
    kept={},
    line=(1, -1, -1),
    spi=(1, -1, -1, -1),
    timer=-1,
    pwm=256,
    speeds=256,
    clock_mhz=100,
)
"""One that nobody has looked up: its builder knows what its pins can."""

FAMILIES = {one.name: one for one in (RP2040, ESP32, ESP32S3, ESP32C3, ANY)}

POSIX = "posix"
PYTHON_BOARDS = (*FAMILIES, POSIX)


def misfits_of(wanted: Wanted) -> Iterator[Problem]:
    """Everything for which an end does not fit on a board; notes say what a pin does while it starts."""
    family = FAMILIES.get(wanted.board)
    uses = [*wanted.outputs, *wanted.inputs, *wanted.timed, *wanted.air]
    if family is None:
        yield from _on_a_computer(wanted)
        return
    yield from _medium(wanted)
    taken = dict(family.kept)
    if wanted.on_the_line or wanted.end in (boards.BRIDGE, *boards.RADIO_BENCHES) or wanted.tells_raw:
        taken |= dict.fromkeys(family.line[1:], LINE[0])
    if wanted.packets:
        yield from boards.missing_radio(wanted.link, wanted.end)
    if wanted.air:
        taken |= dict.fromkeys(family.spi[1:], "the SPI bus")
    sets = {
        use.key
        for use in [*wanted.outputs, *wanted.timed, *wanted.air]
        if use.role not in (boards.EDGE, CONTACT)
    }
    used = {use.pin for use in uses}
    quiet = family.pins - family.only_read - taken.keys() - family.at_start.keys() - used
    for use in uses:
        fit = sorted(quiet & family.analog if use.role == ANALOG else quiet)
        free = f"free are {', '.join(map(str, fit))}" if fit else "none is free"
        yield from _pin(use, family, taken, free, sets=use.key in sets)
    yield from _pwm(wanted.link, family, wanted.outputs)
    yield from _rates(wanted.link, wanted.end)
    if wanted.end == boards.MACHINE:
        yield from boards.missing_pins(wanted.link)


def _on_a_computer(wanted: Wanted) -> Iterator[Problem]:
    link = wanted.link
    if isinstance(link.medium, InfraredMedium | PulsesMedium) or wanted.keyed:
        what = f"is {link.medium.kind}; a computer times no pins"
        yield Problem("error", "medium.kind", what, "let a chip do that")
    elif wanted.end not in (boards.MACHINE, boards.HANDSET):
        yield Problem(
            "error", "--end", f"is {wanted.end}, which is a chip's work", "name a chip with --board"
        )


def _medium(wanted: Wanted) -> Iterator[Problem]:
    """What would have to be timed level by level while the loop goes on."""
    timed = isinstance(wanted.link.medium, PulsesMedium | OnOffMedium) and not wanted.packets
    if wanted.end == boards.HANDSET and timed:
        what = "is sent level by level, and MicroPython cannot time that well enough"
        yield Problem("error", "medium.kind", what, "write the handset with --to c")
        return
    yield from boards.missing_medium(wanted.link, wanted.end, wanted.timed)
    if timed and wanted.end == boards.MACHINE and any(use.role == boards.EMIT for use in wanted.timed):
        what = "would be switched level by level, and MicroPython cannot time that well enough"
        yield Problem(
            "error", "medium.pins.machine_out", what, "write the machine with --to c, or leave it out"
        )


def _pin(use: Use, family: Family, taken: dict[int, str], free: str, *, sets: bool) -> Iterator[Problem]:
    pin, name = use.pin, family.name
    if pin in taken:
        what = f"pin {pin} of the {name} is taken by {taken[pin]}"
        yield Problem("error", use.key, what, free)
    elif pin not in family.pins:
        yield Problem("error", use.key, f"there is no pin {pin} on the {name}", free)
    elif sets and pin in family.only_read:
        what = f"pin {pin} of the {name} can only be read"
        yield Problem("error", use.key, what, free)
    elif use.role == ANALOG and pin not in family.analog:
        fit = ", ".join(map(str, sorted(family.analog)))
        yield Problem("error", use.key, f"pin {pin} of the {name} cannot read volts", f"pins {fit} can")
    elif pin in family.at_start:
        instead = "let nothing that can move hang on it" if sets else ""
        yield Problem("warning", use.key, f"pin {pin} of the {name} {family.at_start[pin]}", instead)


def _pwm(link: Link, family: Family, uses: list[Use]) -> Iterator[Problem]:
    """No more pins with PWM than there are, and no two that share what they must have for themselves."""
    speeds = {use.key: speed for use in uses if (speed := speed_of(link, use))}
    waves = [use for use in uses if use.key in speeds]
    if len(waves) > family.pwm:
        what = f"is the {len(waves)}th pin with PWM; the {family.name} has {family.pwm}"
        yield Problem("error", waves[-1].key, what, "drive the others from a second board")
    if family is RP2040:
        yield from _slices(waves, speeds)
    elif len(set(speeds.values())) > family.speeds:
        what = (
            f"asks for {len(set(speeds.values()))} frequencies; the {family.name} has {family.speeds} timers"
        )
        yield Problem("error", waves[-1].key, what, "give motors the same pwm_hz")


def _slices(waves: list[Use], speeds: dict[str, int]) -> Iterator[Problem]:
    """On an rp2040 two neighbours share a frequency, and pins that are 16 apart share everything."""
    for at, use in enumerate(waves):
        for other in waves[:at]:
            if use.pin != other.pin and use.pin % 16 == other.pin % 16:
                what = f"pins {other.pin} and {use.pin} of the rp2040 always carry the same PWM"
                yield Problem("error", use.key, what, "move one of them")
            elif use.pin % 16 // 2 == other.pin % 16 // 2 and speeds[use.key] != speeds[other.key]:
                what = f"pins {other.pin} and {use.pin} of the rp2040 share one frequency, and want two"
                yield Problem("error", use.key, what, "move one of them beside its like")


def speed_of(link: Link, use: Use) -> int:
    """How often a second a pin goes up, 0 for one without PWM."""
    if use.role == PULSE:
        return SERVO_HZ
    output = link.outputs.get(use.of)
    if use.role == PWM and isinstance(output, MotorOutput):
        return output.pwm_hz or PWM_HZ
    return 0


def _rates(link: Link, end: str) -> Iterator[Problem]:
    for name, output in link.outputs.items() if end == boards.MACHINE else ():
        if output.steps_hz > MOST_RATE:
            what = f"is {output.steps_hz}; MicroPython makes {MOST_RATE} steps a second at most"
            yield Problem("error", f"outputs.{name}.rate_max", what, "write the machine with --to c")
