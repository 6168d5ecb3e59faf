"""How a program and its tables lie in C: what exists once and is named, and what is reached by an address.

Fitted to a link, core has one of most things: one watch, one desk, one table of each. Such a state is a path
in one struct (``nuvrik_end.machine.watch``), and the methods of its class take no object; such a table is no
struct at all, but a constant for each of its fields. What there is several of, a motor say, is reached by an
address, and keeps that of its table. Of core as a whole nothing is known, so everything is reached so."""

from collections.abc import Iterable, Mapping
from functools import cached_property

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.fit.fold import macro_of
from nuvrik.export.fit.kinds import inner_of
from nuvrik.export.fit.live import Field
from nuvrik.export.program import Program, Record
from nuvrik.plan.tables.sizes import by_kind

LOOPS = ("MachineLoop", "HandsetLoop", "ReceiverLoop", "RemoteLoop", "BridgeLoop", "Listener", "RadioBench")
ENDS = ("MachineEnd", "HandsetEnd", "Receiver", "Remote", "Bridge")
"""Classes of core that are one end of a link, on a board and by itself; there is one in a program."""


class Shape:
    """How a program lies in C. Without a ``table`` it is core as a whole. ``rooms``: how long the lists of
    states are, by the names of their rooms; ``reads``: what is read, by core and from outside."""

    def __init__(
        self,
        program: Program,
        table: Table | None = None,
        rooms: Mapping[str, int] | None = None,
        reads: Iterable[Field] = (),
    ) -> None:
        self.program, self.table, self.reads = program, table, frozenset(reads)
        self._rooms = rooms or {}
        self._kinds = by_kind(table) if table is not None else {}

    @cached_property
    def named(self) -> frozenset[str]:
        """The kinds of which there is one table, whose fields are constants with names."""
        return frozenset(kind for kind, ones in self._kinds.items() if len(ones) == 1)

    @cached_property
    def lengths(self) -> dict[Field, int]:
        """Lists that are equally long in all tables of their kind."""
        found: dict[Field, int] = {}
        for kind, ones in self._kinds.items():
            for field, width in self.program.records[kind].fields.items():
                long = {len(getattr(one, field)) for one in ones} if width.startswith("list[") else set()
                if len(long) == 1:
                    found[kind, field] = long.pop()
        return found

    @cached_property
    def facts(self) -> dict[str, int]:
        """The numbers of tables with names, and how long their lists are, by what they are called."""
        found: dict[str, int] = {}
        for kind in self.named:
            (table,) = self._kinds[kind]
            for field, value in vars(table).items():
                if isinstance(value, list):
                    found[f"{macro_of(kind, field)}_COUNT"] = len(value)
                elif not isinstance(value, Table):
                    found[macro_of(kind, field)] = int(value)
        return found

    @cached_property
    def roots(self) -> dict[str, str]:
        """The classes of objects that are part of no other, and what those are called."""
        owners = {routine.owner for routine in self.program.routines.values()}
        if self.table is None:
            return {}
        loops = [one for one in LOOPS if one in owners]
        return dict.fromkeys(loops, "nuvrik") or {one: "nuvrik_end" for one in ENDS if one in owners}

    @cached_property
    def paths(self) -> dict[str, str]:
        """The classes of which one object exists, and where it is."""
        found: dict[str, str] = {}
        several: set[str] = set()

        def walk(kind: str, path: str, one: bool) -> None:
            if one and kind not in found and kind not in several:
                found[kind] = path
            else:
                found.pop(kind, None)
                several.add(kind)
            for field, width in self.program.records[kind].fields.items():
                inner = self.program.records.get(inner_of(width) or width)
                if inner is None or inner.is_table or inner.is_external:
                    continue
                if inner_of(width):
                    if self.room(kind, field):
                        walk(inner.name, "", False)
                else:
                    walk(inner.name, f"{path}.{field}", one)

        for kind, name in self.roots.items():
            walk(kind, name, True)
        return found

    def implied(self, width: str) -> bool:
        """Whether nothing of a width need be given or kept: there is only one of it."""
        record = self.program.records.get(width)
        return width in self.paths or width in self.named or (record is not None and record.is_external)

    def room(self, kind: str, field: str) -> int:
        """How long a list of a state is. Where core still reads a list of none, C has room for one."""
        room = self.program.records[kind].rooms[field]
        if room.isdigit():
            return int(room)
        most = self._rooms.get(room, self.program.constants[room].value)
        return most or int((kind, field) in self.reads and inner_of(self.width(kind, field)) in RANGES)

    def width(self, kind: str, field: str) -> str:
        """The width of a field."""
        return self.program.records[kind].fields[field]

    def kept(self, record: Record) -> dict[str, str]:
        """The fields that a struct has: none for what exists once, nor for lists of none."""
        kept = {}
        for field, width in record.fields.items():
            inner = inner_of(width)
            if width in self.paths and not self.kept(self.program.records[width]):
                continue
            if width in self.program.records and self.program.records[width].is_external:
                continue
            if inner and not record.is_table:
                if self.room(record.name, field):
                    kept[field] = width
            elif (inner or width) not in self.named or (inner and (record.name, field) not in self.lengths):
                kept[field] = width
        return kept

    # ---- in the memory of a chip whose compiler leaves no gaps ----

    def size_of(self, width: str, address: int) -> int:
        """How many bytes something takes, where an address takes so many."""
        if width in RANGES:
            return {"bool": 1}.get(RANGES[width].c) or int("".join(filter(str.isdigit, RANGES[width].c))) // 8
        record = self.program.records[width]
        if record.is_table:
            return address
        return sum(self.size_in(record, field, address) for field in self.kept(record)) or 1

    def size_in(self, record: Record, field: str, address: int) -> int:
        """How many bytes a field of a state takes."""
        width = record.fields[field]
        many = self.room(record.name, field) if width.startswith("list[") else 1
        return many * self.size_of(inner_of(width) or width, address)
