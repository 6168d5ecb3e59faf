"""Where readings come from, live: lines of other programs, pads, boards, recordings; and several at once."""

import contextlib
import json
import os
import pty
import subprocess
import sys
import time
import tty
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from links import TUG, starter_text, write
from terminals import cable, rows_of, start, wait_for

import nuvrik
from nuvrik.ports.sources.hands import Hands
from nuvrik.ports.sources.layouts import ELEVEN, THIRTEEN, from_sdl
from nuvrik.ports.sources.lines import LONGEST_LINE, LineReader, Lines
from nuvrik.ports.sources.pads import Pads
from nuvrik.ports.sources.source import SourceError
from nuvrik.recordings.recording import parse_recording

HERE = Path(__file__).parent
ON_PADS = starter_text("tug").replace("[controls.left_stick]", '[controls.left_stick]\nsource = "pad.left_y"')
for _name, _item in (("right_stick", "right_x"), ("arm_button", "south"), ("stop_button", "east")):
    ON_PADS = ON_PADS.replace(f"[controls.{_name}]", f'[controls.{_name}]\nsource = "pad.{_item}"')
ON_PADS = ON_PADS.replace("[0, 508, 1023]", "[-32768, 0, 32767]").replace(
    "[1021, 515, 4]", "[-32768, 0, 32767]"
)


# ---- lines of text -------------------------------------------------------------------------

LINE = st.one_of(
    st.tuples(st.sampled_from(["left_stick", "a", "stop_button"]), st.integers(-65535, 65535) | st.none()),
    st.sampled_from(["", "# a remark", "left stick,3", "3,4", "a,1.5", "a,b,c,1", "a," + "9" * 12]),
)


@given(st.lists(LINE, max_size=30), st.data())
def test_lines_mean_the_same_however_they_are_cut(lines: list, data: st.DataObject) -> None:
    """And what makes no sense is passed over, and changes nothing about its neighbours."""
    made = [one if isinstance(one, str) else f"{one[0]},{'' if one[1] is None else one[1]}" for one in lines]
    wanted = [one for one in lines if not isinstance(one, str)]
    raw = "".join(line + data.draw(st.sampled_from(["\n", "\r\n"])) for line in made).encode()
    cuts = sorted(data.draw(st.lists(st.integers(0, len(raw)), max_size=5)))
    reader, got = LineReader(), []
    for begin, end in zip([0, *cuts], [*cuts, len(raw)], strict=True):
        got += reader.take(raw[begin:end])
    assert got == wanted
    assert reader.refused == sum(isinstance(one, str) and one[:1] not in ("", "#") for one in lines)


def test_whole_rows_are_read_after_a_header_and_times_in_them_are_passed_over() -> None:
    told: list[str] = []
    reader = LineReader(told.append)
    rows = b"t_ms,left_stick,right_stick\n0,5,\n20;6;7\n40,8\n"
    assert [*reader.take(rows)] == [
        ("left_stick", 5),
        ("right_stick", None),
        ("left_stick", 6),
        ("right_stick", 7),
    ]
    assert reader.refused == 1 and "has 2 cells where the header has 3" in told[0]
    assert [*reader.take(b"x" * (LONGEST_LINE + 1))] == [] and [*reader.take(b"yy\n60,1,2\n")] == [
        ("left_stick", 1),
        ("right_stick", 2),
    ]


def test_half_a_line_from_before_a_gap_is_no_part_of_what_comes_after() -> None:
    pieces = [b"left_stick,1"]
    lines = Lines("lines", lambda: pieces.pop(0) if pieces else b"")
    assert lines.read(0, ()) == {}
    pieces += [b"000\nright_stick,1\nleft_st"]
    lines.skip()
    pieces += [b"ick,3\nleft_stick,9\n"]
    assert lines.read(5000, ()) == {"left_stick": 9}


# ---- several at once -----------------------------------------------------------------------


def recorded(text: str, name: str = "recording"):
    from nuvrik.ports.sources.recorded import Recorded

    return Recorded(name, parse_recording(text.splitlines(), TUG, whole=False))


def test_two_sources_for_one_control_are_refused_before_anything_moves() -> None:
    both = [recorded("t_ms,left_stick\n0,5\n100,5\n", name) for name in ("one", "other")]
    with pytest.raises(SourceError, match=r'one and other would both move left_stick.*source = "one.left_st'):
        Hands(TUG, both)
    with pytest.raises(SourceError, match="two sources are called one"):
        Hands(TUG, [both[0], both[0]])


def test_whoever_names_a_control_first_has_it_and_a_second_is_told_of() -> None:
    told: list[str] = []
    first, second = [b"left_stick,1\n"], [b"left_stick,2\nnobody,3\n"]
    hands = Hands(
        TUG,
        [
            Lines("first", lambda: first.pop() if first else b""),
            Lines("second", lambda: second.pop() if second else b""),
        ],
        told.append,
    )
    assert hands.missing == {"left_stick", "right_stick", "arm_button", "stop_button"}
    assert hands.read(0) == {"left_stick": 1} and "left_stick" not in hands.missing
    assert any("only what first says counts" in words for words in told)
    assert any('there is no control "nobody"' in words for words in told)


def test_a_stop_that_only_comes_later_counts_from_then_on() -> None:
    """A program may send the stop button or not. Before its first line it is not waited for; after it,
    silence is a pressed stop, as everywhere."""
    handset = nuvrik.Handset(TUG, without={"stop_button"})
    rest = {"left_stick": 508, "right_stick": 515, "arm_button": 0}
    handset.read(0, **rest)
    assert handset.send(0) and not handset.stopping
    handset.read(20, **rest, stop_button=0)
    handset.read(600, **rest)
    assert handset.stopping and "stop_button" in handset.why


# ---- gamepads ------------------------------------------------------------------------------


class FewPads:
    """The stand-in for SDL, with pads that a test sets."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
        self._file = tmp_path / "pads.json"
        monkeypatch.setenv("PADS_IN_FILE", str(self._file))
        monkeypatch.syspath_prepend(str(HERE / "pads_in_file"))
        for name in [name for name in sys.modules if name.partition(".")[0] == "pygame"]:
            monkeypatch.delitem(sys.modules, name)
        self.put()
        import pygame

        self.pads = Pads(pygame)

    def put(self, *pads: dict) -> None:
        put(self._file, *pads)


def put(file: Path, *pads: dict) -> None:
    """Plug in these and no others; whole, as a system tells it."""
    new = file.with_suffix(".new")
    new.write_text(json.dumps(pads))
    new.replace(file)


def pad(
    number: int, guid: str = "a", buttons: int = 11, pressed: tuple[int, ...] = (), **axes: float
) -> dict:
    """One pad as the stand-in has it."""
    layout = ELEVEN if buttons == 11 else THIRTEEN
    places = [axes.get(name, -1.0 if "trigger" in name else 0.0) for name in layout.axes]
    down = [int(place in pressed) for place in range(buttons)]
    return {"id": number, "guid": guid, "axes": places, "buttons": down, "hats": [[0, 0]]}


def test_pads_keep_their_places_whatever_is_unplugged(monkeypatch, tmp_path) -> None:
    """Somebody's pad falls asleep: nobody else's moves up, and his comes back to where it was."""
    few = FewPads(monkeypatch, tmp_path)
    few.put(pad(1, "a", left_y=-1.0), pad(2, "b", left_y=0.5), pad(3, "a", left_y=0.25))
    few.pads.look()
    read = lambda: [one.reading("left_y") for one in few.pads.places]  # noqa: E731
    assert read() == [-32768, 16384, 8192]
    few.put(pad(2, "b", left_y=0.5), pad(3, "a"))
    few.pads.look()
    assert read() == [None, 16384, 0]
    few.put(pad(2, "b"), pad(3, "a"), pad(4, "a", left_y=1.0))
    few.pads.look()
    assert read() == [32767, 0, 0] and len(few.pads.places) == 3


def test_the_two_common_orders_of_buttons_have_names_by_place(monkeypatch, tmp_path) -> None:
    few = FewPads(monkeypatch, tmp_path)
    few.put(pad(1, pressed=(2, 7)), pad(2, "b", buttons=13, pressed=(2, 9)))
    few.pads.look()
    eleven, thirteen = few.pads.places
    named = ("south", "east", "north", "west", "start", "select")
    assert [name for name in named if eleven.reading(name)] == ["west", "start"]
    assert [name for name in named if thirteen.reading(name)] == ["north", "start"]
    assert eleven.reading("right_trigger") == thirteen.reading("axis_5") == -32768
    assert eleven.reading("axis_9") is None and eleven.reading("nonsense") is None


def test_what_the_systems_own_table_says_of_a_pad_is_taken() -> None:
    names = from_sdl({"a": "b1", "lefty": "a1", "dpup": "h0.1", "righttrigger": "+a2", "platform": "x"})
    assert names == {
        "south": "button_1",
        "left_y": "axis_1",
        "dpad_up": "hat_0_y+",
        "dpad_x": "hat_0_x",
        "dpad_y": "hat_0_y",
    }


# ---- on the command line -------------------------------------------------------------------


def with_pads(tmp_path: Path) -> dict[str, str]:
    """The environment of a program that finds its pads in a file."""
    path = str(HERE / "pads_in_file")
    return os.environ | {"PYTHONPATH": path, "PADS_IN_FILE": str(tmp_path / "pads.json")}


def command(*words: object, **more) -> subprocess.Popen:
    return subprocess.Popen([sys.executable, "-m", "nuvrik", *map(str, words)], **more)


def until(what, seconds: float = 30.0) -> None:
    end = time.monotonic() + seconds
    while not what():
        assert time.monotonic() < end
        time.sleep(0.02)


@pytest.mark.live
def test_a_pad_that_falls_asleep_stops_the_motors_and_wakes_up_disarmed(tmp_path: Path) -> None:
    link_file = write(tmp_path, "tug.toml", ON_PADS)
    pads, log = tmp_path / "pads.json", tmp_path / "log.csv"
    put(pads, pad(1))
    with cable() as line:
        machine = start("machine", link_file, "--port", line.ports[1], "--log", log)
        until(log.exists)
        words = ("drive", link_file, "--port", line.ports[0], "--from", "pad", "--headless")
        drive = command(*words, env=with_pads(tmp_path))
        wait_for(log, lambda row: row["state"] == "STANDBY")
        put(pads, pad(1, pressed=(0,)))
        wait_for(log, lambda row: row["state"] == "ARMED")
        put(pads, pad(1, left_y=1.0))
        wait_for(log, lambda row: row["port_screw"] == "230")
        put(pads)
        at_rest = lambda row: row["state"] != "ARMED" and row["port_screw"] == "0"  # noqa: E731
        wait_for(log, lambda row: at_rest(row) and int(row["t_ms"]) > 1000)
        until(lambda: at_rest(rows_of(log)[-1]))
        # It wakes with its stick still over: nothing moves, and nothing arms by itself.
        put(pads, pad(5, left_y=1.0))
        time.sleep(1.0)
        assert at_rest(rows_of(log)[-1])
        drive.terminate()
        assert drive.wait(20) == 0
        machine.terminate()
        machine.wait(20)


@pytest.mark.live
def test_a_program_that_hangs_stops_the_motors_though_its_pipe_is_open(tmp_path: Path) -> None:
    """A spreadsheet stand-in writes rows, and then hangs: what it said last grows old."""
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    log = tmp_path / "hand.csv"
    words = ("drive", link_file, "--port", "sim", "--from", "-", "--headless", "--log", log)
    drive = command(*words, stdin=subprocess.PIPE, stderr=subprocess.PIPE)
    assert drive.stdin is not None
    until(log.exists)
    drive.stdin.write(b"left_stick,right_stick,arm_button\n")

    def rows(left: int, arm: int, seconds: float) -> None:
        for _ in range(round(seconds / 0.02)):
            drive.stdin.write(f"{left},515,{arm}\n".encode())
            drive.stdin.flush()
            time.sleep(0.02)

    rows(508, 0, 1.0)
    rows(508, 1, 0.2)
    rows(1023, 0, 1.0)
    driven = [row for row in rows_of(log) if row["channel.throttle"] == "1" and row["channel.arm"] == "1"]
    assert driven
    time.sleep(1.5)
    last = rows_of(log)[-1]
    assert last["left_stick"] == "" and last["channel.throttle"] == "", "its reading has grown old"
    drive.stdin.close()
    assert drive.wait(20) == 0
    # The log is a recording: played again it drives again.
    again = tmp_path / "again.csv"
    played = command(
        "drive", link_file, "--port", "sim", "--from", log, "--headless", "--log", again, "--at-once"
    )
    assert played.wait(60) == 0
    frames = lambda file: [row["sent.packets"] for row in rows_of(file) if row["channel.throttle"] == "1"]  # noqa: E731
    assert len(frames(again)) >= 0.9 * len(frames(log))


@pytest.mark.live
def test_a_board_that_is_asked_prints_its_sticks_and_drives(tmp_path: Path) -> None:
    """It is asked until it answers, and asked again when it has been away."""
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    log = tmp_path / "hand.csv"
    master, slave = pty.openpty()
    tty.setraw(slave)
    os.set_blocking(master, False)
    drive = command(
        "drive", link_file, "--port", "sim", "--from", f"grip=board:{os.ttyname(slave)}", "--headless",
        *("--log", log),
    )  # fmt: skip
    asked = bytearray()

    def heard() -> bytes:
        with contextlib.suppress(BlockingIOError):
            asked.extend(os.read(master, 64))
        return bytes(asked)

    until(lambda: b"r" in heard())
    os.write(master, b"t_ms,left_stick,right_stick,arm_button,stop_button\n")
    for number in range(100):
        os.write(master, f"{20 * number},{508},515,{int(20 < number < 30)},0\n".encode())
        time.sleep(0.02)
    assert any(row["channel.arm"] == "1" for row in rows_of(log))
    asked.clear()
    until(lambda: b"r" in heard())
    until(lambda: rows_of(log)[-1]["handset.why"] != "")
    drive.terminate()
    assert drive.wait(20) == 0 and heard().endswith(b".")
    os.close(master)
    os.close(slave)


@pytest.mark.live
def test_record_asks_which_stick_is_which_and_writes_it_down(tmp_path: Path) -> None:
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    pads = tmp_path / "pads.json"
    put(pads, pad(1))
    asking = command(
        "record", link_file, "--from", "pad", "--assign",
        env=with_pads(tmp_path) | {"PYTHONUNBUFFERED": "1"}, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert asking.stdout is not None
    moves = {
        "left_stick": pad(1, left_y=-1.0, left_x=0.2),
        "right_stick": pad(1, right_x=1.0, right_y=0.1),
        "arm_button": pad(1, pressed=(0,)),
        "stop_button": pad(1, pressed=(1,)),
    }
    for line in asking.stdout:
        name = line.partition(":")[0]
        if name in moves:
            time.sleep(0.3)
            put(pads, moves[name])
        elif line.startswith("  pad."):
            put(pads, pad(1))
    assert asking.wait(20) == 0
    link = nuvrik.load(link_file)
    assert {name: getattr(control, "source", None) for name, control in link.controls.items()} == {
        "left_stick": "pad.left_y",
        "right_stick": "pad.right_x",
        "arm_button": "pad.south",
        "stop_button": "pad.east",
    }
    # And what is recorded then can be calibrated.
    sweep = tmp_path / "sweep.csv"
    recording = command("record", link_file, "--from", "pad", "--out", sweep, env=with_pads(tmp_path))
    until(lambda: sweep.exists() and sweep.read_text().count("\n") > 5)
    for place in [*range(-10, 11), *[0] * 3]:
        put(pads, pad(1, left_y=place / 10, pressed=(0,) if place > 5 else ()))
        time.sleep(0.06)
    for place in [*range(10, -11, -1), *[0] * 30]:
        put(pads, pad(1, right_x=place / 10))
        time.sleep(0.06)
    recording.terminate()
    assert recording.wait(20) == 0
    found = subprocess.run(
        [sys.executable, "-m", "nuvrik", "calibrate", str(link_file), str(sweep), "--json"],
        capture_output=True,
        text=True,
        check=False,
    ).stdout
    by_name = {one["name"]: one for one in map(json.loads, found.splitlines())}
    low, rest, high = by_name["left_stick"]["raw"]
    assert low < -30_000 and rest == 0 and high > 30_000 and by_name["arm_button"]["presses"] == 1
