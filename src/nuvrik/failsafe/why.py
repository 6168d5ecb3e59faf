"""Why nothing moves, as a code with a place and a count, and the one table of words made from it.

A reason is three small numbers, so that a chip can keep and send it and a verdict can be decided by it; words
are made at the edge, for people, and nothing is ever decided by them.
"""

from collections.abc import Sequence
from enum import IntEnum
from typing import NamedTuple

from nuvrik.core.machine import watch


class Code(IntEnum):
    """What holds a link back: the machine's reasons first, then the handset's own."""

    NOTHING = watch.WHY_NOTHING
    FIRST_FRAME = watch.WHY_FIRST_FRAME
    ARM_OFF = watch.WHY_ARM_OFF
    SWITCH_ARM_OFF = watch.WHY_SWITCH_ARM_OFF
    NOT_AT_REST = watch.WHY_NOT_AT_REST
    NO_READING = watch.WHY_NO_READING
    STOPPED = watch.WHY_STOPPED
    SILENCE = watch.WHY_SILENCE
    GAVE_UP = watch.WHY_GAVE_UP
    GOOD_FRAMES = watch.WHY_GOOD_FRAMES
    ONE_MORE_AT_REST = watch.WHY_ONE_MORE_AT_REST
    STOP_SWITCH = watch.WHY_STOP_SWITCH
    LOW_BATTERY = watch.WHY_LOW_BATTERY
    OWN_CODE = watch.WHY_OWN_CODE

    LEAVING = 16
    NOTHING_READ = 17
    STOP_PRESSED = 18
    STOP_UNREAD = 19
    NEVER_AT_REST = 20
    ARM_UNREAD = 21
    ARM_STILL_ON = 22
    NEVER_GIVEN = 23
    SEARCHING = 24
    OVERTAKEN = 25


class Why(NamedTuple):
    """One reason. ``place`` is that of a channel or an item of telemetry (at the machine) or of a control (at
    the handset) among those of the link file, -1 for none, or the number that the builder's own code gave;
    ``number`` counts good frames, or milliseconds.

    >>> in_words(Why(Code.NOT_AT_REST, place=1), ["throttle", "turn"])
    'turn is not at rest'
    """

    code: Code
    place: int = -1
    number: int = 0


NOTHING = Why(Code.NOTHING)
"""Nothing holds it back."""

WORDS = {
    Code.NOTHING: "",
    Code.FIRST_FRAME: "waiting for a first frame",
    Code.ARM_OFF: "arm is off",
    Code.SWITCH_ARM_OFF: "switch arm off first",
    Code.NOT_AT_REST: "{name} is not at rest",
    Code.NO_READING: "{name} has no reading",
    Code.STOPPED: "stop was pressed",
    Code.SILENCE: "no drive frame for {count} ms",
    Code.GAVE_UP: "the link was lost for too long: starting again as at power-up",
    Code.GOOD_FRAMES: "{count} of {enough} good frames",
    Code.ONE_MORE_AT_REST: "one more frame at rest",
    Code.STOP_SWITCH: "{name}, the machine's stop switch, is pressed or has no reading",
    Code.LOW_BATTERY: "{name} is too low",
    Code.OWN_CODE: "the machine's own code stopped it, with number {place}",
    Code.LEAVING: "leaving: arm is sent off",
    Code.NOTHING_READ: "no reading yet: nothing is sent",
    Code.STOP_PRESSED: "{name} is pressed",
    Code.STOP_UNREAD: "{name} has no reading, which counts as pressed",
    Code.NEVER_AT_REST: "{name} has not been at rest since its readings began",
    Code.ARM_UNREAD: "{name} has no reading",
    Code.SEARCHING: "no machine with this link's key has answered yet",
    Code.OVERTAKEN: "another handset has driven since: arm off and on, or stop, to take over",
    Code.ARM_STILL_ON: "{name} has to be switched off first",
    Code.NEVER_GIVEN: "{name} has not been given yet, and this style cannot leave it alone: nothing is sent",
}
"""What each code says. ``name`` is that of its place, "arm" where it has none; ``enough`` good frames are
wanted in a row."""

STOPS = (Code.STOPPED, Code.STOP_SWITCH, Code.LOW_BATTERY, Code.OWN_CODE)
"""The reasons of STOPPED."""


def in_words(why: Why, names: Sequence[str], enough: int = 0) -> str:
    """A reason for people to read, "" for none. ``names`` are those of the places."""
    numbered = why.code is Code.OWN_CODE
    name = names[why.place] if why.place >= 0 and not numbered else "arm"
    words = WORDS[why.code].format(name=name, count=why.number, enough=enough, place=why.place)
    if why.code in STOPS and why.number:
        words += ": " + WORDS[Code.GOOD_FRAMES].format(count=why.number, enough=enough)
    return words
