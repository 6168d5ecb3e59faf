"""``nuvrik jog``: which way does it turn, where does it start, how far does it go?"""

import sys
from collections.abc import Callable
from pathlib import Path

from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.words import DONE, NO, Trouble, ask, say, tell
from nuvrik.levels import level_of
from nuvrik.mixing.demand import FOLLOW
from nuvrik.mixing.motor import Motor
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import MotorOutput, ServoOutput, SwitchOutput
from nuvrik.plan.load import load
from nuvrik.plan.problems import suggestion
from nuvrik.ports.jog import jog_once
from nuvrik.ports.leaving import Signals
from nuvrik.ports.link_file import write_into
from nuvrik.ports.sim import SimLine

STEP = 0.02
"""Of full duty, more at each try until a motor turns: the start is found to within this."""

SERVO_STEP = 0.1
"""Of half its travel: far enough to be seen, too little to reach a stop."""

MOST = 0.5
"""As far as ``wire.messages.MOST_TURNING`` lets a machine go."""

MOVED_TURNS = 0.02
"""Seven degrees: more than the play of a gearbox."""

LONGEST_MS = 500
"""The longest jog there is, and what a servo gets, so that it arrives."""

Move = Callable[[float], None]


def run(file: Path, name: str, port: str, level: float, for_ms: int, find_start: bool) -> int:
    """Jog one output and write what the answers say. The answer is no if there was none."""
    link = load(file)
    output = link.outputs.get(name)
    if output is None or isinstance(output, SwitchOutput):
        able = [n for n, o in link.outputs.items() if not isinstance(o, SwitchOutput)]
        raise Trouble(
            f'there is no output "{name}" that moves: {suggestion(name, able, "this link has none")}'
        )
    if not link.frame.carries_questions:
        raise Trouble(f'{file}: in style "{link.frame.style}" there is no way of asking for a jog')
    if find_start and not isinstance(output, MotorOutput):
        raise Trouble(f"{name} is a {output.kind}; --find-start is for motors")
    with Signals(final=True) as signals, open_line(link, port) as line:
        sim = line if isinstance(line, SimLine) else None

        def move(fraction: float) -> None:
            ms = LONGEST_MS if isinstance(output, ServoOutput) else for_ms
            jog_once(link, line, sim, name, fraction, ms, signals)

        try:
            if find_start and isinstance(output, MotorOutput):
                return _find_start(file, name, output, move, sim)
            if isinstance(output, ServoOutput):
                return _find_travel(file, name, output, move, sim)
            return _which_way(file, link, name, level, move, sim)
        except EOFError:
            say("no answer: nothing written")
            return NO
        except KeyboardInterrupt as interrupt:
            tell(f"interrupted: {str(interrupt) or 'nothing was armed'}; nothing written")
            return DONE


def _which_way(file: Path, link: Link, name: str, level: float, move: Move, sim: SimLine | None) -> int:
    before = sim.turns(name) if sim else 0.0
    say(f"{name}: forward at {100 * level:.0f} %, briefly")
    move(level)
    if sim:
        say(f"  the simulated shaft turned {sim.turns(name) - before:+.2f} turns")
    if _yes("did it go the right way?"):
        say("good: nothing to change")
        return DONE
    if not _yes("did it move at all?"):
        say(f"nothing written; try more than --level {level:g}, or --find-start, and check supply and pins")
        return NO
    turned = not getattr(link.outputs[name], "reverse")  # noqa: B009
    write_into(file, {("outputs", name, "reverse"): turned})
    say(f"{file}: outputs.{name}.reverse = {str(turned).lower()} written; the machine needs the new file too")
    return DONE


def _find_start(file: Path, name: str, output: MotorOutput, move: Move, sim: SimLine | None) -> int:
    motor = Motor(name, output.model_copy(update={"ramp_ms": 0}))
    fraction = STEP
    while fraction <= MOST:
        duty = motor.tick(level_of(fraction), 1, FOLLOW).value
        before = sim.turns(name) if sim else 0.0
        move(fraction)
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


def _find_travel(file: Path, name: str, output: ServoOutput, move: Move, sim: SimLine | None) -> int:
    if output.ramp_ms > LONGEST_MS:
        what = f"takes {output.ramp_ms} ms to an end, and a jog lasts {LONGEST_MS} ms at most"
        raise Trouble(f"{name}: {what}; lower its ramp_ms while you look for its travel")
    ends = []
    for sign in (-1, 1):
        free = 0.0
        while free < 1:
            place = round(free + SERVO_STEP, 2)
            say(f"{name}: to {sign * place:+.1f}, from the centre outwards")
            move(sign * place)
            if sim:
                say("  the simulated servo " + ("meets its stop" if sim.touched(name) else "is free"))
            if not _yes("is it still free there?"):
                break
            free = place
        ends.append(sign * free)
        move(0.0)
    if ends[0] == ends[1]:
        say("it is free nowhere but in the centre: nothing written; check the horn")
        return NO
    write_into(file, {("outputs", name, "travel"): ends})
    say(f"{file}: outputs.{name}.travel = {ends} written; the machine needs the new file too")
    return DONE


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
