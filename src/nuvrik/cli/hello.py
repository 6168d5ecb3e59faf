"""``nuvrik hello``: who is at the other end of a port, and was it built from this file?"""

import statistics
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.inputs.lines import open_line
from nuvrik.cli.options import Json
from nuvrik.cli.words import DONE, NO, Trouble, busy, console, say, say_json, speaks_plainly, table
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import layout_tag
from nuvrik.plan.load import load, parse
from nuvrik.plan.tables.ends import build_tags
from nuvrik.ports.hello import Found, is_this, meet, other_build
from nuvrik.ports.leaving import Signals
from nuvrik.ports.live import WallClock
from nuvrik.ports.sim import SimLine
from nuvrik.printable import printable
from nuvrik.wire.authenticated import key_id

ANYBODY = """
link = { name = "anybody", rate_hz = 10 }
medium = { kind = "serial" }
frame = { style = "packed", pair = 1 }
channels = { nothing = { kind = "flag" } }
failsafe = { arm = "none", timeout_ms = 500 }
"""
ROUND_TRIPS = 5
"""So many, because the first is often longer while a radio wakes up."""


def run(file: Path | None, port: str | None, for_s: float, as_json: bool) -> int:
    """List the ports, or ask who is on one. The answer is no if nobody is, or somebody else."""
    link = load(file) if file else None
    if port is None:
        return _list_ports(as_json)
    asked = link or parse(ANYBODY)
    if not asked.frame.carries_questions:
        raise Trouble(f'{file}: in style "{asked.frame.style}" nobody can be asked anything')
    with Signals(final=True), open_line(asked, port) as line:
        if isinstance(line, SimLine) and link is None:
            raise Trouble("sim: needs a link file to simulate: nuvrik hello LINK --port sim")
        clock = line if isinstance(line, SimLine) else WallClock()
        with busy("asking who is there"):
            found, trips = meet(asked, line, clock, int(1000 * for_s), echoes=ROUND_TRIPS if link else 0)
    mine = link is not None and any(is_this(link, one) for one in found)
    for one in found if as_json else ():
        say_json(_record(link, one, trips))
    if not as_json:
        _print_found(link, port, found, trips, for_s)
    return DONE if found and (link is None or mine) else NO


def _record(link: Link | None, found: Found, trips: list[float]) -> dict[str, object]:
    record: dict[str, object] = {"pair": found.pair, **found.identity._asdict()}
    record["tag"] = f"{found.identity.tag:04X}"
    record["build"] = [f"{tag:04X}" for tag in found.identity.build]
    record["version"] = ".".join(map(str, found.identity.version))
    if link is not None:
        record["this_file"] = is_this(link, found)
        record["authenticated"] = found.authenticated
        record["apart"] = found.identity.build.apart(build_tags(link))
        record["round_trip_ms"] = statistics.median(trips) if trips else None
    return record


def _print_found(link: Link | None, port: str, found: list[Found], trips: list[float], for_s: float) -> None:
    if not found:
        say(f"{port}: nobody answered within {for_s:g} s")
        say("  Is it switched on? Does it run a program built from a link file? Is this its port, its speed?")
    for pair, identity, authenticated in found:
        version = ".".join(map(str, identity.version))
        name = printable(identity.name)
        say(f"{port}: {name}, pair number {pair}, layout tag {identity.tag:04X}, version {version}")
        start = f", started by {identity.start}" if identity.start else ""
        fared = f"up for {identity.up_s} s{start}; frames: {identity.accepted} accepted"
        say(
            f"  {fared}, {identity.refused} refused"
            if identity.up_s is not None
            else "  how it has fared it did not say"
        )
        if identity.own_stop:
            say(f"  its own code stopped it last, with number {identity.own_stop}")
        if identity.loses_time:
            say("  its clock loses more time than interrupts_off_ms says: it may stop later than printed")
        if identity.radio:
            say(f"  its radio chip had trouble last: {identity.radio}")
        if link is None:
            continue
        if authenticated is False:
            say("  it did not answer with this file's key: another key, or none")
            continue
        if identity.tag != layout_tag(link):
            ours = f"{layout_tag(link):04X}"
            say(f"  built from another file: this one's layout tag is {ours}; build it again from this file")
        elif pair != link.frame.pair:
            say(f"  the same layout, but this file's pair number is {link.frame.pair}: not this machine")
        elif other_build(identity, link):
            say(f"  the same layout, but built {other_build(identity, link)}")
        else:
            back = f"{statistics.median(trips):.0f} ms" if trips else "no echo came back"
            key = f", and has its key (id {key_id(link.key):04X})" if link.authenticated else ""
            say(f"  built from this file{key}; there and back: {back}")


def _list_ports(as_json: bool) -> int:
    from serial.tools.list_ports import comports

    ports = sorted(comports(), key=lambda port: port.device)
    for port in ports if as_json else ():
        say_json({"port": port.device, "what": port.description})
    if as_json:
        return DONE if ports else NO
    if not ports:
        say("there is no serial port on this machine; plug one in, or try --port sim")
        return NO
    console().print(table("ports", ["port", "what"], [(port.device, port.description) for port in ports]))
    say("next: nuvrik hello LINK --port PORT")
    return DONE


@speaks_plainly
def command(
    link: Annotated[Path | None, typer.Argument(metavar="[LINK]", help="The link file.")] = None,
    port: Annotated[
        str | None,
        typer.Option("--port", metavar="PORT", help="A device, a URL, or sim; without it, ports are listed."),
    ] = None,
    for_s: Annotated[float, typer.Option("--for-s", min=0.1, max=60, help="How many seconds to ask.")] = 5.0,
    as_json: Json = False,
) -> int:
    """Ask the other end who it is and what it was built from.

    No motor is told anything. Without a port, list the ports there are.
    """
    return run(link, port, for_s, as_json)
