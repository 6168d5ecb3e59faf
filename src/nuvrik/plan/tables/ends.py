"""A machine's end of a link as one table: what arrives, what goes out, and the machine between them."""

from nuvrik.core.frames.incoming import (
    IN_COBS,
    IN_KEYS,
    IN_PACKETS,
    IN_SLOTS,
    IncomingTable,
)
from nuvrik.core.frames.sealed import (
    AUTHENTICATED,
    KIND_COMMAND,
    KIND_ECHO,
    KIND_HELLO,
    KIND_REQUEST,
    KIND_STOP,
    SealedTable,
)
from nuvrik.core.frames.sender import AS_IT_IS, ESCAPED, IN_HEX, STUFFED, SenderTable
from nuvrik.core.frames.writer import OUT_TEXT
from nuvrik.core.loops.hearing import HOW_BYTES, WHO_BYTES
from nuvrik.core.loops.machine_end import EndTable
from nuvrik.core.machine.desk import DeskTable
from nuvrik.core.machine.machine import MachineTable
from nuvrik.core.machine.telling import (
    TellingTable,
)
from nuvrik.core.requests.answers import WhoTable
from nuvrik.plan.build_tags import BuildTags, tags_of
from nuvrik.plan.form.media import (
    InfraredMedium,
)
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import HELLO_MOST, layout_tag, open_room, payload_room
from nuvrik.plan.per_link import per_link
from nuvrik.plan.tables.infrared import receiver_table
from nuvrik.plan.tables.inputs import inputs_table
from nuvrik.plan.tables.machine import machine_table
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.medium import loop_table, medium_table
from nuvrik.plan.tables.session import session_table
from nuvrik.plan.tables.styles import channel_tables, keys_table, text_table, train_table
from nuvrik.version import VERSION

TO_MACHINE = (KIND_COMMAND, KIND_STOP, KIND_REQUEST, KIND_HELLO, KIND_ECHO)

SLOTS = 16
"""How finely a delay guard's time is cut: an age is at most a sixteenth of it too great."""


def end_table(link: Link, *, stream: bool) -> EndTable:
    """A machine's end, on a stream of bytes or in packets."""
    return _on_a_stream(link) if stream else _in_packets(link)


@per_link
def _on_a_stream(link: Link) -> EndTable:
    return _end(link, stream=True)


@per_link
def _in_packets(link: Link) -> EndTable:
    return _end(link, stream=False)


def _end(link: Link, *, stream: bool) -> EndTable:
    room = min(HELLO_MOST, open_room(link.medium, link.frame))
    own = not link.medium.datagrams
    # Keys and slots are told apart in packets as they are on a stream.
    told_apart = link.frame.way_in not in (IN_KEYS, IN_SLOTS)
    # Cut to what two pages hold, and then back to whole characters.
    first, rest = max(0, room - WHO_BYTES), max(0, room - HOW_BYTES)
    name = link.name.encode("utf-8")[: first + rest].decode("utf-8", "ignore").encode("utf-8")
    table = made(
        EndTable,
        loop=loop_table(link),
        machine=machine_table(link),
        sealed=sealed_table(link, TO_MACHINE),
        sender=sender_table(link, stream=stream),
        session=session_table(link),
        telling=telling_table(link),
        channels=channel_tables(link),
        incoming=made(
            IncomingTable,
            text=text_table(link),
            way_in=link.frame.way_in if stream or not told_apart else IN_PACKETS,
            lines=link.frame.way_out == OUT_TEXT,
        ),
        keys=keys_table(link),
        train=train_table(link),
        guarded=bool(link.guard_bytes),
        pins=[model.pin_table for model in link.outputs.values()],
        inputs=inputs_table(link),
        medium=medium_table(link.medium),
        who=made(
            WhoTable, name=[*name], name_first=min(first, len(name)), build=[0, 0, 0], version=[*VERSION]
        ),
    )
    # Whatever it is tried on, a machine is what its link file says.
    table.who.build = [*tags_of(table)] if stream == own else end_table(link, stream=own).who.build
    return table


def one_way(table: EndTable) -> EndTable:
    """The same end where nothing goes back: it takes commands and stops, and answers nothing. Its build tags
    remain those of the link."""
    machine = vars(table.machine)
    desk = vars(table.machine.desk) | {"answers": False, "says_hello": False}
    sealed = vars(table.sealed) | {"takes": 1 << KIND_COMMAND | 1 << KIND_STOP}
    machine = machine | {"desk": made(DeskTable, **desk)}
    changed = {"machine": made(MachineTable, **machine), "sealed": made(SealedTable, **sealed)}
    return made(EndTable, **vars(table) | changed)


def build_tags(link: Link) -> BuildTags:
    """The build tags of a link's machine."""
    if isinstance(link.medium, InfraredMedium):
        return tags_of(receiver_table(link, link.medium))
    return BuildTags(*end_table(link, stream=not link.medium.datagrams).who.build)


def sealed_table(link: Link, takes: tuple[int, ...]) -> SealedTable:
    """What makes a frame one for an end that takes such kinds."""
    bits = sum(1 << kind for kind in takes)
    if link.authenticated:
        # A machine answers a hello from anybody, and lets anybody stop it where the link file has that.
        opened = (1 << KIND_HELLO) + ((1 << KIND_STOP) if link.failsafe.stop_without_key else 0)
        bits = bits * (1 << AUTHENTICATED) + (opened if KIND_COMMAND in takes else 0)
    with_key = link.authenticated
    return made(SealedTable, pair=link.frame.pair, tag=layout_tag(link), takes=bits, authenticated=with_key)


def sender_table(link: Link, *, stream: bool) -> SenderTable:
    """How the sealed frames of a link travel."""
    frame = link.frame
    way, ending, leads = AS_IT_IS, "", False
    if not frame.sealed:
        way = IN_HEX
        if stream:
            ending, leads = getattr(frame, "end", "\n"), getattr(frame, "lead_in", False)
    elif stream:
        way = STUFFED if frame.way_in == IN_COBS else ESCAPED
        leads = getattr(frame, "lead_in", False)
    return made(
        SenderTable,
        pair=frame.pair,
        tag=layout_tag(link),
        way=way,
        leads=leads,
        authenticated=link.authenticated,
        ending=[*ending.encode()],
    )


@per_link
def telling_table(link: Link) -> TellingTable:
    """The telemetry of a link."""
    guard_ms = link.failsafe.delay_guard_ms
    # The state is told at least as often as the most frequent item is due, whether its sensor works or
    # not, and often enough for a delay guard: by that a handset knows that the machine is there.
    intervals = [item.every_ms for item in link.telemetry.values()]
    intervals += [guard_ms // 3] if guard_ms is not None else []
    items, first = [], 0
    for item in link.telemetry.values():
        items.append(item.table(link.outputs, first))
        first += item.parts
    return made(
        TellingTable,
        items=items,
        codes=[0] * first,
        room=8 * max(0, payload_room(link.medium, link.frame) - 2 - (len(items) + 7) // 8),
        tell_ms=min(intervals, default=0),
        guard_ms=guard_ms or 0,
        piece_ms=(guard_ms or 0) // SLOTS,
        notes=guard_ms is not None and not link.authenticated,
    )
