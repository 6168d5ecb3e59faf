"""Every state, every event, every wrap of the clock, through the real machine; and that it would notice."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from links import THOROUGH, write
from typed import nuvrik_command

import nuvrik
from nuvrik.core.levels import NOBODY, later
from nuvrik.core.machine import states as table
from nuvrik.core.machine import watch
from nuvrik.core.machine.demand import FOLLOW
from nuvrik.core.machine.machine import Machine
from nuvrik.core.machine.motor import Motor
from nuvrik.core.machine.states import (
    ARMED,
    BARE_ON,
    DRIVE_MOVED,
    DRIVE_OFF,
    DRIVE_REST,
    FAILSAFE,
    SILENCE,
    STANDBY,
    STOP,
    STOPPED,
    TABLE,
    WAITING,
    count,
    go,
    stay,
)
from nuvrik.core.machine.watch import Watch
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.rehearsal.search import Searcher
from nuvrik.wire.sealed import SealedReader

pytestmark = pytest.mark.slow

SMALL_TEXT = """
link = { name = "small", rate_hz = 50, tick_ms = 10 }
medium = { kind = "radio" }
frame = { style = "packed", pair = 9 }
failsafe = { arm = "arm", timeout_ms = 100, good_frames = 2, recover = "at_rest" }
[channels]
throttle = { kind = "level" }
arm = { kind = "flag" }
[outputs]
screw = { kind = "motor", driver = "pwm_2dir", ramp_ms = 60, mix = { throttle = 1.0 } }
"""
SMALL = nuvrik.parse(SMALL_TEXT)
BEFORE_WRAP = 65_530


def test_nothing_that_must_not_be_can_be_reached() -> None:
    found = Searcher(SMALL, BEFORE_WRAP).search()
    assert found.wrong == [] and found.whole
    assert found.states > 300 and found.steps > 10_000, "it came to an end because nothing new was left"


@pytest.mark.parametrize("recover", ["rearm", "resume"])
@pytest.mark.parametrize("start_ms", [0, 32_700])
def test_nor_under_any_other_rule_or_at_any_other_time(recover: str, start_ms: int) -> None:
    link = nuvrik.parse(SMALL_TEXT.replace('"at_rest"', f'"{recover}"'))
    assert Searcher(link, start_ms).search(most=60).wrong == []


def _cell(event: Any, state: Any, cell: Any) -> Callable[[pytest.MonkeyPatch], None]:
    return lambda patch: patch.setitem(TABLE[event], state, cell)


def _later(patch: pytest.MonkeyPatch) -> None:
    """> where >= belongs: silent one millisecond too late."""

    def pass_time(self: Watch, dt_ms: int) -> bool:
        self.driven_ms = later(self.driven_ms, dt_ms)
        if self.driven_ms <= self.table.timeout_ms:
            return False
        self.happen(watch.SILENCE, NOBODY, 0)
        return True

    patch.setattr(Watch, "pass_time", pass_time)


def _no_sequence(patch: pytest.MonkeyPatch) -> None:
    judge = SealedReader.judge

    def forgetful(self: SealedReader, body: Any, raw: bytes, at: int) -> Any:
        self.last = None
        return judge(self, body, raw, at)

    patch.setattr(SealedReader, "judge", forgetful)


def _no_wrap(patch: pytest.MonkeyPatch) -> None:
    pass_time = Machine.pass_time

    def read(self: Machine, now_ms: int) -> int:
        if self.started and now_ms < self.now_ms:
            self.now_ms = now_ms
        return pass_time(self, now_ms)

    patch.setattr(Machine, "pass_time", read)


def _bare_is_life(patch: pytest.MonkeyPatch) -> None:
    bare = Watch.bare

    def lively(self: Watch, arm: bool, missing: int) -> None:
        self.driven_ms = 0
        bare(self, arm, missing)

    patch.setattr(Watch, "bare", lively)


def _motor_runs_on(patch: pytest.MonkeyPatch) -> None:
    tick = Motor.tick
    patch.setattr(
        Motor, "tick", lambda self, target, asked, dt_ms, _: tick(self, target, asked, dt_ms, FOLLOW)
    )


def _no_halt(patch: pytest.MonkeyPatch) -> None:
    patch.setattr(Motor, "halt", lambda self: None)


MUTATIONS: dict[str, Callable[[pytest.MonkeyPatch], None]] = {
    "silent a millisecond late": _later,
    "the sequence is not checked": _no_sequence,
    "the clock's wrap is ignored": _no_wrap,
    "armed without an off before": _cell(DRIVE_REST, STANDBY, go(ARMED)),
    "armed out of standby by a pushed stick": _cell(DRIVE_MOVED, STANDBY, table.edge(ARMED)),
    "a pushed stick does not undo the off": _cell(DRIVE_MOVED, STANDBY, stay),
    "silence does not disarm": _cell(SILENCE, ARMED, stay),
    "silence does not break a run": _cell(SILENCE, WAITING, stay),
    "one frame is enough after a loss": _cell(DRIVE_REST, FAILSAFE, go(ARMED)),
    "a pushed stick moves again after a loss": _cell(DRIVE_MOVED, FAILSAFE, count(table.AT_REST)),
    "arm off does not disarm": _cell(DRIVE_OFF, ARMED, stay),
    "a stop is only standby": _cell(STOP, ARMED, go(STANDBY)),
    "arm on leads out of a stop": _cell(DRIVE_REST, STOPPED, count(STANDBY)),
    "a frame without a reading is life": _bare_is_life,
    "a frame without a reading keeps a run": _cell(BARE_ON, WAITING, stay),
    "the motor follows when it may not": _motor_runs_on,
    "a stop ramps down": _no_halt,
    "no way out of a stop": _cell(DRIVE_OFF, STOPPED, table.broken),
}


FAR = ("no way out", "ramps down", "is life", "one frame", "the motor follows", "moves again", "off does not")
"""What takes longest to be found, because it lies far from power-up."""
TRIED = [name for name in MUTATIONS if THOROUGH or not any(words in name for words in FAR)]


@pytest.mark.parametrize("broken", TRIED)
def test_the_search_catches_a_failsafe_that_is_broken(broken: str, monkeypatch: pytest.MonkeyPatch) -> None:
    MUTATIONS[broken](monkeypatch)
    found = Searcher(SMALL, BEFORE_WRAP).search(enough=1)
    assert found.wrong, f"nobody noticed that {broken}"


def test_the_search_as_a_user_types_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = write(tmp_path, "small.toml", SMALL_TEXT)
    said = nuvrik_command("rehearse", file, "--every-state", "--most-states", 40)
    assert "stopped at 40 states" in said and "repeated" in said and "99, 100" in said
    assert "codes and not frames" in nuvrik_command(
        "rehearse", write(tmp_path, "c.toml", starter_text("curtain")), "--every-state", code=2
    )
    _cell(STOP, ARMED, go(STANDBY))(monkeypatch)
    _cell(STOP, WAITING, go(STANDBY))(monkeypatch)
    said = nuvrik_command("rehearse", file, "--every-state", code=1)
    assert "the way there" in said and "stop" in said
    found = json.loads(nuvrik_command("rehearse", file, "--every-state", "--json", code=1))
    assert found["wrong"][0]["way"][-1].startswith("stop after") and found["states"] > 1


@pytest.mark.parametrize("name", [name for name in starter_names() if name != "curtain"])
def test_every_starter_can_be_searched(name: str) -> None:
    assert Searcher(nuvrik.parse(starter_text(name)), BEFORE_WRAP).search(most=25).wrong == []
