"""``nuvrik jog``: which way does it turn, where does it start, how far does it go?"""

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.options import LinkFile, PortName
from nuvrik.cli.words import DONE, NO, Trouble, ask, say, speaks_plainly, tell
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.outputs import MotorOutput, ServoOutput
from nuvrik.plan.outputs.demand import FOLLOW
from nuvrik.plan.outputs.motor import Motor
from nuvrik.plan.problems import suggestion
from nuvrik.plan.wiring import output_routes, place_channels
from nuvrik.ports.files import may_log_to, write_file
from nuvrik.ports.jog import LONGEST_MS, MOST, JogError, jog_once, place_once
from nuvrik.ports.leaving import Signals
from nuvrik.ports.link_file import write_into
from nuvrik.ports.open import AnyPort
from nuvrik.ports.sim import SimLine
from nuvrik.ports.sweep import Point, SweepError, sweep

STEP = 0.02
"""Of full duty, more at each try until a motor turns: the start is found to within this."""

SERVO_STEP = 0.1
"""Of half its travel: far enough to be seen, too little to reach a stop."""

MOVED_TURNS = 0.02
"""Seven degrees: more than the play of a gearbox."""

Move = Callable[[str, float], None]


def run(
    file: Path, name: str, port: str, level: float, for_ms: int, find_start: bool, log: Path | None = None
) -> int:
    """Jog an output, or all of a side, and write what the answers say. The answer is no if there was none."""
    link = load(file)
    names = _named(link, name)
    outputs = [link.outputs[one] for one in names]
    first = outputs[0]
    if not link.frame.carries_questions:
        raise Trouble(f'{file}: in style "{link.frame.style}" there is no way of asking for a jog')
    if (find_start or log) and not (len(names) == 1 and isinstance(first, MotorOutput)):
        what = f"{name} is a {first.kind}" if len(names) == 1 else f"{name} is several outputs"
        raise Trouble(f"{what}; --find-start and --sweep are for one motor")
    with Signals(final=True) as signals, open_line(link, port) as line:
        sim = line if isinstance(line, SimLine) else None

        def move(one: str, fraction: float) -> None:
            ms = LONGEST_MS if link.outputs[one].stands else for_ms
            jog_once(link, line, sim, one, fraction, ms, signals)

        def to_its_centre(channels: list[str]) -> None:
            settle_ms = getattr(first, "ramp_ms", 0) + LONGEST_MS
            place_once(link, line, sim, dict.fromkeys(channels, 0.0), settle_ms, signals)

        try:
            if log is not None:
                return _sweep(link, file, names[0], line, sim, log, signals)
            if find_start and isinstance(first, MotorOutput):
                return _find_start(file, name, first, move, sim)
            if len(names) == 1 and isinstance(first, ServoOutput):
                return _find_travel(file, link, names[0], first, move, to_its_centre, sim)
            return _which_way(file, link, name, names, level, move, sim)
        except EOFError:
            say("no answer: nothing written")
            return NO
        except JogError as error:
            raise Trouble(str(error), NO) from None
        except KeyboardInterrupt as interrupt:
            tell(f"interrupted: {str(interrupt) or 'nothing was armed'}; nothing written")
            return DONE


def _named(link: Link, name: str) -> list[str]:
    """The outputs that a name means: one of them, a side of the mix, or several with commas between."""
    able = [one for one, output in link.outputs.items() if output.moves]
    sides = {} if link.mix is None else {"left": list(link.mix.left), "right": list(link.mix.right)}
    names = sides.get(name, []) if name not in able else []
    names = names or [one.strip() for one in name.split(",")]
    for one in names:
        if one not in able:
            hint = suggestion(one, [*able, *sides], "this link has none")
            raise Trouble(f'there is no output "{one}" that moves: {hint}')
    if len(names) > 1 and any(link.outputs[one].stands for one in names):
        raise Trouble("servos are jogged one by one: each has a travel of its own")
    return names


def _which_way(
    file: Path, link: Link, name: str, names: list[str], level: float, move: Move, sim: SimLine | None
) -> int:
    for one in names:
        before = sim.turns(one) if sim else 0.0
        say(f"{one}: forward at {100 * level:.0f} %, briefly")
        move(one, level)
        if sim:
            say(f"  the simulated shaft turned {sim.turns(one) - before:+.2f} turns")
    several = len(names) > 1
    if _yes("did they all go the right way?" if several else "did it go the right way?"):
        say("good: nothing to change")
        return DONE
    if several and not _yes("did they all go the wrong way?"):
        say(f"nothing written; jog them one by one: nuvrik jog LINK {names[0]}")
        return NO
    if not several and not _yes("did it move at all?"):
        say(f"nothing written; try more than --level {level:g}, or --find-start, and check supply and pins")
        return NO
    turned = {one: not getattr(link.outputs[one], "reverse") for one in names}  # noqa: B009
    write_into(file, {("outputs", one, "reverse"): value for one, value in turned.items()})
    words = ", ".join(f"outputs.{one}.reverse = {str(value).lower()}" for one, value in turned.items())
    say(f"{file}: {words} written; the machine needs the new file too")
    return DONE


def _sweep(
    link: Link, file: Path, name: str, line: AnyPort, sim: SimLine | None, out: Path, signals: Signals
) -> int:
    """Write the log of a motor's duty and speed."""
    may_log_to(out)
    say(f"{name}: up to {100 * MOST:.0f} % and back, a jog at a time; let it turn freely, or under its load")

    def told(point: Point) -> None:
        say(f"  duty {point.duty:4}: {point.speed:6.2f} turns a second")

    try:
        points = sweep(link, line, sim, name, told, signals)
    except SweepError as error:
        raise Trouble(str(error), NO) from None
    rows = [f"{point.t_ms},{point.duty},{point.speed:.4f}" for point in points]
    write_file(out, "\n".join(["t_ms,duty,speed", *rows]) + "\n")
    say(f"{out}: {len(rows)} rows; next: nuvrik calibrate LINK {out} --output {name}")
    return DONE


def _find_start(file: Path, name: str, output: MotorOutput, move: Move, sim: SimLine | None) -> int:
    motor = Motor(name, output.model_copy(update={"ramp_ms": 0}))
    fraction = STEP
    while fraction <= MOST:
        duty = motor.tick(level_of(fraction), 1, FOLLOW).value
        before = sim.turns(name) if sim else 0.0
        move(name, fraction)
        said = f"{name}: duty {duty} of {output.duty_max}"
        if sim:
            moved = abs(sim.turns(name) - before) > MOVED_TURNS
            say(f"{said}: the simulated shaft counter says it {'moved' if moved else 'stood still'}")
        else:
            moved = _yes(f"{said}: did it move?")
        if moved:
            return _write_start(file, name, output, duty, fraction)
        fraction = round(fraction + STEP, 4)
    say(f"it did not move up to {100 * MOST:.0f} %: nothing written; check supply and pins")
    return NO


def _write_start(file: Path, name: str, output: MotorOutput, duty: int, fraction: float) -> int:
    if fraction == STEP and output.start_duty:
        say(
            f"it moves at once with start_duty = {output.start_duty:g}; to look below that, set it to 0 first"
        )
        return NO
    start = round(duty / output.duty_max, 3)
    write_into(file, {("outputs", name, "start_duty"): start})
    say(f"{file}: outputs.{name}.start_duty = {start:g} written; the machine needs the new file too")
    return DONE


def _find_travel(
    file: Path,
    link: Link,
    name: str,
    output: ServoOutput,
    move: Move,
    to_its_centre: Callable[[list[str]], None],
    sim: SimLine | None,
) -> int:
    """How far a servo goes to either side of its centre. A jog of a place goes from where it was told last:
    so it is told its centre first, and that is said before it moves."""
    if output.ramp_ms > LONGEST_MS:
        what = f"takes {output.ramp_ms} ms to an end, and a jog lasts {LONGEST_MS} ms at most"
        raise Trouble(f"{name}: {what}; lower its ramp_ms while you look for its travel")
    channels, others = _fed_alike(link, name)
    also = f", and with it {', '.join(others)}, which the same channels move" if others else ""
    say(f"{name} goes to its centre first{also}; nobody knows where it stands otherwise")
    if not _yes("is its way to the centre free?"):
        say("nothing moved, nothing written; take the horn off, or make room")
        return NO
    to_its_centre(channels)
    ends = []
    for sign in (-1, 1):
        free = 0.0
        while free < 1:
            place = round(free + SERVO_STEP, 2)
            say(f"{name}: to {sign * place:+.1f}, from the centre outwards")
            move(name, sign * place)
            if sim:
                say("  the simulated servo " + ("meets its stop" if sim.touched(name) else "is free"))
            if not _yes("is it still free there?"):
                break
            free = place
        ends.append(sign * free)
    if ends[0] == ends[1]:
        say("it is free nowhere but in the centre: nothing written; check the horn")
        return NO
    write_into(file, {("outputs", name, "travel"): ends})
    say(f"{file}: outputs.{name}.travel = {ends} written; the machine needs the new file too")
    return DONE


def _fed_alike(link: Link, name: str) -> tuple[list[str], list[str]]:
    """The channels that say where a place is to be, and what else stands in a place by them. Trouble where
    one of them makes something turn as well."""
    routes = output_routes(link)
    channels = list(routes[name].channels)
    turning = [channel for channel in channels if channel not in place_channels(link)]
    if turning:
        raise Trouble(
            f"{name} is moved by {turning[0]}, which makes something turn as well: its travel cannot "
            "be looked for by itself; give it a channel of its own for that"
        )
    alike = [one for one, route in routes.items() if one != name and set(route.channels) & set(channels)]
    return channels, alike


def _yes(question: str) -> bool:
    """Ask until the answer is yes or no; EOFError when nobody answers any more."""
    while True:
        answer = ask(f"{question} [y/n] ")
        if answer is None:
            say()
            raise EOFError
        if answer.strip().lower() in ("y", "yes", "n", "no"):
            if not sys.stdin.isatty():
                say(answer.strip())
            return answer.strip().lower().startswith("y")


@speaks_plainly
def command(
    link: LinkFile,
    output: Annotated[
        str, typer.Argument(metavar="OUTPUT", help="An output, a side (left, right), or several: A,B.")
    ],
    port: PortName,
    level: Annotated[
        float, typer.Option("--level", min=0.02, max=0.5, help="How far to move it, 0.02 to 0.5 of full.")
    ] = 0.25,
    for_ms: Annotated[
        int, typer.Option("--for-ms", min=50, max=500, help="For how long, 50 to 500 ms.")
    ] = 300,
    find_start: Annotated[bool, typer.Option("--find-start", help="Raise the duty until it moves.")] = False,
    sweep: Annotated[
        Path | None,
        typer.Option("--sweep", metavar="FILE", help="Write a log of duty and speed, up and down."),
    ] = None,
) -> int:
    """Move an output or a side a little: which way does it turn?

    It asks whether it went the right way, and writes reverse into the link file if not. A servo is moved
    outwards from the centre to find its travel. It arms for each move, and disarms after it. With --sweep,
    and a shaft counter, it measures a motor's speed at each duty, for calibrate --output.
    """
    return run(link, output, port, level, for_ms, find_start, sweep)
