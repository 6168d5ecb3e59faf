"""Every frame style through the one decoder: there and back, cut anywhere, damaged, and what a key does."""

import itertools
import random
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import any_values, many, problem_in, write
from typed import nuvrik_command

import nuvrik
from nuvrik.core.frames.text import CHECK_CRC8, CHECK_CRC16, CHECK_SUM8, CHECK_XOR8
from nuvrik.inspection.undetected import measure
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.wire.events import REASONS, Frame, RefusedFrame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import COMMAND, STOP, TO_HANDSET
from nuvrik.wire.packing import quantised
from nuvrik.wire.slip import escape, unescape
from nuvrik.wire.styles import style_of
from nuvrik.wire.styles.text import check_of

HEAD = '[link]\nname = "s"\nrate_hz = 20\n[medium]\nkind = "serial"\n'
TAIL = """
[channels.throttle]
kind = "level"
[channels.gain]
kind = "share"
[channels.gait]
kind = "choice"
options = ["walk", "trot", "run"]
[channels.presses]
kind = "count"
bits = 4
[channels.arm]
kind = "flag"
[failsafe]
arm = "arm"
timeout_ms = 500
[outputs.motor]
kind = "motor"
driver = "pwm_1dir"
mix = { throttle = 1.0 }
"""
NO = 'accept = ["no_sequence", "no_pair", "no_layout"'


def link_of(frame: str) -> nuvrik.Link:
    return nuvrik.parse(f"{HEAD}[frame]\n{frame}\n{TAIL}")


STYLES = {
    "packed": link_of('style = "packed"\npair = 9'),
    "slip": link_of('style = "slip"\npair = 9'),
    "line": link_of(f'style = "line"\ncheck = "crc16"\nend = "\\r\\n"\nmissing = "no_reading"\n{NO}]'),
    "spaced": link_of(
        f'style = "line"\ntag = "DRIVE "\nseparator = ";"\nspaces = "ignore"\ncheck = "xor8"\n{NO}]\n'
        "fields = { throttle = { range = [0, 180] }, gain = { range = [0.0, 2.5], decimals = 2 } }"
    ),
    "columns": link_of(
        f'style = "columns"\nend = "|"\n{NO}, "no_check"]\n'
        "fields = { throttle = { range = [-9.99, 9.99], decimals = 2 } }"
    ),
}
links = st.sampled_from(list(STYLES.values()))


def test_published_check_values() -> None:
    digits = b"123456789"
    assert (check_of(digits, CHECK_CRC16), check_of(digits, CHECK_CRC8)) == (0x29B1, 0xF4)
    assert check_of(digits, CHECK_SUM8) == sum(range(0x31, 0x3A)) & 0xFF
    assert check_of(digits, CHECK_XOR8) == 0x31


def test_the_bytes_of_rfc_1055() -> None:
    # "END 0300, ESC 0333, ESC_END 0334, ESC_ESC 0335": the RFC gives them in octal.
    assert escape(bytes([0o300, 1, 0o333])) == bytes([0o333, 0o334, 1, 0o333, 0o335])
    assert unescape(bytes([0o333, 0o334, 1, 0o333, 0o335])) == bytes([0o300, 1, 0o333])
    assert unescape(bytes([0o333, 7])) is None and unescape(bytes([1, 0o333])) is None


@given(st.binary(max_size=200))
def test_slip_comes_undone(body: bytes) -> None:
    assert 0o300 not in escape(body) and unescape(escape(body)) == body


@settings(max_examples=many(200))
@given(links, st.data())
def test_what_is_sent_is_what_is_heard_in_every_style(link: nuvrik.Link, data: st.DataObject) -> None:
    values, seq = data.draw(any_values(link)), data.draw(st.integers(0, 255))
    encoder, decoder = Encoder(link), nuvrik.Decoder(link)
    wire = encoder.command_on_wire(values, seq)
    says_nothing = link.frame.style in ("line", "columns") and link not in (STYLES["line"],)
    if says_nothing and None in values:
        assert wire == b"", "silence, and not a guess"
        return
    (event,) = decoder.feed(wire)
    assert isinstance(event, Frame) and event.kind == COMMAND
    assert event.seq == (seq if link.frame.style in ("packed", "slip") else None)
    for sent, heard, field in zip(values, event.values, encoder.packer.fields, strict=True):
        if link.frame.style in ("packed", "slip"):
            assert heard == quantised(sent, field)
        elif field.kind in ("level", "share") and sent is not None:
            assert heard is not None and abs(sent - heard) <= FULL / 90 / 2 * (1 + (field.kind == "level"))
            assert (sent == 0) <= (abs(heard) <= 300), "rest stays rest"
        else:
            assert heard == sent
    assert len(wire) <= encoder.longest_on_wire
    if link.frame.style == "slip":
        return  # its marks are of the bytes before they were escaped
    marked = b"".join(mark.raw for mark in style_of(link).marks(event))
    assert wire.endswith(marked) and len(wire) - len(marked) <= len(link.frame.model_dump().get("end", "0"))


@given(links, st.data())
def test_every_bit_of_a_frame_is_named_once_and_every_channel_is_among_them(
    link: nuvrik.Link, data: st.DataObject
) -> None:
    values = [0 if value is None else value for value in data.draw(any_values(link))]
    body, parts = Encoder(link).parts(values, 7)
    assert Encoder(link).command(values, 7) == body
    ends = [part.start + part.bits for part in parts]
    assert [part.start for part in parts] == [0, *ends[:-1]] and ends[-1] == 8 * len(body)
    assert {part.name for part in parts} >= set(link.channels)
    for part in parts:
        if link.frame.style in ("line", "columns") and part.name in link.channels:
            shown = body[part.start // 8 : (part.start + part.bits) // 8].decode()
            assert part.meaning.startswith(f"{shown}: ")


@settings(max_examples=many(200))
@given(links, st.data())
def test_cut_anywhere_it_is_the_same_and_only_what_was_sent_is_obeyed(
    link: nuvrik.Link, data: st.DataObject
) -> None:
    """Whole frames, frames cut short by a reset, run together, and noise before, between and after."""
    rng = random.Random(data.draw(st.integers(0, 10**6)))
    encoder = Encoder(link)
    sets = [[rng.randint(-FULL, FULL), rng.randint(0, FULL), rng.randrange(3), 5, 1] for _ in range(4)]
    wires = [encoder.command_on_wire(values, n) for n, values in enumerate(sets)]
    sent = {event.values for event in nuvrik.Decoder(link).feed(b"".join(wires))}
    assert len(sent) == 4
    pieces = []
    for wire in wires:
        cut = data.draw(st.sampled_from([None, None, rng.randrange(1, len(wire))]))
        noise = bytes(
            data.draw(st.lists(st.integers(0, 255).filter(lambda b: b not in b"0123456789"), max_size=6))
        )
        pieces += [noise, wire if cut is None else wire[:cut]]
    stream = b"".join(pieces) + wires[3]
    whole = nuvrik.Decoder(link).feed(stream)
    decoder, events = nuvrik.Decoder(link), []
    cuts = sorted(data.draw(st.lists(st.integers(0, len(stream)), max_size=12)))
    for start, end in itertools.pairwise([0, *cuts, len(stream)]):
        events += decoder.feed(stream[start:end])
    assert events == whole and all(isinstance(e, Frame) or e.reason in REASONS for e in events)
    assert {e.values for e in whole if isinstance(e, Frame) and e.kind == COMMAND} <= sent
    # In step again by the next good frame; in the styles with a sequence it has come already.
    last = [e for e in whole if isinstance(e, Frame) or e.reason == "repeated"][-1]
    assert last.raw and (
        isinstance(last, RefusedFrame) or last.values == nuvrik.Decoder(link).feed(wires[3])[0].values
    )


@settings(max_examples=many(100))
@given(links, st.lists(st.binary(max_size=60), max_size=30))
def test_no_noise_moves_anything_or_fills_memory(link: nuvrik.Link, pieces: list[bytes]) -> None:
    decoder, machine = nuvrik.Decoder(link), nuvrik.Machine(link)
    for now, piece in enumerate(pieces * 20):
        decoder.feed(piece)
        assert len(decoder._held) <= decoder._most + 4
        machine.feed(piece, 20 * now)
        assert not machine.tick(20 * now)[0].driven


LINE = nuvrik.Decoder(STYLES["spaced"])
GOOD = b"DRIVE 90;1.25;2;15;1"


def with_xor(text: bytes) -> bytes:
    return text + b"*%02X\n" % check_of(text, CHECK_XOR8)


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        (with_xor(b"DRIVE 90;1.25;2;15"), "bad_field"),
        (with_xor(GOOD + b";1"), "bad_field"),
        (with_xor(b"DRIVE 181;1.25;2;15;1"), "bad_field"),
        (with_xor(b"DRIVE 90;1.255;2;15;1"), "bad_field"),
        (with_xor(b"DRIVE 90;1.25;3;15;1"), "bad_field"),
        (with_xor(b"DRIVE 90;1.25;2;16;1"), "bad_field"),
        (with_xor(b"DRIVE 9e1;1.25;2;15;1"), "bad_field"),
        (with_xor(b"DRIVE 123456789;1.25;2;15;1"), "bad_field"),
        (with_xor(b"DRIVE ;1.25;2;15;1"), "bad_field"),
        (with_xor("DRIVE \u0669;1.25;2;15;1".encode()), "bad_field"),
        (with_xor(b"STEER 90;1.25;2;15;1"), "wrong_kind"),
        (GOOD + b"\n", "check"),
        (GOOD + b"*00\n", "check"),
        (b"*\n", "check"),
        (b"#\n", "too_short"),
        (b"#zz\n", "stuffing"),
        (b"x" * 500 + b"\n", "too_long"),
    ],
)
def test_a_line_that_is_not_right_is_refused_with_its_reason(text: bytes, reason: str) -> None:
    assert [event.reason for event in LINE.feed(text)] == [reason]
    (good,) = LINE.feed(with_xor(b"DRIVE  90 ; 1.2;2;15;1"))
    assert good.values == (0, 7864, 2, 15, 1)
    assert LINE.feed(with_xor(b"!"))[0].kind == STOP and LINE.feed(b"\n\n") == []


KEYS = nuvrik.parse(
    HEAD
    + '[frame]\nstyle = "keys"\naccept = ["no_sequence", "no_pair", "no_layout", "no_check"]\n'
    + '[frame.keys]\n"w" = { set = { throttle = 0.5 } }\n"s" = { set = { throttle = 0 } }\n'
    + '"+" = { add = { throttle = 0.25 } }\n"m" = { set = { arm = 1, throttle = 0 } }\n'
    + '"n" = { set = { arm = 0 } }\n" " = { stop = true }\n'
    + '[channels.throttle]\nkind = "level"\n[channels.arm]\nkind = "flag"\n'
    + '[outputs.motor]\nkind = "motor"\ndriver = "pwm_1dir"\nmix = { throttle = 1.0 }\n'
    + '[failsafe]\narm = "arm"\ntimeout_ms = 800\ngood_frames = 2\n'
)


def test_keys_drive_a_machine_and_a_stop_or_a_silence_puts_everything_off() -> None:
    machine, now = nuvrik.Machine(KEYS), 0

    def press(keys: str) -> nuvrik.State:
        nonlocal now
        for key in keys:
            now += 100
            machine.feed(key.encode(), now)
            machine.tick(now)
        return machine.state

    assert press("ss") == "STANDBY" and press("nm") == "ARMED" and machine.safe
    assert press("w") == "ARMED" and machine.demands[0].value == 128
    assert press("+++?") == "ARMED" and machine.demands[0].value == 255 and machine.counts["bad_field"] == 1
    assert press(" ") == "STOPPED" and machine.safe
    # The stop has put arm off as well: keys alone do not bring it back.
    assert press("wwww") == "STANDBY" and machine.safe
    assert press("snm") == "ARMED" and press("w") == "ARMED"
    now += 900
    machine.tick(now)
    assert machine.state == "FAILSAFE" and press("w+") == "STANDBY" and machine.safe


def test_a_handset_sends_the_keys_that_lead_where_the_stick_is() -> None:
    text = starter_text("slider_motor")
    frame = text[text.index("[frame]") : text.index("[controls")]
    link = nuvrik.parse(
        text.replace(
            frame,
            '[frame]\nstyle = "keys"\nsend = "numbers"\n'
            'accept = ["no_sequence", "no_pair", "no_layout", "no_check"]\n[frame.keys]\n'
            + "".join(f'"{n}" = {{ set = {{ speed = {n / 10} }} }}\n' for n in range(11))
            + '"20" = { set = { arm = 1 } }\n"21" = { set = { arm = 0 } }\n"99" = { stop = true }\n\n',
        )
    )
    handset, machine = nuvrik.Handset(link), nuvrik.Machine(link)
    low, high = link.controls["slider"].raw
    for now in range(0, 6000, 5):
        place = 0.0 if now < 3000 or now > 5000 else 0.62
        handset.read(now, slider=round(low + place * (high - low)), arm_switch=int(not 1500 < now < 5500))
        machine.feed(handset.send(now), now)
        machine.tick(now)
        if now == 2900:
            assert machine.state == "ARMED" and machine.safe
        if now == 4900:
            assert machine.state == "ARMED" and abs(machine.demands[0].level - 0.6 * FULL) < 0.02 * FULL
    assert machine.state == "STANDBY" and machine.safe


def test_the_boards_in_the_documents_are_described_as_they_say() -> None:
    """The two examples of docs/link-file.md, as they stand there."""
    text = (Path(__file__).parents[1] / "docs/link-file.md").read_text("utf-8")
    line, keys = (part.partition("```")[0] for part in text.split("```toml\n")[1:3])
    rest = (
        'link = {{ name = "board", rate_hz = 20 }}\nmedium = {{ kind = "serial" }}\n{}'
        '[channels.steering]\nkind = "level"\n[channels.throttle]\nkind = "level"\n'
        '[channels.arm]\nkind = "flag"\n[failsafe]\narm = "arm"\ntimeout_ms = 500\n'
    )
    link = nuvrik.parse(
        rest.format(line).replace('[channels.arm]\nkind = "flag"\n', "").replace('"arm"', '"none"')
    )
    assert Encoder(link).command_on_wire([0, -5734], 0) == b"W 23 -245\n" and Encoder(link).stop(0) == b""
    link = nuvrik.parse(rest.format(keys))
    assert [event.kind for event in nuvrik.Decoder(link).feed(b"fxd ")] == [COMMAND, COMMAND, COMMAND, STOP]


def test_nothing_but_keys_is_ever_sent_as_keys(tmp_path: Path) -> None:
    """The digits of a hello or a jog would be keys: here "1" arms and "4" drives."""
    text = starter_text("slider_motor")
    start, end = text.index("[frame]"), text.index("[controls")
    frame = (
        f'[frame]\nstyle = "keys"\n{NO}, "no_check"]\n[frame.keys]\n"1" = {{ set = {{ arm = 1 }} }}\n'
        '"0" = { set = { arm = 0, speed = 0 } }\n"4" = { set = { speed = 1 } }\n" " = { stop = true }\n\n'
    )
    link_text = text[:start] + frame + text[end:] + '[telemetry.t]\nkind = "demand"\nof = "motor"\n'
    link = nuvrik.parse(link_text)
    handset, sent = nuvrik.Handset(link), set()
    handset.greet()
    handset.echo(0)
    handset.jog(next(iter(link.outputs)), 4000 / FULL, 300)
    for now in range(0, 3000, 10):
        handset.read(now, slider=link.controls["slider"].raw[0], arm_switch=1)
        sent |= set(handset.send(now))
    assert sent == {ord("0")}
    file = write(tmp_path, "keys.toml", link_text)
    assert "nobody can be asked" in nuvrik_command("hello", file, "--port", "sim", code=2)
    assert "no way of asking" in nuvrik_command("jog", file, "motor", "--port", "sim", code=2)


@pytest.mark.parametrize(
    ("frame", "where", "words"),
    [
        ('style = "line"', "frame.accept", "anybody's frames"),
        ('style = "packed"\npair = 4\naccept = ["no_check"]', "frame.accept", "provides"),
        (f'style = "line"\n{NO}]', "frame.accept", "damaged on the way"),
        (f'style = "line"\nseparator = "1"\ncheck = "crc8"\n{NO}]', "frame.separator", "numbers"),
        (f'style = "line"\nend = "0"\ncheck = "crc8"\n{NO}]', "frame.end", "numbers"),
        (f'style = "line"\ntag = "#"\ncheck = "crc8"\n{NO}]', "frame.tag", "begins with #"),
        (f'style = "line"\ncheck = "crc8"\n{NO}]\nfields = {{ x = {{}} }}', "frame.fields.x", "no channel"),
        (
            f'style = "line"\ncheck = "crc8"\n{NO}]\nfields = {{ gain = {{ range = [0, 0] }} }}',
            "frame.fields.gain.range",
            "both ends",
        ),
        (
            f'style = "columns"\ncheck = "crc8"\n{NO}]\nfields = {{ gain = {{ range = [0, 1.5] }} }}',
            "frame.fields.gain.range",
            "more than 0 decimals",
        ),
        (f'style = "keys"\nkeys = {{ w = {{ }} }}\n{NO}, "no_check"]', "frame.keys", "none of them stops"),
        (
            f'style = "keys"\nkeys = {{ ww = {{ stop = true }} }}\n{NO}, "no_check"]',
            "frame.keys",
            "one printable",
        ),
        (
            'style = "keys"\nkeys = { " " = { stop = true }, w = { add = { arm = 1 } } }\n'
            + NO
            + ', "no_check"]',
            "frame.keys.w.add",
            "arm channel",
        ),
    ],
)
def test_a_style_that_does_not_fit_says_so(frame: str, where: str, words: str) -> None:
    found = problem_in(f"{HEAD}[frame]\n{frame}\n{TAIL}", where)
    assert words in f"{found.what} {found.do}"


@pytest.mark.slow
def test_what_goes_undetected_is_measured_and_is_what_the_mathematics_says() -> None:
    per_million = {
        name: {found.damage: found.per_million for found in measure(link, 400, seed=1)}
        for name, link in STYLES.items()
    }
    assert not any(per_million["packed"].values()) and not any(per_million["slip"].values())
    assert per_million["line"]["one bit inverted"] == 0 == per_million["spaced"]["one bit inverted"]
    assert per_million["spaced"]["two bytes swapped"] > 10_000, "xor8 cannot see it"
    assert per_million["columns"]["one bit inverted"] > 10_000, "nothing checks columns without a check"


def test_every_style_lays_out_its_bytes_and_takes_frames_of_other_kinds() -> None:
    for name, link in {**STYLES, "keys": KEYS}.items():
        rows, encoder = style_of(link).rows(), Encoder(link)
        assert sum(bits for *_, bits, _, _ in rows) == 8 * encoder.longest_body, name
        decoder = nuvrik.Decoder(link, TO_HANDSET)
        (event,) = decoder.feed(encoder.on_wire(encoder.sealed(6, 3, b"\x01ab")))
        assert isinstance(event, Frame) and event.values.token == b"ab" and style_of(link).marks(event)
