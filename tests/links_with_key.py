"""Links with a key, and ends that have one."""

import tempfile
from pathlib import Path

import nuvrik
from nuvrik.core.cmac import CipherTable
from nuvrik.core.frames.sender import AS_IT_IS, Sender, SenderTable
from nuvrik.core.session import HandsetSession, MachineSession, SessionTable
from nuvrik.plan.keys import Key, write_key
from nuvrik.plan.starters import starter_text
from nuvrik.plan.tables.session import substitutes

EXAMPLE_KEY = bytes(range(16))

TOLD = '\n[telemetry.leak]\nkind = "digital"\nevery_ms = 100\n'
"""So little comes back at least."""


def text_with_key(text: str, key_file: str = "own.key") -> str:
    """A link file with a key, and with all that it then needs."""
    text = text.replace("[frame]\n", f'[frame]\nkey_file = "{key_file}"\n', 1)
    if "[telemetry" not in text:
        text += TOLD
    if "delay_guard_ms" not in text:
        text = text.replace("[failsafe]\n", "[failsafe]\ndelay_guard_ms = 700\n", 1)
    return text


def authenticated(text: str) -> nuvrik.Link:
    """A link file with the example's key."""
    with tempfile.TemporaryDirectory() as name:
        write_key(Path(name) / "own.key", Key(EXAMPLE_KEY))
        return nuvrik.parse(text_with_key(text), str(Path(name) / "link.toml"))


def link_with_key(folder: Path, name: str, key: bytes = EXAMPLE_KEY, more: str = "") -> nuvrik.Link:
    """A starter with a key, written into a folder."""
    if not (folder / "own.key").exists():
        write_key(folder / "own.key", Key(key))
    path = folder / f"{name}.toml"
    path.write_text(text_with_key(starter_text(name)) + more, encoding="utf-8")
    return nuvrik.load(path)


def example_ends() -> tuple[HandsetSession, MachineSession, Sender]:
    """Both sides with the key of the documents' example, in core, and what they send with."""
    table = SessionTable(
        cipher=CipherTable(box=[*substitutes()]),
        authenticated=True,
        timeout_ms=500,
        guard_ms=500,
        recent=26,
        tag=0xBE4D,
        opens=True,
    )
    handset, machine = HandsetSession(table), MachineSession(table)
    for session in (handset, machine):
        session.tags.cmac.key[:] = EXAMPLE_KEY
        session.tags.cmac.set_key()
    how = SenderTable(pair=0x5A, tag=0xBE4D, way=AS_IT_IS, leads=False, authenticated=True, ending=[])
    return handset, machine, Sender(how)
