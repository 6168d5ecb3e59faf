"""Exports to MicroPython that go by the board's own WLAN, whole, in virtual time."""

from pathlib import Path

import pytest
from links import with_medium, write
from python_chips import BOOT_MS, exported, needs_micropython, powered, run
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import practice
from nuvrik.wire.events import Frame

pytestmark = [needs_micropython, pytest.mark.slow]

BY_WLAN = 'kind = "udp"\ndriver = "wlan"\n'
TUG_TEXT = with_medium(starter_text("tug"), BY_WLAN)
TUG = nuvrik.parse(TUG_TEXT)
MARRAM = nuvrik.parse(with_medium(starter_text("marram"), BY_WLAN + 'wlan = "other"'))
NAMED = {"link_wlan.py": 'NAME = "harbour"\nPASSWORD = "quay and crane"\n'}


def frames(link: nuvrik.Link, until_ms: int, seed: int = 3) -> list[tuple[float, str]]:
    """What a handset sends, as it comes."""
    handset, recording, sent = nuvrik.Handset(link), practice(link, seed, until_ms), []
    for t_ms in range(0, until_ms, 5):
        recording.play_into(handset, t_ms, t_ms)
        if data := handset.send(t_ms):
            sent.append((BOOT_MS + t_ms, f"air {data.hex()}"))
    return sent


def test_name_and_password_are_the_builders_own(tmp_path: Path) -> None:
    file, out = write(tmp_path, "tug.toml", TUG_TEXT), tmp_path / "out"
    words = ("--to", "micropython", "--board", "esp32c3", "--out", out)
    pins = TUG_TEXT
    for old, new in (
        (" 7,", " 0,"),
        (" 6,", " 1,"),
        ("= 8 }", "= 3 }"),
        ("= 9,", "= 18,"),
        ("= 10 }", "= 19 }"),
    ):
        pins = pins.replace(old, new)
    file.write_text(pins)
    nuvrik_command("export", file, *words)
    assert (out / "link_wlan.py").stat().st_mode & 0o777 == 0o600
    assert "link_wlan.py" in (out / ".gitignore").read_text()
    (out / "link_wlan.py").write_text(NAMED["link_wlan.py"])
    nuvrik_command("export", file, *words)
    assert (out / "link_wlan.py").read_text() == NAMED["link_wlan.py"]
    assert not any(
        "quay" in one.read_text() for one in out.rglob("*") if one.is_file() and one.name != "link_wlan.py"
    )


def test_without_a_password_it_does_not_start_and_says_why(tmp_path: Path) -> None:
    exported(TUG, tmp_path, packets=True)
    done = run(tmp_path, [], 500)
    assert "fewer than 8 characters" in done.said and "Traceback" not in done.said
    assert not any(row.value for row in done.rows if row.what in ("duty", "pin"))


def test_a_machine_follows_stops_when_the_wlan_goes_and_comes_back(tmp_path: Path) -> None:
    exported(TUG, tmp_path, packets=True, own=NAMED)
    sent = frames(TUG, 9000)
    alone = run(tmp_path, sent, 11_000)
    assert alone.code == 0, alone.said
    on = [t for t, is_on in powered(TUG, alone.rows) if is_on]
    assert on and any(row.what == "wlan" and row.value == 14 for row in alone.rows)
    # It goes while something turns; what was sent meanwhile comes in a bunch when it is there again.
    gone = on[0] + 100.0
    bunch = [(gone + 1500, said) for t, said in sent if gone <= t < gone + 1500]
    kept = [(t, said) for t, said in sent if not gone <= t < gone + 1500]
    lost = run(tmp_path, [*kept, (gone, "wlan 0"), *bunch, (gone + 1500, "wlan 1")], 11_000)
    assert lost.code == 0, lost.said
    times = powered(TUG, lost.rows)
    off = min(t for t, is_on in times if not is_on and t > gone)
    assert off - gone <= stop_bound(TUG).worst_ms + 1
    assert not any(is_on for t, is_on in times if off < t < gone + 1500)
    assert not times[-1][1]


def test_one_that_joins_answers_whoever_drives_and_joins_again(tmp_path: Path) -> None:
    exported(MARRAM, tmp_path, packets=True, own=NAMED)
    sent = frames(MARRAM, 4000)
    done = run(tmp_path, [*sent, (4500, "wlan 0"), (17_000, "wlan 1")], 18_000)
    assert done.code == 0, done.said
    handset = nuvrik.Handset(MARRAM)
    told = [one for row in done.rows if row.what == "air" for one in handset.feed(row.sent, 4000)]
    assert len(told) > 10 and all(isinstance(one, Frame) for one in told)
    # Once at the start, and every five seconds until it is there; the second time it was still looking.
    assert [row.value for row in done.rows if row.what == "joins"] == [1, 3, 4]
