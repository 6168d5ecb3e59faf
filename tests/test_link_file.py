"""Link files: good ones mean what they say, bad ones are told what is wrong, all of it, in plain words."""

import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many, problem_in, write
from test_loads_and_places import KEYS

import nuvrik
from nuvrik.levels import FULL, level_of
from nuvrik.plan.load import MAX_FILE_BYTES
from nuvrik.plan.problems import NOW_CALLED
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plan.wiring import Weights, output_routes

ROOT = Path(__file__).parents[1]
GOOD = starter_text("tug")


def output_weights(link: nuvrik.Link) -> dict[str, Weights]:
    return {name: route.weights for name, route in output_routes(link).items()}


@pytest.mark.parametrize("name", starter_names())
def test_every_starter_loads_without_errors_or_warnings(name: str) -> None:
    link = nuvrik.parse(starter_text(name))
    assert not [problem for problem in nuvrik.problems_in(link) if problem.level != "note"]


def test_generated_documents_and_demo_data_are_what_the_code_makes() -> None:
    for script in ("make_docs.py", "make_demo_data.py"):
        subprocess.run([sys.executable, str(ROOT / "tools" / script), "--check"], check=True)


def test_every_mix_comes_down_to_weights() -> None:
    assert output_weights(TUG) == {
        "port_screw": {"throttle": FULL, "turn": level_of(0.6)},
        "starboard_screw": {"throttle": FULL, "turn": -level_of(0.6)},
    }
    sides = 'style = "two_stick"\nleft_throttle = "throttle"\nright_throttle = "turn"\nleft ='
    two = nuvrik.parse(
        GOOD.replace(GOOD[GOOD.index('style = "one_stick"') : GOOD.index("left =") + 6], sides)
    )
    assert output_weights(two) == {"port_screw": {"throttle": FULL}, "starboard_screw": {"turn": FULL}}
    own = GOOD[: GOOD.index("[mix]")] + GOOD[GOOD.index("[failsafe]") :]
    own = own.replace("reverse = true", "reverse = true\nmix = { throttle = 0.5, turn = -1.5 }")
    assert output_weights(nuvrik.parse(own)) == {
        "port_screw": {},
        "starboard_screw": {"throttle": FULL // 2, "turn": -FULL - FULL // 2},
    }


SELECTOR = '[controls.s]\nkind = "selector"\nbuttons = ["arm_button", "stop_button"]\n'
ROCKER = '[controls.r]\nkind = "rocker"\nplus = "arm_button"\n'

BROKEN = [
    # what is changed, into what, where the problem is, and what its words must mention
    ("dead_zone = 0.04", "dead_zoon = 0.04", "controls.left_stick.dead_zoon", "dead_zone"),
    ("dead_zone = 0.04", "dead_zone = 1.4", "controls.left_stick.dead_zone", "less than 1"),
    ("dead_zone = 0.04", "dead_zone = nan", "controls.left_stick.dead_zone", "ordinary number"),
    ("dead_zone = 0.04", 'dead_zone = "0.04"', "controls.left_stick.dead_zone", "a number"),
    ("dead_zone = 0.04", "dead_zone = true", "controls.left_stick.dead_zone", "is true"),
    ("raw = [0, 508, 1023]", "raw = [0, 1023]", "controls.left_stick.raw", "at least 3"),
    ("raw = [0, 508, 1023]", "raw = [0, 2000, 1023]", "controls.left_stick.raw", "rest 2000 is not between"),
    ("raw = [0, 508, 1023]", "raw = [7, 7, 7]", "controls.left_stick.raw", "no travel"),
    ("raw = [0, 508, 1023]", "raw = [-60000, 0, 60000]", "controls.left_stick.raw", "65535"),
    ("raw = [0, 508, 1023]", "raw = [0, 508.5, 1023]", "controls.left_stick.raw.1", "whole number"),
    ("raw = [0, 508, 1023]", "", "controls.left_stick.raw", "is missing"),
    ('kind = "axis"', 'kind = "axes"', "controls.left_stick.kind", '"axis"'),
    ('kind = "axis"', "", "controls.left_stick.kind", "is missing"),
    ("[controls.left_stick]", "[controls.LeftStick]", "controls.LeftStick", "lower-case"),
    ('from = "left_stick"', 'from = "lift_stick"', "channels.throttle.from", '"left_stick"'),
    ('from = "left_stick"', 'from = "arm_button"', "channels.throttle.from", "button"),
    ("bits = 11", "bits = 40", "channels.throttle.bits", "at most 16"),
    ('throttle = "throttle"', 'throttle = "throtle"', "mix.throttle", '"throttle"'),
    ('throttle = "throttle"', 'throttle = "arm"', "mix.throttle", "cannot drive a motor"),
    ('right = ["starboard_screw"]', 'right = ["port_screw"]', "mix.right", "drives already"),
    ('right = ["starboard_screw"]', "right = []", "mix.right", "at least 1"),
    (
        "reverse = true",
        "reverse = true\nmix = { throttle = 1.0 }",
        "mix.right",
        "outputs.starboard_screw.mix",
    ),
    ("limit = 0.9", "limit = 0.1", "outputs.port_screw.start_duty", "nothing is left"),
    (
        "forward = 9",
        "forward = 5",
        "outputs.starboard_screw.pins.forward",
        "outputs.port_screw.pins.pwm uses too",
    ),
    ("forward = 9,", "", "outputs.starboard_screw.pins", "pwm_2dir has pwm, forward, backward"),
    ('arm = "arm"', 'arm = "arn"', "failsafe.arm", '"arm"'),
    ('arm = "arm"', 'arm = "turn"', "failsafe.arm", "must be a flag"),
    ('stop = "stop_button"', 'stop = "left_stick"', "failsafe.stop", "must be a button"),
    ("timeout_ms = 400", "timeout_ms = 30000", "failsafe.timeout_ms", "under 2540"),
    ("timeout_ms = 400", "timeout_ms = 20", "failsafe.timeout_ms", "always trips"),
    ("timeout_ms = 400", "timeout_ms = 99999999999999999999", "failsafe.timeout_ms", "at most 30000"),
    ("pair = 90", "pair = 0", "frame.pair", "at least 1"),
    ("bitrate = 250000", "payload_max = 8", "medium.payload_max", "9 bytes"),
    ("rate_hz = 50", "rate_hz = 50.5", "link.rate_hz", "whole number"),
    ("bitrate = 250000", "bitrate = 5000", "medium.bitrate", "1000000"),
    ("rate_hz = 50", "rate_hz = 800", "link.rate_hz", "at most 500"),
    ("[failsafe]", "[failsave]", "failsave", "failsafe"),
    ("expo = 0.3", "curve = [[0, 0], [0, 1]]", "controls.left_stick.curve", "does not rise"),
    (
        "expo = 0.3",
        "curve = [[-1, 1], [0, 0], [1, 1]]",
        "controls.left_stick.curve",
        "goes up and down again",
    ),
    ("expo = 0.3", "expo = 0.3\ncurve = [[0, 0], [1, 1]]", "controls.left_stick.curve", "as well as expo"),
    ("expo = 0.3", "expo = 0.3\nsmooth_ms = 5000", "controls.left_stick.smooth_ms", "at most 2000"),
    ('from = "left_stick"', "from = 3", "channels.throttle.from", "text in quotes"),
    ('from = "left_stick"', 'source = "left_stick"', "channels.throttle.source", "not a known key"),
    (
        'from = "left_stick"',
        'from = ["left_stick", "x"]',
        "channels.throttle.from.1",
        "no control of that name",
    ),
    (
        'from = "left_stick"',
        'from = "left_stick"\nmultiplied_by = "arm_button"',
        "channels.throttle.multiplied_by",
        "cannot feed",
    ),
    (
        'from = "left_stick"',
        'from = "left_stick"\nslow_when = "right_stick"',
        "channels.throttle.slow_when",
        "a button",
    ),
    (
        'from = "left_stick"',
        "weights = { left_stick = 1, y = 1 }",
        "channels.throttle.weights.y",
        "no control",
    ),
    *(
        ("[mix]", SELECTOR + f'[channels.c]\n{channel}from = "{control}"\n[mix]', "channels.c.from", words)
        for channel, control, words in (
            ('kind = "count"\nbits = 4\n', "left_stick", "its presses are counted"),
            ('kind = "choice"\noptions = ["a", "b"]\n', "left_stick", "name a selector"),
            ('kind = "choice"\noptions = ["a", "b", "c"]\n', "s", "2 buttons for 3 options"),
            ('kind = "level"\n', "s", "a selector without values"),
            ('kind = "level"\n', "arm_button", "name an axis, slider, rocker, nudge or selector"),
            ('kind = "flag"\n', "s", "feed a flag"),
        )
    ),
    ('left = ["port_screw"]', 'left = ["starboard_screw"]', "mix.right", "drives already"),
    (
        'right = ["starboard_screw"]',
        'right = ["starboard_screw", "horn"]\n[outputs.horn]\nkind = "switch"\nfollows = "arm"',
        "mix.right",
        "a switch follows a flag",
    ),
    ('from = "arm_button"', 'from = "left_stick"', "channels.arm.from", "add above"),
    ('from = "arm_button"', 'from = "arm_button"\nabove = 0.5', "channels.arm.from", "take above out"),
    ('style = "one_stick"', 'style = "one_stik"', "mix.style", '"one_stick"'),
    ('driver = "pwm_2dir"', 'idle = "brake"\ndriver = "pwm_1dir" #', "outputs.port_screw.idle", "cannot"),
    ('driver = "pwm_2dir"', 'driver = "two_pwm"', "outputs.port_screw.pins", "two_pwm has forward, backward"),
    ("start_duty = 0.18", "hold_duty = 0.9", "outputs.port_screw.hold_duty", "at most 0.5"),
    (
        "[controls.right_stick]",
        '[controls.knob]\nkind = "slider"\nraw = [0, 9]\npin = 14\n[controls.right_stick]\npin = 14',
        "controls.right_stick.pin",
        "controls.knob.pin uses too",
    ),
    ("[mix]", "[board]\npins = 9\n[mix]", "outputs.starboard_screw.pins.forward", "pins 0 to 8"),
    ("[mix]", "[board]\npwm_pins = [5]\n[mix]", "outputs.starboard_screw.pins.pwm", "cannot carry PWM"),
    ("[mix]", "[board]\nreserved = [7]\n[mix]", "outputs.port_screw.pins.forward", "board.reserved"),
    (
        "[mix]",
        '[outputs.horn]\nkind = "switch"\nfollows = "turn"\n[mix]',
        "outputs.horn.follows",
        "use a flag",
    ),
    ("[mix]", '[outputs.h]\nkind = "servo"\ntravel = [0.5, 1]\n[mix]', "outputs.h.travel", "the centre"),
    (
        "[mix]",
        '[outputs.h]\nkind = "servo"\npulse_us = [1, 2, 3]\n[mix]',
        "outputs.h.pulse_us.0",
        "at least 400",
    ),
    ("[mix]", '[outputs.h]\nkind = "stepper"\n[mix]', "outputs.h.rate_max", "is missing"),
    (
        "[channels.throttle]",
        ROCKER + 'minus = "arm_button"\n[channels.throttle]',
        "controls.r.minus",
        "uses too",
    ),
    (
        "[channels.throttle]",
        ROCKER + 'minus = "left_stick"\n[channels.throttle]',
        "controls.r.minus",
        "name a button",
    ),
    ("[channels.throttle]", ROCKER + 'minus = "r"\n[channels.throttle]', "controls.r.minus", "kind rocker"),
    ("[channels.arm]", "[channels.none]", "channels.none", "rename"),
]


@pytest.mark.parametrize(
    ("old", "new", "where", "words"), BROKEN, ids=[f"{b[2]}-{i}" for i, b in enumerate(BROKEN)]
)
def test_each_thing_that_can_be_wrong_is_named_and_explained(
    old: str, new: str, where: str, words: str
) -> None:
    assert old in GOOD
    found = problem_in(GOOD.replace(old, new, 1), where)
    assert words in f"{found.what} {found.do}"


NOTED = [
    ("dead_zone = 0.04", "", "controls.left_stick.dead_zone", "of its duty at once"),
    ("start_duty = 0.18", "start_duty = 0.18\nhold_duty = 0.2", "outputs.port_screw.hold_ms", "gets warm"),
    (
        "start_duty = 0.18",
        "hold_duty = 0.2\nhold_ms = 900",
        "outputs.port_screw.hold_duty",
        "lets its load go",
    ),
    ("[mix]", '[outputs.h]\nkind = "servo"\nmix = { turn = 1 }\n[mix]', "outputs.h.ramp_ms", "it jumps"),
    (
        'from = "right_stick"',
        'from = "right_stick"\noptional = true',
        "channels.turn.optional",
        "counts as 0",
    ),
    (
        'right = ["starboard_screw"]',
        'right = ["starboard_screw", "aft"]\n[outputs.aft]\nkind = "motor"\ndriver = "pwm_2dir"',
        "mix.right",
        "unlike start_duty",
    ),
]


@pytest.mark.parametrize(("old", "new", "where", "words"), NOTED, ids=[where for _, _, where, _ in NOTED])
def test_what_is_worth_knowing_is_noted(old: str, new: str, where: str, words: str) -> None:
    assert old in GOOD
    found = [p for p in nuvrik.problems_in(nuvrik.parse(GOOD.replace(old, new, 1))) if p.where == where]
    assert [p.level for p in found] == ["note"] and words in f"{found[0].what} {found[0].do}", found
    assert where not in {p.where for p in nuvrik.problems_in(nuvrik.parse(GOOD))}


def test_a_preset_needs_something_to_replace_and_a_flag_needs_no_bits() -> None:
    text = GOOD.replace('from = "right_stick"', 'preset_when = "arm_button"\npreset = 0.5', 1)
    assert "never has a reading" in problem_in(text, "channels.turn.preset_when").what
    link = nuvrik.parse(GOOD + '\n[requests.beep]\nkind = "call"\nargs = { loud = { kind = "flag" } }\n')
    assert link.requests["beep"].arguments["loud"].bits == 1
    # Keys have no sequence numbers that could run out before a long timeout.
    lines = KEYS.replace("timeout_ms = 400", "timeout_ms = 20000")
    assert nuvrik.parse(lines).failsafe.timeout_ms == 20_000


def test_every_problem_is_reported_at_once() -> None:
    text = GOOD
    for old, new in (
        ("expo = 0.3", "expo = 3"),
        ("rate_hz", "rate_hertz"),
        ('from = "right_stick"', 'from = "x"'),
        ("forward = 9", "forward = 10"),
    ):
        text = text.replace(old, new, 1)
    with pytest.raises(nuvrik.LinkFileError) as caught:
        nuvrik.parse(text)
    assert {problem.where for problem in caught.value.problems} == {
        "controls.left_stick.expo",
        "link.rate_hertz",
        "link.rate_hz",
        "channels.turn.from",
        "outputs.starboard_screw.pins.backward",
    }


WARNED = [
    ('arm = "arm" ', 'arm = "none" ', "failsafe.arm"),
    ('recover = "at_rest"', 'recover = "resume"', "failsafe.recover"),
    ("timeout_ms = 400", "timeout_ms = 50", "failsafe.timeout_ms"),
    ('from = "right_stick"', "", "channels.turn"),
    ('stop = "stop_button" ', "", "failsafe.stop"),
    ("rate_hz = 50", "rate_hz = 60", "link.rate_hz"),
    ("start_duty = 0.18", 'at_power_up = { pwm = "float" }', "outputs.port_screw.at_power_up.pwm"),
    ("start_duty = 0.18", 'fed_from = "regulator"', "outputs.port_screw.fed_from"),
    ("start_duty = 0.18", "current_ma = 900", "board.supply_ma"),
    ("dead_zone = 0.04", 'on_release = "hold"', "controls.right_stick.on_release"),
    ("dead_zone = 0.04", "trim = 0.2", "controls.left_stick.trim"),
    (
        "[controls.stop_button]",
        '[controls.stop_button]\npin = 4\nactive = "low"',
        "controls.stop_button.active",
    ),
    ("[channels.turn]", '[channels.n]\nkind = "count"\nfrom = "arm_button"\n[channels.turn]', "channels.n"),
]


@pytest.mark.parametrize(("old", "new", "where"), WARNED)
def test_what_is_allowed_but_unwise_is_said(old: str, new: str, where: str) -> None:
    assert old in GOOD
    board = "\n[board]\nsupply_ma = 500\n" if "current" in new else ""
    problems = nuvrik.problems_in(nuvrik.parse(GOOD.replace(old, new, 1) + board))
    assert where in {problem.where for problem in problems}


def test_files_that_are_no_link_files(tmp_path: Path) -> None:
    for content, words in (
        (b"", "is empty"),
        (b" \n\t\n", "is empty"),
        (bytes(range(256)) * 10, "is not text"),
        (b"x" * (10 * MAX_FILE_BYTES), "is larger than 1 MB"),
        (b"[link\nname = 3", "is not valid TOML"),
        (b"a = " + b"[" * 50_000, "nested too deeply"),
        (b"a = " + b"9" * 10_000, "is not valid TOML"),
        (b"link = 3\nmedium = []\nchannels = 'x'\nframe = 1979-05-27\nfailsafe = {}", "must be a section"),
    ):
        file = tmp_path / "some.toml"
        file.write_bytes(content)
        with pytest.raises(nuvrik.LinkFileError, match=words):
            nuvrik.load(file)
    for missing in (tmp_path / "none.toml", tmp_path):
        with pytest.raises(nuvrik.LinkFileError, match="cannot be read"):
            nuvrik.load(missing)
    assert nuvrik.load(write(tmp_path, "bom.toml", "\ufeff" + GOOD)) == TUG


LINES = GOOD.splitlines()


@settings(max_examples=many(250))
@given(
    st.lists(
        st.tuples(
            st.integers(0, len(LINES) - 1),
            st.sampled_from(["drop", "twice", "swap", "cut", "number", "text"]),
            st.integers(0, 40),
        ),
        min_size=1,
        max_size=6,
    )
)
def test_a_mangled_file_either_loads_or_is_explained(changes: list[tuple[int, str, int]]) -> None:
    lines = list(LINES)
    for place, what, more in changes:
        line = lines[place]
        lines[place] = {
            "drop": "",
            "twice": f"{line}\n{line}",
            "swap": lines[(place + more) % len(lines)],
            "cut": line[:more],
            "number": line.split("=")[0] + "= -1e9",
            "text": line.split("=")[0] + '= "\\u0000"',
        }[what]
    try:
        link = nuvrik.parse("\n".join(lines))
    except nuvrik.LinkFileError as error:
        assert error.problems and all(problem.what and problem.do for problem in error.problems)
    else:
        nuvrik.Machine(link).tick(0)
        nuvrik.Handset(link).send(0)


def test_what_has_a_new_name_is_refused_with_it() -> None:
    """Every word of NOW_CALLED, in a place where it stood."""
    old = (
        starter_text("marram")
        .replace("multiplied_by", "times")
        .replace('on_loss = "ramp"', 'on_loss = "stop"')
        .replace("forward =", "ahead =")
        .replace("backward =", "astern =")
        .replace("\nramp_ms = 600", "\nspeed_ms = 600")
        .replace("dead_zone = 0.04", "dead_zone = 0.04\nslew_ms = 100", 1)
        .replace('kind = "distance"', 'kind = "range"')
        .replace('recover = "at_rest"', 'recover = "neutral"\nneutral_band = 0.02')
        .replace("start_duty = 0.18", "start_duty = 0.18\nstraighten = [[0, 0], [1, 1]]", 1)
    )
    packed, slip, remote = "lead_zero = false", "lead_end = false", "lapse_ms = 900"
    old = old.replace("[frame]", f"[frame]\n{packed}\n{slip}")
    curtain = (
        starter_text("curtain")
        .replace("disarm_after_ms = 10000", remote)
        .replace("released_after_ms", "hold_ms")
    )
    said = ""
    for text in (old, curtain):
        with pytest.raises(nuvrik.LinkFileError) as refused:
            nuvrik.parse(text)
        said += str(refused.value)
    for word, now in NOW_CALLED.items():
        assert word in said and f'now called "{now}"' in said, word
