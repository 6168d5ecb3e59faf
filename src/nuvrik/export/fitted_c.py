"""Core as C for one end of one link: fitted to it, and laid out."""

import pickle
from functools import lru_cache

from nuvrik.core.widths import Table
from nuvrik.export import boards
from nuvrik.export.fit.fitted import fit
from nuvrik.export.fit.live import Live, Roots
from nuvrik.export.fit.roots import also, roots_of
from nuvrik.export.program import Program
from nuvrik.export.shape import Shape
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import PulsesMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.ends import end_table
from nuvrik.plan.tables.sizes import sizes_of

INDEXED = ("PinTable", "OutputTable", "LimitsTable", "ItemTable", "KnobTable")
"""The tables that the loops in C look up in lists."""

PINS = (
    "PinTable.use PinTable.numbers PinTable.most OutputTable.at OutputTable.kind OutputsTable.outputs "
    "MachineTable.outputs"
)
READS = {
    boards.MACHINE: f"{PINS} EndTable.pins EndTable.machine EndTable.loop EndTable.medium",
    "receiver": f"{PINS} ReceiverTable.pins ReceiverTable.machine ReceiverTable.loop ReceiverTable.medium",
    "remote": "RemoteTable.medium",
    boards.HANDSET: "HandsetEndTable.medium HandsetEndTable.writer",
    boards.BRIDGE: "",
}
"""Tables that the loops in C read besides."""

SENSORS = (
    "EndTable.telling TellingTable.items ItemTable.pin ItemTable.tells OutputsTable.limits "
    "LimitsTable.end_forward LimitsTable.end_backward"
)
KNOBS = "HandsetEndTable.knobs KnobTable.pin_a KnobTable.pin_b"
BITS = "OnOffMaker OnOffMaker.begin OnOffMaker.add OnOffMaker.next OnOffReader OnOffReader.take"
SENDS_SLOTS = "TrainMaker TrainMaker.begin TrainMaker.next"


def shape_of(wanted: Wanted) -> Shape:
    """Core, fitted to an end and laid out."""
    assert wanted.table is not None
    return _shape(pickle.dumps(wanted.table), c_roots(wanted))


def life_shape(link: Link, *, stream: bool) -> Shape:
    """A machine's end as it is for lives, which come in steps and not from a board: with all that it can
    say."""
    wanted = Wanted(link, "", "blank", packets=not stream)
    return _shape(pickle.dumps(end_table(link, stream=stream)), c_roots(wanted))


@lru_cache(maxsize=8)
def _shape(table_bytes: bytes, roots: Roots) -> Shape:
    table: Table = pickle.loads(table_bytes)
    program, live = fit(table, roots)
    return Shape(pruned(program, live), table, sizes_of(table), INDEXED, live.reads)


def c_roots(wanted: Wanted) -> Roots:
    """What the loops in C ask for."""
    link, glue = wanted.link, wanted.glue
    calls, reads = "MachineEnd.lost_time" if glue == boards.MACHINE else "", READS[glue]
    if glue == boards.MACHINE and link.telemetry:
        reads += f" {SENSORS}"
    if glue == boards.HANDSET:
        reads += f" {KNOBS}" if getattr(wanted.table, "knobs", []) else ""
        if isinstance(link.medium, PulsesMedium):
            calls, reads = SENDS_SLOTS, f"{reads} TrainMaker.is_mark Writer.slots WriterTable.channels"
    if wanted.keyed:
        calls, reads = f"{calls} {BITS}", f"{reads} OnOffMaker.is_mark OnOffReader.body OnOffReader.length"
    return also(roots_of(wanted), Roots.of(calls, reads))


def pruned(program: Program, live: Live) -> Program:
    """A program without the routines and fields that nobody asks for."""
    for key in [key for key in program.routines if key not in live.reached]:
        del program.routines[key]
    for module in program.modules:
        module.routines[:] = [
            program.routines[one.key] for one in module.routines if one.key in program.routines
        ]
        for at, record in enumerate(module.records):
            fields = {
                name: width for name, width in record.fields.items() if (record.name, name) in live.reads
            }
            module.records[at] = program.records[record.name] = record._replace(fields=fields)
    return program
