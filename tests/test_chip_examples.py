"""The examples of a builder's own code, on emulated chips: they compile without a warning, and do what they
say."""

from itertools import pairwise
from pathlib import Path

import pytest
from chips import Chip, chip_with, needs_a_chip

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.machine.watch import WHY_OWN_CODE
from nuvrik.export.chip_pins import Pins
from nuvrik.export.on_avr import BOOTS_US
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import play

pytestmark = [needs_a_chip, pytest.mark.slow]

EXAMPLES = Path(__file__).parents[1] / "examples" / "firmware"


def running(name: str, folder: Path) -> Chip:
    """An example on the chip that it is for, and its link."""
    link, board = name.partition("_")[0], "atmega2560" if name.startswith("marram") else "atmega328p"
    text = (EXAMPLES / f"{name}.c").read_text("utf-8")
    chip = chip_with(
        nuvrik.parse(starter_text(link)), folder, board, '#pragma GCC diagnostic error "-Wall"\n' + text
    )
    chip.run(BOOTS_US)
    return chip


class Host:
    """A program on the computer's side."""

    def __init__(self, chip: Chip) -> None:
        self.chip, self.handset, self.ms = chip, nuvrik.Handset(chip.link, stream=True), 0

    def go_on(self, ms: int) -> None:
        """So much longer."""
        for _ in range(0, ms, 2):
            self.handset.read(self.ms)
            wire = self.handset.send(self.ms)
            self.chip.run(2000)
            if wire:
                self.chip.emulated.send(wire)
            answer = bytes(byte for _, byte in self.chip.emulated.said())
            if answer:
                self.handset.feed(answer, self.ms)
            self.ms += 2


def test_requests_move_a_flap_and_beep_and_never_stop_the_loop(tmp_path: Path) -> None:
    chip = running("panel_requests", tmp_path)
    pins, host = Pins(chip.emulated.chip), Host(chip)
    buzzer, flap = pins.places[13], next(iter(chip.servos))
    host.handset.put_arm(False)
    for name in ("fan", "flap", "turntable"):
        host.handset.put(0, name, 0.0)
    host.handset.greet()
    host.go_on(600)
    beep, levels = host.handset.request("beep", times=3), []
    for _ in range(400):
        host.go_on(2)
        levels.append(pins.high(chip.emulated.memory, 13))
    assert beep.state == "done" and buzzer[0] == "B"
    assert sum(after and not before for before, after in pairwise(levels)) == 3
    host.handset.put_arm(True)
    host.go_on(600)
    refused = host.handset.request("routine", number=2)
    host.go_on(300)
    routine = host.handset.request("routine", number=1)
    host.go_on(1500)
    assert refused.state == "refused" and routine.state == "done" and routine.value == 41
    lengths = [us for _, us in chip.pulses[flap]]
    assert max(lengths) - min(lengths) > 300 and chip.wrong == []


def test_lamps_say_what_turns_and_that_the_battery_is_low(tmp_path: Path) -> None:
    chip = running("marram_lamps", tmp_path)
    pins = Pins(chip.emulated.chip)
    lamps = lambda: [pins.high(chip.emulated.memory, pin) for pin in (30, 31)]  # noqa: E731
    for millivolts, low in ((4500, False), (3900, True)):
        chip.emulated.volts(0, millivolts)
        chip.run(100_000)
        assert lamps() == [False, low]
    moves = [(0, {"grip": 1, "left_stick": 0}), (500, {"arm_button": 1}), (600, {"arm_button": 0})]
    moves += [(900, {"left_stick": 0}), (1000, {"left_stick": 1})]
    chip.drive(play(chip.link, moves, 2600, seed=1), 0, 2500, nuvrik.Handset(chip.link, stream=True))
    assert lamps() == [True, True] and chip.powered
    chip.run(1_200_000)
    assert lamps() == [False, True] and not chip.powered


def test_a_bumper_is_told_as_a_distance(tmp_path: Path) -> None:
    chip = running("marram_bumper", tmp_path)
    host = Host(chip)
    place = Pins(chip.emulated.chip).places[33]
    for touched in (False, True, False):
        chip.emulated.level(*place, not touched)
        host.go_on(600)
        told = host.handset.telemetry["quay"]
        assert (told.value == pytest.approx(0.02)) == touched, told


def test_a_low_battery_leaves_the_screws_half_and_then_nothing_until_the_sticks_rest(tmp_path: Path) -> None:
    chip = running("marram_cut_off", tmp_path)
    handset = nuvrik.Handset(chip.link, stream=True)
    ahead = {"grip": 1, "left_stick": 1}
    chip.emulated.volts(0, 4800)
    moves = [(0, {"grip": 1, "left_stick": 0}), (500, {"arm_button": 1}), (600, {"arm_button": 0})]
    hand = play(chip.link, [*moves, (900, {"left_stick": 0}), (1000, ahead)], 9000, seed=1, tremor=0)
    chip.drive(hand, 0, 2500, handset)
    demand = chip.end.machine.outputs.motors[0].demand
    assert chip.powered and demand.at > 12_000
    # The last time the battery has recovered, and the stick is still pushed.
    looks = ((4050, 7000, 8192, 3700), (3800, 0, 0, 4900), (4800, 0, 0, 6100))
    for millivolts, least, most, until_ms in looks:
        chip.emulated.volts(0, millivolts)
        chip.drive(hand, until_ms - 1200, until_ms, handset)
        assert least <= chip.end.machine.outputs.motors[0].demand.at <= most, millivolts
    chip.drive(play(chip.link, moves[:1], 7000, seed=1, tremor=0), 6100, 6500, handset)
    chip.drive(hand, 6500, 7700, handset)
    assert chip.end.machine.outputs.motors[0].demand.at > 12_000 and chip.wrong == []


def test_a_bumper_stops_until_it_is_armed_again_and_says_its_number(tmp_path: Path) -> None:
    chip = running("tug_bumper", tmp_path)
    place = Pins(chip.emulated.chip).places[12]
    chip.emulated.level(*place, False)
    hand = play(
        chip.link,
        [
            *((500, {"arm_button": 1}), (600, {"arm_button": 0})),
            *((900, {"left_stick": 0}), (1000, {"left_stick": 1})),
        ],
        6000,
        seed=1,
    )
    handset = nuvrik.Handset(chip.link, stream=True)
    chip.drive(hand, 0, 2000, handset)
    assert chip.powered
    chip.emulated.level(*place, True)
    chip.run(100_000)
    assert not chip.powered
    chip.emulated.level(*place, False)
    chip.drive(hand, 2000, 3500, handset)
    watch = chip.end.machine.watch
    assert not chip.powered and watch.why == WHY_OWN_CODE and watch.place == 7 and chip.wrong == []


HOLDS_UP = """
#include "nuvrik.h"
#include <avr/interrupt.h>
#include <util/delay.h>
void nuvrik_before_outputs(void)
{
    cli();
    _delay_ms(OFF_MS);
    sei();
    _delay_ms(BUSY_MS);
}
int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
"""


@pytest.mark.parametrize(("off_ms", "busy_ms"), [(0, 0), (3, 0), (8, 0), (0, 150), (3, 100)])
def test_own_code_that_takes_its_time_stays_within_the_bound_that_is_printed(
    off_ms: int, busy_ms: int, tmp_path: Path
) -> None:
    """Interrupts off for so long in every tick, as a strip of lamps has them, and so long in own code."""
    board = (
        f"\n[board]\ninterrupts_off_ms = {off_ms}\nown_code_ms = {busy_ms + off_ms}\n"
        if off_ms or busy_ms
        else ""
    )
    link = nuvrik.parse(starter_text("tug") + board)
    chip = chip_with(
        link, tmp_path, "atmega328p", f"#define OFF_MS {off_ms}\n#define BUSY_MS {busy_ms}\n{HOLDS_UP}"
    )
    chip.run(BOOTS_US)
    moves = [(0, {"left_stick": 0}), (1000, {"arm_button": 1}), (1300, {"arm_button": 0})]
    hand = play(link, [*moves, (2500, {"left_stick": 0}), (2600, {"left_stick": 1})], 9000, seed=1)
    chip.drive(hand, 0, 5000, nuvrik.Handset(link, stream=True))
    assert chip.powered, "it has to turn for anything to be shown"
    bound_us, began_us = 1000 * stop_bound(link).worst_ms, chip.emulated.us
    while chip.powered and chip.emulated.us < began_us + 3 * bound_us:
        chip.run(1000)
    assert chip.emulated.us - began_us <= bound_us, (chip.emulated.us - began_us, bound_us)


WRONG_PINS = """
#include "nuvrik.h"
void nuvrik_before_outputs(void)
{
    board_pwm(12, 200, 255);
    board_pwm(200, 200, 255);
    board_pin(77, true);
    (void)board_input(250, BOARD_DIGITAL);
    nuvrik_lost_time();
}
int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
"""


def test_pins_that_there_are_not_are_left_alone_and_lost_time_shows_in_hello(tmp_path: Path) -> None:
    """A pin without PWM once ran off a table: a hang, or both motors on."""
    chip = chip_with(nuvrik.parse(starter_text("tug")), tmp_path, "atmega328p", WRONG_PINS)
    chip.run(BOOTS_US)
    handset = nuvrik.Handset(chip.link, stream=True)
    moves = [(0, {"left_stick": 0}), (700, {"arm_button": 1}), (800, {"arm_button": 0})]
    hand = play(chip.link, [*moves, (1200, {"left_stick": 0}), (1300, {"left_stick": 1})], 4000, seed=1)
    handset.greet()
    chip.drive(hand, 0, 2500, handset)
    assert chip.powered and chip.wrong == [] and chip.end.start != 3, "no watchdog bit"
    assert handset.identity is not None and handset.identity.loses_time
    chip.run(1_200_000)
    assert not chip.powered
