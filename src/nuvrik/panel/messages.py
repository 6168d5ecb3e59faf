"""What a page may say: known types and keys, whole numbers, within range; anything else is dropped whole."""

import json
from collections.abc import Mapping
from typing import Any, NamedTuple

from nuvrik.panel.control import PageControl
from nuvrik.panel.room import Answer

VERSION = 2
"""Of the messages. A page and a server of different versions part at once: the page is to be loaded anew."""

MOST_BYTES = 4096
MOST_NUMBER = 2**53 - 1
"""Whole numbers of JavaScript are exact up to here."""


class Take(NamedTuple):
    """A page wants the hand, of which it sees this number."""

    hand: int


class Give(NamedTuple):
    """A page lets go of the hand."""


class Stop(NamedTuple):
    """Stop is pressed, or let go of."""

    pressed: bool


class Fault(NamedTuple):
    """A fault is to be made on the simulated machine, or taken away."""

    name: str


class Ask(NamedTuple):
    """A request, from the page with the hand."""

    hand: int
    name: str
    arguments: Mapping[str, int | str]


class Jog(NamedTuple):
    """An output, or a side, is to be moved a little: per cent of full scale."""

    hand: int
    names: tuple[str, ...]
    per_cent: int


class Hello(NamedTuple):
    """The machine is to be asked who it is."""

    hand: int


class Mark(NamedTuple):
    """This moment is worth finding again: it goes into the log."""


Said = Answer | Take | Give | Stop | Fault | Ask | Jog | Hello | Mark


class Nonsense(Exception):
    """A message that makes no sense."""


def _whole(value: Any, low: int = 0, high: int = MOST_NUMBER) -> int:
    if type(value) is not int or not low <= value <= high:
        raise Nonsense
    return value


def _name(value: Any) -> str:
    if type(value) is not str or not 0 < len(value) <= 64:
        raise Nonsense
    return value


def parse(text: str) -> dict[str, Any]:
    """One message as an object. Nonsense for anything else."""
    try:
        said = json.loads(text, parse_float=_no_number, parse_constant=_no_number)
    except (ValueError, RecursionError):
        raise Nonsense from None
    if type(said) is not dict:
        raise Nonsense
    return said


def _no_number(_: str) -> Any:
    raise Nonsense


def is_stop(said: Mapping[str, Any]) -> bool:
    """Whether a message is a stop, which is taken before anything else is looked at."""
    return said.get("stop") is True


def understand(said: dict[str, Any], controls: Mapping[str, PageControl]) -> Said:
    """What a message means. Nonsense for one with keys that there are not, or values out of range."""
    keys = set(said)
    if keys == {"stop"} and type(said["stop"]) is bool:
        return Stop(said["stop"])
    if keys == {"tick", "hand", "seq", "readings"}:
        readings = said["readings"]
        if readings is not None:
            readings = _readings(readings, controls)
        return Answer(_whole(said["tick"], 1), _whole(said["hand"]), _whole(said["seq"]), readings)
    if keys == {"take", "hand"} and said["take"] is True:
        return Take(_whole(said["hand"]))
    if keys == {"give"} and said["give"] is True:
        return Give()
    if keys == {"fault"}:
        return Fault(_name(said["fault"]))
    if keys == {"ask", "hand", "arguments"} and type(said["arguments"]) is dict:
        given = {_name(name): _argument(value) for name, value in said["arguments"].items()}
        return Ask(_whole(said["hand"]), _name(said["ask"]), given)
    if keys == {"jog", "hand", "per_cent"} and type(said["jog"]) is list and 0 < len(said["jog"]) <= 32:
        names = tuple(_name(name) for name in said["jog"])
        return Jog(_whole(said["hand"]), names, _whole(said["per_cent"], -100, 100))
    if keys == {"mark"} and said["mark"] is True:
        return Mark()
    if keys == {"hello", "hand"} and said["hello"] is True:
        return Hello(_whole(said["hand"]))
    raise Nonsense


def _readings(said: Any, controls: Mapping[str, PageControl]) -> dict[str, int]:
    if type(said) is not dict or not said.keys() <= controls.keys():
        raise Nonsense
    for name, reading in said.items():
        if type(reading) is not int or not controls[name].takes(reading):
            raise Nonsense
    return said


def _argument(value: Any) -> int | str:
    if type(value) is str and len(value) <= 64:
        return value
    return _whole(value, -MOST_NUMBER)
