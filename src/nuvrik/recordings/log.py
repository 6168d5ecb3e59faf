"""The log of a live run: what hands did, what was sent and heard, and what it came to, as CSV.

A handset's log is a recording with more columns: ``t_ms``, a column for each control with readings, and then
columns with a dot in their names, which recordings pass over::

    t_ms,left_stick,...,handset.why,machine.state,sent.hex,back.hex,channel.throttle,...,item.battery,...

A machine's log has ``t_ms,state,why``, a column an output in the units of its driver, another in per cent of
its own full, and, where bytes are wanted, ``heard.hex`` and ``answered.hex``. ``inspect`` reads the bytes of
both. Where a line carries packets, as over UDP, the columns are ``sent.packets`` and so on.
"""

from collections.abc import Mapping

from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.plan.controls import ReadControl
from nuvrik.plan.form.models import Link

THERE, BACK = ("sent", "heard"), ("back", "answered")
"""The columns of bytes that go to the machine, and that come from it: at a handset, at a machine."""

AT_HANDSET, AT_MACHINE = (THERE[0], BACK[0]), (THERE[1], BACK[1])
"""Those of each end's log."""

AS_STREAM, AS_PACKETS = ".hex", ".packets"
"""How they end, on a line that carries a stream of bytes, and on one that carries packets, which stand one by
one with a space between."""


def byte_columns(names: tuple[str, ...], *, stream: bool) -> list[str]:
    """The names of columns of bytes."""
    return [name + (AS_STREAM if stream else AS_PACKETS) for name in names]


def byte_cell(pieces: list[bytes], *, stream: bool) -> str:
    """What has gone or come since the last row."""
    return ("" if stream else " ").join(piece.hex() for piece in pieces)


class Fresh:
    """The last reading of each control, for as long as it is fresh."""

    def __init__(self, link: Link) -> None:
        self._stale_ms = {
            name: getattr(control, "stale_ms", 0)
            for name, control in link.controls.items()
            if isinstance(control, ReadControl)
        }
        self._last: dict[str, tuple[int, int]] = {}

    def take(self, now_ms: int, readings: Mapping[str, int | None]) -> None:
        """New readings."""
        for name, value in readings.items():
            if value is None:
                self._last.pop(name, None)
            else:
                self._last[name] = now_ms, value

    def cells(self, now_ms: int) -> list[str]:
        """A cell a control; empty for one whose reading has grown old."""
        return [self._cell(name, now_ms) for name in self._stale_ms]

    def _cell(self, name: str, now_ms: int) -> str:
        read_ms, value = self._last.get(name, (0, None))
        # A key's count stays: only that it changes says anything.
        old = self._stale_ms[name] and now_ms - read_ms >= self._stale_ms[name]
        return "" if value is None or old else str(value)


def handset_header(link: Link, *, stream: bool) -> list[str]:
    """The columns of a handset's log."""
    controls = [name for name, control in link.controls.items() if isinstance(control, ReadControl)]
    channels = [f"channel.{name}" for name in link.channels]
    items = [f"item.{name}" for name in link.telemetry]
    carried = byte_columns(AT_HANDSET, stream=stream)
    return ["t_ms", *controls, "handset.why", "machine.state", *carried, *channels, *items]


def handset_row(handset: Handset, carried: list[str]) -> list[str]:
    """What stands behind the readings in a row of a handset's log; ``carried`` are the cells of bytes."""
    values = ["" if value is None else f"{value:.5g}" for value in handset.values.values()]
    heard = handset.telemetry
    items = [heard[name].words if name in heard else "" for name in handset.link.telemetry]
    state = handset.machine_state
    return [handset.why, str(state) if state else "", *carried, *values, *items]


def machine_header(link: Link) -> list[str]:
    """The columns of a machine's log."""
    return ["t_ms", "state", "why", *link.outputs, *(f"{name}.percent" for name in link.outputs)]


def machine_row(t_ms: int, machine: Machine) -> list[str]:
    """One row of a machine's log: what each output is told, as its driver is and of its own full."""
    demands = machine.demands
    counts = [str(demand.signed) for demand in demands]
    of_full = [f"{100 * demand.fraction:.5g}" for demand in demands]
    return [str(t_ms), str(machine.state), machine.why, *counts, *of_full]
