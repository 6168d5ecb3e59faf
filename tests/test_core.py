"""One text of the rules: in its subset, in range, and the same in Python and in C after every step."""

import random
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest
from everywhere import LIVES, InC, live
from links import THOROUGH
from lives import any_ramp
from lives_handset import any_handset

import nuvrik
from nuvrik.core import levels, ramp
from nuvrik.core.hand.controls import Moved
from nuvrik.core.levels import FULL, TIMER_MAX
from nuvrik.core.machine import watch
from nuvrik.core.machine.states import Happening, State
from nuvrik.core.widths import Table
from nuvrik.ends.hands import QuickMoved
from nuvrik.export import checked, subset
from nuvrik.export.native import STRICT, Native, build, whole_source
from nuvrik.export.program import MODULES, Program, file_of, text_of
from nuvrik.export.to_c import WIDEST, whole_core
from nuvrik.failsafe.why import Code
from nuvrik.plan.outputs.demand import Told
from nuvrik.plan.outputs.motor import Quick
from nuvrik.plan.outputs.servo import QuickServo
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plan.tables.failsafe import watch_table
from nuvrik.plan.tables.made import made, ramp_table

pytestmark = pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain")

STEPS = 5_000 if THOROUGH else 2_000
EDGES = (0, 1, 2, 399, 400, 401, 1000, 32767, 32768, TIMER_MAX - 1, TIMER_MAX)
TEXTS = {name: text_of(name) for name in MODULES}


@pytest.fixture(scope="module")
def native(tmp_path_factory: pytest.TempPathFactory) -> Native:
    library = tmp_path_factory.mktemp("c") / "core.so"
    build(library)
    return Native(library)


def changed(module: str, old: str, new: str) -> dict[str, str]:
    assert TEXTS[module].count(old) == 1, f"{old} stands once in core/{file_of(module)}"
    return TEXTS | {module: TEXTS[module].replace(old, new)}


# ---- the subset ----


def test_core_is_in_its_subset_and_nothing_of_it_is_left_out() -> None:
    assert subset.check() == [] and subset.unread() == []


def added(text: str) -> dict[str, str]:
    return {"levels": TEXTS["levels"] + "\n\n" + text}


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("def f(a: u16) -> u16:\n    return a + None\n", "None is no whole number"),
        ("def f(a: u16) -> bool:\n    return 0 < a < 9\n", "chained comparison"),
        (
            "def f(a: u16) -> u16:\n    if a:\n        return 1\n    return 0\n",
            "a condition that is no comparison",
        ),
        ("def f(a: i32) -> i32:\n    return a >> 2\n", ">> of what may be negative"),
        ("def f(a: i32, b: i32) -> i32:\n    return a * b\n", "fits no 32 bits"),
        ("def f(a: u16):\n    return a\n", "no width"),
        ("def f(a: u16) -> u16:\n    b = a\n    return b\n", "b has no width"),
        ("def f(a: u16 = 3) -> u16:\n    return a\n", "has defaults"),
        ("def f(a: u16) -> u16:\n    return [a][0]\n", "List is not in the subset"),
        (
            "def f(a: u16) -> u16:\n    try:\n        return a\n    finally:\n        return 0\n",
            "Try is not in",
        ),
        ("def clamp(a: u16) -> u16:\n    return a\n", "is a name of core/levels.py too"),
        ("def f(signed: u16) -> u16:\n    return signed\n", "signed is a word of C"),
        ("def f(a: word) -> u16:\n    b: u16 = a\n    return b\n", "word is no width"),
        ("def f(a: u16) -> u8:\n    return 300\n", "does not fit its width"),
        ("class OddTable(Table):\n    a: u8\n", "OddTable has no section"),
        ("import time\n", "Import at the top of a module"),
        ("from nuvrik.plan import tables\n", "an import from nuvrik.plan"),
        ("LIMIT = 0.5\n", "a constant that is no whole number"),
        ("class T(Clock):\n    a: u8\n", "inherits or is decorated"),
        (
            "class S:\n    def __init__(self) -> None:\n        self.a: list[u8] = [1, 2]\n",
            "a list that is made otherwise",
        ),
        (
            "class S:\n    def __init__(self, table: RampTable) -> None:\n"
            "        self.a: list[u8] = [one for one in table.ones]\n",
            "a list that is made otherwise",
        ),
        ("class S:\n    def __init__(self) -> None:\n        print()\n", "does more than store fields"),
        (
            "class S:\n    def __init__(self) -> None:\n        self.a_ms: u16 = 0\n\n"
            "    def go(self, dt_ms: u16) -> None:\n        self.a_ms += dt_ms\n",
            "a_ms is counted by hand",
        ),
    ],
)
def test_what_is_outside_the_subset_is_named_with_its_line_and_a_way_out(text: str, what: str) -> None:
    texts = added(text)
    found = subset.check(texts)
    assert any(what in one.what for one in found), found
    lines = len(TEXTS["levels"].splitlines())
    assert all(one.module == "levels" and one.line > lines and one.instead for one in found), found


def test_states_events_and_reasons_have_one_number_each_in_words_and_in_core() -> None:
    assert [getattr(watch, state.name) for state in State] == list(range(watch.STATES))
    assert [getattr(watch, event.name) for event in Happening] == list(range(len(Happening)))
    reasons = {name: value for name, value in vars(watch).items() if name.startswith("WHY_")}
    assert {f"WHY_{code.name}": code.value for code in Code if code < Code.LEAVING} == reasons


# ---- in range ----


def test_checked_mode_finds_what_c_would_cut_off() -> None:
    """Without the cap on a long gap the product of a ramp is right in Python, and nonsense in 32 bits."""
    before = "dt_ms if dt_ms < table.dt_most else table.dt_most\n    reach: product"
    module = _module(changed("ramp", before, "dt_ms\n    reach: product"), "ramp")
    table = ramp_table(1)
    assert module["toward"](table, 0, 16384, 40) == 16384
    with pytest.raises(checked.OutOfRange, match="beyond the 31 bits"):
        module["toward"](table, 0, 16384, 400)
    whole = _module(TEXTS, "ramp")
    assert whole["toward"](table, 0, 16384, 400) == 16384
    with pytest.raises(checked.OutOfRange, match="dt_ms: 65536 is not in u16"):
        whole["toward"](table, 0, 16384, 65536)


def _module(texts: dict[str, str], name: str) -> dict[str, Any]:
    import types

    module = types.ModuleType(f"nuvrik.core.{name}")
    checked.Finder(texts).exec_module(module)
    return module.__dict__


def test_a_table_takes_what_its_widths_hold_and_nothing_else() -> None:
    with pytest.raises(ValueError, match=r"RampTable\.rate is -1, which does not fit"):
        made(ramp.RampTable, rate=-1, dt_most=0, pause_ms=0)
    with pytest.raises(ValueError, match="takes rate, dt_most, pause_ms"):
        made(ramp.RampTable, rate=1)


# ---- the translation ----


def test_what_is_to_wrap_wraps_at_16_bits_on_every_chip() -> None:
    text = "def elapsed(now_ms: u16, before_ms: u16) -> u16:\n    return (now_ms - before_ms) & 0xFFFF\n"
    assert "return (uint16_t)(now_ms - before_ms);" in whole_core(Program(added(text))).text()


def test_no_line_of_it_is_too_long() -> None:
    assert max(map(len, whole_source().splitlines())) <= WIDEST


@pytest.mark.parametrize(
    "words",
    [
        ("gcc", *STRICT),
        ("clang", *STRICT),
        ("g++", "-x", "c++", "-std=c++11", *STRICT[1:]),
        ("avr-gcc", "-mmcu=atmega328p", *STRICT),
    ],
    ids=lambda words: words[0],
)
def test_no_compiler_has_anything_to_say(words: tuple[str, ...], tmp_path: Path) -> None:
    if not shutil.which(words[0]):
        pytest.skip(f"{words[0]} is not here")
    (tmp_path / "core.c").write_text(whole_source(), "utf-8")
    for optimised in ("-O0", "-Os", "-O2"):
        line = [*words, optimised, "-c", str(tmp_path / "core.c"), "-o", str(tmp_path / "core.o")]
        done = subprocess.run(line, check=False, capture_output=True, text=True)
        assert (done.returncode, done.stderr) == (0, "")


@pytest.mark.nightly
@pytest.mark.skipif(not shutil.which("cppcheck"), reason="cppcheck: make toolchain")
def test_nor_has_a_checker_of_c(tmp_path: Path) -> None:
    (tmp_path / "core.c").write_text(whole_source(), "utf-8")
    line = ["cppcheck", "--std=c99", "-U__AVR__", "--enable=warning,style,performance,portability", "-q"]
    line.append("--suppress=unusedStructMember")  # what boards read, core does not
    done = subprocess.run([*line, str(tmp_path / "core.c")], check=False, capture_output=True, text=True)
    assert (done.returncode, done.stderr) == (0, "")


# ---- the same in both ----


def differs(native: Native, name: str, table: Table, seed: int, steps: int) -> str:
    """Live the same life in Python and in C; the first step after which they differ, "" for none."""
    return live(name, table, random.Random(seed), steps, {"C": InC(native, name, table)})["C"]


@pytest.mark.parametrize("name", LIVES)
def test_python_and_c_are_the_same_after_every_step(name: str, native: Native) -> None:
    rng = random.Random(name)
    for seed in range(10):
        assert differs(native, name, LIVES[name][1](rng), seed, STEPS // 10) == ""


@pytest.mark.parametrize("name", starter_names())
def test_so_are_the_starters(name: str, native: Native) -> None:
    link = nuvrik.parse(starter_text(name))
    assert differs(native, "Watch", watch_table(link.failsafe), 5, STEPS // 4) == ""


def test_arithmetic_is_the_same_too(native: Native) -> None:
    rng = random.Random(1)
    ends = (0, 1, -1, 2, 3, FULL, -FULL, FULL - 1, 1 - FULL)

    def any_of(low: int, high: int) -> int:
        some = [one for one in (*ends, low, high, low + 1, high - 1) if low <= one <= high]
        return rng.choice(some) if rng.random() < 0.3 else rng.randint(low, high)

    for _ in range(STEPS):
        a, b = any_of(-(1 << 30), 1 << 30), any_of(-(1 << 30), 1 << 30) or 1
        assert native.div(a, b) == levels.div(a, b)
        c, d = any_of(-32768, 32768), any_of(-FULL, FULL)
        assert native.mul(c, d) == levels.mul(c, d)
        assert native.clamp(a, d, FULL) == levels.clamp(a, d, FULL)
        e, f = any_of(0, TIMER_MAX), any_of(0, TIMER_MAX)
        assert native.later(e, f) == levels.later(e, f)
        x = sorted(rng.sample(range(-FULL, FULL + 1), 3))
        y = sorted((any_of(-FULL, FULL), any_of(-FULL, FULL)))
        assert native.between(x[1], x[0], y[0], x[2], y[1]) == levels.between(x[1], x[0], y[0], x[2], y[1])
        table = any_ramp(rng)
        assert native.change(table, e) == ramp.change(table, e)
        assert native.coarse(a >> 7) == ramp.coarse(a >> 7)


@pytest.mark.parametrize("name", ["Motor", "Servo", "Switch"])
def test_what_an_output_is_told_in_words_is_what_the_rules_say(name: str) -> None:
    """The library keeps demands that come again, and works out each level of a motor once."""
    rng, (kind, make, life) = random.Random(3), LIVES[name]
    for seed in range(20):
        table = make(rng)
        plain, told = kind(table), Told("m")
        other = {"Motor": Quick, "Servo": QuickServo}.get(name, lambda table, _: kind(table))(table, told)
        other.demand = told
        for _, (method, given) in zip(range(STEPS // 10), life(random.Random(seed), table), strict=False):
            assert getattr(plain, method)(*given) == getattr(other, method)(*given)
            one = plain.demand
            assert (one.at, one.value, one.way, one.driven, one.braked) == told.demand[1:6]


def test_a_control_that_is_worked_out_once_is_what_the_rules_say() -> None:
    """The library keeps the level of each reading of a stick that nothing slows."""
    rng = random.Random(4)
    for _ in range(40):
        for table in any_handset(rng).hands.moved:  # type: ignore[attr-defined]
            plain, quick = Moved(table), QuickMoved(table)
            for _ in range(60):
                raw, dt_ms = rng.choice((0, 1023, table.rest, rng.randint(-70, 1100))), rng.randint(0, 90)
                plain.read(raw, dt_ms)
                quick.read(raw, dt_ms)
                assert (plain.value, plain.latched) == (quick.value, quick.latched)


CHANGES = [
    (
        "Watch",
        "self->driven_ms < self->table->timeout_ms",
        "<=",
        "a silence is noticed too late",
    ),
    ("Watch", "self->entered_ms >= self->table->give_up_ms", ">", "giving up comes too late"),
    (
        "Watch",
        "self->run < self->table->good_frames) {\n            self->run++",
        "<=",
        "one frame more",
    ),
    ("Watch", "event != NUVRIK_BARE_ON", "==", "a missing reading is not said"),
    ("Watch", "event == NUVRIK_GIVE_UP", "!=", "a reason without a cause"),
    ("Watch", "cell->edge_to != NUVRIK_NOWHERE", "==", "arming without an edge"),
    ("Watch", "begins = !self->silent", " = !", "a silence begins again and again"),
    (
        "Motor",
        "mode == NUVRIK_FOLLOW) ? target : 0;\n    if (mode",
        "!=",
        "a motor that follows when it may not",
    ),
    ("Motor", "mode == NUVRIK_LOST && !", "!=", "a loss that is no loss"),
    ("Motor", "self->held_ms < self->table->hold_ms);", ">", "a hold without an end"),
    ("Motor", "self->ramp.fine == 0) {", "!=", "a hold that never begins"),
    (
        "Motor",
        "(at > 0) ? self->table->facing : (-(int16_t)self->table->facing));",
        "<",
        "one side running backwards",
    ),
    ("Motor", "duty == 0", "!=", "a duty of nothing"),
    ("Servo", "turned < 0", ">", "half a travel of the wrong length"),
    ("Servo", "self->table->on_loss == NUVRIK_RELEASES", "!=", "a servo that lets go"),
    ("Switch", "mode == NUVRIK_SAFE || ", "!=", "a switch that stays on"),
    ("Ramp", "(goal - here) <= reach", ">=", "a ramp that jumps"),
    ("Ramp", "here > 0 && goal < 0", ">", "a ramp that passes zero"),
    ("Ramp", "self->at_rest_ms >= self->table->pause_ms", "<", "no pause before reversing"),
    ("Slew", "(here - goal) <= reach", ">=", "a slew that jumps"),
]


@pytest.mark.slow
@pytest.mark.parametrize(("name", "place", "operator", "what"), CHANGES, ids=[one[3] for one in CHANGES])
def test_a_single_change_is_noticed(name: str, place: str, operator: str, what: str, tmp_path: Path) -> None:
    source = whole_source()
    assert source.count(place) == 1, place
    old = next(one for one in ("<=", ">=", "==", "!=", " = ", "<", ">") if one in place)
    build(tmp_path / "core.so", source.replace(place, place.replace(old, operator, 1)))
    other, rng = Native(tmp_path / "core.so"), random.Random(7)
    assert any(differs(other, name, LIVES[name][1](rng), seed, 2_000) for seed in range(20)), what
