"""``nuvrik encode``: values to the bytes of a frame."""

import re
import sys
from pathlib import Path
from typing import Annotated

import typer

from nuvrik.cli.options import Json, LinkFile
from nuvrik.cli.words import DONE, NO, Trouble, console, say, say_json, speaks_plainly, table, tell
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.load import load
from nuvrik.plan.problems import suggestion
from nuvrik.plan.wiring import staying_channels
from nuvrik.wire.codes import Value
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.packing import Field
from nuvrik.wire.words import value_text


def run_encode(file: Path, words: list[str], seq: int, as_json: bool) -> int:
    """Encode one command frame; channels not named are at rest or off."""
    link = load(file)
    encoder = Encoder(link)
    given = dict(_assignment(word, encoder.packer.fields) for word in words)
    # A key leaves alone what it does not change; other frames say something of every channel.
    alone = staying_channels(link) if link.frame.style == "keys" else ()
    values: list[Value] = [
        given.get(field.name, None if field.name in alone else 0) for field in encoder.packer.fields
    ]
    try:
        body, parts = encoder.parts(values, seq)
    except ValueError as error:
        raise Trouble(f"{error}: a handset would send nothing", NO) from None
    wire = encoder.on_wire(body)
    if link.frame.style == "keys":
        _say_nearest(link, encoder, values, wire)
    if as_json:
        say_json({"hex": wire.hex(), "seq": seq, "bytes": len(wire)})
    elif not sys.stdout.isatty():
        say(wire.hex())
    else:
        say(wire.hex())
        if not link.frame.sealed:
            say(repr(wire.decode("latin-1")))
        rows = [(str(p.start // 8), str(p.bits), p.name, p.meaning) for p in parts]
        console().print(table("", [">byte", ">bits", "is", "meaning"], rows))
    return DONE


def _say_nearest(link: Link, encoder: Encoder, values: list[Value], wire: bytes) -> None:
    """What a single key makes of the values asked for, on stderr."""
    made = Decoder(link).feed(wire)
    got = made[0].values if made and isinstance(made[0], Frame) else ()
    unlike = [
        f"{field.name} {value_text(heard, field)}, asked for {value_text(asked, field)}"
        for field, heard, asked in zip(encoder.packer.fields, got, values, strict=False)
        if heard != asked
    ]
    if unlike:
        tell(f"the nearest single key, from rest: it gives {'; '.join(unlike)}")


def _assignment(word: str, fields: tuple[Field, ...]) -> tuple[str, Value]:
    name, equals, text = word.partition("=")
    field = next((field for field in fields if field.name == name), None)
    if not equals:
        raise Trouble(f"{word}: write NAME=VALUE, e.g. {fields[0].name}=0")
    if field is None:
        raise Trouble(f'there is no channel "{name}": {suggestion(name, [field.name for field in fields])}')
    return name, _value(text, field)


def _value(text: str, field: Field) -> Value:
    if text == "none" and (field.scaled or field.options) and "none" not in field.options:
        return None
    if field.scaled:
        low = -1 if field.kind == "level" else 0
        if re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)", text) and low <= float(text) <= 1:
            return level_of(float(text))
        raise Trouble(f"{field.name}={text}: a {field.kind} is a number from {low} to 1, or none")
    if field.options:
        if text in field.options:
            return field.options.index(text)
        raise Trouble(f"{field.name}={text}: {suggestion(text, field.options)}")
    most = 1 if field.kind == "flag" else (1 << field.bits) - 1
    if text.isdecimal() and len(text) < 10 and int(text) <= most:
        return int(text)
    raise Trouble(f"{field.name}={text}: a {field.kind} here is a whole number from 0 to {most}")


@speaks_plainly
def command(
    link: LinkFile,
    values: Annotated[
        list[str] | None,
        typer.Argument(metavar="NAME=VALUE...", help="Levels -1 to 1, flags 0 or 1; none is no reading."),
    ] = None,
    seq: Annotated[int, typer.Option("--seq", min=0, max=255, help="The sequence number.")] = 0,
    as_json: Json = False,
) -> int:
    """Turn channel values into the bytes of a frame, in hex."""
    return run_encode(link, values or [], seq, as_json)
