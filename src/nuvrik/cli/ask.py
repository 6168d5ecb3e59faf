"""``nuvrik ask``: one request and its answer, or channels set for a while, from a command line."""

import time
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.options import Json, LinkFile, PortName
from nuvrik.cli.words import DONE, NO, Trouble, say, say_json, speaks_plainly, tell
from nuvrik.ends.asking import Asked
from nuvrik.plan.form.channels import ChoiceChannel, FlagChannel
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import Argument
from nuvrik.plan.load import load
from nuvrik.plan.problems import suggestion
from nuvrik.plan.words import argument_words
from nuvrik.ports.connection import Connection, LinkError, RequestFailed, connect, given_value
from nuvrik.ports.live import TURN_S

WORDS = {"on": 1, "off": 0, "yes": 1, "no": 0, "true": 1, "false": 0}
"""What may be said for a flag."""

SHOWN_EVERY_S = 0.5


def run(file: Path, words: Sequence[str], port: str, for_s: float | None, as_json: bool) -> int:
    """Carry out what the words ask for. The answer is no if the machine did not do it."""
    link = load(file)
    if not words:
        able = ", ".join(link.requests) or "none"
        raise Trouble(
            f"say what to ask for: REQUEST NAME=VALUE... (requests here: {able}), or CHANNEL=VALUE..."
        )
    given = _pairs(words[1:] if "=" not in words[0] else words)
    if "=" in words[0]:
        values = {name: _value(link, name, text) for name, text in given.items()}
        return _set(link, port, values, for_s, as_json)
    arguments = _arguments(link, words[0], given)
    if for_s is not None:
        raise Trouble("--for-s is for channels; a request ends when it is done")
    return _request(link, port, words[0], arguments, as_json)


def _request(link: Link, port: str, name: str, arguments: dict[str, int | str], as_json: bool) -> int:
    try:
        with connect(link, port) as machine:
            if link.requests[name].moving:
                machine.arm()
            asked = machine.request(name, **arguments)  # type: ignore[arg-type]
    except RequestFailed as error:
        _say(error.asked, as_json)
        return NO
    except LinkError as error:
        raise Trouble(str(error), NO) from None
    _say(asked, as_json)
    return DONE


def _say(asked: Asked, as_json: bool) -> None:
    if as_json:
        say_json({"request": asked.name, "state": asked.state, "why": asked.why, "value": asked.value})
    else:
        why = f": {asked.why}" if asked.why else ""
        say(f"{asked.name}: {asked.state}{why}" + ("" if why else f", {asked.value}"))


def _set(
    link: Link, port: str, values: dict[str, float | str | None], for_s: float | None, as_json: bool
) -> int:
    """Set channels for a while, armed where the link has that, and disarm."""
    for_s = 1.0 if for_s is None else for_s
    try:
        for name, value in values.items():
            given_value(link, name, value)  # judged before anything is sent, and so before anything is armed
        with connect(link, port) as machine:
            if link.arm_channel is not None:
                machine.arm()
            machine.set(for_s=for_s, **values)
            _wait(machine, for_s, as_json)
    except LinkError as error:
        raise Trouble(str(error), NO) from None
    except (KeyError, ValueError, TypeError) as error:
        raise Trouble(str(error.args[0])) from None
    if not as_json:
        say(f"{', '.join(values)} set for {for_s:g} s, and disarmed")
    return DONE


def _wait(machine: Connection, for_s: float, as_json: bool) -> None:
    """Until the time is over, saying what the machine says, whenever that is something else."""
    end, said = time.monotonic() + for_s, ""
    due = time.monotonic()
    while time.monotonic() < end:
        time.sleep(TURN_S)
        if time.monotonic() < due:
            continue
        due += SHOWN_EVERY_S
        items = {name: reading.words for name, reading in machine.telemetry.items()}
        line = "  ".join(
            [str(machine.state or ""), *(f"{name} {words}" for name, words in items.items())]
        ).strip()
        if line == said:
            continue
        said = line
        if as_json:
            say_json({"state": str(machine.state) if machine.state else None, "telemetry": items})
        else:
            tell(line)


def _pairs(words: Sequence[str]) -> dict[str, str]:
    pairs: dict[str, str] = {}
    for word in words:
        name, equals, text = word.partition("=")
        if not equals or not text:
            raise Trouble(f'"{word}" is not NAME=VALUE')
        if name in pairs:
            raise Trouble(f"{name} is given twice")
        pairs[name] = text
    return pairs


def _arguments(link: Link, name: str, given: dict[str, str]) -> dict[str, int | str]:
    request = link.requests.get(name)
    if request is None:
        raise Trouble(
            f'there is no request "{name}": {suggestion(name, link.requests, "this link has none")}'
        )
    for wrong in given.keys() - request.arguments.keys():
        takes = suggestion(wrong, request.arguments, f"{name} takes none")
        raise Trouble(f'{name} takes no "{wrong}": {takes}')
    for missing in request.arguments.keys() - given.keys():
        raise Trouble(f"{name} wants {missing} too: {_wanted(missing, request.arguments[missing])}")
    return {key: _argument(key, request.arguments[key], text) for key, text in given.items()}


def _argument(name: str, argument: Argument, text: str) -> int | str:
    """What is typed for an argument, as the handset takes it."""
    if argument.options is not None and text in argument.options:
        return text
    if argument.bytes is not None:
        try:
            argument.numbers(text)
        except ValueError as error:
            raise Trouble(f"{name}: {error}") from None
        return text
    number = WORDS.get(text) if argument.kind == "flag" else None
    if number is None:
        try:
            number = int(text) if text.isascii() and "_" not in text else None
        except ValueError:
            number = None
    low, high = argument.limits
    if number is None or not low <= number <= high:
        raise Trouble(f"{name} is {text[:40]!r}: {_wanted(name, argument)}")
    return number


def _wanted(name: str, argument: Argument) -> str:
    words = argument_words(argument)
    return f"{name}={words}" if argument.options is not None else f"{name}=VALUE, {words}"


def _value(link: Link, name: str, text: str) -> float | str | None:
    channel = link.channels.get(name)
    if channel is None or name == link.arm_channel:
        able = [one for one in link.channels if one != link.arm_channel]
        raise Trouble(f'there is no channel "{name}" to set: {suggestion(name, able, "this link has none")}')
    if isinstance(channel, ChoiceChannel) and text in channel.options:
        return text
    if isinstance(channel, FlagChannel) and text in WORDS:
        return WORDS[text]
    try:
        return float(text) if text.isascii() and "_" not in text else text
    except ValueError:
        raise Trouble(f"{name} is {text[:40]!r}, not a number") from None


@speaks_plainly
def command(
    link: LinkFile,
    words: Annotated[
        list[str] | None,
        typer.Argument(metavar="REQUEST NAME=VALUE...", help="A request, or only CHANNEL=VALUE..."),
    ],
    port: PortName,
    for_s: Annotated[
        float | None, typer.Option("--for-s", min=0, max=3600, help="Set channels for so many seconds (1).")
    ] = None,
    as_json: Json = False,
) -> int:
    """Make one request, or set channels for a while.

    Values are as in the link file: levels -1 to 1, flags on or off, a choice by its name. It arms where that
    is needed, and disarms before it leaves.
    """
    return run(link, words or [], port, for_s, as_json)
