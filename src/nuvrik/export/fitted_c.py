"""Core as C for one end of one link: fitted to it, and laid out."""

import pickle
from functools import lru_cache

from nuvrik.core.widths import Table
from nuvrik.export.fit.fitted import fit
from nuvrik.export.fit.live import Live, Roots
from nuvrik.export.fit.roots import roots_of
from nuvrik.export.loops import loop_roots, loop_table
from nuvrik.export.program import Program
from nuvrik.export.shape import Shape
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.ends import end_table
from nuvrik.plan.tables.sizes import sizes_of


def shape_of(wanted: Wanted) -> Shape:
    """Core, fitted to an end and laid out."""
    return _shape(pickle.dumps(loop_table(wanted)), loop_roots(wanted, python=False))


def life_shape(link: Link, *, stream: bool) -> Shape:
    """A machine's end as it is for lives, which come in steps and not from a board: with all that it can
    say."""
    wanted = Wanted(link, "", "blank", packets=not stream)
    return _shape(pickle.dumps(end_table(link, stream=stream)), roots_of(wanted))


@lru_cache(maxsize=8)
def _shape(table_bytes: bytes, roots: Roots) -> Shape:
    table: Table = pickle.loads(table_bytes)
    program, live = fit(table, roots)
    return Shape(pruned(program, live), table, sizes_of(table), live.reads)


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
