"""Payloads byte by byte, as docs/wire-format.md lays them out, worked by hand; and the rules about them."""

import contextlib
import os
import pty
import re
import subprocess
import sys
from binascii import crc_hqx
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from links import WIRED_TEXT, problem_in, write
from payloads import pack_reply, pack_telemetry, taken
from terminals import cable, start, wait_for
from typed import nuvrik_command

import nuvrik
from nuvrik.core.loops.hearing import HOW_BYTES
from nuvrik.inspection.statistics import WRAPPED, LinkStats
from nuvrik.plan.layout import answers_bytes, layout_tag, layout_text
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.pulses.on_off_keyed import durations
from nuvrik.recordings.pilot import play, practice
from nuvrik.wire.events import Frame, RefusedFrame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ALL_KINDS, ECHO, HELLO, REPLY, REQUEST, TELEMETRY, TO_HANDSET
from nuvrik.wire.messages import (
    Ask,
    Echo,
    How,
    Query,
    Reply,
    Telemetry,
    Who,
    pack_ask,
    pack_echo,
    pack_hello,
)
from nuvrik.wire.outcomes import MOST_SENT, Outcome

pytestmark = pytest.mark.slow

EXAMPLE_TEXT = """
link = { name = "example", rate_hz = 50 }
medium = { kind = "serial" }
frame = { style = "packed", pair = 0x5A }
failsafe = { arm = "on", timeout_ms = 400 }
[channels]
throttle = { kind = "level", bits = 10 }
gait = { kind = "choice", options = ["walk", "trot"] }
on = { kind = "flag" }
[outputs.shaft]
kind = "stepper"
rate_max = 100
mix = { throttle = 1.0 }
[telemetry]
battery = { kind = "volts", bits = 8, range = [0.0, 12.75] }
shaft = { kind = "shaft", bits = 12 }
door = { kind = "digital" }
[requests]
move = { kind = "steps", output = "shaft" }
[requests.routine]
kind = "call"
args = { number = { kind = "count", bits = 4 }, fast = { kind = "flag", bits = 1 } }
"""
EXAMPLE = nuvrik.parse(EXAMPLE_TEXT)


def test_the_layout_text_names_all_that_must_be_agreed_on() -> None:
    assert layout_text(EXAMPLE) == (
        "channels.throttle:level:10\nchannels.gait:choice:2:walk,trot\nchannels.on:flag:1\n"
        "telemetry.battery:volts:8\ntelemetry.shaft:shaft:12\ntelemetry.door:digital:1\n"
        "requests.move:steps:16\nrequests.move.steps:integer:16\n"
        "requests.routine:call:5\nrequests.routine.number:count:4\nrequests.routine.fast:flag:1\n"
        "arm:on\n"
    )
    assert layout_tag(EXAMPLE) == crc_hqx(layout_text(EXAMPLE).encode(), 0xFFFF)
    for changed in (("bits = 12", "bits = 11"), ("volts", "analog"), ("number =", "program =")):
        assert layout_tag(nuvrik.parse(EXAMPLE_TEXT.replace(*changed))) != layout_tag(EXAMPLE), changed
    # Not agreed on, because no byte depends on it: what an end of a range means, how often something is sent.
    assert layout_tag(nuvrik.parse(EXAMPLE_TEXT.replace("12.75", "16.0"))) == layout_tag(EXAMPLE)


def test_payloads_worked_out_by_hand() -> None:
    # ARMED and heard, command 7; items 0 and 2: battery C8 in bits 0 to 7, door 1 in bit 8.
    said = Telemetry(2, 7, {"battery": (0xC8,), "door": (1,)})
    assert pack_telemetry(EXAMPLE, said).hex() == "0a0705c801"
    # STOPPED by its own code, which gave 9: bit 5, and a byte more.
    assert pack_telemetry(EXAMPLE, Telemetry(4, 7, {"door": (1,)}, own_stop=9)).hex() == "2c07090401"
    # Its radio chip had forgotten everything, number 2: 32 times that; and both at once.
    assert pack_telemetry(EXAMPLE, Telemetry(4, 7, {"door": (1,)}, False, 0, 2)).hex() == "2c07400401"
    assert pack_telemetry(EXAMPLE, Telemetry(4, 7, {"door": (1,)}, False, 9, 2)).hex() == "2c07490401"
    # WAITING, nothing heard; shaft 0x123 alone.
    assert pack_telemetry(EXAMPLE, Telemetry(0, None, {"shaft": (0x123,)})).hex() == "0000022301"
    # Request 0, boot 11223344, session 5, number 9, -345 steps = FEA7.
    ask = Ask(0, 0x11223344, 5, 9, (-345,))
    assert pack_ask(ask, EXAMPLE.requests["move"]).hex() == "004433221105000900a7fe"
    # Request 1 with number 11 and fast: 11 | 1 << 4.
    assert pack_ask(Ask(1, 0, 0, 1, (11, 1)), EXAMPLE.requests["routine"]).hex()[-2:] == "1b"
    assert pack_reply(Reply(0, 5, 9, Outcome.ENDED, -3)).hex() == "000500090005fdffffff"
    assert pack_hello(Query(0x1234, 1)).hex() == "00341201"
    who = Who(0xBE4D, (1, 2, 0xABCD), 9, (0, 1, 0), 3, b"tug")
    assert pack_hello(who).hex() == "01004dbe01000200cdab0900000000010003" + b"tug".hex()
    how = How(60, 1000, 65535, 3, "märz".encode())
    assert pack_hello(how).hex() == "01013c000000e8030000ffff03" + "märz".encode().hex()
    assert all(taken(EXAMPLE, HELLO, pack_hello(page)) == page for page in (who, how))
    assert taken(EXAMPLE, TELEMETRY, pack_telemetry(EXAMPLE, said)) == said
    assert pack_echo(Echo(True, b"\x01\x02")).hex() == "010102"


names = st.text(max_size=12)
u16, u32 = st.integers(0, 0xFFFF), st.integers(0, 0xFFFFFFFF)


@given(
    u32,
    u16,
    u16,
    st.integers(-32768, 32767),
    st.sampled_from([outcome for outcome in Outcome if outcome <= MOST_SENT]),
    st.integers(-(2**31), 2**31 - 1),
    names,
)
def test_every_message_comes_back_and_every_other_length_is_refused(
    boot: int, session: int, number: int, steps: int, status: Outcome, value: int, name: str
) -> None:
    encoder, decoder = Encoder(EXAMPLE), nuvrik.Decoder(EXAMPLE, ALL_KINDS)
    name = name.encode()
    who = Who(session, (number, 7, session), boot, (1, 2, 3), 4, name)
    messages = {
        REQUEST: (pack_ask(Ask(0, boot, session, number, (steps,)), EXAMPLE.requests["move"]), steps),
        REPLY: (pack_reply(Reply(1, session, number, status, value)), value),
        HELLO: (pack_hello(who), name),
        ECHO: (pack_echo(Echo(True, name[:16] or b"x")), None),
        TELEMETRY: (
            pack_telemetry(EXAMPLE, Telemetry(4, number & 255, {"shaft": (steps & 4095,)})),
            None,
        ),
    }
    for kind, (payload, said) in messages.items():
        decoder.forget()
        (event,) = decoder.feed(encoder.on_wire(encoder.sealed(kind, 1, payload)))
        assert isinstance(event, Frame) and event.kind == kind
        assert said is None or said in event.values or event.values.arguments == (said,)
        for wrong in (payload[:-1], payload + b"\xff" * 18):
            decoder.forget()
            (event,) = decoder.feed(encoder.on_wire(encoder.sealed(kind, 2, wrong)))
            assert isinstance(event, RefusedFrame) or kind in (HELLO, ECHO), (kind, event)
    assert taken(EXAMPLE, REQUEST, messages[REQUEST][0]) == Ask(0, boot, session, number, (steps,))
    assert taken(EXAMPLE, REPLY, messages[REPLY][0]).status is status


def test_a_hello_is_heard_whatever_the_layout_and_a_question_whatever_the_pair() -> None:
    older = nuvrik.parse(EXAMPLE_TEXT.replace("bits = 10", "bits = 11").replace("0x5A", "0x5B"))
    asker, machine = Encoder(older), nuvrik.Machine(EXAMPLE, boot=5)
    assert machine.send(0), "its state, at once"
    machine.feed(asker.on_wire(asker.sealed(HELLO, 0, pack_hello(Query(0)))), 0)
    assert machine.counts["wrong_pair"] == 1 and machine.send(0) == b""
    machine.feed(asker.on_wire(asker.sealed(HELLO, 1, pack_hello(Query(0)), anyone=True)), 10)
    listener = nuvrik.Decoder(older, (HELLO,), any_pair=True)
    (answer,) = listener.feed(machine.send(10))
    assert answer.values.tag == layout_tag(EXAMPLE) and listener.pair_heard == 0x5A
    machine.feed(asker.on_wire(asker.sealed(HELLO, 2, pack_hello(Query(0, 1)), anyone=True)), 10)
    (fared,) = listener.feed(machine.send(10))
    assert answer.values.boot == 5 and fared.values.refused == 1
    assert answer.values.name + fared.values.name == b"example"
    for session, boot in ((0, 5), (9, 5), (9, 5), (8, 6), (9, 7)):
        machine.feed(asker.on_wire(asker.sealed(HELLO, 2, pack_hello(Query(session)), anyone=True)), 20)
        machine._decoder.forget()
        listener.forget()
        assert listener.feed(machine.send(20))[0].values.boot == boot, "another session, another boot number"


@given(st.integers(0, 255), st.lists(st.integers(0, 255), max_size=4))
def test_whoever_only_asks_who_is_there_is_answered_and_disturbs_nobody(seq: int, asked: list[int]) -> None:
    """With sequence numbers of their own, in the middle of somebody's drive."""
    sender, machine, stats = Encoder(EXAMPLE), nuvrik.Machine(EXAMPLE), LinkStats(20)
    for step in range(3):
        (event,) = machine.feed(sender.on_wire(sender.command([0, 0, 0], (seq + step) & 0xFF)), 20 * step)
        notice = stats.take(event)
        assert isinstance(event, Frame) and (notice is None or notice.what == WRAPPED)
        for number in asked:
            (event,) = machine.feed(
                sender.on_wire(sender.sealed(HELLO, number, pack_hello(Query(0)))), 20 * step
            )
            assert isinstance(event, Frame) and stats.take(event) is None
            assert len(machine.send(20 * step)) > 20
    assert stats.lost == 0 and machine.counts["accepted"] == 3 + 3 * len(asked)


@pytest.mark.parametrize("style", ["line", "columns", "keys"])
def test_the_machine_answers_in_every_style(style: str) -> None:
    lacks = '["no_sequence", "no_pair", "no_layout", "no_check"]'
    keys = 'keys = { "x" = { set = { on = 1 } }, " " = { stop = true } }' if style == "keys" else ""
    text = EXAMPLE_TEXT.replace(
        'frame = { style = "packed", pair = 0x5A }',
        f'frame = {{ style = "{style}", pair = 0x5A, accept = {lacks}{", " + keys if keys else ""} }}',
    )
    link = nuvrik.parse(text if style != "keys" else text[: text.index("[requests]")])
    machine, listener = nuvrik.Machine(link), nuvrik.Decoder(link, TO_HANDSET)
    machine.sense(0, battery=512, door=1)
    (event,) = listener.feed(machine.send(0))
    assert event.kind == TELEMETRY and event.values.items["door"] == (1,)
    if style != "keys":
        handset = nuvrik.Handset(link, session=3)
        asked = handset.request("routine", number=3, fast=1)
        machine.on_request("routine", lambda number, fast: 10 * number + fast)
        for now in range(0, 4000, 10):
            machine.feed(handset.send(now), now)
            handset.feed(machine.send(now), now)
        assert (asked.state, asked.value) == ("done", 31)


# ---- rules ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("old", "new", "where", "words"),
    [
        (", range = [0.0, 12.75]", "", "telemetry.battery.range", "is missing"),
        ("range = [0.0, 12.75]", "range = [0.0]", "telemetry.battery.range", "at least 2"),
        (
            'kind = "volts", bits = 8',
            'kind = "volts", bits = 8, raw = [5, 5]',
            "telemetry.battery.raw",
            "no range",
        ),
        ('kind = "shaft", bits = 12', 'kind = "shaft", of = "shaf"', "telemetry.shaft.of", '"shaft"'),
        ('kind = "shaft", bits = 12', 'kind = "shaft", sensor = false', "telemetry.shaft.of", "is missing"),
        ('kind = "digital"', 'kind = "demand"', "telemetry.door.of", "is missing"),
        ('kind = "digital"', 'kind = "digtal"', "telemetry.door.kind", '"digital"'),
        ('kind = "digital"', 'kind = "digital", every_ms = 5', "telemetry.door.every_ms", "at least 10"),
        ('output = "shaft"', 'output = "shft"', "requests.move.output", '"shaft"'),
        ("bits = 4 }", "bits = 17 }", "requests.routine.args.number.bits", "at most 16"),
        (
            'kind = "flag", bits = 1',
            'kind = "flag", bits = 2',
            "requests.routine.args",
            "a flag has bits = 1",
        ),
        (
            "[requests]",
            '[cues.c]\nfrom = "door"\nfast_at = 1\nslow_at = 2\n[requests]',
            "cues.c.from",
            "digital",
        ),
        (
            "[requests]",
            '[cues.c]\nfrom = "x"\nfast_at = 1\nslow_at = 2\n[requests]',
            "cues.c.from",
            "no telemetry",
        ),
        (
            "[requests]",
            '[cues.c]\nfrom = "battery"\nfast_at = 1\nslow_at = 1\n[requests]',
            "cues.c.fast_at",
            "same",
        ),
        (
            'style = "packed", pair = 0x5A',
            'style = "keys", keys = { " " = { stop = true }, n = { set = { on = 1 } } }, '
            'accept = ["no_sequence", "no_pair", "no_layout", "no_check"]',
            "requests",
            "single keys",
        ),
    ],
)
def test_what_comes_back_is_checked_like_everything_else(old: str, new: str, where: str, words: str) -> None:
    assert old in EXAMPLE_TEXT
    found = problem_in(EXAMPLE_TEXT.replace(old, new, 1), where)
    assert words in f"{found.what} {found.do}"


def test_a_packet_too_small_for_an_answer_is_said_before_and_never_sent() -> None:
    asked = nuvrik.parse(EXAMPLE_TEXT).requests.values()
    sizes = [
        len(pack_ask(Ask(0, 0, 0, 1, (0,)), EXAMPLE.requests["move"])),
        len(pack_reply(Reply(0, 0, 0, Outcome.DONE, 0))),
    ]
    hello = len(pack_hello(Who(0, (0, 0, 0), 0, (0, 1, 0), 0, b"")))
    assert len(pack_hello(How(0, 0, 0, 0, b""))) == HOW_BYTES
    assert answers_bytes(asked) == max(*sizes, hello) and answers_bytes([]) == hello
    radio = EXAMPLE_TEXT.replace(
        'medium = { kind = "serial" }', 'medium = { kind = "radio", payload_max = 23 }'
    )
    assert "1 bytes too few" in problem_in(radio, "medium.payload_max").what
    nuvrik.parse(radio.replace("= 23", "= 24"))
    machine = nuvrik.Machine(nuvrik.parse(radio[: radio.index("[requests]")]))
    machine.feed(Encoder(machine.link).sealed(HELLO, 0, pack_hello(Query(0))), 0)
    assert machine.counts["accepted"] == 1 and all(len(machine.send(t)) <= 23 for t in range(0, 3000, 10))


@pytest.mark.parametrize("name", starter_names())
def test_every_starter_is_checked_with_what_goes_undetected(name: str, tmp_path: Path) -> None:
    said = nuvrik_command("check", write(tmp_path, "link.toml", starter_text(name)))
    if "Keys of a remote control" in said:
        return  # its frames never leave the receiver; what travels are codes
    assert "frames damaged in 6 ways" in said
    assert "none would be accepted" in said, "every starter has a check that is worth having"


# ---- on a real line ------------------------------------------------------------------------


@pytest.mark.live
def test_a_handset_of_another_file_is_refused_and_a_second_sender_is_told_of(tmp_path: Path) -> None:
    two_way = WIRED_TEXT + '\n[telemetry.battery]\nkind = "volts"\nrange = [0, 12]\n'
    link_file = write(tmp_path, "two_way.toml", two_way)
    other = write(tmp_path, "other.toml", two_way.replace("bits = 11", "bits = 10", 1))
    rows = play(nuvrik.parse(two_way), [], 3000, seed=1).csv_lines()
    recording = write(tmp_path, "still.csv", "".join(line + "\n" for line in rows))
    log = tmp_path / "log.csv"
    with cable() as line:
        machine = start("machine", link_file, "--port", line.ports[1], "--log", log)
        wait_for(log, lambda row: row["state"] == "WAITING")
        said = nuvrik_command("drive", other, "--port", line.ports[0], "--from", recording, code=2)
        assert "was built from another link file" in said
        nuvrik_command("drive", link_file, "--port", line.ports[0], "--from", recording, "--headless")
        wait_for(log, lambda row: row["state"] == "STANDBY")
        machine.terminate()
        _, errors = machine.communicate(timeout=10)
    assert "frames accepted, 0 lost" in errors and "interrupted: every output is at rest" in errors
    assert "restarted" not in errors, "a program that asks first who is there is no second handset"


@pytest.mark.live
def test_the_status_lines_fit_the_terminal_and_show_what_is_held_and_heard(tmp_path: Path) -> None:
    """A line that wrapped could not be written over, and would scroll the screen away."""
    text = starter_text("marram")
    link_file = write(tmp_path, "boat.toml", text)
    rows = practice(nuvrik.parse(text), seed=3, duration_ms=4000).csv_lines()
    recording = write(tmp_path, "boat.csv", "".join(line + "\n" for line in rows))
    ours, theirs = pty.openpty()
    words = [sys.executable, "-m", "nuvrik", "drive", link_file, "--port", "sim", "--from", recording]
    shown = b""
    environment = os.environ | {"COLUMNS": "60", "LINES": "24"}
    with subprocess.Popen(list(map(str, words)), stderr=theirs, env=environment) as process:
        os.close(theirs)
        with contextlib.suppress(OSError):  # the terminal's end, once the program has gone
            while data := os.read(ours, 4096):
                shown += data
    os.close(ours)
    plain = re.sub(r"\x1b\[\d*[FK]", "", shown.decode()).replace("\r", "").split("\n")
    assert process.returncode == 0 and max(map(len, plain)) <= 59
    assert any(line.startswith("  held ") for line in plain) and any(
        line.startswith("ARMED") for line in plain
    )
    assert any("battery" in line and " V" in line for line in plain)


# ---- carrier on and off --------------------------------------------------------------------


def test_a_frame_by_carrier_on_and_off_worked_out_by_hand() -> None:
    made = durations(b"\x05", 1000, 2)
    halves = [int(us > 0) for us in made for _ in range(round(abs(us) / 500))]
    bits = [
        1,
        1,
        *(int(bit) for bit in f"{0xE19A:016b}"),
        *(1, 0, 0, 0, 0, 0, 0, 0),
        *(1, 0, 1, 0, 0, 0, 0, 0),
    ]
    # A space of two bits ends it.
    assert halves[:-3] == [half for bit in bits for half in ((0, 1) if bit else (1, 0))]
    # Two ones at 1000 bits a second: off, on, off, on, half a millisecond each.
    assert made[:4] == [-500, 500, -500, 500]
    assert sum(map(abs, made)) == 1000 * len(bits) + 3 * 500
