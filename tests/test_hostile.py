"""Files that are none, terminals that show nothing, disks that are full: said, and never in a traceback."""

import json
import os
import pty
import random
import stat
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from links import TUG, write
from typer.testing import CliRunner

import nuvrik
from nuvrik.cli import app
from nuvrik.openfile import open_text
from nuvrik.plan.edit import edited
from nuvrik.plan.starters import starter_text
from nuvrik.ports.files import write_file
from nuvrik.ports.link_file import write_into
from nuvrik.printable import printable
from nuvrik.recordings.pilot import practice
from nuvrik.recordings.recording import RecordingError, parse_recording
from nuvrik.recordings.table import csv_rows

pytestmark = pytest.mark.slow

GOOD = {
    "link": starter_text("tug"),
    "recording": "".join(line + "\n" for line in practice(TUG, 1, 3000).csv_lines()),
    "capture": nuvrik.Encoder(TUG).command([0, 0, 0], 1).hex() + "\n",
    "timings": "9000 -4500 560 -560 560\n",
}

COMMANDS = [
    ("check", "link"),
    ("check", "link", "--json"),
    ("encode", "link", "throttle=0.5", "--json"),
    ("inspect", "link", "capture", "--json"),
    ("inspect", "link", "capture", "--summary"),
    ("calibrate", "link", "recording", "--json"),
    ("calibrate", "link", "recording", "--output", "port_screw"),
    ("rehearse", "link", "--fault", "jam", "--runs", "1", "--from", "recording", "--json"),
    ("drive", "link", "--port", "sim", "--from", "recording"),
    ("machine", "link", "--port", "loop://", "--for-s", "0.05"),
    ("budget", "link", "--from", "capture", "--json"),
    ("infrared", "read", "timings", "--json"),
    ("infrared", "learn", "timings", "--write", "link"),
    ("hello", "link", "--port", "sim", "--json"),
]


def _noise(file: Path) -> None:
    file.write_bytes(random.Random(1).randbytes(10_000_000))


def _utf_16(file: Path) -> None:
    file.write_bytes(file.read_text().encode("utf-16"))


def _semicolons(file: Path) -> None:
    file.write_text(file.read_text().replace(",", ";").replace(".", ","))


def _no_rights(file: Path) -> None:
    file.chmod(0)


def _again(make: Callable[[Path], object]) -> Callable[[Path], None]:
    def other(file: Path) -> None:
        file.unlink()
        make(file)

    return other


SPOILED: dict[str, Callable[[Path], None]] = {
    "nothing": Path.unlink,
    "a directory": _again(Path.mkdir),
    "a pipe that nobody writes into": _again(os.mkfifo),
    "a file without rights": _no_rights,
    "a link to nowhere": _again(lambda file: file.symlink_to("nowhere")),
    "a link to itself": _again(lambda file: file.symlink_to(file.name)),
    "10 MB of noise": _noise,
    "an empty file": lambda file: file.write_text(""),
    "UTF-16": _utf_16,
    "semicolons and decimal commas": _semicolons,
}


@pytest.mark.parametrize("how", SPOILED)
def test_every_command_says_what_is_wrong_with_every_file(tmp_path: Path, how: str) -> None:
    for number, words in enumerate(COMMANDS):
        for spoiled in [word for word in words if word in GOOD]:
            folder = tmp_path / f"{number} {spoiled} é"
            folder.mkdir()
            files = {name: write(folder, name, text) for name, text in GOOD.items()}
            SPOILED[how](files[spoiled])
            done = CliRunner().invoke(app, [str(files.get(word, word)) for word in words], prog_name="nuvrik")
            said, about = done.stdout + done.stderr, (words, spoiled, how, done.stdout + done.stderr)
            assert done.exception is None or isinstance(done.exception, SystemExit), about
            assert done.exit_code in (0, 1, 2), about
            assert "Traceback" not in said and "internal error" not in said, about
            if how in ("nothing", "a directory", "a link to nowhere", "10 MB of noise"):
                assert done.exit_code != 0, about
            if "--json" in words:
                for line in done.stdout.splitlines():
                    assert isinstance(json.loads(line), dict), about


def test_tables_of_spreadsheets_are_read(tmp_path: Path) -> None:
    rows = [["t_ms", "duty", "speed"], ["0", "1.5", "-2"]]
    for separator, point, encoding in ((",", ".", "utf-8-sig"), (";", ",", "utf-8"), ("\t", ",", "utf-16")):
        text = "\r\n".join(separator.join(cell.replace(".", point) for cell in row) for row in rows)
        file = tmp_path / "log.csv"
        file.write_bytes(text.encode(encoding))
        with open_text(file) as lines:
            assert [cells for _, cells in csv_rows(iter(lines))] == rows
    swept = GOOD["recording"].replace(",", ";")
    assert parse_recording(swept.splitlines(keepends=True), TUG).times_ms[:2] == [0, 20]


@pytest.mark.parametrize("cell", ["5_0_8", "٥٠٨", "1" * 21, "508.0", "0x10", "५"])
def test_readings_are_plain_whole_numbers(cell: str) -> None:
    head = "t_ms,left_stick,right_stick,arm_button\n"
    with pytest.raises(RecordingError, match="line 2: left_stick is"):
        parse_recording([head, f"0,{cell},515,0\n"], TUG)
    with pytest.raises(RecordingError, match="line 2: t_ms is"):
        parse_recording([head, "999999999,508,515,0\n"], TUG)


def test_what_a_terminal_would_obey_is_shown_escaped(tmp_path: Path) -> None:
    assert printable("a\x1b[2Jb\u202ec\u200bd\ne\x9b") == "a\\x1b[2Jb\\u202ec\\u200bd\\ne\\x9b"
    assert printable("plain, größer 語") == "plain, größer 語"
    text = starter_text("tug").replace('name = "marram"', 'name = "x[/bold]$\\\\frac{$"')
    link_file = write(tmp_path, "tug.toml", text)
    for words in (["check", link_file], ["rehearse", link_file, "--fault", "jam", "--runs", "1"]):
        done = CliRunner().invoke(app, list(map(str, words)), prog_name="nuvrik")
        assert done.exit_code == 0 and "x[/bold]$\\frac{$" in done.stdout
    sheet = tmp_path / "sheet.png"
    assert CliRunner().invoke(app, ["check", str(link_file), "--sheet", str(sheet)]).exit_code == 0
    assert sheet.stat().st_size > 10_000
    evil = write(tmp_path, "evil.csv", "t_ms,\x1b]0;mine\x07\n0,1\n")
    done = CliRunner().invoke(app, ["drive", str(link_file), "--port", "sim", "--from", str(evil)])
    assert done.exit_code == 2 and "\x1b" not in done.stderr and "\\x1b]0;mine\\x07" in done.stderr


def nuvrik_process(*words: object, **more: object) -> subprocess.CompletedProcess:
    captured = "stdout" not in more
    command = [sys.executable, "-m", "nuvrik", *map(str, words)]
    return subprocess.run(command, check=False, capture_output=captured, timeout=60, **more)


def test_full_disks_closed_outputs_and_small_terminals(tmp_path: Path) -> None:
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    with Path("/dev/full").open("w") as full:
        for words in (["--help"], ["check", link_file], ["check", link_file, "--json"]):
            done = nuvrik_process(*words, stdout=full, stderr=subprocess.PIPE)
            assert (
                done.returncode == 2 and b"no space left" in done.stderr and b"Traceback" not in done.stderr
            )
    shell = f"'{sys.executable}' -m nuvrik check '{link_file}' >&-"
    done = subprocess.run(["sh", "-c", shell], check=False, capture_output=True, timeout=60)
    assert done.returncode == 2 and b"output is closed" in done.stderr and b"Traceback" not in done.stderr
    named = write(tmp_path, "größe.toml", starter_text("tug"))
    plain = os.environ | {"LC_ALL": "C", "PYTHONIOENCODING": "ascii", "PYTHONUTF8": "0"}
    done = nuvrik_process("check", named, env=plain)
    assert done.returncode == 0 and done.stdout.isascii() and b"gr\\" in done.stdout
    master, slave = pty.openpty()
    with subprocess.Popen(
        [sys.executable, "-m", "nuvrik", "check", link_file], stdout=slave, env=os.environ | {"COLUMNS": "40"}
    ) as process:
        os.close(slave)
        shown = b""
        while True:
            try:
                shown += os.read(master, 4096)
            except OSError:
                break
    os.close(master)
    assert process.returncode == 0 and b"port_screw" in shown and b"Traceback" not in shown


def test_files_are_written_whole_through_links_and_as_whose_they_were(tmp_path: Path) -> None:
    real, linked = write(tmp_path, "real.toml", starter_text("tug")), tmp_path / "linked.toml"
    real.chmod(0o640)
    linked.symlink_to(real)
    if os.geteuid() == 0:
        os.chown(real, 12345, 23456)
    before = real.stat()
    write_into(linked, {("outputs", "port_screw", "ramp_ms"): 300})
    after = real.stat()
    assert linked.is_symlink() and "ramp_ms = 300" in real.read_text()
    assert (after.st_uid, after.st_gid, after.st_mode) == (before.st_uid, before.st_gid, before.st_mode)
    with pytest.raises(FileExistsError):
        write_file(real, "x", new=True)
    write_file(tmp_path / "fresh", "x", new=True)
    assert stat.S_IMODE((tmp_path / "fresh").stat().st_mode) & 0o077 == 0o044
    assert sorted(p.name for p in tmp_path.iterdir()) == ["fresh", "linked.toml", "real.toml"]


def test_a_full_disk_leaves_what_was_there(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = write(tmp_path, "old.png", "the old picture")

    def full(descriptor: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OSError, match="No space"):
        write_file(file, b"new")
    assert file.read_text() == "the old picture" and len(list(tmp_path.iterdir())) == 1
    link_file = tmp_path / "mine.toml"
    done = CliRunner().invoke(app, ["new", str(link_file), "--like", "tug"], prog_name="nuvrik")
    assert done.exit_code == 2 and "no space left" in done.stderr and not link_file.exists()


def test_comments_inside_lists_and_dotted_keys_survive_an_edit() -> None:
    text = "[c.s]\nraw = [\n  0, # low\n  508, # rest\n  1023, # high\n] # all\n"
    assert edited(text, {("c", "s", "raw"): [1, 2, 3]}) == text.replace("0,", "1,", 1).replace(
        "508", "2"
    ).replace("1023", "3")
    dotted = "outputs.port.reverse = false # so far\noutputs.port.kind = 'motor'\n"
    assert edited(dotted, {("outputs", "port", "reverse"): True}) == dotted.replace("false", "true")
    assert "outputs.port.limit = 0.5" in edited(dotted, {("outputs", "port", "limit"): 0.5})


def test_sequence_numbers_and_values_that_cannot_be(tmp_path: Path) -> None:
    encoder = nuvrik.Encoder(TUG)
    for seq in (256, -1):
        with pytest.raises(ValueError, match="must be from 0 to 255"):
            encoder.command([0, 0, 0], seq)
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    timed = write(tmp_path, "timed.csv", "t_ms,hex\nnan,00\n")
    long = write(tmp_path, "long.csv", "t_ms,hex\n0," + "00" * 100_000 + "\n")
    for file in (timed, long):
        done = CliRunner().invoke(app, ["inspect", str(link_file), str(file), "--json"], prog_name="nuvrik")
        assert done.exit_code == 2 and "line 2" in done.stderr, done.output
    for value in ("inf", "nan"):
        words = ["clock", "--hz", "16000000", "--pwm", value]
        done = CliRunner().invoke(app, words, prog_name="nuvrik")
        assert done.exit_code == 2 and "--pwm" in done.stderr


# ---- what is read, and what is not ours ------------------------------------------------------

WRITES_OVER = [
    ("export tug.toml --vectors tug.toml", "tug.toml"),
    ("record tug.toml --from hand.csv --out hand.csv", "hand.csv"),
    ("drive tug.toml --port sim --at-once --from hand.csv --log hand.csv", "hand.csv"),
    ("drive tug.toml --port sim --at-once --from hand.csv --log tug.toml", "tug.toml"),
    ("budget tug.toml --figure tug.toml", "tug.toml"),
    ("rehearse tug.toml --fault jam --runs 1 --report tug.toml", "tug.toml"),
    ("machine tug.toml --port sim --code own.py --log own.py", "own.py"),
]


@pytest.mark.parametrize(("line", "kept"), WRITES_OVER, ids=[line for line, _ in WRITES_OVER])
def test_no_command_writes_over_what_it_reads(
    line: str, kept: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also through another name of the same file."""
    monkeypatch.chdir(tmp_path)
    tug = nuvrik.parse(starter_text("tug"))
    files = {"tug.toml": starter_text("tug"), "own.py": "SENSORS = {}\nOUTPUTS = {'port_screw': print}\n"}
    files["hand.csv"] = "".join(line + "\n" for line in practice(tug, 1, 1500).csv_lines())
    for name, text in files.items():
        (tmp_path / name).write_text(text, "utf-8")
    (tmp_path / "same").symlink_to(kept)
    for words in (line.split(), [*line.rpartition(kept)[0].split(), "same"]):
        done = subprocess.run(
            [sys.executable, "-m", "nuvrik", *words], capture_output=True, text=True, check=False, timeout=60
        )
        assert done.returncode != 0 and "Traceback" not in done.stderr, done.stderr
        assert kept in done.stderr or "same" in done.stderr
        assert {name: (tmp_path / name).read_text("utf-8") for name in files} == files


@pytest.mark.parametrize("name", ["../precious.txt", "main.c", "/etc/hostname", "sub/../../precious.txt", ""])
def test_a_foreign_manifest_touches_nothing_that_is_not_ours(name: str, tmp_path: Path) -> None:
    file, folder = write(tmp_path, "tug.toml", starter_text("tug")), tmp_path / "firmware"
    export = ["export", str(file), "--board", "blank", "--out", str(folder)]
    assert CliRunner().invoke(app, export).exit_code == 0
    (tmp_path / "precious.txt").write_text("precious")
    (folder / "main.c").write_text("mine")
    manifest = json.loads((folder / "export.json").read_text())
    manifest["sums"][name] = "0" * 64
    (folder / "export.json").write_text(json.dumps(manifest))
    done = CliRunner().invoke(app, export)
    assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
    assert (tmp_path / "precious.txt").read_text() == "precious" and (folder / "main.c").read_text() == "mine"
