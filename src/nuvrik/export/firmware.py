"""Everything that is written for one end of a link on one board, file by file."""

import textwrap
from collections.abc import Iterator
from functools import cache
from typing import Any, NamedTuple

from nuvrik.core.widths import Table
from nuvrik.export import boards
from nuvrik.export.facts import Facts, facts_of
from nuvrik.export.native import C
from nuvrik.export.parts import defines
from nuvrik.export.program import core
from nuvrik.export.tables_as_c import as_c
from nuvrik.export.templates import filled
from nuvrik.export.wanted import Wanted, arguments_of
from nuvrik.export.wiring import wires
from nuvrik.plan.form.backward import AnyItem, DemandItem
from nuvrik.plan.form.media import Packets
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import MotorOutput
from nuvrik.plan.form.requests import CallRequest
from nuvrik.plan.tables.ends import build_tags
from nuvrik.plan.tables.sizes import BYTES
from nuvrik.ports.open import OTHER_BAUD, baud_of
from nuvrik.version import VERSION_WORDS

TEMPLATES = C / "templates"

WIDEST = 110

FREE = """Permission to use, copy, modify, and/or distribute this file for any purpose with or without fee is
hereby granted. It is provided "as is", without any warranty: in no event are its makers liable for any
damages whatsoever that come of its use."""
"""What every written file says of itself (0BSD): it is the builder's own."""

AVR_PARTS = (
    *("board_avr.h", "board_avr_line.h", "board_avr.c", "board_avr_servos.c", "board_avr_steppers.c"),
    *("board_avr_inputs.c", "board_avr_changes.c", "board_avr_edges.c", "board_avr_emit.c"),
)

GLUE = {
    "machine": ("nuvrik_machine.c", "nuvrik_outputs.h", "nuvrik_outputs.c"),
    "receiver": ("nuvrik_receiver.c", "nuvrik_outputs.h", "nuvrik_outputs.c"),
}
"""What turns the loop of an end, where that is more than a file of its own name."""


class Made(NamedTuple):
    """What is written: ``files`` anew at every export, ``own`` only once, for they are the builder's."""

    files: dict[str, str | bytes]
    own: dict[str, str]


def firmware(wanted: Wanted) -> Made:
    """The firmware of one end."""
    board = wanted.board
    head = _head(wanted)
    words = _words(wanted)
    files: dict[str, str | bytes] = {
        name: _copied(name) for name in ("nuvrik_core.h", "nuvrik_reads.h", "nuvrik_core.c")
    }
    parts = ["nuvrik_rom.h", "nuvrik_board.h", "nuvrik.h", "nuvrik_call.h"]
    parts += GLUE.get(wanted.glue, (f"nuvrik_{wanted.glue}.c",))
    if wanted.glue in (boards.MACHINE, boards.HANDSET):
        parts += ["nuvrik_keyed.h", "nuvrik_keyed.c"] if wanted.keyed else ["nuvrik_keyed.h"]
    files |= {name: head + _copied(name) for name in parts}
    told = link_files(wanted)
    files |= {name: head + text for name, text in told.items()}
    if board != "blank":
        files["board_without.c"] = head + _copied("boards/board_without.c")
    if words["calls"]:
        files["link_hooks.c"] = head + _hooks(wanted.link)
    if board in boards.CHIPS:
        files["board_chip.h"] = head + _copied(f"boards/board_{board}.h")
        files |= {name: head + _copied(f"boards/{name}") for name in AVR_PARTS}
    elif board == boards.CORTEX_M3:
        files |= {
            f"{name}.c": head + _copied(f"boards/{name}.c") for name in ("board_cortex_m3", "cortex_m3_start")
        }
        files["cortex_m3.ld"] = _copied("boards/cortex_m3.ld")
    elif board == "posix":
        files |= {name: head + _copied(f"boards/{name}") for name in ("board_posix.h", "board_posix.c")}
    files["Makefile"] = filled(
        TEMPLATES, "Makefile", words | {"parts": sorted(n for n in files if n.endswith(".c"))}
    )
    files["README.md"] = filled(TEMPLATES, "README.md", words)
    own = {"main.c": filled(TEMPLATES, "main.c", words)}
    if board == "blank":
        own["board.c"] = _copied("boards/board_blank.c")
    if wanted.packets:
        own["radio.c"], files["radio.h"] = _copied("boards/radio.c"), head + _copied("boards/radio.h")
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


def link_files(wanted: Wanted, table: Table | None = None) -> dict[str, str]:
    """What core, glue and board are told of a link: its sizes, the names of its tables, and its tables.
    ``table``: in place of what its end comes to."""
    table, program = table or wanted.table, core()
    facts = facts_of(table, "NUVRIK_LINK", program) if table else Facts({}, {})
    known = defines(table, program) if table else {}
    sizes = [f"#define NUVRIK_{name} {_room(name, value)}" for name, value in known.items()]
    sizes += [f"#define {name} {value}" for name, value in _for_board(wanted).items()]
    macros = [f"#define {macro}(table) NUVRIK_KNOWN(table, {text})" for macro, text in facts.macros.items()]
    words = {
        "kind": type(table).__name__ if table else "",
        "enums": dict(_enums(wanted)),
        "calls": wanted.calls,
        "shared": facts.shared.values(),
        "sizes": sizes,
        "macros": macros,
        "inputs": wanted.read,
        "turns": _turning(wanted),
    }
    text = as_c(table, "NUVRIK_LINK", program, facts.shared) if table else ""
    body = [_folded(line) for line in text.splitlines()]
    if wanted.read:
        body.append(_input_pins(wanted))
    about = "/* The link as core runs on it: numbers only, which never change. */"
    return {
        "link_sizes.h": filled(TEMPLATES, "link_sizes.h", words),
        "link_tables.h": filled(TEMPLATES, "link_tables.h", words),
        "link_tables.c": "\n".join([about, '#include "link_tables.h"', "", *body]) + "\n",
    }


def _turning(wanted: Wanted) -> int | None:
    """A bit for each output that turns; None for an end without outputs."""
    if wanted.end != boards.MACHINE:
        return None
    return sum(one.turns << place for place, one in enumerate(wanted.link.outputs.values()))


def _input_pins(wanted: Wanted) -> str:
    """Which pin each control is read from, and what they are called in a recording."""
    places, what = wanted.controls, {boards.ANALOG: 0, boards.CONTACT: 1}
    rows = [f"{{{places.index(use.of)}, {use.pin}, {what[use.role]}}}" for use in wanted.read]
    names = ",".join(["t_ms", *(use.of for use in wanted.read)])
    table = f"const NUVRIK_FLASH NuvrikInputPin NUVRIK_INPUT_PINS[] NUVRIK_ROM = {{{', '.join(rows)}}};"
    return "\n".join(["", _folded(table), f'const char NUVRIK_INPUT_NAMES[] = "{names}\\n";'])


def _room(name: str, value: int) -> int | str:
    """How much room there is, as C has it, where room for none may not be."""
    if value or not name.startswith("MOST_"):
        return value
    return "NUVRIK_NO_BYTES" if name in BYTES else "NUVRIK_NONE"


def _for_board(wanted: Wanted) -> dict[str, int | str]:
    """What glue and boards are told of a link."""
    link = wanted.link
    uses = wanted.outputs + wanted.inputs + wanted.timed
    motors = [one for one in link.outputs.values() if isinstance(one, MotorOutput)]

    def many(*roles: str) -> int:
        return sum(use.role in roles for use in uses)

    told: dict[str, int | str] = {
        **{f"NUVRIK_IS_{end.upper()}": int(end == wanted.end) for end in boards.ENDS},
        "NUVRIK_IS_RECEIVER": int(wanted.glue == "receiver"),
        "NUVRIK_IS_REMOTE": int(wanted.glue == "remote"),
        "NUVRIK_PACKETS": int(wanted.packets),
        "NUVRIK_KEYED": int(wanted.keyed),
        "NUVRIK_PACKETWISE": int(wanted.packets or wanted.keyed),
        "NUVRIK_MOST_PACKET": link.medium.payload_max if isinstance(link.medium, Packets) else 1,
        "NUVRIK_ANSWERS": int(wanted.talks),
        "NUVRIK_ON_AVR": int(wanted.board in boards.CHIPS),
        "NUVRIK_PROGRAM": f'"nuvrik_{wanted.end}"',
        "NUVRIK_INPUTS_COUNT": len(wanted.read),
        "NUVRIK_KNOBS": sum(use.key.endswith(".pin_b") for use in wanted.inputs),
        "NUVRIK_TELLS_RAW": int(wanted.tells_raw),
        "NUVRIK_LINE_IS_HOSTS": int(not wanted.on_the_line),
        "NUVRIK_HOST_LINE": int(wanted.host_line),
        "NUVRIK_HOST_BAUD": OTHER_BAUD,
        "NUVRIK_TIMEOUT_MS": link.failsafe.timeout_ms,
        "NUVRIK_LINK_BAUD": baud_of(link),
        "NUVRIK_PERIOD_MS": link.period_ms,
        "NUVRIK_TICK_MS": link.tick_ms,
        "NUVRIK_SENSORS": len(link.telemetry),
        "NUVRIK_PWM_PINS": many(boards.PWM),
        "NUVRIK_PWM_MOST": max((one.duty_max for one in motors), default=255),
        "NUVRIK_PULSE_PINS": many(boards.PULSE),
        "NUVRIK_STEP_PINS": many(boards.STEP) + many(boards.COIL) // 4,
        "NUVRIK_COIL_PINS": many(boards.COIL),
        "NUVRIK_ANALOG_PINS": many(boards.ANALOG),
        "NUVRIK_COUNTER_PINS": many(boards.COUNTER),
        "NUVRIK_END_SWITCHES": many(boards.END),
        "NUVRIK_EDGE_PINS": many(boards.EDGE),
        "NUVRIK_EDGE_PIN": next((use.pin for use in uses if use.role == boards.EDGE), 0),
        "NUVRIK_EMIT_PINS": many(boards.EMIT, boards.CARRIER),
        "NUVRIK_CARRIER_PINS": many(boards.CARRIER),
    }
    chip = boards.CHIPS.get(wanted.board)
    if chip is not None:
        told["BOARD_SERVO_TIMER"] = boards.servo_timer(chip, uses) if many(boards.PULSE) else 0
    return told


def _hooks(link: Link) -> str:
    """Which of the builder's own functions carries out which request."""
    calls = [isinstance(one, CallRequest) for one in link.requests.values()]
    named = [f"nuvrik_on_{name}" if call else "0" for name, call in zip(link.requests, calls, strict=True)]
    about = "/* What carries out each request: 0 where core does by itself. */"
    table = f"const NuvrikHook NUVRIK_HOOKS[] = {{{', '.join(named)}}};"
    return "\n".join([about, '#include "link_tables.h"', "", _folded(table)]) + "\n"


def _folded(line: str) -> str:
    """A line of C, broken after commas where it is too long."""
    if len(line) <= WIDEST:
        return line
    made = textwrap.wrap(
        line, WIDEST, subsequent_indent="    ", break_long_words=False, break_on_hyphens=False
    )
    return "\n".join(made)


def _words(wanted: Wanted) -> dict[str, Any]:
    """What the templates are filled with."""
    link = wanted.link
    chip = boards.CHIPS.get(wanted.board)
    by_board = {use.of for use in wanted.inputs}
    if wanted.end == boards.HANDSET:
        told = [name for name in wanted.controls if _is_read(link, name) and name not in by_board]
    else:
        told = [name for name, one in link.telemetry.items() if is_told(one) and name not in by_board]
    return {
        "link": link,
        "file": wanted.file,
        "board": wanted.board,
        "chip": chip,
        "packets": wanted.packets,
        "answers": wanted.talks,
        "glue": wanted.glue,
        "baud": baud_of(link),
        "version": VERSION_WORDS,
        "calls": {name: arguments_of(link.requests[name]) for name in wanted.calls},
        "end": wanted.end,
        "told": told,
        "wires": list(wires(link, chip, wanted.end)),
    }


def _is_read(link: Link, control: str) -> bool:
    return hasattr(link.controls[control], "pin")


def is_told(item: AnyItem) -> bool:
    """Whether a sensor is there to be read."""
    return not isinstance(item, DemandItem) and getattr(item, "sensor", True)


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
