"""The loop of an end on its board: its table, and what is asked of it from outside."""

from typing import Any

from nuvrik.core import board
from nuvrik.core.loops.bridge_loop import BridgeLoopTable
from nuvrik.core.loops.handset_loop import HandsetLoopTable
from nuvrik.core.loops.line import BY_BYTES, BY_LEVELS, BY_PACKETS, BY_RADIO, BY_SLOTS, LineTable
from nuvrik.core.loops.listener import ListenerTable
from nuvrik.core.loops.machine_end import EndTable
from nuvrik.core.loops.machine_loop import MachineLoopTable
from nuvrik.core.loops.radio_bench import RadioBenchTable
from nuvrik.core.loops.remote_loop import RemoteLoopTable
from nuvrik.core.widths import Table
from nuvrik.export import boards
from nuvrik.export.fit.live import Roots
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import PulsesMedium
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.medium import medium_table
from nuvrik.plan.tables.radio import radio_table
from nuvrik.plan.telemetry import ANALOG, CONTACT, COUNTER

LOOPS = {
    boards.MACHINE: "MachineLoop",
    "receiver": "ReceiverLoop",
    boards.HANDSET: "HandsetLoop",
    "remote": "RemoteLoop",
    boards.BRIDGE: "BridgeLoop",
    boards.LISTENER: "Listener",
    **dict.fromkeys(boards.RADIO_BENCHES, "RadioBench"),
}
"""The class of core that turns each end."""

READS = {
    ANALOG: board.ANALOG,
    CONTACT: board.DIGITAL,
    COUNTER: board.COUNTER,
    boards.END: board.LATCHED,
}
"""What a board reads on a pin, by what the pin is for."""

BENCH_WORDS = b"sent  heard lost  trouble\n"
"""What stands over the columns of a radio bench."""

LONGEST_READING = 12
"""Characters of a raw reading: a sign, ten digits and a comma."""


def loop_table(wanted: Wanted, *, pins: bool = True) -> Table:
    """The table of an end on its board. Without ``pins`` its outputs and its inputs are the builder's own
    code's, and no pin is the board's."""
    link, end = wanted.link, wanted.end_table
    if wanted.end in boards.RADIO_BENCHES:
        return made(RadioBenchTable, line=_line(wanted), words=list(BENCH_WORDS))
    if end is None:
        # A listener's; receivers are low while they see the carrier.
        return made(ListenerTable, pin=wanted.timed[0].pin, marks_high=False)
    if wanted.glue == "receiver":
        return end
    reads = [_read(wanted, use) for use in (_reads(wanted) if pins else [])]
    if wanted.glue == "remote":
        return made(RemoteLoopTable, end=end, reads=reads)
    line = _line(wanted)
    if wanted.glue == boards.BRIDGE:
        return made(BridgeLoopTable, end=end, line=line)
    if wanted.glue == boards.MACHINE:
        whole: Any = end if pins else made(EndTable, **vars(end) | {"pins": []})
        return made(
            MachineLoopTable,
            end=whole,
            line=line,
            reads=reads,
            has_calls=bool(wanted.calls),
            counts=wanted.counts,
        )
    names = ",".join(["t_ms", *(use.of for use in wanted.read)]) + "\n"
    room = max(len(names), LONGEST_READING * (len(reads) + 1)) if wanted.tells_raw and pins else 0
    return made(
        HandsetLoopTable,
        end=end,
        line=line,
        reads=reads,
        timeout_ms=link.failsafe.timeout_ms,
        period_ms=link.period_ms,
        raw_names=[*names.encode().ljust(room, b"\0")] if room else [],
        names_length=len(names),
        counts=wanted.counts,
    )


def _line(wanted: Wanted) -> LineTable:
    return made(
        LineTable,
        way=_way(wanted),
        talks=wanted.talks or wanted.end != boards.MACHINE,
        medium=medium_table(wanted.link.medium, wanted.end),
        radio=radio_table(wanted.link, wanted.end),
    )


def _reads(wanted: Wanted) -> list[boards.Use]:
    """The pins that the loop reads: those of a knob are looked at with it."""
    return wanted.inputs if wanted.end == boards.MACHINE else wanted.read


def _read(wanted: Wanted, use: boards.Use) -> Table:
    of = list(wanted.link.telemetry) if wanted.end == boards.MACHINE else wanted.controls
    return made(board.ReadTable, of=of.index(use.of), pin=use.pin, what=READS[use.role])


def _way(wanted: Wanted) -> int:
    if wanted.driver is not None:
        return BY_RADIO
    if wanted.packets:
        return BY_PACKETS
    if isinstance(wanted.link.medium, PulsesMedium):
        return BY_SLOTS
    return BY_LEVELS if wanted.keyed else BY_BYTES


MOVES = "begin turn leave own_stop limit"
CALLS = {
    boards.MACHINE: MOVES,
    "receiver": MOVES,
    boards.HANDSET: "begin turn leave read",
    "remote": "begin turn read",
    boards.BRIDGE: "begin turn",
    boards.LISTENER: "begin turn",
    **dict.fromkeys(boards.RADIO_BENCHES, "begin turn"),
}
"""The routines that whatever turns each loop calls."""

IN_PYTHON = {
    boards.MACHINE: "MachineLoop.stop MachineLoop.halt Outputs.any_driven",
    "receiver": "ReceiverLoop.stop ReceiverLoop.halt Outputs.any_driven",
    boards.HANDSET: "HandsetEnd.press_stop",
}
"""What Python calls besides, where the builder's own code fails, and where it leaves."""

SHOWN = (
    "Machine.watch Machine.outputs Machine.desk Watch.state Watch.why Watch.place Watch.number "
    "Outputs.motors Outputs.servos Outputs.steppers Outputs.switches "
    "Motor.demand Servo.demand Stepper.demand Switch.demand "
    "Demand.at Demand.value Demand.way Demand.driven Demand.braked "
    "Stepper.steps_left Stepper.whole Stepper.part"
)
"""What can be seen of a machine; as traces/seen.py looks at it."""

SEEN = {
    boards.MACHINE: f"{SHOWN} MachineLoop.end MachineEnd.machine MachineEnd.values MachineEnd.accepted "
    "MachineEnd.refused MachineEnd.told MachineEnd.start Desk.boot_low",
    "receiver": f"{SHOWN} ReceiverLoop.end Receiver.machine Receiver.values",
    boards.HANDSET: "HandsetLoop.end HandsetEnd.handset Handset.arming Arming.sent",
}
"""Fields of it that others read."""


def loop_roots(wanted: Wanted, *, python: bool) -> Roots:
    """What is asked of the loop of an end from outside."""
    link, glue, owner = wanted.link, wanted.glue, LOOPS[wanted.glue]
    calls = f"{owner} " + " ".join(f"{owner}.{name}" for name in CALLS[glue].split())
    reads = SEEN.get(glue, "")
    if wanted.end == boards.MACHINE:
        calls += " Outputs.told"
    if glue == boards.MACHINE and not python:
        calls += " MachineEnd.lost_time"
    if python:
        calls += f" {IN_PYTHON.get(glue, '')}"
        reads += f" {owner}.loop Loop.due_ms {owner}.obeyed" if wanted.end == boards.MACHINE else ""
        reads += f" {owner}.end"
    if glue == boards.MACHINE and link.telemetry:
        calls += " MachineLoop.tell" + ("" if python else " MachineLoop.sensed")
        axes = any(one.parts > 1 for one in link.telemetry.values())
        calls += " MachineLoop.tell_axes" if axes or not python else ""
    if wanted.calls:
        calls += " MachineLoop.move"
        reads += " Call.request Call.first Call.over Call.arguments Call.value"
    return Roots.of(calls, reads)
