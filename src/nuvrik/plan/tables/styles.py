"""What the frame styles that are no sealed bodies need to know, as tables: text, keys, trains."""

from nuvrik.core.frames.bits import IS_CHOICE, IS_COUNT, IS_FLAG, IS_LEVEL, IS_SHARE, ChannelTable
from nuvrik.core.frames.keys import ChangeTable, KeysTable, KeyTable
from nuvrik.core.frames.text import (
    CHECK_CRC8,
    CHECK_CRC16,
    CHECK_SUM8,
    CHECK_XOR8,
    NO_CHECK,
    FormTable,
    TextTable,
)
from nuvrik.core.frames.train import TrainTable
from nuvrik.core.levels import FULL
from nuvrik.levels import level_of
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.frame_actions import KeyAction, KeysFrame, TrainFrame
from nuvrik.plan.form.frame_texts import ColumnsFrame, LineFrame
from nuvrik.plan.form.media import PulsesMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.made import made
from nuvrik.plan.wiring import place_channels

KINDS = {"level": IS_LEVEL, "share": IS_SHARE, "flag": IS_FLAG, "choice": IS_CHOICE, "count": IS_COUNT}

CHECKS = {"none": NO_CHECK, "xor8": CHECK_XOR8, "sum8": CHECK_SUM8, "crc8": CHECK_CRC8, "crc16": CHECK_CRC16}


def channel_tables(link: Link) -> list[ChannelTable]:
    """How channels are packed."""
    return [
        made(ChannelTable, kind=KINDS[channel.kind], bits=channel.bits, most=most_of(channel))
        for channel in link.channels.values()
    ]


def most_of(channel: AnyChannel) -> int:
    """The greatest code of a channel, or the greatest that means something."""
    return (1 << channel.bits) - 1 if channel.scaled else channel.most


def text_table(link: Link) -> TextTable:
    """Text, and what is around it. Lines of hex digits, which other frames than commands travel as beside
    text and keys, end as lines do."""
    frame = link.frame
    forms: list[FormTable] = []
    if isinstance(frame, LineFrame | ColumnsFrame):
        for channel, form in zip(link.channels.values(), frame.forms(link.channels), strict=True):
            forms.append(
                made(
                    FormTable,
                    scaled=form.scaled,
                    empty=form.empty,
                    one_sided=form.one_sided,
                    low=form.low,
                    high=form.high,
                    decimals=form.decimals,
                    width=frame.width(form),
                    counts=channel.kind == "count",
                    signs=form.signed,
                )
            )

    def characters(key: str, otherwise: str = "") -> list[int]:
        return [*getattr(frame, key, otherwise).encode()]

    return made(
        TextTable,
        ending=characters("end", "\n"),
        tag=characters("tag"),
        stop=characters("stop") if forms else [],
        separator=characters("separator"),
        columns=isinstance(frame, ColumnsFrame),
        check=CHECKS[getattr(frame, "check", "none")],
        spaces=getattr(frame, "spaces_ignored", False),
        blanks=getattr(frame, "missing", "refuse") == "no_reading",
        leads=getattr(frame, "lead_in", False),
        forms=forms,
    )


def keys_table(link: Link) -> KeysTable:
    """What each key does."""
    places, codes = place_channels(link), {}
    if isinstance(link.frame, KeysFrame):
        codes = link.frame.codes()
    return made(
        KeysTable,
        keys=[_key(link, code, action) for code, action in codes.items()],
        places=[name in places for name in link.channels] if codes else [],
    )


def _key(link: Link, code: int, action: KeyAction) -> KeyTable:
    changes = []
    for place, (name, channel) in enumerate(link.channels.items()):
        scaled = channel.scaled
        for adds, given in ((False, action.set), (True, action.add)):
            if name in given:
                changes.append(
                    made(
                        ChangeTable,
                        place=place,
                        adds=adds,
                        value=level_of(given[name]) if scaled else int(given[name]),
                        low=-FULL if channel.kind == "level" else 0,
                        high=FULL if scaled else channel.most,
                    )
                )
    return made(KeyTable, code=code, stop=action.stop, changes=changes)


def train_table(link: Link) -> TrainTable:
    """The slots of a train."""
    frame, gap_us = link.frame, 0
    if isinstance(link.medium, PulsesMedium):
        gap_us = link.medium.sync_us
    if not isinstance(frame, TrainFrame):
        return made(TrainTable, low_us=0, high_us=1, shortest_us=0, longest_us=0, gap_us=gap_us, channels=[])
    shortest, longest = frame.slots_us
    return made(
        TrainTable,
        low_us=frame.low_us,
        high_us=frame.high_us,
        shortest_us=shortest,
        longest_us=longest,
        gap_us=gap_us or 0xFFFF,
        channels=channel_tables(link),
    )
