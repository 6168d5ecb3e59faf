"""What is asked of an end of a link by itself, step by step, and what shows of a machine to whoever follows
its life. What is asked of its loop on a board stands in ``export/loops.py``."""

from nuvrik.export import boards
from nuvrik.export.fit.live import Roots
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import PulsesMedium

STREAM, PACKETS, SLOTS = "take", "begin_packet packet_byte end_packet", "slot"
"""What an end is given that hears bytes, packets or a train."""

ENDS = {
    boards.MACHINE: "MachineEnd",
    "receiver": "Receiver",
    "remote": "Remote",
    boards.HANDSET: "HandsetEnd",
    boards.BRIDGE: "Bridge",
}
"""The class of core that is each end."""

CALLS = {
    boards.MACHINE: "begin pass_time expire skip turn follow written send halt stop own_stop cap",
    "receiver": "begin pass_time expire take turn follow stop own_stop cap",
    "remote": "pass_time hold read send",
    boards.HANDSET: "begin pass_time expire read turn have_read leave press_stop send",
    boards.BRIDGE: "take begin_packet packet_byte end_packet",
}
"""The methods that are called."""

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
    "Sender.wire Sender.count",
    "receiver": f"{SHOWN} Receiver.machine Receiver.values Receiver.writes",
    "remote": "Remote.maker CodeMaker.count CodeMaker.times",
    boards.HANDSET: "HandsetEnd.writer HandsetEnd.handset Handset.arming Arming.sent Writer.sender "
    "Sender.wire Sender.count",
    boards.BRIDGE: "Bridge.sealed Bridge.sender Sealed.body Sealed.length Sender.wire Sender.count",
}
"""The fields that are read."""

READS_WITH_KEY = {
    boards.MACHINE: "MachineSession.nonce MachineEnd.sealed Sealed.kind",
    boards.HANDSET: "HandsetSession.asked HandsetSession.wants",
}
"""And besides, of an end with a key."""


def roots_of(wanted: Wanted) -> Roots:
    """What is asked of an end."""
    glue, link, owner = wanted.glue, wanted.link, ENDS[wanted.glue]
    methods = CALLS[glue].split()
    if glue == boards.HANDSET and not getattr(wanted.end_table, "knobs", []):
        methods.remove("turn")
    if glue in (boards.MACHINE, boards.HANDSET):
        slots = glue == boards.MACHINE and isinstance(link.medium, PulsesMedium)
        methods += (SLOTS if slots else PACKETS if wanted.packets or wanted.keyed else STREAM).split()
    calls = [owner, *(f"{owner}.{name}" for name in methods)]
    reads = READS[glue].split()
    if glue == boards.MACHINE:
        calls += ["Outputs.told", *(["Telling.take", "Telling.take_axis"] if link.telemetry else [])]
        if wanted.calls:
            calls += ["Machine.called", "Machine.wish", "Machine.let_go", "Machine.own_over"]
            reads += ["Desk.code", "Desk.motion", "Desk.arguments"]
    if wanted.has_key:
        side = "MachineSession" if glue == boards.MACHINE else "HandsetSession"
        calls += ["Cmac.set_key", "MachineEnd.drawn" if glue == boards.MACHINE else "HandsetSession.drawn"]
        reads += [f"{owner}.session", f"{side}.tags", "Tags.cmac", "Cmac.key", *READS_WITH_KEY[glue].split()]
    return Roots.of(" ".join(calls), " ".join(reads))
