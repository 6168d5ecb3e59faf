"""Marks and spaces to codes and back; keys from a recording; a curtain that stops when its remote does."""

import io
import json
import random
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.calibration.remotes import learn
from nuvrik.core.infrared.burst import MOST_SCORE, NO_FIT
from nuvrik.core.infrared.families import MARGIN, RC5, SIRC12, Found
from nuvrik.core.sizes import MOST_LENGTHS
from nuvrik.ends.remote import Receiver, Remote
from nuvrik.plan.form.media import CODE_FORMS
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.codes import PROTOCOLS, frame, learned_press, press
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.noise import lamp_noise, worn
from nuvrik.pulses.shape import Shape
from nuvrik.pulses.timings import Piece, TimingsError, parse_timings, read_timings, write_timings
from nuvrik.rehearsal.beam import Beam
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import rehearse

pytestmark = pytest.mark.slow

CURTAIN = nuvrik.parse(starter_text("curtain"), "curtain.toml")
SHAPE = Shape((3400, 1700), (430, 430), (430, 1290), 40, 130_000)


def read(durations, shape=None):
    reader = InfraredReader(shape)
    return [*reader.feed(durations), *reader.end()]


@st.composite
def any_code(draw: st.DrawFn):
    """Any code of any kind: (protocol, address, command, toggle)."""
    name = draw(st.sampled_from(sorted(PROTOCOLS)))
    form = CODE_FORMS[name]
    address = draw(st.integers(0, (1 << form.address_bits) - 1))
    if name == "nec_extended" and address >> 8 == ~address & 0xFF:
        address ^= 1
    return name, address, draw(st.integers(0, (1 << form.command_bits) - 1)), draw(st.integers(0, 1))


# Worked out with pencil and paper from the published timings, in units of each code.
BY_HAND = {
    # Leader 16/8; address 04 = 00100000 lowest first, its complement, command 08 = 00010000, its complement.
    ("nec", 0x04, 0x08, 0): (
        562.5,
        [16, -8]
        + [x for bit in "00100000110111110001000011101111" for x in (1, -3 if bit == "1" else -1)]
        + [1],
    ),
    # 1 1 0, address 5 = 00101, command 35 = 100011: a 1 is off, on; a 0 is on, off.
    ("rc5", 5, 35, 0): (
        8000 / 9,
        [1, -1, 2, -1, 1, -1, 1, -2, 2, -2, 1, -1, 2, -1, 1, -1, 1, -2, 1, -1, 1],
    ),
    # Leader 6/2, start 1, mode 000, toggle 0 twice as long, address 0, command 0C = 00001100.
    ("rc6", 0, 0x0C, 0): (
        4000 / 9,
        [6, -2, 1, -2, 1, -1, 1, -1, 1, -2, 2, -1, *[1, -1] * 11, 2, -1, 1, -2, 1, -1, 1],
    ),
    # Leader 4/1, command 21 = 1010100 lowest first, address 1 = 10000 lowest first; a 1 is 2 long.
    ("sirc12", 1, 21, 0): (600, [4, *(x for bit in "101010010000" for x in (-1, 1 + int(bit)))]),
}


@pytest.mark.parametrize("code", BY_HAND)
def test_codes_are_as_published(code) -> None:
    unit, units = BY_HAND[code]
    made = frame(*code)
    assert [round(length / unit) for length in made] == units
    assert abs(sum(map(abs, made)) - unit * sum(map(abs, units))) <= 1
    protocol, address, command, toggle = code
    (found,) = read(made)
    assert found[1:4] == (protocol, address, command) and found.toggle in (toggle, None)


def scattered(durations: list[int], rng: random.Random, share: float) -> list[int]:
    """Each length off by up to a share of itself, for itself."""
    return [round(length * (1 + rng.uniform(-share, share))) for length in durations]


@pytest.mark.parametrize(
    ("clock", "stretch", "share", "unread_most"),
    [
        *((clock, 0, 0.0, 0.0) for clock in (0.8, 0.9, 1.1, 1.2)),
        *((1.0, stretch, 0.0, 0.01) for stretch in (-150, -75, 75, 150)),
        *((1.0, 0, share, 0.03) for share in (0.05, 0.1, 0.15)),
        *((clock, 0, 0.15, 0.03) for clock in (0.8, 1.2)),
    ],
)
def test_no_remote_and_no_receiver_makes_one_code_of_another(clock, stretch, share, unread_most) -> None:
    """Codes of every kind, extreme ones above all, from clocks and receivers as bad as there are: none is
    ever read as another, and few are not read."""
    rng, count, unread, false = random.Random(f"{clock} {stretch} {share}"), 300, 0, []
    for _ in range(count):
        name = rng.choice(sorted(PROTOCOLS))
        form = CODE_FORMS[name]
        address, command = (
            rng.choice([0, (1 << bits) - 1, 1, rng.randrange(1 << bits), rng.randrange(1 << bits)])
            for bits in (form.address_bits, form.command_bits)
        )
        if name == "nec_extended" and address >> 8 == ~address & 0xFF:
            address ^= 1
        one = worn(frame(name, address, command, rng.randrange(2)), rng, mark_stretch_us=stretch, clock=clock)
        found = [c for c in read([*scattered(one, rng, share), -40_000]) if c.protocol != "unknown"]
        false += [(name, address, command, c) for c in found if c[1:4] != (name, address, command)]
        unread += not found
    assert not false and unread <= unread_most * count, (unread, false)


@settings(max_examples=many(150))
@given(any_code(), st.randoms(use_true_random=False), st.integers(0, 3))
def test_whatever_is_made_is_read_however_sloppily_it_arrives(code, rng, repeats) -> None:
    """Any code, every duration off by up to 10 % of itself and more, with another clock, or marks up to 150
    us too long; cut into pieces anywhere."""
    protocol, address, command, toggle = code
    durations = press(protocol, address, command, repeats, toggle)
    about = PROTOCOLS[protocol]
    clock, stretch = rng.choice([(1.0, 0), (0.82, 0), (1.18, 0), (1.0, 100), (1.0, -60)])
    noisy = scattered(
        worn(durations, rng, mark_stretch_us=stretch, clock=clock), rng, 0.0 if stretch else 0.1
    )
    reader, found, place = InfraredReader(), [], 0
    while place < len(noisy):
        step = rng.randint(1, 30)
        found += reader.feed(noisy[place : place + step])
        place += step
    found += reader.end()
    assert len(found) == max(about.frames, 1 + repeats)
    assert {one[1:4] for one in found} == {(protocol, address, command)}
    assert [one.repeat for one in found] == [False] + [True] * (len(found) - 1)
    assert all(one.toggle == (toggle if about.toggles else None) for one in found)


@settings(max_examples=many(100))
@given(any_code(), st.sampled_from([0.82, 0.9, 1.1, 1.18]), st.randoms(use_true_random=False))
def test_a_slow_or_fast_clock_and_glitches_do_no_harm(code, clock, rng) -> None:
    name, address, command, toggle = code
    durations = worn(press(name, address, command, 0, toggle), rng, mark_stretch_us=100, clock=clock)
    place = rng.randrange(len(durations) - 1)
    whole, short = durations[place], rng.randint(10, 100)
    sign = 1 if whole > 0 else -1
    if abs(whole) > short + 250:
        before = rng.randint(101, abs(whole) - short - 101)
        durations[place : place + 1] = [sign * before, -sign * short, whole - sign * (before + short)]
    # A capture may begin in the middle of another frame.
    cut = frame(name, address, command, toggle)
    found = read([*cut[2 * rng.randint(1, 4) :], -40_000, *durations])
    assert [one[1:4] for one in found if one.protocol != "unknown"][-1] == (name, address, command)


def test_what_is_damaged_or_too_long_or_too_short_is_no_code() -> None:
    """Every bit of a checked code flipped, every frame one bit too long or too short."""
    good = frame("nec", 0x1C, 0x10)
    for bit in range(32):
        place = 3 + 2 * bit
        flipped = [*good[:place], -562 if good[place] < -1000 else -1688, *good[place + 1 :]]
        # The address half of the plain form is the extended form's address; the command half is checked.
        assert [c.protocol for c in read(flipped)] == ["nec_extended" if bit < 16 else "unknown"]
    for name in PROTOCOLS:
        one = frame(name, 3, 5)
        for wrong in ([*one, -700, 700], one[:-2], one[2:]):
            assert all(c.command is None for c in read(wrong)), name
    assert all(c.command is None for c in read(lamp_noise(600, 200, random.Random(1))))
    orphan = read([9000, -2250, 562])
    assert [(c.repeat, c.command) for c in orphan] == [(True, None)]


@settings(max_examples=many(60))
@given(st.lists(st.integers(-20_000, 20_000), max_size=400))
def test_any_numbers_whatever_raise_nothing_and_fill_nothing(numbers) -> None:
    reader = InfraredReader(SHAPE)
    for start in range(0, len(numbers), 7):
        reader.feed(numbers[start : start + 7])
    reader.feed([300, -300] * 1_000)
    # What is kept is bounded.
    assert reader.core.burst.kept <= MOST_LENGTHS + 1 and len(reader._run or ()) <= 400


def recording(keys, maker, rng) -> str:
    text = ""
    for name, code in keys:
        text += f"# {name}\n"
        for _ in range(3):
            held = worn(maker(code, rng.randrange(3))[:-1], rng, jitter_us=40, mark_stretch_us=80)
            text += write_timings([*held, -800_000]) + "\n"
    return text


def test_keys_are_learnt_and_written_into_a_link_file(tmp_path: Path) -> None:
    rng = random.Random(5)
    names = [name for name, control in CURTAIN.controls.items() if control.kind == "key"]
    codes = {name: 0x40 + n for n, name in enumerate(names)}
    made = tmp_path / "presses.txt"
    made.write_text(recording(codes.items(), lambda c, n: press("nec", 0x77, c, n), rng))
    link_file = tmp_path / "curtain.toml"
    link_file.write_text(starter_text("curtain"))
    said = nuvrik_command("infrared", "learn", made, "--write", link_file)
    assert "6 keys of nec written" in said and "warning" not in said
    written = nuvrik.load(link_file)
    assert {name: written.controls[name].code for name in names} == codes
    assert written.medium.address == 0x77 and "# other remotes are counted" in link_file.read_text()
    # One code on two buttons, and a name that nothing was pressed for.
    made.write_text(
        recording([("up", 1), ("down", 1)], lambda c, n: press("rc5", 3, c, n), rng) + "# left\n+500 -900\n"
    )
    found = json.loads(nuvrik_command("infrared", "learn", made, "--json"))
    assert [key["name"] for key in found["keys"]] == ["up", "down"]
    assert any("the same code" in words for words in found["warnings"])
    assert any("left" in words for words in found["warnings"])


def test_a_shape_that_nobody_published_is_learnt_and_then_read_as_strictly(tmp_path: Path) -> None:
    rng = random.Random(6)
    keys = {"key_open": 0x20_0000_0001, "key_shut": 0x20_0000_0101, "key_stop": 0x12_3456_7890}
    text = recording(keys.items(), lambda c, n: learned_press(SHAPE, c, n), rng)
    learned = learn(read_timings(io.StringIO(text), "presses"))
    assert {key.name: key.command for key in learned.keys} == keys and learned.shape is not None
    assert learned.shape.bits == 40 and abs(learned.shape.one[1] - 1290) < 120
    again = learned_press(learned.shape, 0xFF_00FF_00FF)
    assert [c.command for c in read(again, learned.shape)] == [0xFF_00FF_00FF]
    assert read([*again[:-1], -430, 430, -60_000], learned.shape)[0].command is None  # a bit too many
    assert [c.protocol for c in read(again)] == ["unknown"]  # and without the shape it is never guessed


BAD = {
    "9000 -4500 0 560": "number 3 is 0",
    "+9000 +4500": "two marks in a row",
    "9000 4500 560\n-560": "the ones before have no signs",
    "9.0 -4.5 0.56": "look like milliseconds",
    "9000.5 -4500": "not a whole number",
    "9 4 1 2 1 2 1 2 1": "milliseconds",
    "": "no durations",
    "here": "no duration",
}


@pytest.mark.parametrize("text", BAD)
def test_bad_timings_are_refused_in_plain_words(text: str, tmp_path: Path) -> None:
    file = tmp_path / "t.txt"
    file.write_text(text + "\n")
    said = nuvrik_command("infrared", "read", file, code=2)
    assert BAD[text] in said and "->" in said and "t.txt" in said
    with pytest.raises(TimingsError):
        parse_timings([9000, -4500.0])


def test_a_recording_without_end_is_read_piece_by_piece_and_not_learnt_from() -> None:
    class Endless(io.StringIO):
        """A single line of two million numbers, made as it is read."""

        left = 32

        def read(self, size: int | None = -1) -> str:
            self.left -= 1
            return "560 -560 " * 31_250 if self.left >= 0 else ""

    lengths = [len(piece.durations) for piece in read_timings(Endless(), "endless")]
    assert sum(lengths) == 2_000_000 and max(lengths) < 100_000
    with pytest.raises(ValueError, match="a few presses"):
        learn([Piece([560, -560] * 1_100_000, None)])


def press_for(remote: Remote, receiver: Receiver, beam: Beam, key: str, t_ms: int, for_ms: int) -> int:
    """Hold a key, arrivals every 100 ms as a program would see them; gives the time afterwards."""
    for now in range(t_ms, t_ms + for_ms, 10):
        if key and (now - t_ms) % 100 == 0:
            press_for.count += 1
            remote.read(now, **{key: press_for.count})
        durations = remote.send(now)
        if durations:
            beam.send(durations, 1000 * now)
        receiver.feed(beam.take(1000 * now), now)
        receiver.tick(now)
    return t_ms + for_ms


press_for.count = 0


def test_a_toggle_flips_once_a_press_and_all_off_sets_off() -> None:
    remote, receiver = Remote(CURTAIN), Receiver(CURTAIN)
    remote.read(0, **dict.fromkeys(("key_lights", "key_all_off", "key_arm", "key_open"), 0))
    beam = Beam(562.5, Conditions(), random.Random(1))
    lights = list(CURTAIN.outputs).index("footlights")

    def lit() -> bool:
        return bool(receiver.machine.demands[lights].signed)

    t_ms = press_for(remote, receiver, beam, "", 0, 1000)
    t_ms = press_for(remote, receiver, beam, "key_arm", t_ms, 60)
    t_ms = press_for(remote, receiver, beam, "", t_ms, 600)
    assert receiver.machine.state is nuvrik.State.ARMED
    for held_ms, after in ((900, True), (60, False), (60, True)):  # however long it is held, it flips once
        t_ms = press_for(remote, receiver, beam, "key_lights", t_ms, held_ms)
        t_ms = press_for(remote, receiver, beam, "", t_ms, 600)
        assert lit() is after
    for _ in range(2):
        t_ms = press_for(remote, receiver, beam, "key_all_off", t_ms, 300)
        t_ms = press_for(remote, receiver, beam, "", t_ms, 600)
        assert not lit() and receiver.machine.state is not nuvrik.State.ARMED
    # Somebody else's remote is counted, and its repeats with it.
    beam.send(press("nec", 0x55, 0x1E, 2), 1000 * t_ms)
    press_for(remote, receiver, beam, "", t_ms, 600)
    assert receiver.counts["wrong_address"] == 3 and receiver.machine.state is not nuvrik.State.ARMED


def test_arm_lapses_by_itself() -> None:
    remote, receiver = Remote(CURTAIN), Receiver(CURTAIN)
    remote.read(0, key_arm=0)
    beam = Beam(562.5, Conditions(), random.Random(1))
    t_ms = press_for(remote, receiver, beam, "", 0, 1000)
    t_ms = press_for(remote, receiver, beam, "key_arm", t_ms, 60)
    t_ms = press_for(remote, receiver, beam, "", t_ms, CURTAIN.medium.disarm_after_ms - 500)
    assert receiver.machine.state is nuvrik.State.ARMED
    press_for(remote, receiver, beam, "", t_ms, 700)
    assert receiver.machine.state is nuvrik.State.STANDBY


@pytest.mark.parametrize("protocol", [*PROTOCOLS, "learned"])
def test_every_code_stops_the_curtain_within_the_bound(protocol: str) -> None:
    """Each kind of code as the curtain's, through jitter and stretch; the beam blocked while it moves."""
    text = starter_text("curtain").replace('protocol = "nec"', f'protocol = "{protocol}"')
    if protocol == "learned":
        shape = SHAPE._asdict()
        given = ", ".join(f"{k} = {list(v) if isinstance(v, tuple) else v}" for k, v in shape.items())
        text = text.replace("address = 0x1C", f"shape = {{ {given} }}")
    if protocol not in ("nec", "nec_extended"):
        text = text.replace('"no_layout"]', '"no_layout", "no_check"]')
    link = nuvrik.parse(
        text.replace("released_after_ms = 250", "released_after_ms = 300"), f"{protocol}.toml"
    )
    worst = 0.0
    for seed in range(4):
        conditions = Conditions(jitter=0.08, mark_stretch_us=100, loss=0.02)
        run = rehearse(link, FAULTS["cable_pulled"], seed, conditions=conditions)
        assert run.verdict == "pass", run.why
        worst = max(worst, run.stop_ms or 0)
    assert worst > 300  # the hold at least: it was really moving


WRONG = [
    (
        'kind = "key"\ncode = 0x10\nreleased_after_ms = 250',
        'kind = "button"',
        "a remote control has only keys",
    ),
    ("code = 0x11", "code = 0x10", "so is that of key_open"),
    ("code = 0x11", "code = 0x1FF", "has room for 0 to 255"),
    ("address = 0x1C", "address = 300", "has room for 0 to 255"),
    ('protocol = "nec"', 'protocol = "sirc12"', "no_check"),
    ('style = "packed"', 'style = "slip"', "stay inside its receiver"),
    ('arm = "arm"', 'arm = "none"', "silent most of the time"),
    ('protocol = "nec"', 'protocol = "learned"', "medium.shape: is missing"),
    ('off_by = "key_all_off"', 'off_by = "key_lights"', "is itself"),
    ('plus = "key_open"', 'plus = "key_lights"', "only disarm_after_ms ends it"),
    ("[failsafe]", '[telemetry.lamp]\nkind = "digital"\n[failsafe]', "goes one way"),
]


@pytest.mark.parametrize(("old", "new", "words"), WRONG)
def test_an_infrared_link_file_is_checked(old: str, new: str, words: str, tmp_path: Path) -> None:
    text = starter_text("curtain")
    assert old in text
    file = tmp_path / "c.toml"
    file.write_text(text.replace(old, new, 1))
    assert words in nuvrik_command("check", file, code=None)


@pytest.mark.parametrize("best", [0, 100, MOST_SCORE, MOST_SCORE + 1])
@pytest.mark.parametrize("behind", [MARGIN - 1, MARGIN, NO_FIT])
def test_a_code_is_certain_up_to_the_limit_and_with_no_rival_within_the_margin(
    best: int, behind: int
) -> None:
    found = Found()
    found.enter(best, RC5, 3, 7, 0)
    found.enter(min(best + behind, NO_FIT), SIRC12, 3, 7, 0)
    assert found.certain() == (best <= MOST_SCORE and behind >= MARGIN)
    assert (found.protocol, found.address, found.command) == (RC5, 3, 7)
