"""``nuvrik clock``: what a microcontroller's clock can do."""

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Annotated, Any

import typer

from nuvrik.budget.clocks import (
    WAYS,
    Divisor,
    Servo,
    Setting,
    Timer,
    divisors,
    leaves_margin,
    nearest_clock,
    servo,
    settings,
)
from nuvrik.cli.options import Json, drawn
from nuvrik.cli.words import DONE, NO, Trouble, console, say, say_json, speaks_plainly, table

FOURTH = 4


@dataclass
class Wanted:
    """What a clock is to do."""

    clock_hz: int
    uart: int | None = None
    pwm: float | None = None
    servo: float | None = None
    timer: Timer = field(default_factory=Timer)
    ways: tuple[str, ...] = WAYS
    pulse_us: tuple[int, ...] = (1000, 1500, 2000)
    degrees: float = 90.0
    other_hz: int | None = None
    supply_volts: float | None = None


def numbers(text: str, name: str) -> tuple[int, ...]:
    """Whole numbers between commas."""
    try:
        found = tuple(int(part) for part in text.split(","))
    except ValueError:
        raise Trouble(f'{name} "{text}": write whole numbers between commas') from None
    if not all(number > 0 for number in found):
        raise Trouble(f'{name} "{text}": every number must be more than 0')
    return found


def ways(text: str) -> tuple[str, ...]:
    """Which dividers a UART has."""
    found = tuple(text.split(","))
    for way in found:
        if way not in WAYS:
            raise Trouble(f'--divide-by "{way}": a UART has some of {", ".join(WAYS)}')
    return found


def run(wanted: Wanted, instead_hz: int | None, figure: Path | None, as_json: bool) -> int:
    """Do the sums for a clock, and side by side for another. The answer is no if something cannot be done."""
    if wanted.uart is None and wanted.pwm is None and wanted.servo is None:
        raise Trouble("say what the clock is for: --uart BAUD, --pwm HZ or --servo HZ")
    if len(wanted.pulse_us) != 3 or not wanted.pulse_us[0] < wanted.pulse_us[1] < wanted.pulse_us[2]:
        raise Trouble("--pulse-us: give three rising numbers: one end, centred, the other end")
    before = _sums(wanted)
    if instead_hz is not None:
        after = _sums(replace(wanted, clock_hz=instead_hz))
        if as_json:
            say_json({"clock_hz": wanted.clock_hz, **_record(before), "instead": _record(after)})
        else:
            _print_change(wanted, instead_hz, before, after)
        return DONE if after.able else NO
    if as_json:
        say_json(_record(before))
    else:
        _print(wanted, before)
    if figure is not None:
        from nuvrik.figures.waves import draw_waves

        draw_waves(figure, wanted.pulse_us, wanted.degrees, before.pwm, wanted.supply_volts or 5.0)
        say(f"{figure}: written") if not as_json else None
    return DONE if before.able else NO


@dataclass
class Sums:
    """What came out: None where it was not asked for, an empty list or no servo where it cannot be done."""

    uart: list[Divisor] | None = None
    apart: tuple[bool, float] | None = None
    pwm: list[Setting] | None = None
    servo: Servo | None = None
    servo_wanted: bool = False

    @property
    def able(self) -> bool:
        """Whether everything can be done."""
        uart = self.uart is None or (bool(self.uart) and (self.apart is None or self.apart[0]))
        return uart and self.pwm != [] and (self.servo is not None or not self.servo_wanted)


def _sums(wanted: Wanted) -> Sums:
    sums = Sums()
    if wanted.uart is not None:
        sums.uart = divisors(wanted.clock_hz, wanted.uart, wanted.ways)
        other = divisors(wanted.other_hz, wanted.uart, wanted.ways) if wanted.other_hz else None
        if sums.uart:
            sums.apart = leaves_margin(sums.uart[0], other[0].error_percent if other else 0.0)
    if wanted.pwm is not None:
        sums.pwm = settings(wanted.clock_hz, wanted.pwm, wanted.timer)
    if wanted.servo is not None:
        sums.servo_wanted = True
        sums.servo = servo(wanted.clock_hz, wanted.servo, wanted.timer, wanted.pulse_us, wanted.degrees)
    return sums


def _record(sums: Sums) -> dict[str, Any]:
    """Flat for one sum, as other programs may rely on; beside it, each under its name."""
    made: dict[str, Any] = {}
    if sums.uart:
        best = sums.uart[0]
        made |= {k: getattr(best, k) for k in ("how", "divisor", "actual_baud", "error_percent")}
        made["margin_percent"] = best.margin_percent
        if sums.apart:
            made |= {"apart_percent": sums.apart[1], "fits": sums.apart[0]}
    if sums.pwm is not None:
        made |= sums.pwm[0]._asdict() if sums.pwm else {"prescaler": None, "period": None, "actual_hz": None}
    if sums.servo_wanted:
        made["servo"] = sums.servo and {
            "counts": list(sums.servo.counts),
            "step_us": sums.servo.step_us,
            "step_degrees": sums.servo.step_degrees,
            "places": sums.servo.places,
            **{k: getattr(sums.servo.setting, k) for k in ("prescaler", "period", "actual_hz")},
        }
    return made


def _print(wanted: Wanted, sums: Sums) -> None:
    out = console()
    if sums.uart is not None:
        _print_uart(wanted, sums, out)
    if sums.pwm is not None and wanted.pwm is not None:
        _print_pwm(wanted, wanted.pwm, sums.pwm, out)
    if sums.servo_wanted and wanted.servo is not None:
        _print_servo(wanted, wanted.servo, sums.servo)


def _print_uart(wanted: Wanted, sums: Sums, out: Any) -> None:
    if not sums.uart:
        say(f"{wanted.uart} baud cannot be made from {hertz(wanted.clock_hz)}: every divisor is too large")
        return
    columns = ["formula", ">divisor", ">actual baud", ">error", ">two ends may differ by"]
    rows = [
        (
            one.how,
            f"{one.divisor:g}",
            f"{one.actual_baud:.1f}",
            f"{one.error_percent:+.2f} %",
            f"{one.margin_percent:.1f} %",
        )
        for one in sums.uart
    ]
    out.print(table(f"{wanted.uart} baud from {hertz(wanted.clock_hz)}, the nearest first", columns, rows))
    assert sums.apart is not None
    other = f"one on {hertz(wanted.other_hz)}" if wanted.other_hz else "an exact one"
    fits, apart = sums.apart
    verdict = "which leaves room" if fits else "which is too much: half of the margin is for the line"
    say(f"  The other end being {other}, the two are {apart:.2f} % apart, {verdict}.")


def _timer_words(timer: Timer) -> str:
    each = "" if timer.clocks_per_count == 1 else f", a count every {timer.clocks_per_count} clocks"
    several = len(timer.prescalers) > 1
    listed = "/".join(map(str, timer.prescalers))
    return f"{timer.bits}-bit period, prescaler{'s' if several else ''} {listed}{each}"


def _print_pwm(wanted: Wanted, hz: float, able: list[Setting], out: Any) -> None:
    if not able:
        _print_cannot(wanted, hz)
        return
    columns = [">prescaler", ">period register", ">actual", ">error", ">steps of duty", ">a step"]
    rows = [
        (
            f"{one.prescaler}",
            f"{one.period}",
            f"{one.actual_hz:.6g} Hz",
            f"{one.error_percent:+.2f} %",
            f"{one.steps}",
            f"{one.count_us:.4g} us",
        )
        for one in able
    ]
    title = f"{hz:g} Hz from {hertz(wanted.clock_hz)}, {_timer_words(wanted.timer)}; the nearest first"
    out.print(table(title, columns, rows))
    if wanted.supply_volts:
        best = able[0]
        volts = wanted.supply_volts / best.steps
        say(f"  From {wanted.supply_volts:g} V a step of duty is {1000 * volts:.3g} mV on average.")


def _print_cannot(wanted: Wanted, hz: float) -> None:
    timer = wanted.timer
    say(f"{hz:g} Hz cannot be done with {hertz(wanted.clock_hz)}, {_timer_words(timer)}.")
    slowest = wanted.clock_hz / max(timer.prescalers) / timer.clocks_per_count / timer.most
    fastest = wanted.clock_hz / min(timer.prescalers) / timer.clocks_per_count / 2
    say(f"  It can do {hertz(slowest)} to {hertz(fastest)}.")
    nearest = nearest_clock(wanted.clock_hz, hz, timer)
    best = settings(nearest, hz, timer)[0]
    say(f"  The nearest clock that can is {hertz(nearest)}: {_setting_words(best)}.")
    if timer.clocks_per_count == 1:
        able = settings(wanted.clock_hz, hz, timer._replace(clocks_per_count=FOURTH))
        if able:
            say(f"  On a chip whose timer counts every fourth clock it can: {_setting_words(able[0])}")
            say("  (say so with --clocks-per-count 4).")


def _setting_words(one: Setting) -> str:
    return (
        f"prescaler {one.prescaler}, period register {one.period}, {one.actual_hz:.5g} Hz "
        f"({one.error_percent:+.2f} %), {one.steps} steps"
    )


def _print_servo(wanted: Wanted, hz: float, made: Servo | None) -> None:
    if made is None:
        _print_cannot(wanted, hz)
        return
    ends = " / ".join(f"{us} us = {count}" for us, count in zip(made.pulse_us, made.counts, strict=True))
    say(f"servo pulses in a frame of {hz:g} Hz: {_setting_words(made.setting)}")
    say(f"  steps: {ends}")
    say(
        f"  a step is {made.step_us:.4g} us, {made.step_degrees:.3g} degrees: {made.places} places over "
        f"{wanted.degrees:g} degrees" + (", which is coarse" if made.places < 60 else "")
    )


def _print_change(wanted: Wanted, instead_hz: int, before: Sums, after: Sums) -> None:
    rows: list[tuple[str, str, str]] = []
    for name, old, new in zip(_NAMES, _facts(before), _facts(after), strict=True):
        if old is not None and old != new:
            rows.append((name, old, new or "cannot be done"))
    title = f"what changes with the clock, from {hertz(wanted.clock_hz)} to {hertz(instead_hz)}"
    columns = ["", f">{hertz(wanted.clock_hz)}", f">{hertz(instead_hz)}"]
    console().print(table(title, columns, rows) if rows else f"{title}: nothing that was asked about")


_NAMES = (
    "UART divisor",
    "UART actual baud",
    "UART error",
    "PWM prescaler, period register",
    "PWM frequency",
    "PWM steps of duty",
    "servo prescaler, period register",
    "servo counts",
    "servo step",
)


def _facts(sums: Sums) -> list[str | None]:
    cannot = "cannot be done"
    made: list[str | None] = [None] * len(_NAMES)
    if sums.uart is not None:
        best = sums.uart[0] if sums.uart else None
        made[0] = f"{best.divisor:g}, {best.how}" if best else cannot
        made[1] = f"{best.actual_baud:.1f}" if best else cannot
        made[2] = f"{best.error_percent:+.2f} %" if best else cannot
    if sums.pwm is not None:
        one = sums.pwm[0] if sums.pwm else None
        made[3] = f"{one.prescaler}, {one.period}" if one else cannot
        made[4] = f"{one.actual_hz:.6g} Hz ({one.error_percent:+.2f} %)" if one else cannot
        made[5] = f"{one.steps}" if one else cannot
    if sums.servo_wanted:
        made[6] = f"{sums.servo.setting.prescaler}, {sums.servo.setting.period}" if sums.servo else cannot
        made[7] = " / ".join(map(str, sums.servo.counts)) if sums.servo else cannot
        made[8] = f"{sums.servo.step_us:.4g} us, {sums.servo.step_degrees:.3g} deg" if sums.servo else cannot
    return made


def hertz(clock_hz: float) -> str:
    """A clock for people to read."""
    for unit, size in (("MHz", 1_000_000), ("kHz", 1000)):
        if clock_hz >= size:
            return f"{clock_hz / size:.7g} {unit}"
    return f"{clock_hz:.4g} Hz"


@speaks_plainly
def command(
    hz: Annotated[int, typer.Option("--hz", min=1, max=10**10, help="The clock, in Hz.")],
    uart: Annotated[
        int | None, typer.Option("--uart", metavar="BAUD", min=1, help="Divisors for this baud rate.")
    ] = None,
    pwm: Annotated[
        float | None, typer.Option("--pwm", metavar="HZ", min=0.001, help="Timer settings for this PWM.")
    ] = None,
    servo: Annotated[
        float | None, typer.Option("--servo", metavar="HZ", min=1, help="Servo pulses at this frame rate.")
    ] = None,
    divide_by: Annotated[
        str, typer.Option("--divide-by", metavar="A,B,...", help="How the UART divides: samples, or 16ths.")
    ] = "16,8,4,64,16ths",
    bits: Annotated[int, typer.Option("--bits", min=2, max=32, help="Bits of the period register.")] = 8,
    prescalers: Annotated[
        str, typer.Option("--prescalers", metavar="A,B,...", help="The prescalers that the timer has.")
    ] = "1,8,64,256,1024",
    clocks_per_count: Annotated[
        int, typer.Option("--clocks-per-count", min=1, max=64, help="4 on chips that count every fourth.")
    ] = 1,
    pulse_us: Annotated[
        str, typer.Option("--pulse-us", metavar="A,B,C", help="A servo's pulses: end, centre, end.")
    ] = "1000,1500,2000",
    degrees: Annotated[float, typer.Option("--degrees", min=1, max=720, help="A servo's travel.")] = 90.0,
    volts: Annotated[float, typer.Option("--volts", min=0.1, help="The supply behind the PWM.")] = 5.0,
    other_hz: Annotated[
        int | None, typer.Option("--other-hz", min=1, help="The other end's clock, for --uart.")
    ] = None,
    instead_hz: Annotated[
        int | None, typer.Option("--instead-hz", min=1, help="Show what changes with another clock.")
    ] = None,
    figure: Annotated[
        Path | None, drawn("--figure", "Write a picture of the servo pulses and the PWM.")
    ] = None,
    as_json: Json = False,
) -> int:
    """Say what a microcontroller's clock can do.

    --uart finds divisors for a baud rate, --pwm timer settings, --servo servo pulses.
    """
    from nuvrik.budget.clocks import Timer

    pulses = numbers(pulse_us, "--pulse-us")
    timer = Timer(bits, numbers(prescalers, "--prescalers"), clocks_per_count)
    divided = ways(divide_by)
    wanted = Wanted(hz, uart, pwm, servo, timer, divided, pulses, degrees, other_hz, volts)
    return run(wanted, instead_hz, figure, as_json)
