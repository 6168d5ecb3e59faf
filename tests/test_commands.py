"""The commands as a user types them: what they print, their exit codes, and never a traceback."""

import io
import json
import os
import pty
import subprocess
import sys
from collections import Counter
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from links import TUG, WIRED_TEXT, write
from rich.console import Console
from typed import nuvrik_command

import nuvrik
from nuvrik.cli.words import Page, table
from nuvrik.plan.starters import starter_text
from nuvrik.wire.frames import Encoder

pytestmark = pytest.mark.slow

COMMANDS = (
    *("demo", "new", "check", "encode", "inspect", "calibrate"),
    *("rehearse", "drive", "machine", "jog", "hello", "budget", "infrared"),
)
EXAMPLES = sorted((Path(__file__).parents[1] / "examples").glob("*.py"))


@pytest.fixture
def tug(tmp_path: Path) -> Path:
    return write(tmp_path, "tug.toml", starter_text("tug"))


@pytest.fixture
def wired(tmp_path: Path) -> Path:
    return write(tmp_path, "wired.toml", WIRED_TEXT)


def test_help_names_every_command() -> None:
    said = nuvrik_command("--help")
    for command in COMMANDS:
        assert command in said and "--help" in nuvrik_command(command, "-h")
    assert "..." not in said.split("Commands:")[1], "every line of it is whole"
    assert nuvrik_command("--version").split() == ["nuvrik", nuvrik.__version__]


WORD = st.text("abcdefgh_0", min_size=1, max_size=12)
CELL = st.lists(WORD, min_size=1, max_size=5).map(" ".join)


@pytest.mark.parametrize("width", [80, 100, 200])
@given(rows=st.integers(2, 5).flatmap(lambda n: st.lists(st.lists(CELL, min_size=n, max_size=n), min_size=2)))
def test_no_word_of_a_table_is_cut_where_all_of_them_fit(width: int, rows: list[list[str]]) -> None:
    """The names in it are to be typed in the next command."""
    page = Page()
    page.console = Console(width=width, file=io.StringIO(), markup=False)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("nuvrik.cli.words.console", lambda: page)
        page.print(table("", [">" + rows[0][0], *rows[0][1:]], rows[1:]))
    lines = page.console.file.getvalue().splitlines()
    assert all(len(line) <= width for line in lines)
    assert Counter(" ".join(lines).replace("─", "").split()) == Counter(
        word for row in rows for cell in row for word in cell.split()
    )


def test_new_then_check(tmp_path: Path) -> None:
    assert "pair number" in nuvrik_command("new", tmp_path / "mine.toml", "--like", "tug")
    said = nuvrik_command("check", tmp_path / "mine.toml")
    for words in ("layout tag", "port_screw", "throttle", "it is at rest within", "Nothing wrong with it"):
        assert words in said
    assert "is there already" in nuvrik_command("new", tmp_path / "mine.toml", code=2)
    assert 'did you mean "tug"' in nuvrik_command("new", tmp_path / "other.toml", "--like", "tugg", code=2)


def test_check_as_json(tug: Path, tmp_path: Path) -> None:
    good = json.loads(nuvrik_command("check", tug, "--json"))
    assert good["ok"] and good["layout"]["bytes"] == 9 and good["layout"]["tag"] == f"{Encoder(TUG).tag:04X}"
    assert good["layout"]["channels"][1] == {"name": "turn", "kind": "level", "bits": 11, "offset": 11}
    bad = write(tmp_path, "bad.toml", starter_text("tug").replace("rate_hz", "rate_hertz"))
    answer = json.loads(nuvrik_command("check", bad, "--json", code=1))
    assert not answer["ok"] and {problem["where"] for problem in answer["problems"]} == {
        "link.rate_hz",
        "link.rate_hertz",
    }
    assert set(answer["problems"][0]) == {"level", "where", "what", "do"}
    assert 'did you mean "rate_hz"?' in nuvrik_command("check", bad, code=1)


def test_files_that_cannot_be_used(tmp_path: Path, tug: Path) -> None:
    empty, binary, big = (tmp_path / name for name in ("empty.toml", "binary.toml", "big.toml"))
    empty.write_bytes(b"")
    binary.write_bytes(os.urandom(4000) + b"\xff\xfe")
    big.write_bytes(b"# so big\n" * 1_200_000)
    assert "is empty" in nuvrik_command("check", empty, code=1)
    assert "is not text" in nuvrik_command("check", binary, code=2)
    assert "larger than 1 MB" in nuvrik_command("check", big, code=2)
    assert "cannot be read" in nuvrik_command("check", tmp_path / "none.toml", code=2)
    for words in (["encode"], ["inspect", "--hex", "00"], ["rehearse"], ["machine", "--port", "loop://"]):
        assert "is empty" in nuvrik_command(words[0], empty, *words[1:], code=2)
    bad = write(tmp_path, "rec.csv", "t_ms,left_stick\n0,1\n")
    for words in (["rehearse", tug], ["drive", tug, "--port", "loop://"]):
        assert 'no column for the control "right_stick"' in nuvrik_command(*words, "--from", bad, code=2)
    assert "is not text" in nuvrik_command("rehearse", tug, "--from", binary, code=2)
    assert "no such file" in nuvrik_command("rehearse", tug, "--from", tmp_path / "no.csv", code=2)


def test_encode_and_inspect_undo_each_other(tug: Path, wired: Path, tmp_path: Path) -> None:
    for link_file in (tug, wired):
        hex_text = nuvrik_command(
            "encode", link_file, "throttle=-0.35", "arm=1", "turn=none", "--seq", 7
        ).strip()
        record = json.loads(
            nuvrik_command("encode", link_file, "throttle=-.35", "arm=1", "turn=none", "--seq", 7, "--json")
        )
        assert record == {"hex": hex_text, "seq": 7, "bytes": len(hex_text) // 2}
        event = json.loads(nuvrik_command("inspect", link_file, "--hex", hex_text, "--json"))
        assert (event["event"], event["kind"], event["seq"], event["reason"]) == ("frame", "command", 7, None)
        assert event["channels"]["throttle"] == pytest.approx(-0.35, abs=0.001)
        assert event["channels"] | {"throttle": 0} == {"throttle": 0, "turn": None, "arm": 1}
    for wrong in (
        "throttle=1.5",
        "throttle=nan",
        "throttle",
        "arm=2",
        "arm=none",
        "trottle=0",
        "throttle=",
        "arm=1e3",
    ):
        assert "nuvrik: " in nuvrik_command("encode", tug, wrong, code=2)
    nuvrik_command("encode", tug, "--seq", 300, code=2)


def test_inspect_reads_every_form_of_capture(wired: Path, tug: Path, tmp_path: Path) -> None:
    encoder = Encoder(TUG)
    bodies = [encoder.command([100 * i, None, 1], i) for i in range(5)]
    hexed = write(tmp_path, "hex.txt", "".join(body.hex(" ") + "\n" for body in bodies))
    timed = write(
        tmp_path, "timed.csv", "t_ms,hex\n" + "".join(f"{20.5 * i},{b.hex()}\n" for i, b in enumerate(bodies))
    )
    raw = tmp_path / "raw.bin"
    raw.write_bytes(b"".join(Encoder(TUG, stream=True).on_wire(body) for body in bodies))
    for capture in (hexed, timed, raw):
        events = [json.loads(line) for line in nuvrik_command("inspect", tug, capture, "--json").splitlines()]
        assert [event["seq"] for event in events] == list(range(5)), capture
    assert [
        event["at"] for event in map(json.loads, nuvrik_command("inspect", tug, timed, "--json").splitlines())
    ][1] == 20.5
    assert "5 frames, 0 refused" in nuvrik_command("inspect", tug, "-", given=raw.read_bytes())
    said = nuvrik_command("inspect", wired, "--hex", "00 01 02 03 00 0102 00", code=1)
    assert "0 frames" in said and "stuffing" in said
    for words in ([], [raw, "--hex", "00"], ["--hex", "0g"], [tmp_path / "none.bin"]):
        nuvrik_command("inspect", tug, *words, code=2)
    assert "line 2" in nuvrik_command("inspect", tug, write(tmp_path, "t.csv", "t_ms,hex\nnow,00\n"), code=2)
    noise = tmp_path / "noise.bin"
    noise.write_bytes(b"\xff\x00" + os.urandom(300_000))
    nuvrik_command("inspect", tug, noise, code=1)


def test_rehearse_says_pass_and_fail(tug: Path, tmp_path: Path) -> None:
    said = nuvrik_command("rehearse", tug, "--runs", 2, "--loss", 0.05)
    assert "cable_pulled" in said and "handset_reset" in said and "pass" in said
    lines = nuvrik_command(
        "rehearse", tug, "--fault", "cable_pulled", "--seed", 7, "--runs", 2, "--json"
    ).splitlines()
    records = [json.loads(line) for line in lines]
    assert [(record["fault"], record["seed"], record["verdict"]) for record in records] == [
        ("cable_pulled", 7, "pass"),
        ("cable_pulled", 8, "pass"),
    ]
    assert all(record["stop_ms"] <= record["bound_ms"] for record in records)
    still = write(
        tmp_path, "still.csv", "t_ms,left_stick,right_stick,arm_button\n0,508,515,0\n4000,508,515,0\n"
    )
    assert "no motor was turning" in nuvrik_command("rehearse", tug, "--from", still, "--runs", 1, code=1)
    assert 'did you mean "cable_pulled"' in nuvrik_command("rehearse", tug, "--fault", "cable_puled", code=2)
    assert "loss" in nuvrik_command("rehearse", tug, "--loss", 7, code=2)


def test_the_demo_tells_its_story_and_shows_the_effect_of_a_change(tmp_path: Path) -> None:
    said = nuvrik_command("demo", cwd=tmp_path)
    for words in (
        "ARMED -> FAILSAFE: no drive frame for 400 ms",
        "left_stick is not at rest",
        "FAILSAFE -> ARMED",
        "675.4",
    ):
        assert words in said
    folder = tmp_path / "marram-demo"
    assert {file.name for file in folder.iterdir()} == {
        "tug.toml",
        "link.schema.json",
        "harbour.csv",
        "sweep.csv",
        "screw.csv",
        "session.png",
        "frame.png",
    }
    assert all((folder / name).read_bytes().startswith(b"\x89PNG") for name in ("session.png", "frame.png"))
    changed = (folder / "tug.toml").read_text().replace("timeout_ms = 400", "timeout_ms = 1000")
    (folder / "tug.toml").write_text(changed)
    assert "ARMED -> FAILSAFE: no drive frame for 1000 ms" in nuvrik_command("demo", cwd=tmp_path)


def test_output_that_nobody_reads_to_the_end(tug: Path, tmp_path: Path) -> None:
    raw = tmp_path / "raw.bin"
    raw.write_bytes(Encoder(TUG, stream=True).on_wire(Encoder(TUG).command([0, 0, 0], 1)) * 20_000)
    command = f"{sys.executable} -m nuvrik inspect {tug} {raw} | head -n 2"
    done = subprocess.run(["bash", "-c", command], check=False, capture_output=True, text=True, timeout=60)
    assert len(done.stdout.splitlines()) == 2 and done.stderr == ""


def test_in_a_terminal_there_is_a_progress_bar_and_a_status_line(tug: Path, tmp_path: Path) -> None:
    """On a real pseudo-terminal, where people sit; in a pipe there is neither."""

    def on_a_terminal(*words: object) -> str:
        master, slave = pty.openpty()
        process = subprocess.Popen(
            [sys.executable, "-m", "nuvrik", *map(str, words)],
            stderr=slave,
            stdout=subprocess.DEVNULL,
            env=os.environ | {"TERM": "xterm"},
        )
        os.close(slave)
        said = b""
        while True:
            try:
                data = os.read(master, 4096)
            except OSError:
                break
            said += data
        os.close(master)
        assert process.wait(timeout=60) == 0
        return said.decode()

    assert "rehearsing" in on_a_terminal("rehearse", tug, "--fault", "jam", "--runs", 8)
    recording = write(
        tmp_path, "r.csv", "t_ms,left_stick,right_stick,arm_button\n0,508,515,0\n600,508,515,0\n"
    )
    assert "all at rest" in on_a_terminal("drive", tug, "--port", "loop://", "--from", recording)


@pytest.mark.parametrize("script", EXAMPLES, ids=lambda script: script.stem)
def test_the_examples_run_as_they_stand(script: Path, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, script], check=False, capture_output=True, text=True, cwd=tmp_path, timeout=120
    )
    assert done.returncode == 0 and done.stderr == ""
    expected = {
        "both_ends": "FAILSAFE  port_screw   +0",
        "explain_bytes": "wrong_layout",
        "choose_a_timeout": "able to drive",
        "drive_a_panel": "130 steps",
    }
    assert expected[script.stem] in done.stdout
