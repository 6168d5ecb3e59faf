"""Tables as C: constants, the inner ones first, in flash on a small chip."""

from collections.abc import Iterator

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.program import Program


def as_c(table: Table, name: str, program: Program) -> str:
    """C that has a table under a name, and static ones for all that it leads to.

    >>> from nuvrik.core.ramp import RampTable
    >>> print(as_c(RampTable(rate=9, dt_most=2, pause_ms=0), "RAMP", Program()))
    const NuvrikRampTable RAMP NUVRIK_ROM = {9, 2, 0};
    """
    made = _Made(program)
    inner = made.initializer(table, name)
    return "\n".join([*made.lines, f"const Nuvrik{type(table).__name__} {name} NUVRIK_ROM = {inner};"])


class _Made:
    """What has been written so far; each constant has a name that says where it belongs."""

    def __init__(self, program: Program) -> None:
        self._program = program
        self.lines: list[str] = []

    def initializer(self, table: Table, name: str) -> str:
        """The braces of one table, after the lines of all that it leads to."""
        return f"{{{', '.join(self._fields(table, name))}}}"

    def _fields(self, table: Table, name: str) -> Iterator[str]:
        record = self._program.records[type(table).__name__]
        for field, width in record.fields.items():
            value, inner = getattr(table, field), f"{name}_{field.upper()}"
            if isinstance(value, list):
                yield self._list(value, width[5:-1], inner)
                yield str(len(value))
            elif isinstance(value, Table):
                made = self.initializer(value, inner)
                self.lines.append(f"static const Nuvrik{width} {inner} NUVRIK_ROM = {made};")
                yield f"&{inner}"
            else:
                yield _number(value, width)

    def _list(self, values: list[object], of: str, name: str) -> str:
        if not values:
            return "0"
        c = RANGES[of].c if of in RANGES else f"Nuvrik{of}"
        made = [
            self.initializer(one, f"{name}_{at}") if isinstance(one, Table) else _number(one, of)
            for at, one in enumerate(values)
        ]
        self.lines.append(f"static const {c} {name}[] NUVRIK_ROM = {{{', '.join(made)}}};")
        return name


def _number(value: object, width: str) -> str:
    number = int(value)  # type: ignore[call-overload]
    if width == "bool":
        return "true" if number else "false"
    return f"{number}U" if number > 0x7FFF and RANGES[width].low >= 0 else str(number)
