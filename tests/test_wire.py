"""Channels to bytes and back, against published numbers, against noise, and cut anywhere."""

import itertools
import os
import random
from binascii import crc_hqx

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, WIRED, any_link, any_values, many
from lives import life_of_a_writer
from random_links import random_link

import nuvrik
from nuvrik.core.frames import writer
from nuvrik.core.frames.bits import level_code
from nuvrik.core.levels import NO_READING
from nuvrik.ends.sending import sending
from nuvrik.plan.layout import layout_text
from nuvrik.plan.tables.writer import writer_table
from nuvrik.wire.cobs import stuff, unstuff
from nuvrik.wire.codes import decode_table, encode, level_from_code
from nuvrik.wire.decoder import REASONS, Decoder, Frame, RefusedFrame
from nuvrik.wire.events import WITH_KEY
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import COMMAND, HELLO, STOP, TELEMETRY
from nuvrik.wire.messages import Who, pack_hello
from nuvrik.wire.packing import quantised
from nuvrik.wire.sealed import initial_from_check
from nuvrik.wire.styles.train import GAP, in_bytes

STYLES = ("packed", "slip", "line", "columns", "keys", "train")

EXAMPLE = nuvrik.parse("""
link = { name = "example", rate_hz = 50 }
medium = { kind = "serial" }
frame = { style = "packed", pair = 0x5A }
failsafe = { arm = "none", timeout_ms = 400 }
[channels]
throttle = { kind = "level", bits = 10 }
horn = { kind = "flag" }
""")


def test_the_example_of_the_wire_format() -> None:
    encoder = Encoder(EXAMPLE)
    assert layout_text(EXAMPLE) == "channels.throttle:level:10\nchannels.horn:flag:1\narm:none\n"
    assert encoder.tag == 0xBE4D
    assert level_code(-5734, 10) == -179 & 0x3FF
    body = encoder.command([-5734, 1], 7)
    assert body.hex() == "105a4d074d07dbf8"
    assert encoder.on_wire(body).hex() == "0009105a4d074d07dbf800"
    assert (
        nuvrik.parse(
            'link = { name = "x", rate_hz = 9 }\nmedium = { kind = "serial" }\n'
            'frame = { style = "packed", pair = 1 }\nfailsafe = { arm = "on", timeout_ms = 500 }\n'
            "[channels]\n"
            'gait = { kind = "choice", options = ["walk", "trot", "run"] }\non = { kind = "flag" }'
        )
        .channels["gait"]
        .bits
        == 2
    )


def test_published_check_value_and_cobs_examples() -> None:
    # The catalogue's check value of this CRC (initial 0xFFFF, not reflected, no final XOR).
    assert crc_hqx(b"123456789", 0xFFFF) == 0x29B1
    # The examples of the COBS paper's encoding, as they are commonly tabulated.
    for plain, stuffed in (
        ("00", "0101"),
        ("0000", "010101"),
        ("00110000", "0102110101"),
        ("1122330044", "041122330244"),
        ("11223344", "0511223344"),
        ("11000000", "0211010101"),
    ):
        assert stuff(bytes.fromhex(plain)) == bytes.fromhex(stuffed)
        assert unstuff(bytes.fromhex(stuffed)) == bytes.fromhex(plain)
    with pytest.raises(ValueError):
        stuff(b"x" * 254)


@given(st.binary(max_size=200))
def test_stuffing_has_no_zero_and_comes_undone(body: bytes) -> None:
    assert 0 not in stuff(body)
    assert unstuff(stuff(body)) == body


@given(st.binary(max_size=40), st.integers(0, 0xFFFF))
def test_the_crc_runs_backwards(data: bytes, initial: int) -> None:
    assert initial_from_check(data, crc_hqx(data, initial)) == initial


@pytest.mark.parametrize("bits", range(3, 16))
def test_every_code_means_itself(bits: int) -> None:
    for code in range(1 << bits):
        assert encode(level_from_code(code, bits), "level", bits) == code
    for code, share in enumerate(decode_table("share", bits - 1)):
        assert encode(share, "share", bits - 1) == code


@given(st.data())
def test_what_is_sent_is_what_is_heard(data: st.DataObject) -> None:
    link = data.draw(any_link())
    values, seq = data.draw(any_values(link)), data.draw(st.integers(0, 255))
    encoder, decoder = Encoder(link), Decoder(link)
    wire = encoder.on_wire(encoder.command(values, seq))
    assert encoder.command_on_wire(values, seq) == wire
    (event,) = decoder.feed_datagram(wire) if link.medium.datagrams else decoder.feed(wire)
    assert isinstance(event, Frame) and (event.kind, event.seq) == (COMMAND, seq)
    for sent, heard, field in zip(values, event.values, encoder.packer.fields, strict=True):
        assert heard == quantised(sent, field)
        if field.kind in ("level", "share"):
            half_step = (
                16384 / ((1 << (field.bits - (field.kind == "level"))) - 2 + (field.kind == "level")) / 2
            )
            assert (sent is None) == (heard is None) and abs((sent or 0) - (heard or 0)) <= half_step + 1
        else:
            assert sent == heard


@given(st.data(), st.sampled_from([-16385, 16385, 49152, 65536, -49153, 0.5, 1.5]))
def test_no_value_out_of_range_is_ever_sent(data: st.DataObject, wrong: int) -> None:
    link = data.draw(any_link())
    values = data.draw(any_values(link))
    places = [i for i, channel in enumerate(link.channels.values()) if channel.kind != "count"]
    if places:
        values[data.draw(st.sampled_from(places))] = wrong
        with pytest.raises(ValueError):
            Encoder(link).command(values, 0)


PIECES = st.one_of(
    st.binary(max_size=30),
    st.just(b"\0"),
    st.just(b"\xff" * 300),
    st.builds(
        lambda seq, arm: Encoder(WIRED).on_wire(Encoder(WIRED).command([seq, None, arm], seq)),
        st.integers(0, 255),
        st.integers(0, 1),
    ),
    st.builds(lambda seq: Encoder(WIRED).on_wire(Encoder(WIRED).stop(seq)), st.integers(0, 255)),
)


@settings(max_examples=many(300))
@given(st.lists(PIECES, max_size=20), st.lists(st.integers(0, 2000), max_size=30))
def test_how_a_stream_is_cut_makes_no_difference(pieces: list[bytes], cuts: list[int]) -> None:
    stream = b"".join(pieces)
    whole = Decoder(WIRED).feed(stream)
    decoder, events = Decoder(WIRED), []
    places = [0, *sorted(min(cut, len(stream)) for cut in cuts), len(stream)]
    for start, end in itertools.pairwise(places):
        events += decoder.feed(stream[start:end])
        assert len(decoder._held) <= decoder._most
    assert events == whole
    assert all(isinstance(event, Frame) or event.reason in REASONS for event in whole)


def test_each_reason_and_their_order() -> None:
    """One frame for each reason that is wrong in that way and in every later way it can be."""
    encoder, other = Encoder(WIRED), Encoder(EXAMPLE)
    good = encoder.command([0, 0, 1], 5)

    def sealed(head: bytes, payload: bytes) -> bytes:
        covered = head + payload
        return covered + crc_hqx(covered, encoder.tag).to_bytes(2, "big")

    tag = encoder.tag & 0xFF
    elsewhere = bytes([0x10, 90]) + other.command([0, 0], 5)[2:-2]
    elsewhere += crc_hqx(elsewhere, other.tag).to_bytes(2, "big")
    cases = {
        "too_long": b"\x01" * 250,
        "too_short": stuff(good[:5]),
        "check": stuff(good[:-1] + bytes([good[-1] ^ 1])),
        "wrong_layout": stuff(elsewhere),
        "version": stuff(sealed(bytes([0x2F, 91, tag, 5]), b"")),
        "wrong_pair": stuff(sealed(bytes([0x1F, 91, tag, 5]), b"")),
        "wrong_kind": stuff(sealed(bytes([0x10 | TELEMETRY, 90, tag, 5]), b"")),
        "bad_field": stuff(sealed(bytes([0x10, 90, tag, 5]), b"\0\0\x80")),
        "repeated": stuff(encoder.command([9, 9, 0], 5)),
        "out_of_order": stuff(encoder.command([9, 9, 0], 4)),
        "stuffing": b"\x07\x01",
    }
    assert {*cases, "late"} == set(REASONS) - {
        *WITH_KEY
    }  # what is late has a test of its own, on a link with a guard
    decoder = Decoder(WIRED)
    assert type(decoder.feed(encoder.on_wire(good))[0]) is Frame
    for reason, frame in cases.items():
        assert [event.reason for event in decoder.feed(frame + b"\0") if isinstance(event, RefusedFrame)] == [
            reason
        ]
        assert decoder.last == 5, "a refused frame never moves the sequence"
    assert [type(event) for event in decoder.feed(encoder.on_wire(encoder.command([0, 0, 1], 6)))] == [Frame]
    # Length and an impossible padding are one reason; so is a frame that is one byte too long.
    assert (
        decoder.feed(stuff(sealed(bytes([0x10, 90, tag, 7]), b"\0\0\0\0")) + b"\0")[0].reason == "bad_field"
    )
    # A hello is checked from 0xFFFF; one that answers is not for this end, but it is no noise.
    answer = pack_hello(Who(1, (2, 3, 4), 5, (0, 1, 0), 0, b"tug"))
    assert decoder.feed(stuff(encoder.sealed(HELLO, 8, answer)) + b"\0")[0].reason == "wrong_kind"
    assert decoder.feed(stuff(encoder.sealed(HELLO, 9, b"")) + b"\0")[0].reason == "bad_field"


@given(st.integers(0, 255), st.lists(st.integers(0, 255), max_size=40))
def test_sequence_numbers_against_a_plain_model(first: int, following: list[int]) -> None:
    encoder, decoder = Encoder(TUG), Decoder(TUG)
    last = None
    for seq in [first, *following]:
        (event,) = decoder.feed_datagram(encoder.command([0, 0, 0], seq))
        ahead = None if last is None else (seq - last) % 256
        if ahead == 0:
            assert event.reason == "repeated"
        elif ahead is not None and ahead >= 128:
            assert event.reason == "out_of_order"
        else:
            assert isinstance(event, Frame)
            last = seq


def test_a_stop_is_taken_whatever_its_sequence_and_moves_it_only_forward() -> None:
    encoder, decoder = Encoder(TUG), Decoder(TUG)
    decoder.feed_datagram(encoder.command([0, 0, 0], 200))
    for seq, last in ((200, 200), (150, 200), (210, 210)):
        (event,) = decoder.feed_datagram(encoder.stop(seq))
        assert isinstance(event, Frame) and event.kind == STOP
        assert decoder.last == last
    decoder.forget()
    assert isinstance(decoder.feed_datagram(encoder.command([0, 0, 0], 3))[0], Frame)


@given(st.data())
def test_one_or_two_flipped_bits_never_pass(data: st.DataObject) -> None:
    # CRC-16 with this polynomial has Hamming distance 4 up to far longer frames than these.
    body = bytearray(
        Encoder(TUG).command([data.draw(st.integers(-16384, 16384)), 0, 1], data.draw(st.integers(0, 255)))
    )
    flips = data.draw(st.sets(st.integers(0, 8 * len(body) - 1), min_size=1, max_size=3))
    for bit in flips:
        body[bit >> 3] ^= 1 << (bit & 7)
    (event,) = Decoder(TUG).feed_datagram(bytes(body))
    # Flips in the head may make it a hello, whose check starts elsewhere; that is refused as well.
    assert isinstance(event, RefusedFrame)


def test_the_rules_that_go_on_a_chip_write_what_the_library_sends() -> None:
    """The library has a fast way of making frames; core has the one that C and MicroPython take."""
    rng = random.Random(os.environ["NUVRIK_SEED"])
    for at in range(many(90)):
        link, stream = random_link(rng, style=STYLES[at % len(STYLES)]), rng.random() < 0.7
        table = writer_table(link, stream=stream)
        core, sends = writer.Writer(table), sending(link, stream=stream)
        gap = GAP if stream else b""
        for (method, said_of), _ in zip(life_of_a_writer(rng, table), range(80), strict=False):
            core.echo = rng.randrange(256)
            if method == "command":
                values = [None if one == NO_READING else one for one in said_of[0]]
                sent, said = sends.command(values, core.echo), core.command(said_of[0])
            else:
                sent, said = sends.stop(), core.stop()
            travels = bytes(core.sender.wire[: core.sender.count])
            if table.way_out == writer.OUT_SLOTS:
                travels = in_bytes(core.slots[: len(table.channels)]) + gap
            assert (travels if said else b"", core.sender.seq) == (sent, sends.frames & 0xFF)
