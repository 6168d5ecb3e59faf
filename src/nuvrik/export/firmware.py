"""Everything that is written for one end of a link on one board, file by file."""

import textwrap
from collections.abc import Iterator
from functools import cache
from typing import Any, NamedTuple

from nuvrik.core.widths import Table
from nuvrik.export import boards
from nuvrik.export.facts import facts_of
from nuvrik.export.native import C
from nuvrik.export.parts import defines
from nuvrik.export.program import Program
from nuvrik.export.tables_as_c import as_c
from nuvrik.export.wiring import wires
from nuvrik.plan.form.backward import AnyItem, CallRequest, DemandItem
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import MotorOutput
from nuvrik.plan.tables.ends import build_tags, end_table, one_way
from nuvrik.plan.tables.handset_end import bridge_table, handset_end_table
from nuvrik.ports.open import baud_of
from nuvrik.version import VERSION_WORDS

TEMPLATES = C / "templates"

WIDEST = 110

FREE = """Permission to use, copy, modify, and/or distribute this file for any purpose with or without fee is
hereby granted. It is provided "as is", without any warranty: in no event are its makers liable for any
damages whatsoever that come of its use."""
"""What every written file says of itself (0BSD): it is the builder's own."""

AVR_PARTS = ("board_avr.h", "board_avr.c", "board_avr_servos.c", "board_avr_steppers.c", "board_avr_inputs.c")


class Made(NamedTuple):
    """What is written: ``files`` anew at every export, ``own`` only once, for they are the builder's."""

    files: dict[str, str]
    own: dict[str, str]


class Wanted(NamedTuple):
    """What firmware is asked for. ``packets``: frames go to a radio module's driver as packets;
    ``answers``: there is a way back from the machine."""

    link: Link
    file: str
    board: str
    packets: bool = False
    end: str = boards.MACHINE
    answers: bool = True

    @property
    def table(self) -> Table:
        """What its end of the link comes to."""
        stream = not self.packets
        if self.end == boards.HANDSET:
            return handset_end_table(self.link, stream=stream)
        if self.end == boards.BRIDGE:
            return bridge_table(self.link)
        table = end_table(self.link, stream=stream)
        return table if self.answers else one_way(table)

    @property
    def inputs(self) -> list[boards.Use]:
        """The pins that the board reads by itself."""
        if self.end == boards.BRIDGE:
            return []
        of = boards.uses_of_controls if self.end == boards.HANDSET else boards.uses_of_sensors
        return of(self.link)

    @property
    def outputs(self) -> list[boards.Use]:
        """The pins that the board sets."""
        return boards.uses_of_outputs(self.link) if self.end == boards.MACHINE else []


def firmware(wanted: Wanted) -> Made:
    """The firmware of one end."""
    board = wanted.board
    head = _head(wanted)
    words = _words(wanted)
    files = {
        "nuvrik_core.h": _copied("nuvrik_core.h"),
        "nuvrik_reads.h": _copied("nuvrik_reads.h"),
        "nuvrik_core.c": _copied("nuvrik_core.c"),
        "nuvrik_rom.h": head + _copied("nuvrik_rom.h"),
        "nuvrik_board.h": head + _copied("nuvrik_board.h"),
        "nuvrik.h": head + _copied("nuvrik.h"),
        "nuvrik_call.h": head + _copied("nuvrik_call.h"),
        f"nuvrik_{wanted.end}.c": head + _copied(f"nuvrik_{wanted.end}.c"),
    }
    told = link_files(wanted)
    files |= {name: head + text for name, text in told.items()}
    if words["calls"]:
        files["link_hooks.c"] = head + _hooks(wanted.link)
    if board in boards.CHIPS:
        files["board_chip.h"] = head + _copied(f"boards/board_{board}.h")
        files |= {name: head + _copied(f"boards/{name}") for name in AVR_PARTS}
    elif board == "posix":
        files |= {name: head + _copied(f"boards/{name}") for name in ("board_posix.h", "board_posix.c")}
    files["Makefile"] = _filled("Makefile", words | {"parts": sorted(n for n in files if n.endswith(".c"))})
    files["README.md"] = _filled("README.md", words)
    own = {"main.c": _filled("main.c", words)}
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


def _filled(name: str, words: dict[str, Any]) -> str:
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    made = Environment(
        loader=FileSystemLoader(TEMPLATES),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        keep_trailing_newline=True,
    )
    return made.get_template(f"{name}.jinja").render(words)


def link_files(wanted: Wanted) -> dict[str, str]:
    """What core, glue and board are told of a link: its sizes, the names of its tables, and its tables."""
    link, table, program = wanted.link, wanted.table, _program()
    facts = facts_of(table, "NUVRIK_LINK", program)
    sizes = [f"#define NUVRIK_{name} {_room(name, value)}" for name, value in defines(table, program).items()]
    sizes += [f"#define {name} {value}" for name, value in _for_board(wanted).items()]
    macros = [f"#define {macro}(table) NUVRIK_KNOWN(table, {text})" for macro, text in facts.macros.items()]
    words = {
        "kind": type(table).__name__,
        "enums": dict(_enums(link)) if wanted.end != boards.BRIDGE else {},
        "calls": _calls(wanted),
        "shared": facts.shared.values(),
        "sizes": sizes,
        "macros": macros,
        "inputs": wanted.inputs if wanted.end == boards.HANDSET else [],
    }
    body = [_folded(line) for line in as_c(table, "NUVRIK_LINK", program, facts.shared).splitlines()]
    if wanted.end == boards.HANDSET and wanted.inputs:
        body.append(_input_pins(wanted))
    about = "/* The link as core runs on it: numbers only, which never change. */"
    return {
        "link_sizes.h": _filled("link_sizes.h", words),
        "link_tables.h": _filled("link_tables.h", words),
        "link_tables.c": "\n".join([about, '#include "link_tables.h"', "", *body]) + "\n",
    }


def _calls(wanted: Wanted) -> list[str]:
    """The requests that the builder's own code carries out."""
    requests = wanted.link.requests.items() if wanted.end == boards.MACHINE else ()
    return [name for name, one in requests if isinstance(one, CallRequest)]


def _input_pins(wanted: Wanted) -> str:
    """Which pin each control is read from, and what they are called in a recording."""
    places, what = list(wanted.link.controls), {boards.ANALOG: 0, boards.CONTACT: 1}
    rows = [f"{{{places.index(use.of)}, {use.pin}, {what[use.role]}}}" for use in wanted.inputs]
    names = ",".join(["t_ms", *(use.of for use in wanted.inputs)])
    table = f"const NUVRIK_FLASH NuvrikInputPin NUVRIK_INPUT_PINS[] NUVRIK_ROM = {{{', '.join(rows)}}};"
    return "\n".join(["", _folded(table), f'const char NUVRIK_INPUT_NAMES[] = "{names}\\n";'])


def _room(name: str, value: int) -> int | str:
    """How much room there is, as C has it, where room for none may not be."""
    return "NUVRIK_NONE" if name.startswith("MOST_") and not value else value


def _for_board(wanted: Wanted) -> dict[str, int | str]:
    """What glue and boards are told of a link."""
    link = wanted.link
    uses = wanted.outputs + wanted.inputs
    motors = [one for one in link.outputs.values() if isinstance(one, MotorOutput)]

    def many(*roles: str) -> int:
        return sum(use.role in roles for use in uses)

    told: dict[str, int | str] = {
        **{f"NUVRIK_IS_{end.upper()}": int(end == wanted.end) for end in boards.ENDS},
        "NUVRIK_PACKETS": int(wanted.packets),
        "NUVRIK_ANSWERS": int(wanted.answers),
        "NUVRIK_PROGRAM": f'"nuvrik_{wanted.end}"',
        "NUVRIK_INPUTS_COUNT": len(wanted.inputs),
        "NUVRIK_TELLS_RAW": int(wanted.end == boards.HANDSET and wanted.packets and bool(wanted.inputs)),
        "NUVRIK_TIMEOUT_MS": link.failsafe.timeout_ms,
        "NUVRIK_LINK_BAUD": baud_of(link),
        "NUVRIK_PERIOD_MS": link.period_ms,
        "NUVRIK_TICK_MS": link.tick_ms,
        "NUVRIK_SENSORS": len(link.telemetry),
        "NUVRIK_PWM_PINS": many(boards.PWM),
        "NUVRIK_PWM_MOST": max((one.duty_max for one in motors), default=255),
        "NUVRIK_PULSE_PINS": many(boards.PULSE),
        "NUVRIK_STEP_PINS": many(boards.STEP),
        "NUVRIK_ANALOG_PINS": many(boards.ANALOG),
        "NUVRIK_COUNTER_PINS": many(boards.COUNTER),
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


@cache
def _program() -> Program:
    return Program()


def _folded(line: str) -> str:
    """A line of C, broken after commas where it is too long."""
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
        told = [name for name, one in link.controls.items() if hasattr(one, "pin") and name not in by_board]
    else:
        told = [name for name, one in link.telemetry.items() if _is_told(one) and name not in by_board]
    return {
        "link": link,
        "file": wanted.file,
        "board": wanted.board,
        "chip": chip,
        "packets": wanted.packets,
        "answers": wanted.answers,
        "baud": baud_of(link),
        "version": VERSION_WORDS,
        "calls": {name: link.requests[name] for name in _calls(wanted)},
        "end": wanted.end,
        "told": told,
        "wires": list(wires(wanted.outputs, wanted.inputs, link, chip)),
    }


def _is_told(item: AnyItem) -> bool:
    """Whether a sensor is there to be read."""
    return not isinstance(item, DemandItem) and getattr(item, "sensor", True)


def _enums(link: Link) -> Iterator[tuple[str, list[str]]]:
    """The names that the builder's own code goes by."""
    yield "OUTPUT", list(link.outputs)
    yield "CHANNEL", list(link.channels)
    yield "SENSOR", list(link.telemetry)
    yield "REQUEST", list(link.requests)
    yield "CONTROL", list(link.controls)
