"""The beam that remotes share, and what is drawn of it."""

import itertools
import json
import random
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many
from typed import nuvrik_command

from nuvrik.budget.conditions import Conditions
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.codes import PROTOCOLS, learned_frame, learned_press, press
from nuvrik.pulses.infrared import cleaned
from nuvrik.pulses.noise import lamp_noise
from nuvrik.pulses.shape import Shape
from nuvrik.pulses.timings import write_timings
from nuvrik.rehearsal.beam import Beam

pytestmark = pytest.mark.slow

SHAPE = Shape((3400, 1700), (430, 430), (430, 1290), 40, 130_000)


# ---- the beam, and what is drawn of it -----------------------------------------------------


@settings(max_examples=many(80))
@given(
    st.lists(
        st.tuples(st.integers(0, 60), st.lists(st.integers(100, 3000), min_size=1, max_size=9)), max_size=5
    ),
    st.lists(st.integers(1, 25), min_size=1, max_size=8),
)
def test_a_receiver_sees_the_light_of_all_remotes_together(sends, cuts) -> None:
    """Whoever sends when, and whenever the receiver looks: dark only where nobody sends."""
    beam, marks = Beam(500, Conditions(), random.Random(1)), set()
    for start_ms, lengths in sends:
        durations = [length if n % 2 == 0 else -length for n, length in enumerate(lengths)]
        beam.send(durations, 1000 * start_ms)
        at = 1000 * start_ms
        for duration in durations:
            marks |= set(range(at // 100, (at + abs(duration)) // 100)) if duration > 0 else set()
            at += abs(duration)
    seen, at = [], 0
    for cut in itertools.cycle(cuts):
        at += 4000 * cut
        seen += beam.take(at)
        if at > 120_000:
            break
    assert sum(map(abs, seen)) == at
    lit, place = 0, 0
    for duration in seen:
        if duration > 0:
            middle = (place + duration // 2) // 100
            assert duration < 200 or middle in marks or middle - 1 in marks or middle + 1 in marks
            lit += duration
        place += abs(duration)
    assert abs(lit - 100 * len(marks)) <= 200 * (1 + sum(len(lengths) for _, lengths in sends))


@settings(max_examples=many(100))
@given(st.lists(st.integers(1, 2500), min_size=1, max_size=40))
def test_glitches_are_joined_however_the_durations_are_cut_up(lengths) -> None:
    durations = [length if n % 2 == 0 else -length for n, length in enumerate(lengths)]
    # Any duration may also come in two halves of the same sign.
    halves = [half for d in durations for half in (d // 2, d - d // 2) if half]
    whole, cut = (cleaned([-20_000, *given_, -9_999, 9_999, -9_999]) for given_ in (durations, halves))
    assert whole == cut and all(length > 100 for length in whole)
    # The last space has not ended.
    assert sum(whole) == 20_000 + sum(lengths) + 2 * 9_999


@pytest.mark.parametrize("protocol", [*PROTOCOLS, "learned", "nothing"])
def test_a_waveform_is_drawn_with_its_bits(
    protocol: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from nuvrik.figures import waveform

    drawn = []
    monkeypatch.setattr(waveform, "_draw_bits", lambda axis, parts: drawn.append(parts))
    durations = {
        "learned": learned_press(SHAPE, 0x12_3456_789A),
        "nothing": lamp_noise(0.2, 100, random.Random(1)),
    }.get(protocol) or press(protocol, 3, 5)
    waveform.draw_waveform(durations, tmp_path / "w.png", SHAPE if protocol == "learned" else None)
    assert (tmp_path / "w.png").read_bytes().startswith(b"\x89PNG")
    if protocol == "nothing":
        assert drawn == []
        return
    (parts,) = drawn
    bits = "".join(bit for _, _, bit, _ in parts)
    assert len(bits) == (40 if protocol == "learned" else PROTOCOLS[protocol].bits)
    # Each field, read off the picture, is what was sent.
    fields = {name: "".join(bit for _, _, bit, field in parts if field == name) for *_, name in parts}
    low_first = protocol.startswith(("nec", "sirc"))
    wanted = {"code": 0x12_3456_789A} if protocol == "learned" else {"command": 5, "address": 3}
    for name, value in wanted.items():
        digits = fields[name][::-1] if low_first else fields[name]
        assert int(digits, 2) == value
    assert all(a[1] <= b[0] + 1 for a, b in itertools.pairwise(parts))


def test_read_and_make_as_a_user_types_them(tmp_path: Path) -> None:
    curtain = tmp_path / "curtain.toml"
    curtain.write_text(starter_text("curtain"))
    made = nuvrik_command("infrared", "make", "--link", curtain, "--key", "key_open", "--repeats", 2)
    found = [
        json.loads(line)
        for line in nuvrik_command("infrared", "read", "-", "--json", given=made.encode()).splitlines()
    ]
    assert [one["repeat"] for one in found] == [False, True, True]
    assert {(one["code"], one["address"], one["command"], one["bits"], one["toggle"]) for one in found} == {
        ("nec", 0x1C, 0x10, 32, None)
    }
    assert found[1]["t_us"] - found[0]["t_us"] == 108_000 and found[0]["carrier_hz"] == 38_000
    said = nuvrik_command("infrared", "read", "-", given=b"+9000 -2250 +560 -9000", code=0)
    assert "not heard" in said and "1 codes" in said
    assert "0 codes" in nuvrik_command("infrared", "read", "-", given=b"+300 -4000 +200 -900", code=1)
    odd = write_timings([*learned_frame(SHAPE, 5), -60_000] * 3)
    assert "no known shape" in nuvrik_command("infrared", "read", "-", given=odd.encode(), code=1)
    for words, trouble in (
        (("make", "rc5", "--command", 200), "0 to 127"),
        (("make", "rc7", "--command", 2), "there is no code"),
        (("make", "rc5"), "give a code and its --command"),
        (("make", "--link", curtain, "--key", "key_opn"), 'did you mean "key_open"'),
        (("make", "nec_extended", "--address", 0xE31C, "--command", 2), "plain nec"),
    ):
        assert trouble in nuvrik_command("infrared", *words, code=2)
    presses = Path(__file__).parents[1] / "src/nuvrik/demo/presses.txt"
    unnamed = "\n".join(line for line in presses.read_text().splitlines() if not line.startswith("#"))
    (tmp_path / "p.txt").write_text(unnamed)
    keys = json.loads(
        nuvrik_command("infrared", "learn", tmp_path / "p.txt", "--names", "up,down,lamp", "--json")
    )["keys"]
    assert [key["name"] for key in keys] == ["up", "down", "lamp", "key_4", "key_5", "key_6"]
    tug = tmp_path / "tug.toml"
    tug.write_text(starter_text("tug"))
    assert "its medium is radio" in nuvrik_command("infrared", "learn", presses, "--write", tug, code=2)
    assert "not infrared" in nuvrik_command("infrared", "read", presses, "--link", tug, code=2)
