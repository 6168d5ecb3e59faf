"""Replies, echoes and the pages of a hello on their way out."""

from nuvrik.core.frames.sealed import KIND_ECHO, KIND_REPLY
from nuvrik.core.frames.sender import Sender
from nuvrik.core.machine.desk import ANSWERS_REPLY, Desk
from nuvrik.core.widths import Table, u8, u16, whole


class WhoTable(Table):
    """Who a machine is. name: the link's, cut to what a hello holds, and how many bytes of it go on its first
    page; build: the build tags; version: the library's."""

    name: list[u8]
    name_first: u8
    build: list[u16]
    version: list[u8]


def say(desk: Desk, at: u8, sender: Sender) -> None:
    """Put the answer at a place into the sender."""
    if desk.kinds[at] == ANSWERS_REPLY:
        sender.begin(KIND_REPLY)
        sender.byte(desk.codes[at])
        sender.word(desk.sessions[at])
        sender.word(desk.numbers[at])
        sender.byte(desk.statuses[at])
        sender.word(desk.low_of(at))
        sender.word(desk.high_of(at))
    else:
        sender.begin(KIND_ECHO)
        sender.byte(1)
        for i in range(desk.length):
            sender.byte(desk.token[i])


def say_who(who: WhoTable, desk: Desk, start: u8, sender: Sender) -> None:
    """What a machine was built from, and when it started, behind its layout tag."""
    for tag in who.build:
        sender.word(tag)
    sender.word(desk.boot_low)
    sender.word(desk.boot_high)
    for part in who.version:
        sender.byte(part)
    sender.byte(start)
    for i in range(who.name_first):
        sender.byte(who.name[i])


def say_how(who: WhoTable, up_s: whole, accepted: whole, refused: u16, noted: u8, sender: Sender) -> None:
    """How it has fared."""
    sender.word(up_s & 0xFFFF)
    sender.word(up_s >> 16)
    sender.word(accepted & 0xFFFF)
    sender.word(accepted >> 16)
    sender.word(refused)
    sender.byte(noted)
    for i in range(len(who.name)):
        if i >= who.name_first:
            sender.byte(who.name[i])
