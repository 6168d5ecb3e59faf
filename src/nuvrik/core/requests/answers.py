"""Replies and echoes on their way out."""

from nuvrik.core.frames.sealed import KIND_ECHO, KIND_REPLY
from nuvrik.core.frames.sender import Sender
from nuvrik.core.machine.desk import ANSWERS_REPLY, Desk
from nuvrik.core.widths import u8


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
