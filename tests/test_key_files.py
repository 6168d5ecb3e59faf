"""Keys in files: what is refused, and with which words; links that may have one, and what they say of it."""

import os
from pathlib import Path

import pytest
from links_with_key import EXAMPLE_KEY, text_with_key
from typed import nuvrik_command

import nuvrik
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.keys import Key, write_key
from nuvrik.plan.starters import starter_names, starter_text

POSIX = pytest.mark.skipif(os.name != "posix", reason="modes and links are of POSIX systems")


def written(folder: Path, data: bytes | None, mode: int = 0o600) -> Path:
    """A link file whose key file holds that; None: there is none."""
    link = folder / "boat.toml"
    link.write_text(text_with_key(starter_text("marram"), "boat.key"), encoding="utf-8")
    key = folder / "boat.key"
    if data is not None:
        key.write_bytes(data)
        key.chmod(mode)
    return link


GOOD = EXAMPLE_KEY.hex().encode() + b"\n"

REFUSED = {
    "missing": (None, "cannot be read: no such file"),
    "empty": (b"", "has 0 characters -> a key is 32 hex digits"),
    "short": (b"00112233\n", "has 8 characters -> a key is 32 hex digits"),
    "long": (GOOD.strip() + b"00\n", "has 34 characters"),
    "two lines": (GOOD + GOOD, "has 65 characters"),
    "other characters": (b"zz" * 16 + b"\n", "other characters than hex digits"),
    "spaces": (b"00 " * 10 + b"00", "other characters than hex digits"),
    "all zero": (b"0" * 32 + b"\n", "is all zero, which anybody would try first"),
    "byte order mark": (b"\xef\xbb\xbf" + GOOD, "begins with a byte order mark"),
    "UTF-16": (GOOD.decode().encode("utf-16"), "begins with a byte order mark"),
}


@pytest.mark.parametrize("case", REFUSED)
def test_a_key_file_that_cannot_be_used_is_refused_in_words(case: str, tmp_path: Path) -> None:
    data, words = REFUSED[case]
    said = " ".join(nuvrik_command("check", str(written(tmp_path, data)), code=1).split())
    assert "frame.key_file" in said and words in said
    assert "Traceback" not in said and GOOD.decode().strip() not in said


@POSIX
@pytest.mark.parametrize("mode", [0o640, 0o604, 0o660, 0o666])
def test_a_key_that_others_can_read_is_no_key(mode: int, tmp_path: Path) -> None:
    with pytest.raises(nuvrik.LinkFileError, match="can be read by others"):
        nuvrik.load(written(tmp_path, GOOD, mode))


@POSIX
def test_a_link_to_a_key_is_no_key(tmp_path: Path) -> None:
    link = written(tmp_path, None)
    (tmp_path / "real.key").write_bytes(GOOD)
    (tmp_path / "real.key").chmod(0o600)
    (tmp_path / "boat.key").symlink_to(tmp_path / "real.key")
    with pytest.raises(nuvrik.LinkFileError, match="is a link to another file"):
        nuvrik.load(link)
    (tmp_path / "boat.key").unlink()
    (tmp_path / "boat.key").mkdir()
    with pytest.raises(nuvrik.LinkFileError, match="is no file"):
        nuvrik.load(link)


def test_a_key_is_in_nothing_that_is_shown(tmp_path: Path) -> None:
    path = written(tmp_path, GOOD)
    link = nuvrik.load(path)
    shown = repr(link) + str(link) + link.model_dump_json() + repr(link.key)
    secret = EXAMPLE_KEY.hex()
    assert secret not in shown and repr(EXAMPLE_KEY) not in shown
    for words in (["check"], ["check", "--json"], ["budget"], ["budget", "--json"]):
        assert secret not in nuvrik_command(words[0], str(path), *words[1:])


def test_two_machines_have_two_keys(tmp_path: Path) -> None:
    path = written(tmp_path, GOOD)
    other = tmp_path / "other"
    other.mkdir()
    (other / "boat.toml").write_text(path.read_text().replace("pair = ", "pair = 1"), encoding="utf-8")
    write_key(other / "boat.key", Key(EXAMPLE_KEY))
    said = nuvrik_command("check", str(path), str(other / "boat.toml"), code=1)
    assert "whoever has one of the machines can drive the other" in " ".join(said.split())
    (other / "boat.key").unlink()
    write_key(other / "boat.key", Key(EXAMPLE_KEY[::-1]))
    assert "the key of" not in nuvrik_command("check", str(path), str(other / "boat.toml"), code=None)


@pytest.mark.parametrize("name", starter_names())
def test_a_starter_with_a_key_passes_check_or_says_why_it_has_none(name: str, tmp_path: Path) -> None:
    plain = nuvrik.parse(starter_text(name))
    cannot = not plain.frame.sealed or isinstance(plain.medium, InfraredMedium)
    words = ("new", str(tmp_path / "own.toml"), "--like", name, "--with-key")
    said = nuvrik_command(*words, code=2 if cannot else 0)
    left = sorted(one.name for one in tmp_path.iterdir())
    if cannot:
        assert "have no room for a tag" in said and not left
        return
    assert left == ["link.schema.json", "own.key", "own.toml"]
    if os.name == "posix":
        assert (tmp_path / "own.key").stat().st_mode & 0o777 == 0o600
    assert nuvrik.load(tmp_path / "own.toml").authenticated
    assert "is there already" in nuvrik_command(*words, code=2)


def test_what_a_link_with_a_key_needs_is_said(tmp_path: Path) -> None:
    text = written(tmp_path, GOOD).read_text()
    changes = {
        "failsafe.delay_guard_ms: is missing": text.replace("delay_guard_ms = 700\n", ""),
        "failsafe.timeout_ms": text.replace("timeout_ms = 400", "timeout_ms = 2500"),
        "failsafe.stop_without_key": text.replace('key_file = "boat.key"\n', "").replace(
            "[failsafe]\n", "[failsafe]\nstop_without_key = true\n"
        ),
        "the answer to a search takes 31": text.replace("payload_max = 32", "payload_max = 30"),
    }
    for words, changed in changes.items():
        assert changed != text, words
        (tmp_path / "boat.toml").write_text(changed, encoding="utf-8")
        with pytest.raises(nuvrik.LinkFileError, match=words):
            nuvrik.load(tmp_path / "boat.toml")
