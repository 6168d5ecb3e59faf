"""How many of each a link has: the rooms that its core needs on a chip."""

from collections.abc import Iterator
from typing import Any

from nuvrik.core import sizes
from nuvrik.core.frames.sender import ESCAPED, IN_HEX, STUFFED
from nuvrik.core.frames.writer import OUT_TEXT
from nuvrik.core.loops.hearing import REPLY_BYTES
from nuvrik.core.machine.desk import MOST_TOKEN
from nuvrik.core.requests.asks import ASK_BYTES
from nuvrik.core.widths import Table
from nuvrik.plan.form.frame_base import AUTHENTIC_BYTES, CHECK_BYTES, HEAD_BYTES
from nuvrik.plan.layout import HELLO_MOST

SPARE = 2
"""Bytes behind a body, so that codes may be read by threes of bytes."""

LONGEST_CODE = 67
"""The lengths of a nec frame; no published code has more."""


def sizes_of(table: Table) -> dict[str, int]:
    """The rooms of a link whose end has this table. For every ``MOST_NAMES`` that a list of a table decides,
    how long the longest of that name is. And how long bodies, frames and lines are at most. Where nothing is
    0, the link does without."""
    longest: dict[str, int] = {}
    for one in tables_in(table):
        for name, value in vars(one).items():
            most = f"MOST_{name.upper()}"
            if isinstance(value, list) and hasattr(sizes, most):
                longest[most] = max(longest.get(most, 0), len(value))
    return {**longest, **_lengths(by_kind(table))}


def tables_in(table: Table) -> Iterator[Table]:
    """A table and every table in it."""
    yield table
    for value in vars(table).values():
        for one in value if isinstance(value, list) else [value]:
            if isinstance(one, Table):
                yield from tables_in(one)


def by_kind(table: Table) -> dict[str, list[Any]]:
    """Every table in a table, by the name of its class."""
    kinds: dict[str, list[Any]] = {}
    for one in tables_in(table):
        kinds.setdefault(type(one).__name__, []).append(one)
    return kinds


def _lengths(kinds: dict[str, list[Any]]) -> dict[str, int]:
    """How long bodies, frames, lines, trains and codes are at most."""

    def of(name: str) -> list[Any]:
        return kinds.get(name, [])

    authenticated = any(one.authenticated for one in of("SealedTable"))
    body = HEAD_BYTES + _payload(of) + CHECK_BYTES + AUTHENTIC_BYTES * authenticated
    packet = max([0, *(one.payload_max for one in of("MediumTable"))])
    made = {"MOST_PACKET": packet, "MOST_KEPT": body, "MOST_BODY": body + SPARE, "MOST_SENT": body + SPARE}
    if _sends_nothing(of):
        made |= {"MOST_SENT": 0, "MOST_WAITING": 0, "MOST_ECHO": 0}
    asked = [len(one.arguments) for one in of("RequestTable")]
    made["MOST_ARGUMENTS"] = max([0, *asked])
    if not any(one.guard_ms for one in of("TellingTable")):
        # Not 1: a compiler that looks far ahead would warn of what is never done.
        made["MOST_NOTES"] = 2
    made["MOST_SLOTS"] = max([0, *(len(train.channels) for train in of("TrainTable"))])
    if not any(one.lines for one in of("IncomingTable")):
        made["MOST_PIECE"] = 0
    if _sends_nothing(of):
        made["MOST_WIRE"] = 0
    elif not any(one.way_out == OUT_TEXT for one in of("WriterTable")):
        made["MOST_WIRE"] = max([0, *(_wire(sender, body) for sender in of("SenderTable"))])
    codes = [len(code.shape.tail) or LONGEST_CODE for code in of("CodeTable")]
    codes += [len(shape.tail) for shape in of("ShapeTable")]
    if codes:
        # What makes a code writes the space behind its last mark before it takes that back.
        made["MOST_TAIL"] = max([0, *codes]) + 1
    return made


def _sends_nothing(of: Any) -> bool:
    """Whether it is a machine's end that has no way back to the handset."""
    desks = of("DeskTable")
    return bool(desks) and not any(one.answers for one in desks)


def _payload(of: Any) -> int:
    """The longest payload that such an end takes or sends."""
    bits = max((sum(channel.bits for channel in one.channels) for one in of("EndTable")), default=0)
    bits = max([bits, *(sum(channel.bits for channel in one.channels) for one in of("WriterTable"))])
    longest: int = 1 + (bits + 7) // 8
    if not _sends_nothing(of):
        longest = max(longest, MOST_TOKEN + 1, HELLO_MOST, REPLY_BYTES)
    for asked in of("RequestTable"):
        longest = max(longest, ASK_BYTES + (sum(one.bits for one in asked.arguments) + 7) // 8)
    for one in of("TellingTable"):
        if one.items:
            longest = max(longest, 2 + (len(one.items) + 7) // 8 + (one.room + 7) // 8)
    # What a bridge hands on is as long as its module carries.
    bridges: list[int] = [bridge.most for bridge in of("BridgeTable")]
    return max([longest, *bridges])


def _wire(sender: Any, body: int) -> int:
    """How long a body is on its way."""
    if sender.way == STUFFED:
        return body + 3
    if sender.way == ESCAPED:
        return 2 * body + 2
    return 1 + 2 * body + 2 * len(sender.ending) if sender.way == IN_HEX else body
