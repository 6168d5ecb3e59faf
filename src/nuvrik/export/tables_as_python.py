"""Tables as the text of a Python module, which MicroPython takes too."""

from collections.abc import Iterator

from nuvrik.core.widths import Table


def as_python(table: Table, name: str) -> str:
    """A module's text that makes the same table and gives it a name.

    >>> from nuvrik.core.ramp import RampTable
    >>> print(as_python(RampTable(rate=9, dt_most=2, pause_ms=0), "ramp"))
    from nuvrik.core.ramp import RampTable
    <BLANKLINE>
    ramp = RampTable(rate=9, dt_most=2, pause_ms=0)
    """
    kinds = sorted({(type(one).__module__, type(one).__name__) for one in _tables(table)})
    imports = [f"from {module} import {kind}" for module, kind in kinds]
    return "\n".join([*imports, "", f"{name} = {_text(table)}"])


def _tables(table: Table) -> Iterator[Table]:
    yield table
    for value in vars(table).values():
        for one in value if isinstance(value, list) else [value]:
            if isinstance(one, Table):
                yield from _tables(one)


def _text(value: object) -> str:
    if isinstance(value, Table):
        fields = ", ".join(f"{name}={_text(one)}" for name, one in vars(value).items())
        return f"{type(value).__name__}({fields})"
    if isinstance(value, list):
        return f"[{', '.join(map(_text, value))}]"
    # An IntEnum prints itself with its name.
    return str(value) if isinstance(value, bool) else str(int(value))  # type: ignore[call-overload]
