"""``nuvrik calibrate``: what the hardware is really like, into the link file."""

from pathlib import Path
from typing import Annotated, Any

import typer

from nuvrik.calibration.buttons import Pressed, pressed
from nuvrik.calibration.controls import Calibrated, calibrate
from nuvrik.calibration.motors import Load, fit_motor, worst_load
from nuvrik.cli.inputs.files import read_log, read_recording
from nuvrik.cli.options import Json, LinkFile, drawn
from nuvrik.cli.words import DONE, NO, Trouble, busy, console, say, say_json, speaks_plainly, table
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.outputs import MotorOutput
from nuvrik.plan.problems import suggestion
from nuvrik.ports.link_file import write_into


def run(
    file: Path, recordings: list[Path], output: str | None, write: bool, figure: Path | None, as_json: bool
) -> int:
    """Calibrate controls from a sweep, or with ``output`` a motor from a log of duty and speed. The
    answer is no if there is something that could not be found."""
    link = load(file)
    if output is not None:
        return _motor(link, file, recordings, output, write, figure, as_json)
    if len(recordings) > 1:
        raise Trouble("controls are calibrated from one recording; several logs are for --output")
    recording = recordings[0]
    swept = read_recording(recording, link)
    columns = {name: [row[name] for row in swept.rows] for name in swept.rows[0]}
    found = calibrate(link.controls, swept.times_ms, columns)
    buttons = [one for one in pressed(link.controls, swept.times_ms, columns) if one.presses]
    if not found and not buttons:
        raise Trouble(f"{recording}: has no axis and no slider to calibrate, and no button was pressed in it")
    if as_json:
        for record in [*(one._asdict() for one in found), *(one._asdict() for one in buttons)]:
            say_json(record)
    else:
        _print_controls(link, found)
        _print_buttons(link, buttons)
    if figure:
        with busy("drawing the figure"):
            from nuvrik.figures.calibration import draw_controls

            draw_controls(found, swept.times_ms, columns, figure)
    changes: dict[tuple[str, ...], Any] = {}
    for result in found:
        if result.raw is not None and result.sure != "not sure":
            changes[("controls", result.name, "raw")] = result.raw
            changes[("controls", result.name, "dead_zone")] = result.dead_zone
    unsure = len(changes) < 2 * len(found)
    for button in buttons:
        if button.debounce_ms is not None and button.bounce_ms:
            changes[("controls", button.name, "debounce_ms")] = button.debounce_ms
    _finish(file, changes, write, as_json)
    return NO if unsure else DONE


def _print_controls(link: Link, found: list[Calibrated]) -> None:
    rows = []
    for result in found:
        was = list(getattr(link.controls[result.name], "raw", ()))
        zone = "-" if result.dead_zone is None else f"{result.dead_zone:g}"
        rows.append((result.name, str(was), str(result.raw or "-"), zone, f"{result.noise:.1f}", result.sure))
    columns = ["control", "raw in the file", "raw seen", ">dead zone", ">noise", "how sure"]
    out = console()
    out.print(table("what the recording says", columns, rows))
    for result in found:
        for doubt in result.doubts:
            out.print(f"  {result.name}: {doubt}")


def _print_buttons(link: Link, buttons: list[Pressed]) -> None:
    """What was seen of those that were pressed."""
    for button in buttons:
        proposed = "" if button.debounce_ms is None else f": debounce_ms = {button.debounce_ms} would do"
        was = getattr(link.controls[button.name], "debounce_ms")  # noqa: B009
        say(f"  {button.name}: {button.words}{proposed} (in the file: {was})")


def _motor(
    link: Link, file: Path, logs: list[Path], name: str, write: bool, figure: Path | None, as_json: bool
) -> int:
    output = link.outputs.get(name)
    if not isinstance(output, MotorOutput) or output.driver == "servo_pulse":
        motors = [
            n for n, o in link.outputs.items() if isinstance(o, MotorOutput) and o.driver != "servo_pulse"
        ]
        raise Trouble(f'"{name}" is no motor with a duty: {suggestion(name, motors, "this link has none")}')
    loads = _loads(logs, output)
    worst = worst_load(loads)
    if as_json:
        several = {"load": worst.name, "loads": [{"load": one.name, **one.fit._asdict()} for one in loads]}
        say_json({"output": name, **worst.fit._asdict(), **(several if len(loads) > 1 else {})})
    else:
        _print_motor(name, output, loads, worst)
    if figure:
        with busy("drawing the figure"):
            from nuvrik.figures.calibration import draw_motor

            draw_motor(name, loads, worst, figure)
    start, curve = ("outputs", name, "start_duty"), ("outputs", name, "duty_curve")
    _finish(file, {start: worst.fit.start_duty, curve: worst.fit.curve}, write, as_json)
    return DONE


def _loads(logs: list[Path], output: MotorOutput) -> list[Load]:
    """What each log says, and of each what it says under each load."""
    found: list[Load] = []
    for log in logs:
        for name, (duties, speeds) in read_log(log, output.duty_max, log.stem).items():
            with busy("fitting"):
                try:
                    found.append(Load(name, duties, speeds, fit_motor(duties, speeds)))
                except ValueError as error:
                    raise Trouble(f"{log}: {error}", NO) from None
    names = [load.name for load in found]
    for name in names:
        if names.count(name) > 1:
            raise Trouble(
                f"two logs are of the load {name!r}: give the files, or their column load, other names"
            )
    if not found:
        raise Trouble(f"{logs[0]}: has no rows")
    return found


def _print_motor(name: str, output: MotorOutput, loads: list[Load], worst: Load) -> None:
    if len(loads) > 1:
        rows = [
            (load.name, f"{load.fit.start_duty:g}", f"{load.fit.top:.4g}", f"{100 * load.fit.spread:.1f} %")
            for load in loads
        ]
        out = console()
        out.print(table(f"{name} under each load", ["load", ">starts at", ">top speed", ">left over"], rows))
        say(f"the worst is {worst.name}: what gets it going there gets it going under every load")
    fit = worst.fit
    shape = "evenly" if abs(fit.bend - 1) < 0.1 else "fast at first" if fit.bend < 1 else "slowly at first"
    say(
        f"{name}: starts at duty {fit.start_duty:g} of full (in the file: {output.start_duty:g}), "
        f"then speeds up {shape}, which the curve makes up for"
    )
    say(f"  duty_curve = {fit.curve}")
    say(f"  what the fit leaves over: {100 * fit.spread:.1f} % of the top speed")
    for doubt in fit.doubts:
        say(f"  {doubt}")


def _finish(file: Path, changes: dict[tuple[str, ...], Any], write: bool, as_json: bool) -> None:
    if not write:
        if changes and not as_json:
            say("nothing written; add --write to put these into the link file")
        return
    write_into(file, changes)
    if not as_json:
        say(f"{file}: {len(changes)} keys written, comments kept")


@speaks_plainly
def command(
    link: LinkFile,
    recording: Annotated[
        list[Path], typer.Argument(metavar="RECORDING...", help="A sweep of all controls; or a motor's logs.")
    ],
    output: Annotated[
        str | None, typer.Option("--output", metavar="NAME", help="This motor, from a log t_ms,duty,speed.")
    ] = None,
    write: Annotated[bool, typer.Option("--write", help="Put what was found into the link file.")] = False,
    figure: Annotated[Path | None, drawn("--figure", "Write a picture of what was seen.")] = None,
    as_json: Json = False,
) -> int:
    """Find ranges, rests and dead zones in a recording.

    Move every control to all its ends, then let go and keep recording for two seconds. With --output,
    find a motor's start duty and duty curve in a log of duty against speed.
    """
    return run(link, recording, output, write, figure, as_json)
