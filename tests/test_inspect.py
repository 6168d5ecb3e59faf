"""Captures taken apart: byte by byte, whole at once, and what is the matter when nothing decodes."""

import json
import random
from collections import Counter
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import WIRED, WIRED_TEXT, any_link, any_values, many, write
from payloads import pack_telemetry
from typed import nuvrik_command

import nuvrik
from nuvrik.inspection.bulk import BulkDecoder
from nuvrik.inspection.diagnosis import COMMON_BAUD, diagnose
from nuvrik.inspection.uart import received, waveform
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.noise import receiver_noise, through_a_receiver
from nuvrik.pulses.on_off_keyed import OnOffDecoder, durations
from nuvrik.recordings.pilot import practice
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ALL_KINDS, COMMAND, ECHO, HELLO, TELEMETRY
from nuvrik.wire.messages import Echo, Query, Telemetry, pack_echo, pack_hello

pytestmark = pytest.mark.slow

PIECES = st.sampled_from(
    ["good", "good", "stop", "flip", "noise", "again", "old", "long", "echo", "greet", "ask", "answer"]
)


def streams_of(link: nuvrik.Link, data: st.DataObject) -> bytes:
    """Commands, stops, questions, answers, damage, noise and neighbours, in any order."""
    encoder, seq, pieces = Encoder(link, stream=True), 0, []
    for what in data.draw(st.lists(PIECES)):
        seq += what in ("good", "stop", "greet")
        wire = encoder.command_on_wire(data.draw(any_values(link)), seq & 0xFF)
        if what == "stop":
            wire = encoder.on_wire(encoder.stop(seq & 0xFF))
        elif what == "flip":
            at = data.draw(st.integers(0, len(wire) - 1))
            wire = wire[:at] + bytes([wire[at] ^ 0x10]) + wire[at + 1 :]
        elif what == "noise":
            wire = data.draw(st.binary(max_size=30))
        elif what == "old":
            wire = encoder.command_on_wire([0] * len(link.channels), seq - 3 & 0xFF)
        elif what in ("echo", "answer"):
            echo = pack_echo(Echo(what == "answer", b"xy"))
            wire = encoder.on_wire(encoder.sealed(ECHO, data.draw(st.integers(0, 255)), echo))
        elif what in ("greet", "ask"):
            number, session = (seq & 0xFF, 7) if what == "greet" else (data.draw(st.integers(0, 255)), 0)
            wire = encoder.on_wire(encoder.sealed(HELLO, number, pack_hello(Query(session))))
        elif what == "long":
            wire = b"\x01" * data.draw(st.integers(190, 500))
        pieces.append(wire)
    return b"".join(pieces)


@settings(max_examples=many(150))
@given(any_link(), st.data())
def test_in_bulk_it_is_what_the_stream_decoder_says(link: nuvrik.Link, data: st.DataObject) -> None:
    stream = streams_of(link, data)
    decoder, bulk = nuvrik.Decoder(link, ALL_KINDS), BulkDecoder(link)
    events = decoder.feed(stream)
    cuts = sorted(data.draw(st.lists(st.integers(0, len(stream)), max_size=6)))
    parts = [bulk.feed(stream[a:b]) for a, b in pairwise([0, *cuts, len(stream)])]
    commands = [event for event in events if isinstance(event, Frame) and event.kind == COMMAND]
    assert [at for part in parts for at in part.at] == [event.at for event in commands]
    assert [seq for part in parts for seq in part.seq] == [event.seq for event in commands]
    refused = sum((part.refused for part in parts), Counter())
    assert refused == Counter(event.reason for event in events if not isinstance(event, Frame))
    assert sum((part.kinds for part in parts), Counter()) == Counter(
        e.kind for e in events if isinstance(e, Frame)
    )
    for place, field in enumerate(bulk._fields):
        column = np.concatenate([part.values[field.name] for part in parts])
        scale = FULL if field.kind in ("level", "share") else 1
        wanted = [np.nan if e.values[place] is None else e.values[place] / scale for e in commands]
        np.testing.assert_array_equal(column, wanted)


def test_a_capture_as_a_table(tmp_path: Path) -> None:
    link, stream = use(WIRED_TEXT, frames=300)
    file = tmp_path / "raw.bin"
    file.write_bytes(stream[:1000] + stream[1012:] + b"\0junk\0")
    table = nuvrik.frames_table(link, file)
    assert list(table.columns) == ["at", "seq", "throttle", "turn", "arm"] and len(table) in (298, 299)
    assert table["throttle"].between(0, 1).all() and set(table["arm"]) == {1}
    assert table.attrs["lost"] >= 1 and sum(table.attrs["refused"].values()) >= 1
    assert nuvrik.frames_table(link, b"").empty
    with pytest.raises(ValueError, match="packed can"):
        nuvrik.frames_table(nuvrik.parse(starter_text("vent")), b"")


# ---- when nothing decodes ------------------------------------------------------------------


def use(text: str, frames: int = 90) -> tuple[nuvrik.Link, bytes]:
    """A link, and a handset in use on it, as bytes."""
    link, rng = nuvrik.parse(text), random.Random(5)
    encoder, stream = Encoder(link, stream=True), b""
    values: list[int] = []
    for seq in range(frames):
        if seq % 10 == 0:
            pushed = rng.random() < 0.6
            values = [rng.randint(0, FULL) * pushed if f.kind != "flag" else 1 for f in encoder.packer.fields]
        stream += encoder.command_on_wire(values, seq + 77 & 0xFF)
    return link, stream


@pytest.mark.parametrize("baud", [b for b in COMMON_BAUD if 115200 / 6 < b < 115200 * 6])
@pytest.mark.parametrize("inverted", [False, True])
def test_a_wrong_speed_and_a_wrong_polarity_are_told_from_the_damage(baud: int, inverted: bool) -> None:
    if baud == 115200 and not inverted:
        return
    for text in (WIRED_TEXT, starter_text("panel").replace("57600", "115200")):
        link, stream = use(text)
        said = " ".join(
            finding.what
            for finding in diagnose(link, received(waveform(stream), 115200 / baud, inverted=inverted))
        )
        assert ("swapped" in said) == inverted, said
        assert baud == 115200 or f"{baud}" in said.partition(" and read")[0], said


def test_a_line_at_the_right_speed_is_read_as_it_was_sent() -> None:
    _, stream = use(WIRED_TEXT)
    for speed in (0.97, 1.0, 1.03):
        assert received(waveform(stream), speed) == stream, "three per cent either way is no harm"


def test_every_other_thing_that_can_be_the_matter() -> None:
    link, stream = use(WIRED_TEXT)
    neighbour, _ = use(WIRED_TEXT.replace("pair = 90", "pair = 91"))
    older, _ = use(WIRED_TEXT.replace("bits = 11", "bits = 10", 1))
    slip, _ = use(WIRED_TEXT.replace('style = "packed"', 'style = "slip"'))
    bodies = [Encoder(link).command([100 * i, 0, 1], i) for i in range(20)]
    cases = {
        "another pair number": diagnose(neighbour, stream),
        "another layout": diagnose(older, stream),
        'style "packed"': diagnose(slip, stream),
        "00 is missing": diagnose(link, stream.replace(b"\0", b"")),
        "without anything between": diagnose(link, b"".join(bodies)),
        "held at one level": diagnose(link, b"\0" * 500),
        "nothing arrived": diagnose(link, b""),
        "it is text": diagnose(link, b"hello, I am the boot loader 1.2\r\n" * 9),
        "nothing that this link": diagnose(link, random.Random(2).randbytes(600)),
    }
    for words, findings in cases.items():
        assert any(words in finding.what for finding in findings), (words, findings)
        assert all(finding.do for finding in findings)
    vent, lines = use(starter_text("vent"))
    assert "no frame ever ends" in diagnose(vent, lines.replace(b"\n", b"\r"))[0].what
    assert "no text" in diagnose(vent, random.Random(2).randbytes(600))[0].what


def test_what_comes_back_is_counted_by_itself(tmp_path: Path) -> None:
    """Nothing is lost to the simulated machine, in either direction, and each has numbers of its own."""
    marram, log = write(tmp_path, "marram.toml", starter_text("marram")), tmp_path / "log.csv"
    played = "".join(line + "\n" for line in practice(nuvrik.load(marram), 1).csv_lines())
    hands = write(tmp_path, "hands.csv", played)
    nuvrik_command("drive", marram, "--port", "sim", "--from", hands, "--at-once", "--log", log)
    found = json.loads(nuvrik_command("inspect", marram, log, "--summary", "--json"))
    assert found["lost"] == 0 and found["quality"] == 1.0 and found["accepted"] > 190
    assert found["back"]["lost"] == 0 and found["back"]["quality"] == 1.0 and found["back"]["accepted"] > 20
    said = nuvrik_command("inspect", marram, log, "--summary")
    assert said.count("that were due, 100.0 % came") == 2
    assert "and 0 did not" in nuvrik_command("budget", marram, "--from", log)


def test_inspect_says_it_on_the_command_line(tmp_path: Path) -> None:
    wired = write(tmp_path, "wired.toml", WIRED_TEXT)
    _, stream = use(WIRED_TEXT)
    raw, slow = tmp_path / "raw.bin", tmp_path / "slow.bin"
    raw.write_bytes(stream)
    slow.write_bytes(received(waveform(stream), 2.0))
    said = nuvrik_command("inspect", wired, slow, "--summary", code=1)
    assert "sent at 57600 baud and read at 115200" in said
    one = nuvrik_command("inspect", wired, "--hex", stream[:12].hex())
    for words in (
        "00 ",
        "distance to the first zero",
        "version 1, kind command",
        "pair 90",
        "check",
        "end of frame",
    ):
        assert words in one
    bad = bytes([*stream[:10], stream[10] ^ 0x80, *stream[11:12]])
    assert "check (this is what is wrong)" in nuvrik_command("inspect", wired, "--hex", bad.hex(), code=1)
    assert nuvrik_command("inspect", wired, raw, "--each-byte").count("end of frame") == 90
    summary = json.loads(nuvrik_command("inspect", wired, raw, "--summary", "--json"))
    assert summary["accepted"] == 90 and summary["kinds"] == {"command": 90} and not summary["probably"]
    timed = write(
        tmp_path,
        "timed.csv",
        "t_ms,hex\n"
        + "".join(f"{20 * i + i % 3},{stream[12 * i : 12 * i + 12].hex()}\n" for i in range(90) if i % 9),
    )
    figure = tmp_path / "capture.png"
    said = nuvrik_command("inspect", wired, timed, "--summary", "--figure", figure)
    rows = [json.loads(row) for row in nuvrik_command("inspect", wired, timed, "--json").splitlines()]
    assert (rows[1]["byte"], rows[1]["packet"], rows[1]["t_ms"]) == (13, None, 42), rows[1]
    assert "longest silence" in said and "9 lost" in said and figure.read_bytes().startswith(b"\x89PNG")
    live = json.loads(
        nuvrik_command(
            "inspect",
            write(tmp_path, "panel.toml", starter_text("panel")),
            "--port",
            "sim",
            "--for-s",
            2,
            "--json",
        ).splitlines()[0]
    )
    assert live["kind"] == "telemetry" and "WAITING" in live["says"]
    for words in ([], [raw, "--hex", "00"], [raw, "--port", "sim"]):
        assert "give one of" in nuvrik_command("inspect", wired, *words, code=2)


def test_a_bystander_hears_both_ends_each_with_its_own_sequence() -> None:
    panel = nuvrik.parse(starter_text("panel"))
    encoder, decoder = Encoder(panel), nuvrik.Decoder(panel, ALL_KINDS)
    events = []
    for seq in range(300):
        events += decoder.feed(encoder.command_on_wire([0] * 5, seq & 0xFF))
        said = encoder.sealed(
            TELEMETRY, seq + 120 & 0xFF, pack_telemetry(panel, Telemetry(0, seq & 0xFF, {}))
        )
        events += decoder.feed(encoder.on_wire(said))
    assert len(events) == 600 and all(isinstance(event, Frame) for event in events)


def test_frames_of_a_wired_link_that_were_refused_before_the_256th_are_taken_after_it() -> None:
    encoder, decoder = Encoder(WIRED), nuvrik.Decoder(WIRED)
    events = [decoder.feed(encoder.command_on_wire([0, 0, 0], seq & 0xFF))[0] for seq in range(600)]
    assert all(isinstance(event, Frame) for event in events), "the 256th frame is the first again"


# ---- on-off keying -------------------------------------------------------------------------


@settings(max_examples=many(150))
@given(
    st.lists(st.binary(min_size=1, max_size=40), min_size=1, max_size=4),
    st.integers(0, 10**6),
    st.integers(-40, 40),
    st.floats(0.95, 1.05),
    st.integers(1, 50),
)
def test_bits_by_carrier_on_and_off_arrive_through_noise_and_jitter(
    bodies: list[bytes], seed: int, mark_stretch_us: int, clock: float, cut: int
) -> None:
    rng, pulses = random.Random(seed), []
    for body in bodies:
        clean = durations(body, 2000, 24)
        worn = through_a_receiver(clean, rng, jitter_us=10, mark_stretch_us=mark_stretch_us, clock=clock)
        pulses += [*receiver_noise(rng.randrange(60), rng), *worn]
    decoder, heard = OnOffDecoder(2000), []
    for start in range(0, len(pulses), cut):
        heard += decoder.feed(pulses[start : start + cut])
    heard += decoder.end()
    assert [body for body in heard if body in bodies] == bodies


def test_an_hour_of_receiver_noise_is_no_command_and_the_code_is_balanced() -> None:
    rng, decoder, machine, now = random.Random(7), OnOffDecoder(2000), nuvrik.Machine(WIRED, stream=False), 0
    for _ in range(400):
        for body in decoder.feed(receiver_noise(1000, rng)):
            machine.feed(body, now)
        now += 200
    assert machine.counts["accepted"] == 0
    pulses = durations(bytes(range(200)), 2000, 24)[:-1]
    on, off = sum(p for p in pulses if p > 0), -sum(p for p in pulses if p < 0)
    assert abs(on - off) <= 1000 and {abs(pulse) for pulse in pulses} == {250, 500}
    with pytest.raises(ValueError, match="too long"):
        durations(bytes(201), 2000, 24)
