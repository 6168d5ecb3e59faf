"""The parts of core that a link may do without, so that a chip keeps no room for them.

What a link does not have is known from its tables: a kind that no record is of. What only such a kind comes
to is then left out."""

from nuvrik.core.frames import sealed
from nuvrik.core.machine import desk
from nuvrik.core.widths import Table
from nuvrik.export.program import Program
from nuvrik.plan.tables.sizes import tables_in

KINDS = {
    "OutputTable.kind": "IS_MOTOR IS_SERVO IS_STEPPER IS_SWITCH",
    "ControlTable.kind": "IS_MOVED IS_BUTTON IS_KEY IS_ROCKER IS_NUDGE IS_SELECTOR",
    "IncomingTable.way_in": "IN_PACKETS IN_COBS IN_SLIP IN_LINES IN_KEYS IN_SLOTS",
    "SenderTable.way": "AS_IT_IS STUFFED ESCAPED IN_HEX",
    "WriterTable.way_out": "OUT_SEALED OUT_TEXT OUT_KEYS OUT_SLOTS",
    "ItemTable.tells": "TELLS_SHARE TELLS_AXES TELLS_DIGITAL TELLS_COUNT TELLS_STEPS TELLS_DEMAND",
    "RequestTable.kind": "ASKS_STEPS ASKS_HOME ASKS_CALL ASKS_ROUTINE",
}
"""Fields that say of which kind something is, and the constants that they may be."""

MOTIONS = {
    "STEPS_MOTION": (desk.ASKS_STEPS, desk.ASKS_HOME),
    "OWN_MOTION": (desk.ASKS_CALL,),
    "ROUTINE_MOTION": (desk.ASKS_ROUTINE,),
}
"""What goes on only after a request of these kinds."""

TAKEN = ("KIND_TELEMETRY", "KIND_REQUEST", "KIND_REPLY", "KIND_HELLO", "KIND_ECHO")
"""Kinds of frames that an end may not take."""

CONSTANTS = frozenset(" ".join([*KINDS.values(), *MOTIONS, *TAKEN]).split())
"""The constants that may be compared with in vain."""


def missing_in(table: Table, program: Program) -> list[str]:
    """The names of what a link whose end has this table does without."""
    kinds: dict[str, set[int]] = {name: set() for name in KINDS}
    for one in tables_in(table):
        for field, value in vars(one).items():
            key = f"{type(one).__name__}.{field}"
            if key in kinds:
                kinds[key].add(int(value))
    missing = []
    for key, names in KINDS.items():
        missing += [name for name in names.split() if program.constants[name].value not in kinds[key]]
    takes = [one.takes for one in tables_in(table) if isinstance(one, sealed.SealedTable)]
    if takes:
        # With a key they are taken as kinds of their own, above the others.
        either = [bits | bits >> sealed.AUTHENTICATED for bits in takes]
        missing += [name for name in TAKEN if not any(bits >> getattr(sealed, name) & 1 for bits in either)]
    asks = kinds["RequestTable.kind"]
    return missing + [name for name, after in MOTIONS.items() if not asks & set(after)]
