"""Everything that is written for one end of a link on one board, file by file."""

import re
import textwrap
from collections.abc import Iterator
from functools import cache
from typing import Any, NamedTuple

from nuvrik.export import boards
from nuvrik.export.body import Body
from nuvrik.export.chips import CHIPS
from nuvrik.export.expressions import c_name
from nuvrik.export.fit.kinds import inner_of
from nuvrik.export.fitted_c import shape_of
from nuvrik.export.loops import LOOPS, loop_roots
from nuvrik.export.native import C
from nuvrik.export.program import core, snake
from nuvrik.export.shape import Shape
from nuvrik.export.templates import filled
from nuvrik.export.to_c import Printed, constants, described, short, struct
from nuvrik.export.wanted import Wanted, arguments_of
from nuvrik.export.wiring import wires
from nuvrik.plan.form.media import Packets, RadioMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import CallRequest
from nuvrik.plan.outputs import MotorOutput
from nuvrik.plan.outputs.base import COIL, PULSE, PWM, STEP
from nuvrik.plan.tables.ends import build_tags
from nuvrik.plan.telemetry import ANALOG, COUNTER
from nuvrik.ports.open import OTHER_BAUD, baud_of
from nuvrik.version import VERSION_WORDS
from nuvrik.wire.authenticated import key_id

TEMPLATES = C / "templates"

WIDEST = 110

FREE = """Permission to use, copy, modify, and/or distribute this file for any purpose with or without fee is
hereby granted. It is provided "as is", without any warranty: in no event are its makers liable for any
damages whatsoever that come of its use."""
"""What every written file says of itself (0BSD): it is the builder's own."""

AVR_PARTS = (
    *("board_avr.h", "board_avr_line.h", "board_avr.c", "board_avr_servos.c", "board_avr_steppers.c"),
    *("board_avr_inputs.c", "board_avr_changes.c", "board_avr_edges.c", "board_avr_emit.c"),
    "board_avr_spi.c",
)


SKETCH_FILE = "sketch.ino"
"""The sketch, whose name has to be that of its folder."""


class Made(NamedTuple):
    """What is written: ``files`` anew at every export, ``own`` only once, for they are the builder's."""

    files: dict[str, str | bytes]
    own: dict[str, str]


def firmware(wanted: Wanted) -> Made:
    """The firmware of one end."""
    board, head, words = wanted.board, _head(wanted), _words(wanted)
    files: dict[str, str | bytes] = {"nuvrik_board.h": head + board_header()}
    if board != "blank":
        files["board_without.c"] = head + _copied("boards/board_without.c")
    if board == boards.SKETCH:
        return _sketch(wanted, files, words)
    if board in CHIPS:
        files["board_chip.h"] = head + filled(TEMPLATES, "board_chip.h", words)
        files |= {name: head + _copied(f"boards/{name}") for name in AVR_PARTS}
    elif board == boards.CORTEX_M3:
        files |= {
            f"{name}.c": head + _copied(f"boards/{name}.c") for name in ("board_cortex_m3", "cortex_m3_start")
        }
        files["cortex_m3.ld"] = _copied("boards/cortex_m3.ld")
    elif board == "posix":
        files |= {name: head + _copied(f"boards/{name}") for name in ("board_posix.h", "board_posix.c")}
    own = {"main.c": filled(TEMPLATES, "main.c", words)}
    if wanted.has_key:
        files["link_key.h"], own[".gitignore"] = head + key_header(wanted.link), "link_key.h\n"
    if board == "blank":
        own["board.c"] = _copied("boards/board_blank.c")
    if wanted.through_own:
        own["radio.c"], files["radio.h"] = _copied("boards/radio.c"), head + _copied("boards/radio.h")
    for name, text in link_files(wanted, " ".join(map(str, [*files.values(), *own.values()]))).items():
        files[name] = head + text
    parts = sorted(name for name in files if name.endswith(".c"))
    files["Makefile"] = filled(TEMPLATES, "Makefile", words | {"parts": parts})
    files["README.md"] = filled(TEMPLATES, "README.md", words)
    return Made(files, own)


def _sketch(wanted: Wanted, files: dict[str, str | bytes], words: dict[str, Any]) -> Made:
    """A folder that a sketch editor opens; the sketch itself is the builder's own."""
    head = _head(wanted)
    files["board_sketch.cpp"] = head + _copied("boards/board_sketch.cpp")
    if wanted.chip and _for_board(wanted)["NUVRIK_PULSE_PINS"]:
        # The framework of these chips has no servos, and our own timer code has.
        files["board_chip.h"] = head + filled(TEMPLATES, "board_chip.h", words)
        files |= {name: head + _copied(f"boards/{name}") for name in ("board_avr.h", "board_avr_servos.c")}
    own = {SKETCH_FILE: filled(TEMPLATES, "main.c", words)}
    for name, text in link_files(wanted, " ".join(map(str, [*files.values(), *own.values()]))).items():
        files[name] = head + text
    files["README.md"] = filled(TEMPLATES, "README.md", words)
    return Made(files, own)


def _head(wanted: Wanted) -> str:
    tags = " ".join(f"{name} {tag:04X}" for name, tag in build_tags(wanted.link)._asdict().items())
    said = (
        f"Made by Nuvrik {VERSION_WORDS} from {wanted.file} ({wanted.link.name}: {tags}), for "
        f"{wanted.board}. Do not edit it: change the link file and export again. {' '.join(FREE.split())}"
    )
    lines = textwrap.wrap(said, WIDEST - 3)
    return "/* " + "\n   ".join(lines) + " */\n"


@cache
def _copied(name: str) -> str:
    return (C / name).read_text("utf-8")


def key_header(link: Link) -> str:
    """The key, which stands in this file alone, and its id."""
    digits = ", ".join(f"0x{byte:02X}" for byte in link.key.secret)
    return (
        f"/* The key with the id {key_id(link.key):04X}: whoever has this file can drive the machine. */\n"
        "#include <stdint.h>\n\n"
        f"static const uint8_t LINK_KEY[{len(link.key.secret)}] = {{\n    {digits},\n}};\n"
    )


FILLED = ("into", "boot", "box")
"""The lists that a board fills; it leaves others as they are."""

PUBLIC = frozenset(
    "WAITING STANDBY ARMED FAILSAFE STOPPED FULL NOTHING_THERE DONE RUNNING REFUSED FAILED".split()  # noqa: SIM905
)
"""The numbers of core that the builder's own code goes by."""


@cache
def board_header() -> str:
    """What a board has to do, as core/board.py says it."""
    program = core()
    module = next(one for one in program.modules if one.name == "board")
    values = {one.name: one.value for one in module.constants}

    def in_c(text: str) -> str:
        """A text, with the names that things have in C."""
        text = text.replace("``NOT_READ``", "BOARD_UNREAD").replace("decided in core", "decided in nuvrik.c")
        return re.sub(r"``(\w+)``", lambda one: f"{'BOARD' if one[1].isupper() else 'board'}_{one[1]}", text)

    shape, functions = Shape(program), []
    for one in (each for each in module.externals if each.owner == "Board"):
        body, takes = Body(shape, one), []
        for name, width in one.takes.items():
            const = "const " if inner_of(width) and name not in FILLED else ""
            takes.append(f"{const}{body.declared(width)}{name}")
        signature = f"{body.declared(one.gives)}{c_name(one)}({', '.join(takes) or 'void'});"
        functions.append("\n".join([*described(in_c(one.doc)), *short(signature)]))
    about = "\n   ".join(
        line
        for part in module.doc.split("\n\n")[1:]
        for line in [*textwrap.wrap(in_c(" ".join(part.split())), WIDEST - 3), ""]
    ).rstrip()
    words = {
        "about": about,
        "functions": functions,
        "value": values.__getitem__,
        "numbers": lambda names: ", ".join(f"BOARD_{name} = {values[name]}" for name in names.split()),
    }
    return filled(TEMPLATES, "nuvrik_board.h", words)


def link_files(wanted: Wanted, others: str = "") -> dict[str, str]:
    """The C of one end of one link: core, fitted to it, and its loop; and what the builder's own code and the
    board have to know of it. ``others``: the files beside them."""
    words, shape = _words(wanted), shape_of(wanted)
    roots = loop_roots(wanted, python=False)
    text = Printed(shape, roots.calls, {"Demand", "Call", *PUBLIC}).text(filled(TEMPLATES, "loop.c", words))
    numbers: list[str] = []
    if wanted.end in (boards.MACHINE, boards.HANDSET):
        numbers += constants(
            one for module in core().modules for one in module.constants if one.name in PUBLIC
        )
    for name in ("Demand", *(["Call"] if wanted.calls else [])):
        record = shape.program.records[name]
        numbers += struct(shape, record) if record.fields else []
    said = f"{others} {text}"
    told = _for_board(wanted).items()
    words |= {
        "enums": dict(_enums(wanted)),
        "turns": _turning(wanted),
        "constants": "\n".join(part for line in numbers for part in short(line)),
        "board_told": {name: value for name, value in told if re.search(rf"\b{name}\b", said)},
    }
    return {
        "nuvrik.c": filled(TEMPLATES, "nuvrik.c", words | {"core": text.rstrip()}),
        "nuvrik.h": filled(TEMPLATES, "nuvrik.h", words),
    }


def _turning(wanted: Wanted) -> int | None:
    """A bit for each output that turns; None for an end without outputs."""
    if wanted.end != boards.MACHINE:
        return None
    return sum(one.turns << place for place, one in enumerate(wanted.link.outputs.values()))


def _for_board(wanted: Wanted) -> dict[str, int | str]:
    """What glue and boards are told of a link."""
    link = wanted.link
    uses = wanted.outputs + wanted.inputs + wanted.timed
    motors = [one for one in link.outputs.values() if isinstance(one, MotorOutput)]

    def many(*roles: str) -> int:
        return sum(use.role in roles for use in uses)

    told: dict[str, int | str] = {
        "NUVRIK_PACKETS": int(wanted.through_own),
        "NUVRIK_SPI": int(wanted.driver is not None),
        "NUVRIK_MOST_PACKET": link.medium.payload_max if isinstance(link.medium, Packets) else 1,
        "NUVRIK_HAS_KEY": int(wanted.has_key),
        "NUVRIK_ON_AVR": int(wanted.board in CHIPS),
        "NUVRIK_ON_SKETCH": int(wanted.board == boards.SKETCH),
        "NUVRIK_PROGRAM": f'"nuvrik_{wanted.end}"',
        "NUVRIK_LINE_IS_HOSTS": int(not wanted.on_the_line),
        "NUVRIK_HOST_LINE": int(wanted.host_line),
        "NUVRIK_HOST_BAUD": OTHER_BAUD,
        "NUVRIK_LINK_BAUD": baud_of(link),
        "NUVRIK_TICK_MS": link.tick_ms,
        "NUVRIK_PWM_PINS": many(PWM),
        "NUVRIK_PWM_MOST": max((one.duty_max for one in motors), default=255),
        "NUVRIK_PULSE_PINS": many(PULSE),
        "NUVRIK_STEP_PINS": many(STEP) + many(COIL) // 4,
        "NUVRIK_COIL_PINS": many(COIL),
        "NUVRIK_ANALOG_PINS": many(ANALOG),
        "NUVRIK_COUNTER_PINS": many(COUNTER),
        "NUVRIK_END_SWITCHES": many(boards.END),
        "NUVRIK_EDGE_PINS": many(boards.EDGE),
        "NUVRIK_EMIT_PINS": many(boards.EMIT, boards.CARRIER),
        "NUVRIK_CARRIER_PINS": many(boards.CARRIER),
    }
    if isinstance(link.medium, RadioMedium):
        told["NUVRIK_RADIO_CHANNEL"] = link.medium.channel
        told["NUVRIK_RADIO_GROUP"] = link.medium.group
        told["NUVRIK_RADIO_ADDRESS"] = f"UINT32_C({link.medium.address:#x})"
    chip = wanted.chip
    if chip is not None:
        told["BOARD_SERVO_TIMER"] = boards.servo_timer(chip, uses) if many(PULSE) else 0
    return told


def _words(wanted: Wanted) -> dict[str, Any]:
    """What the templates are filled with."""
    link = wanted.link
    chip = wanted.chip
    by_board = {use.of for use in wanted.inputs}
    if wanted.end == boards.HANDSET:
        told = [name for name in wanted.controls if _is_read(link, name) and name not in by_board]
    else:
        told = [name for name, one in link.telemetry.items() if one.measured and name not in by_board]
    return {
        "link": link,
        "file": wanted.file,
        "board": wanted.board,
        "chip": chip,
        "spi": chip.spi if chip else (),
        "packets": wanted.through_own,
        "driver": wanted.driver,
        "has_key": wanted.has_key,
        "answers": wanted.talks,
        "glue": wanted.glue,
        "baud": baud_of(link),
        "version": VERSION_WORDS,
        "calls": {name: arguments_of(link.requests[name]) for name in wanted.calls},
        "end": wanted.end,
        "told": told,
        "wires": list(wires(link, chip, wanted.end, wanted.driver)),
        **_parts(wanted),
    }


def _parts(wanted: Wanted) -> dict[str, Any]:
    """What there is of an end, for the templates of its loop."""
    link, glue = wanted.link, wanted.glue
    hooks = [name if isinstance(one, CallRequest) else "" for name, one in link.requests.items()]
    return {
        "loop": f"nuvrik_{snake(LOOPS[glue])}",
        "leaves": wanted.end in (boards.MACHINE, boards.HANDSET) and glue != "remote",
        "machine": wanted.end == boards.MACHINE,
        "receiver": glue == "receiver",
        "handset": wanted.end == boards.HANDSET,
        "remote": glue == "remote",
        "sensors": len(link.telemetry) if glue == boards.MACHINE else 0,
        "hooks": hooks,
    }


def _is_read(link: Link, control: str) -> bool:
    return hasattr(link.controls[control], "pin")


def _enums(wanted: Wanted) -> Iterator[tuple[str, list[str]]]:
    """The names that the builder's own code goes by."""
    link = wanted.link
    if wanted.end not in (boards.MACHINE, boards.HANDSET):
        return
    yield "OUTPUT", list(link.outputs)
    yield "CHANNEL", list(link.channels)
    yield "SENSOR", list(link.telemetry)
    yield "REQUEST", list(link.requests)
    yield "CONTROL", wanted.controls
