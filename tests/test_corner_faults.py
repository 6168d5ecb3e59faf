"""The faults that rehearse the corners, and that they would notice."""

import pytest
from links import TUG
from test_loads_and_places import CALLS, KEYS

import nuvrik
from nuvrik.core.levels import NO_READING
from nuvrik.core.machine.states import State
from nuvrik.core.widths import Table
from nuvrik.plan.starters import starter_text
from nuvrik.rehearsal.faults import FAULTS, faults_for
from nuvrik.rehearsal.verdict import rehearse
from nuvrik.wire.frames import Encoder

AT_REST = {"left_stick": 508, "right_stick": 515, "arm_button": 0, "stop_button": 0}
ENCODER = Encoder(TUG)
NOT_ARMED = [state for state in State if state is not State.ARMED]


# ---- the faults that rehearse these corners, and that they would notice --------------------

TWO_SOURCES = nuvrik.parse(
    starter_text("tug")
    .replace(
        "[channels.throttle]",
        '[controls.pupil_stick]\nkind = "axis"\nraw = [0, 512, 1023]\n\n[channels.throttle]',
        1,
    )
    .replace('from = "left_stick"', 'from = ["left_stick", "pupil_stick"]', 1)
)
EXTRA = """[controls.extra]
kind = "axis"
raw = [0, 512, 1023]
[channels.extra]
kind = "level"
optional = true
from = "extra"
[outputs.extra]
kind = "motor"
driver = "pwm_2dir"
mix = { extra = 1.0 }
"""
OPTIONAL_ONLY = nuvrik.parse(starter_text("slider_motor") + EXTRA)
RESUMES = nuvrik.parse(starter_text("tug").replace('recover = "at_rest"', 'recover = "resume"'))
CURTAIN = nuvrik.parse(starter_text("curtain"))
STEPPED = nuvrik.parse(
    KEYS.replace(
        "[channels]",
        """[controls.stick]
kind = "axis"
raw = [0, 512, 1023]
dead_zone = 0.1
[controls.up]
kind = "button"
[controls.down]
kind = "button"
[controls.lift]
kind = "nudge"
up = "up"
down = "down"
step = 0.5
[controls.arm]
kind = "button"
toggle = true
[channels]""",
    )
    .replace('ahead = { kind = "level" }', 'ahead = { kind = "level", from = "stick" }')
    .replace('turn = { kind = "level" }', 'turn = { kind = "level", from = "stick" }')
    .replace('lift = { kind = "level" }', 'lift = { kind = "level", from = "lift" }')
    .replace('arm = { kind = "flag" }', 'arm = { kind = "flag", from = "arm" }')
)


def _stop_fails_open(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.hand.handset import Handset

    pressed = Handset.stop_pressed
    unread = lambda self: self.value(self.table.stop) == NO_READING  # noqa: E731
    patch.setattr(Handset, "stop_pressed", lambda self: pressed(self) and not unread(self))


def _no_band(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.machine import mix, outputs

    def unsettled(route, values):
        return mix.total(Table(**(vars(route) | {"band": 0})), values)

    patch.setattr(outputs, "total", unsettled)


def _any_source(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.hand.sources import Sources

    def refresh(self, hands) -> None:
        for source in self.table.sources:
            for at, origin in enumerate(source.origins):
                if source.first + at < len(self.ready):
                    self.ready[source.first + at] = hands.value(origin.control) != NO_READING

    patch.setattr(Sources, "refresh", refresh)


def _optional_at_once(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.machine.commands import Commands

    look = Commands.look_at_optional

    def eager(self, values):
        look(self, values)
        self.unready = 0

    patch.setattr(Commands, "look_at_optional", eager)


def _leaves_armed(patch: pytest.MonkeyPatch) -> None:
    patch.setattr(nuvrik.Handset, "disarm", lambda self: setattr(self, "_hung", True))
    from nuvrik.rehearsal.world import World

    patch.setattr(World, "kill_handset", lambda self: None)


def _reads_backlog(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.rehearsal.world import World

    def read_all(self, now_ms: int, *, listens: bool) -> None:
        waiting, self._waiting = self._waiting, []
        for given_ in waiting:
            self._arrive(given_)
            self.machine.core.watch.ticked()

    patch.setattr(World, "_read_backlog", read_all)


def _code_first(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.ends.desk import Desk

    notice = Desk.notice

    def at_once(self) -> bool:
        ended = notice(self)
        while self.leaving:
            self.leaving.pop().end()
        return ended

    patch.setattr(Desk, "notice", at_once)


def _disarming_switches_off(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.loops.receiver import Receiver

    act = Receiver.act

    def holding_nothing(self: Receiver) -> bool:
        done = act(self)
        self.machine.holding = False
        return done

    patch.setattr(Receiver, "act", holding_nothing)


def _places_forgotten(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.frames.keys import Keys

    forget = Keys.forget

    def all_of_it(self: Keys) -> None:
        self.kept = [0] * len(self.kept)
        forget(self)

    patch.setattr(Keys, "forget", all_of_it)


def _direction_first(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.plan.outputs.pins import OutputPins

    follow = OutputPins.follow
    patch.setattr(OutputPins, "follow", lambda self, demand: follow(self, demand)[::-1])


SWITCHED = nuvrik.parse(
    starter_text("tug").replace("[failsafe]\n", '[failsafe]\nstop_switch = "own_stop"\n', 1)
    + '\n[telemetry.own_stop]\nkind = "digital"\nactive = "low"\n'
)


def _deaf_to_its_switch(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.machine.inputs import Inputs

    patch.setattr(Inputs, "look", lambda *_: None)


def contact(active: str) -> nuvrik.Link:
    """A tug whose stop button and stop switch are contacts on pins."""
    text = starter_text("tug").replace("[failsafe]\n", '[failsafe]\nstop_switch = "own_stop"\n', 1)
    named = f'[controls.stop_button]\npin = 4\nactive = "{active}"\n'
    text = text.replace("[controls.stop_button]\n", named, 1)
    return nuvrik.parse(text + f'\n[telemetry.own_stop]\nkind = "digital"\npin = 4\nactive = "{active}"\n')


def _nothing_is_zero(patch: pytest.MonkeyPatch) -> None:
    command = nuvrik.Machine._command

    def filled(self, values, seq) -> None:
        command(self, [0 if value is None else value for value in values], seq)

    patch.setattr(nuvrik.Machine, "_command", filled)


def _others_stay_ready(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.hand.sources import Sources
    from nuvrik.core.levels import NOBODY

    patch.setattr(Sources, "ended", lambda *_: NOBODY)


def _back_at_once(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.ends.rests import RestsFirst

    patch.setattr(RestsFirst, "take", lambda self, name, value: value)


def _hands_are_one(patch: pytest.MonkeyPatch) -> None:
    patch.setattr(nuvrik.Handset, "change_hands", lambda *_: None)


def _lifted_at_once(patch: pytest.MonkeyPatch) -> None:
    from nuvrik.core.machine import outputs

    patch.setattr(outputs, "all_rest", lambda *_: True)


def _ends_at_once(patch: pytest.MonkeyPatch) -> None:
    def leave(self, error: BaseException) -> None:
        raise error

    patch.setattr(nuvrik.Machine, "_leave", leave)


LAMP = """[link]
name = "lamp"
rate_hz = 20
[medium]
kind = "infrared"
protocol = "nec"
address = 0x1D
accept = ["no_sequence", "no_pair", "no_layout"]
[frame]
style = "packed"
pair = 138
[controls.key_lamp]
kind = "key"
code = 0x10
toggle = true
[channels.lamp]
kind = "flag"
from = "key_lamp"
[outputs.lamp]
kind = "switch"
follows = "lamp"
on_loss = "hold"
[failsafe]
arm = "none"
timeout_ms = 500
"""
PLACED = nuvrik.parse(starter_text("pan_tilt"))

CORNER_FAULTS = [
    ("stop_contact_open", contact("high"), _deaf_to_its_switch),
    ("place_not_given", PLACED, _nothing_is_zero),
    ("source_takes_over_pushed", TWO_SOURCES, _others_stay_ready),
    ("pad_back_pushed", RESUMES, _back_at_once),
    ("second_door", TUG, _hands_are_one),
    ("own_code_retries", TUG, _lifted_at_once),
    ("own_code_exits", CALLS, _ends_at_once),
    ("machines_own_stop", SWITCHED, _deaf_to_its_switch),
    ("stick_thrown", TUG, _direction_first),
    ("stop_wire_broken", TUG, _stop_fails_open),
    ("stick_rests_off_centre", TUG, _no_band),
    ("second_source_lies_over", TWO_SOURCES, _any_source),
    ("optional_comes_back", OPTIONAL_ONLY, _optional_at_once),
    ("terminal_hung_up", TUG, _leaves_armed),
    ("frames_queued", RESUMES, _reads_backlog),
    ("own_code_in_a_stop", CALLS, _code_first),
    ("remote_laid_down", CURTAIN, _disarming_switches_off),
    ("place_after_silence", STEPPED, _places_forgotten),
]


@pytest.mark.parametrize(("name", "link", "broken"), CORNER_FAULTS, ids=[name for name, *_ in CORNER_FAULTS])
def test_each_corner_is_rehearsed_and_the_fault_would_notice(name, link, broken, monkeypatch) -> None:
    fault = FAULTS[name]
    assert fault.unfit(link) == ""
    runs = [rehearse(link, fault, seed) for seed in range(3)]
    assert [(run.seed, run.why) for run in runs if run.verdict == "fail"] == []
    broken(monkeypatch)

    def fails(seed: int) -> bool:
        try:
            return rehearse(link, fault, seed).verdict == "fail"
        except RuntimeError:  # the builder's own code has got through
            return True

    assert any(fails(seed) for seed in range(6)), "nothing noticed"


@pytest.mark.parametrize("name", ["stop_wire_broken", "stop_contact_open"])
def test_a_stop_contact_that_closes_is_no_stop_once_its_wire_is_off(name: str) -> None:
    """The pin reads open, whatever that means: the safe way stops, and the other one is shown to fail."""
    safe, unsafe = contact("high"), contact("low")
    assert all(rehearse(safe, FAULTS[name], seed).verdict == "pass" for seed in range(3))
    failed = [rehearse(unsafe, FAULTS[name], seed) for seed in range(3)]
    assert all(run.verdict == "fail" and "not noticed" in run.why for run in failed)


def test_a_link_without_arm_is_rehearsed_like_any_other() -> None:
    """A stick alone makes it turn; and where nothing turns and nothing lapses, nothing has to end."""
    armless = nuvrik.parse(starter_text("tug").replace('arm = "arm" ', 'arm = "none" ', 1))
    assert {"stick_pushed_at_power_up", "wire_broken_at_power_up", "stick_thrown"} <= set(faults_for(armless))
    lamp = nuvrik.parse(LAMP)
    for link in (armless, lamp):
        for name, fault in faults_for(link).items():
            runs = [rehearse(link, fault, seed) for seed in range(3)]
            assert [(name, run.seed, run.why) for run in runs if run.verdict == "fail"] == []
