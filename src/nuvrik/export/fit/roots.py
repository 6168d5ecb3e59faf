"""What the loops in ``firmware/python`` ask of core, and what shows of a machine to whoever follows its
life."""

from nuvrik.export import boards
from nuvrik.export.fit.live import Roots
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import PulsesMedium, UdpMedium

STREAM, PACKETS, SLOTS = "take", "begin_packet packet_byte end_packet", "slot"
"""What an end is given that hears bytes, packets or a train."""

CALLS = {
    boards.MACHINE: "MachineEnd. begin pass_time expire skip turn follow written send halt stop "
    "own_stop cap Outputs.told Loop. Loop.turn Loop.ticks",
    "receiver": "Receiver. begin pass_time expire take turn follow stop own_stop cap "
    "Outputs.halt Outputs.told Loop. Loop.turn Loop.ticks",
    "remote": "Remote. pass_time hold read send",
    boards.HANDSET: "HandsetEnd. begin pass_time expire read turn have_read leave press_stop send after_gap",
    boards.BRIDGE: "Bridge. take begin_packet packet_byte end_packet",
    boards.LISTENER: "",
}
"""Routines that each loop calls; a name alone is a method of the class that is named before."""

SHOWN = (
    "Machine.watch Machine.outputs Machine.desk Watch.state Watch.why Watch.place Watch.number "
    "Writes.count Writes.pin Writes.level Outputs.motors Outputs.servos Outputs.steppers Outputs.switches "
    "Motor.demand Servo.demand Stepper.demand Switch.demand "
    "Demand.at Demand.value Demand.way Demand.driven Demand.braked "
    "Stepper.steps_left Stepper.whole Stepper.part"
)
"""What can be seen of a machine; as traces/seen.py looks at it."""

READS = {
    boards.MACHINE: f"{SHOWN} MachineEnd.machine MachineEnd.telling MachineEnd.sender MachineEnd.values "
    "MachineEnd.accepted MachineEnd.refused MachineEnd.told MachineEnd.calls MachineEnd.writes "
    "Sender.wire Sender.count EndTable.loop Loop.due_ms",
    "receiver": f"{SHOWN} Receiver.machine Receiver.values Receiver.writes ReceiverTable.loop Loop.due_ms",
    "remote": "Remote.maker CodeMaker.count CodeMaker.times",
    boards.HANDSET: "HandsetEnd.writer HandsetEnd.handset Handset.arming Arming.sent Writer.sender "
    "Sender.wire Sender.count",
    boards.BRIDGE: "Bridge.sealed Bridge.sender Sealed.body Sealed.length Sender.wire Sender.count",
    boards.LISTENER: "",
}
"""Fields that each loop reads."""


def roots_of(wanted: Wanted) -> Roots:
    """What the loop of an end asks for."""
    glue, link = wanted.glue, wanted.link
    calls, owner = [], ""
    for word in CALLS[glue].split():
        if word.endswith("."):
            owner = word[:-1]
            calls.append(owner)
        else:
            calls.append(word if "." in word or word == "after_gap" else f"{owner}.{word}")
    if glue == boards.HANDSET and not getattr(wanted.table, "knobs", []):
        calls.remove("HandsetEnd.turn")
    reads = READS[glue].split()
    if glue in (boards.MACHINE, boards.HANDSET):
        slots = glue == boards.MACHINE and isinstance(link.medium, PulsesMedium)
        heard = SLOTS if slots else PACKETS if wanted.packets or wanted.keyed else STREAM
        calls += [f"{owner_of(glue)}.{name}" for name in heard.split()]
    if glue == boards.MACHINE:
        calls += ["Telling.take", "Telling.take_axis"] if link.telemetry else []
        if wanted.calls:
            calls += ["Machine.called", "Machine.wish", "Machine.let_go", "Machine.own_over"]
            reads += ["Desk.code", "Desk.motion", "Desk.arguments"]
        if isinstance(link.medium, UdpMedium):
            calls += ["MachineEnd.answers"]
            reads += ["Watch.driven_ms"]
        if wanted.keyed:
            calls += ["OnOffReader", "OnOffReader.take"]
            reads += ["OnOffReader.body", "OnOffReader.length", "EndTable.medium", "MediumTable.carrier"]
    return Roots.of(" ".join(calls), " ".join(reads))


def also(roots: Roots, more: Roots) -> Roots:
    """Both."""
    return Roots(roots.calls | more.calls, roots.reads | more.reads)


def owner_of(glue: str) -> str:
    """The class of core that is an end."""
    return CALLS[glue].split(".", 1)[0]
