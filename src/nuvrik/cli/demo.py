"""``nuvrik demo``: Marram crosses the harbour through a lossy radio, with a jam in the middle."""

from collections import Counter
from itertools import pairwise
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import stop_bound
from nuvrik.cli.inputs.files import read_recording
from nuvrik.cli.words import DONE, busy, console, speaks_plainly
from nuvrik.core.machine.states import ARMED, FAILSAFE
from nuvrik.demo import DATA, DEMO_LOSS, JAM_MS, demo_text
from nuvrik.plan.form.models import Link, schema_text
from nuvrik.plan.load import load
from nuvrik.plan.starters import starter_text
from nuvrik.ports.files import write_file
from nuvrik.rehearsal.verdict import unasked_motion
from nuvrik.rehearsal.world import Moment, Trace, World

SHOWN_SEQ, SHOWN_AT_MS = 7, 12_000


def run(out: Path, seed: int) -> int:
    """Play the demo into a folder. A link file or recording that is there already is used as it is,
    so that a changed number shows its effect."""
    out.mkdir(parents=True, exist_ok=True)
    link_file, recording_file = out / "tug.toml", out / "harbour.csv"
    mine = link_file.exists()
    files = {link_file: starter_text("tug"), out / "link.schema.json": schema_text()}
    for file, text in (files | {out / name: demo_text(name) for name in DATA}).items():
        if not file.exists():
            write_file(file, text)
    link = load(link_file)
    recording = read_recording(recording_file, link)
    world = World(link, recording, Conditions(**DEMO_LOSS), seed=seed)
    start_ms, end_ms = JAM_MS

    def jam(on: bool) -> None:
        world.medium.cut = on

    world.at(1000 * start_ms, jam, True)
    world.at(1000 * end_ms, jam, False)
    shown: list[dict[str, int | None]] = []
    world.at(1000 * SHOWN_AT_MS, lambda _: shown.append(world.handset.wire_values if world.handset else {}))
    trace = world.run()

    _tell_what_it_is(link, link_file, mine)
    _tell_what_happened(link, trace)
    session, frame = out / "session.png", out / "frame.png"
    with busy("drawing the figures"):
        from nuvrik.figures.frame_map import draw_frame
        from nuvrik.figures.session import draw_session

        title = f"{link.name}: across the harbour on a bad radio"
        draw_session(link, recording, trace, title, session, JAM_MS)
        draw_frame(link, list(shown[0].values()), SHOWN_SEQ, frame)
    _tell_what_next(link_file, session, frame)
    return DONE


def _tell_what_it_is(link: Link, file: Path, mine: bool) -> None:
    say = console().print
    say(("1. The link file", "bold"))
    say(
        f"{file} ({'the one that was there' if mine else 'just written'}) describes {link.name}, "
        f"a model harbour tug: {len(link.controls)} controls, {len(link.channels)} channels, "
        f"{len(link.outputs)} screws.\nA frame goes out every {link.period_ms} ms over "
        f"{link.medium.kind}. Both ends are built from this one file.\n"
        f"If frames stop, every screw is at rest within {stop_bound(link).in_words()}.\n"
    )
    say(("2. The crossing", "bold"))
    say(
        f"A pilot's recording drives the handset; the radio loses {100 * DEMO_LOSS['loss']:g} % of frames "
        f"one by one and {100 * DEMO_LOSS['burst_loss']:g} % in bursts.\nFrom {JAM_MS[0] / 1000:g} s "
        f"to {JAM_MS[1] / 1000:g} s it is jammed: nothing gets through, with the stick hard forward.\n"
    )


def _tell_what_happened(link: Link, trace: Trace) -> None:
    say = console().print
    say(("3. What the machine did, and why", "bold"))
    for before, moment in _changes(trace.moments):
        told = ", ".join(f"{demand.output} {demand.words}" for demand in moment.demands)
        was = f"{before.state} -> " if before and before.state is not moment.state else ""
        why = f": {moment.words}" if moment.words else ""
        say(f"{moment.t_ms / 1000:8.2f} s  {was}{moment.state}{why}  ", (told, "dim"))
    lost = len(trace.sent) - len(trace.accepted) - len(trace.refused)
    refused = (
        ", ".join(f"{n} {reason}" for reason, n in Counter(r for _, r in trace.refused).items()) or "none"
    )
    say(f"\n{len(trace.sent)} frames sent, {len(trace.accepted)} accepted, {lost} lost; refused: {refused}.")
    say(_jam_stop(link, trace))
    unasked = unasked_motion(link, trace)
    good = "No screw was driven at any moment that nobody asked for it.\n"
    say((f"{unasked}\n", "bold red") if unasked else good)


def _changes(moments: list[Moment]) -> list[tuple[Moment | None, Moment]]:
    """The moments at which the state changed, or the reason for standing still."""
    pairs = [(None, moments[0]), *pairwise(moments)] if moments else []
    return [
        (before, after)
        for before, after in pairs
        if before is None
        or before.state is not after.state
        or (before.why != after.why and after.state is not ARMED)
    ]


def _jam_stop(link: Link, trace: Trace) -> str:
    last_accepted = max((t for t in trace.accepted if t < JAM_MS[0] + 50), default=None)
    trip = next((m.t_ms for m in trace.moments if m.t_ms > JAM_MS[0] and m.state is FAILSAFE), None)
    if last_accepted is None or trip is None:
        return "The jam did not trip the failsafe."
    still = next((m.t_ms for m in trace.moments if m.t_ms >= trip and not any(m.efforts)), None)
    if still is None:
        return "The screws never stopped."
    return (
        f"In the jam the screws were at rest {still - last_accepted:.0f} ms after the last accepted frame "
        f"(the bound: {stop_bound(link).worst_ms:.0f} ms after it was sent)."
    )


def _tell_what_next(link_file: Path, session: Path, frame: Path) -> None:
    say = console().print
    say(("4. Pictures, and what to try", "bold"))
    say(f"{session}: sticks, frames, who may move, and what the screws are told, on one time axis")
    say(f"{frame}: one frame, byte by byte")
    say(
        f"Change a number in {link_file}, say timeout_ms = 400 to 1000, or ramp_ms, and run the demo again.\n"
        f"Then: nuvrik check {link_file}    nuvrik rehearse {link_file}\n"
        f"      nuvrik calibrate {link_file} {link_file.with_name('sweep.csv')}\n"
        f"And onto two boards, each with a radio chip, when you have them:\n"
        f"      nuvrik export {link_file} --end machine --out machine\n"
        f"      nuvrik export {link_file} --end bridge --out bridge     (a computer is the handset)\n"
        f"Or drive it now, in your browser: nuvrik panel {link_file} --port sim"
    )


@speaks_plainly
def command(
    out: Annotated[
        Path,
        typer.Option("--out", metavar="FOLDER", help="For the link file, the recording and the figures."),
    ] = Path("marram-demo"),
    seed: Annotated[
        int, typer.Option("--seed", help="Another number is another run of bad luck on the radio.")
    ] = 4,
) -> int:
    """Show the whole thing on a model tug, with no hardware."""
    return run(out, seed)
