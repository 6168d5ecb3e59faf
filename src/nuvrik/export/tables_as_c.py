"""Tables as C: constants, the inner ones first, in flash on a small chip."""

from collections.abc import Container, Iterator

from nuvrik.core.ranges import RANGES
from nuvrik.core.widths import Table
from nuvrik.export.program import Program


def as_c(table: Table, name: str, program: Program, shared: Container[str] = ()) -> str:
    """C that has a table under a name, and constants for all that it leads to: static ones, but for those
    that are ``shared``.

    >>> from nuvrik.core.ramp import RampTable
    >>> print(as_c(RampTable(rate=9, dt_most=2, pause_ms=0), "RAMP", Program()))
    /* rate, dt_most, pause_ms */
    const NUVRIK_FLASH NuvrikRampTable RAMP NUVRIK_ROM = {9, 2, 0};
    """
    made = _Made(program, shared)
    inner = made.initializer(table, name)
    kind = type(table).__name__
    made.say(kind)
    return "\n".join([*made.lines, f"const NUVRIK_FLASH Nuvrik{kind} {name} NUVRIK_ROM = {inner};"])


class _Made:
    """What has been written so far; each constant has a name that says where it belongs."""

    def __init__(self, program: Program, shared: Container[str]) -> None:
        self._program, self._shared = program, shared
        self.lines: list[str] = []

    def say(self, kind: str) -> None:
        """What the numbers of a table mean, in their order."""
        fields = []
        for field, width in self._program.records[kind].fields.items():
            fields += [field, "how many"] if width.startswith("list[") else [field]
        self.lines.append(f"/* {', '.join(fields)} */")

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
                self.say(width)
                self.lines.append(f"{self._const(inner)}Nuvrik{width} {inner} NUVRIK_ROM = {made};")
                yield f"&{inner}"
            else:
                yield literal(value, width)

    def _const(self, name: str) -> str:
        return f"{'' if name in self._shared else 'static '}const NUVRIK_FLASH "

    def _list(self, values: list[object], of: str, name: str) -> str:
        if not values:
            return "0"
        c = RANGES[of].c if of in RANGES else f"Nuvrik{of}"
        made = [
            self.initializer(one, f"{name}_{at}") if isinstance(one, Table) else literal(one, of)
            for at, one in enumerate(values)
        ]
        head = f"{self._const(name)}{c} {name}[] NUVRIK_ROM = {{"
        if of in RANGES:
            self.lines.append(f"{head}{', '.join(made)}}};")
        else:
            self.say(of)
            self.lines += [head, *(f"    {one}," for one in made[:-1]), f"    {made[-1]}", "};"]
        return name


def literal(value: object, width: str) -> str:
    """A number as C writes it."""
    number = int(value)  # type: ignore[call-overload]
    if width == "bool":
        return "true" if number else "false"
    return f"{number}U" if number > 0x7FFF and RANGES[width].low >= 0 else str(number)
