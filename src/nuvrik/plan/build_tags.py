"""Build tags: whether a board was built from this file as it is now.

The layout tag tells whether both ends read the same bits alike. It cannot tell that somebody has changed
``timeout_ms`` and forgotten to flash the board. So a machine's hello carries three more tags, one for each
part of its tables, and whoever asks can say which part differs.

Each is a CRC-16 (polynomial 0x1021, initial value 0xFFFF) over the tables of its section, a record a line,
its integers in decimal with commas between them, in declared order. No name is part of one, nor anything
that only a handset runs. docs/wire-format.md has the whole rule."""

from binascii import crc_hqx
from collections.abc import Iterator
from typing import NamedTuple

from nuvrik.core.widths import Table
from nuvrik.plan.layout import CRC_INITIAL

SECTIONS = {
    "outputs": """Term Route Point CurveTable MotorTable RampTable ServoTable SwitchTable StepperTable
        OutputTable OutputsTable PinTable InputsTable LimitsTable""",
    "link": """EndTable WhoTable SessionTable CipherTable LoopTable
        MachineTable WatchTable Cell CommandTable SealedTable SenderTable
        ChannelTable
        IncomingTable TextTable FormTable KeysTable KeyTable ChangeTable TrainTable OnOffTable MediumTable
        ReceiverTable ShapeTable HeardKeyTable KeyCodeTable HandsetTable HandsTable ControlTable
        MovedTable ButtonTable KeyControlTable RockerTable NudgeTable SelectorTable SourcesTable SourceTable
        Origin ArmingTable""",
    "backward": """TellingTable ItemTable DeskTable RequestTable ArgumentTable RoutineStepTable
        WishTable""",
}
"""The section of each table that a machine runs on; ``make lint`` fails where one has none."""

HANDSET_ONLY = """KnobTable TriggerTable AskingTable BridgeTable HandsetEndTable WriterTable ChooserTable
    HearingTable RemoteTable CodeTable ReadTable LineTable PacketRadioTable MachineLoopTable HandsetLoopTable
    RemoteLoopTable BridgeLoopTable ListenerTable RadioBenchTable"""
"""The tables that no machine has, and those that say how an end is wired to its board."""

SECTION_OF = {name: section for section, names in SECTIONS.items() for name in names.split()}

LEFT_OUT = ("name", "name_first", "version", "tag", "build")
"""Fields that say nothing of how a machine runs, or that another tag covers."""


class BuildTags(NamedTuple):
    """The tags of the three sections."""

    outputs: int
    link: int
    backward: int

    def apart(self, other: "BuildTags") -> list[str]:
        """The sections in which two builds differ.

        >>> BuildTags(1, 2, 3).apart(BuildTags(1, 7, 3))
        ['link']
        """
        return [name for name, one, its in zip(self._fields, self, other, strict=True) if one != its]


def tags_of(table: Table) -> BuildTags:
    """The build tags of a machine's table."""
    lines: dict[str, list[str]] = {name: [] for name in SECTIONS}
    for section, line in _records(table):
        lines[section].append(line)
    texts = ["".join(line + "\n" for line in lines[name]) for name in SECTIONS]
    return BuildTags(*(crc_hqx(text.encode(), CRC_INITIAL) for text in texts))


def _records(table: Table) -> Iterator[tuple[str, str]]:
    """Every record with its section: its own integers, then those of the records in it."""
    numbers: list[int] = []
    inner: list[Table] = []
    for name in type(table).__annotations__:
        value = getattr(table, name)
        for one in value if isinstance(value, list) else [value]:
            if isinstance(one, Table):
                inner.append(one)
            elif name not in LEFT_OUT:
                numbers.append(int(one))
    yield SECTION_OF[type(table).__name__], ",".join(map(str, numbers))
    for one in inner:
        yield from _records(one)
