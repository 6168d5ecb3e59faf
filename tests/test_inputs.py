"""The machine's own inputs: a stop switch, end switches, a dial, a battery that is too low."""

import os
import random

import pytest
from links import many, problem_in

import nuvrik
from nuvrik.failsafe.why import Code
from nuvrik.wire.frames import Encoder

WINCH = """
link = { name = "winch", rate_hz = 50 }
medium = { kind = "serial" }
frame = { style = "packed", pair = 7 }
[channels.pull]
kind = "level"
bits = 10
[channels.arm]
kind = "flag"
[outputs.drum]
kind = "motor"
driver = "pwm_2dir"
ramp_ms = 400
mix = { pull = 1.0 }
dial = "speed"
end_forward = "top"
end_backward = "bottom"
[outputs.feed]
kind = "stepper"
rate_max = 400
reverse = true
mix = { pull = 1.0 }
end_forward = "top"
[telemetry.emergency]
kind = "digital"
active = "low"
[telemetry.top]
kind = "digital"
[telemetry.bottom]
kind = "digital"
[telemetry.speed]
kind = "analog"
[telemetry.battery]
kind = "volts"
range = [0, 12.0]
raw = [0, 1200]
[requests.run]
kind = "steps"
output = "feed"
[failsafe]
arm = "arm"
timeout_ms = 400
stop_switch = "emergency"
low_battery = { of = "battery", below = 6.0, to = 0.25, for_ms = 1000 }
"""

CALM = {"emergency": 1, "top": 0, "bottom": 0, "speed": 1023, "battery": 1000}


class Yard:
    """A machine with its inputs, driven by frames; its sensors are read before each tick."""

    def __init__(self, text: str = WINCH) -> None:
        self.link = nuvrik.parse(text)
        self.machine, self._encoder, self._seq, self.now = nuvrik.Machine(self.link), Encoder(self.link), 0, 0
        self.readings: dict[str, int | None] = dict(CALM)

    def run(self, ms: int, pull: int, arm: int = 1) -> None:
        """Drive for a while."""
        for _ in range(ms // 20):
            self.now += 20
            self.machine.sense(self.now, **self.readings)
            self.machine.feed(
                self._encoder.on_wire(self._encoder.command([pull, arm], self._seq & 255)), self.now
            )
            self._seq += 1
            self.machine.tick(self.now)

    def armed(self) -> "Yard":
        self.run(200, 0, arm=0)
        self.run(100, 0)
        assert self.machine.state == "ARMED"
        return self

    @property
    def at(self) -> list[int]:
        """The level of each output."""
        return [demand.level for demand in self.machine.demands]


FULL = 16384


def test_a_stop_switch_stops_at_once_and_is_believed_only_when_it_says_that_it_is_off() -> None:
    yard = Yard().armed()
    yard.run(1000, FULL)
    assert yard.at == [FULL, FULL]
    yard.readings["emergency"] = 0
    yard.run(20, FULL)
    assert yard.machine.state == "STOPPED" and yard.machine.safe
    assert yard.machine.why == "emergency, the machine's stop switch, is pressed or has no reading"
    yard.run(2000, 0, arm=0)
    assert yard.machine.state == "STOPPED" and yard.machine.reason.code is Code.STOP_SWITCH
    yard.readings["emergency"] = 1
    yard.armed()
    # A wire that has come off: no reading for longer than it is good.
    del yard.readings["emergency"]
    yard.run(900, FULL)
    assert yard.machine.state == "ARMED"
    yard.run(200, FULL)
    assert yard.machine.state == "STOPPED" and yard.machine.safe


def test_what_turns_goes_no_further_than_its_ends_and_comes_back_from_them() -> None:
    yard = Yard().armed()
    yard.run(1000, FULL)
    yard.readings["top"] = 1
    yard.run(20, FULL)
    assert yard.machine.reasons()["drum"] == "at its end: it goes no further that way"
    assert yard.at == [0, FULL], "cut short at once; the other one is reversed, and turns backward"
    yard.run(400, FULL)
    assert yard.at == [0, FULL]
    yard.run(1500, -FULL)
    assert yard.at == [-FULL, 0], "away from its end it turns; the other one may not go that way"
    yard.readings |= {"top": 0, "bottom": 1}
    yard.run(1500, -FULL)
    assert yard.at == [0, -FULL]
    del yard.readings["bottom"]
    yard.run(1500, 0)
    yard.run(600, -FULL)
    assert yard.at == [0, -FULL], "an end switch without a reading is at its end"


def test_a_move_by_steps_ends_at_an_end_switch() -> None:
    yard = Yard()
    handset = nuvrik.Handset(yard.link, session=1)
    handset.put_arm(False)
    asked = None
    for now in range(0, 6000, 20):
        handset.put(now, "pull", 0.0)
        handset.put_arm(now > 600)
        if now == 1500:
            asked = handset.request("run", steps=-2000)
        yard.readings["top"] = int(now > 2500)
        yard.machine.sense(now, **yard.readings)
        yard.machine.feed(handset.send(now), now)
        yard.machine.tick(now)
        while back := yard.machine.send(now):
            handset.feed(back, now)
    assert asked is not None and asked.state == "ended" and -600 < asked.value < -100


def test_a_dial_scales_and_a_low_battery_limits() -> None:
    yard = Yard().armed()
    yard.readings["speed"] = 512
    yard.run(1000, FULL)
    assert abs(yard.at[0] - FULL // 2) < 100 and yard.at[1] == FULL
    yard.readings["speed"] = None
    yard.run(1000, FULL)
    assert yard.at == [0, FULL], "a dial without a reading is at 0"
    yard.readings |= {"speed": 1023, "battery": 590}
    yard.run(900, FULL)
    assert yard.at == [FULL, FULL], "a motor that starts pulls a battery down for a moment"
    yard.run(1000, FULL)
    assert yard.at == [FULL // 4, FULL // 4]
    yard.readings["battery"] = 630
    yard.run(3000, FULL)
    assert yard.at == [FULL // 4, FULL // 4], "what it gains with less asked of it is no charge"
    yard.readings["battery"] = 700
    yard.run(3000, FULL)
    assert yard.at == [FULL, FULL]


def test_a_battery_that_is_too_low_can_stop() -> None:
    yard = Yard(WINCH.replace("to = 0.25", "to = 0")).armed()
    yard.readings["battery"] = 100
    yard.run(1200, FULL)
    assert yard.machine.state == "STOPPED" and yard.machine.why == "battery is too low"


def test_whatever_the_inputs_say_nothing_turns_that_none_of_them_allows() -> None:
    """Random readings, driven for long: each rule against what is seen."""
    rng = random.Random(os.environ["NUVRIK_SEED"])
    for _ in range(many(20)):
        yard, pull = Yard().armed(), 0
        for _ in range(200):
            if rng.random() < 0.1:
                name = rng.choice(list(CALM))
                yard.readings[name] = rng.choice((0, 1, 300, 1023))
            pull = rng.choice((0, FULL, -FULL, 4000)) if rng.random() < 0.1 else pull
            yard.run(20, pull, arm=int(rng.random() < 0.98))
            drum, feed = yard.machine.demands
            if yard.readings["emergency"] == 0:
                assert yard.machine.safe and yard.machine.state == "STOPPED"
            if yard.readings["top"]:
                assert drum.level <= 0 and feed.level >= 0
            if yard.readings["bottom"]:
                assert drum.level >= 0


WRONG = [
    (
        'stop_switch = "emergency"',
        'stop_switch = "gone"',
        "failsafe.stop_switch",
        "no telemetry of that name",
    ),
    ('stop_switch = "emergency"', 'stop_switch = "speed"', "failsafe.stop_switch", "of kind analog"),
    ('dial = "speed"', 'dial = "top"', "outputs.drum.dial", 'an item of kind "analog"'),
    ('end_backward = "bottom"', 'end_backward = "battery"', "outputs.drum.end_backward", "of kind volts"),
    ("below = 6.0", "below = 13", "failsafe.low_battery.below", "battery reads 0 to 12"),
    ('of = "battery", below', 'of = "top", below', "failsafe.low_battery.of", "of kind digital"),
]


@pytest.mark.parametrize(("old", "new", "where", "words"), WRONG)
def test_an_input_that_is_none_is_said_by_its_key(old: str, new: str, where: str, words: str) -> None:
    assert old in WINCH
    found = problem_in(WINCH.replace(old, new, 1), where)
    assert words in f"{found.what} {found.do}"
