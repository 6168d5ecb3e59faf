"""Real firmware on emulated chips: what its pins do, to the cycle."""

import os
import random
from itertools import pairwise
from pathlib import Path

import pytest
from chips import AS_SKETCH, BYTE_AT_115200_US, chip_with, emulator, needs_a_chip, on_pins
from links import write
from test_traces import SEED
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.machine.watch import ARMED, FAILSAFE
from nuvrik.export.boards import HANDSET, uses_of_outputs, uses_of_sensors
from nuvrik.export.chip_pins import Pins
from nuvrik.export.chips import CHIPS
from nuvrik.export.chips import Chip as BoardChip
from nuvrik.export.emulated import BY_HAND, POWER, TOO_LOW, Emulated
from nuvrik.export.on_avr import BOOTS_US, built, on_avr
from nuvrik.export.wanted import Wanted
from nuvrik.plan.outputs.base import PLAIN, PWM
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import play, practice
from nuvrik.recordings.recording import Recording
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import rehearse
from nuvrik.wire.kinds import STOP

pytestmark = [needs_a_chip, pytest.mark.slow]

NIGHTLY = bool(os.environ.get("NUVRIK_NIGHTLY"))

LINKS = {"tug": "atmega328p", "crane": "atmega328p", "marram": "atmega2560"}

HANGS = """
#include "nuvrik.h"
volatile uint8_t hang;
void nuvrik_before_outputs(void)
{
    while (hang) {
    }
}
int main(void)
{
    nuvrik_begin();
    for (;;) {
        nuvrik_turn();
    }
}
"""


def link_of(name: str) -> nuvrik.Link:
    return nuvrik.parse(starter_text(name))


@pytest.mark.parametrize("sketch", AS_SKETCH)
@pytest.mark.parametrize("name", LINKS)
def test_no_pin_ever_does_what_it_must_not(name: str, sketch: bool, tmp_path: Path) -> None:
    """A pilot drives, the handset is killed, comes back; power goes and comes, in the midst of it."""
    if sketch and name != "crane" and not NIGHTLY:
        pytest.skip("in make nightly: the others as sketches")
    link, rng = link_of(name), random.Random(SEED)
    chip = chip_with(link, tmp_path, LINKS[name], sketch=sketch)
    chip.run(BOOTS_US)
    # Long enough for every button to have been pressed once: servos are silent until they are told a place.
    recording = practice(link, SEED % 1000, 9000)
    chip.drive(recording, 0, rng.randrange(4400, 5200), nuvrik.Handset(link, stream=True))
    assert chip.armed_yet and chip.end.machine.watch.state == ARMED and chip.end.refused == 0
    chip.run(1_200_000)
    assert chip.end.machine.watch.state == FAILSAFE and not chip.powered
    chip.drive(recording, 0, 1800, nuvrik.Handset(link, stream=True))
    for why in (BY_HAND, TOO_LOW, POWER):
        chip.emulated.reset(why)
        assert not chip.powered, "every pin is an input in reset"
        chip.look()
        chip.armed_yet = False
        chip.run(BOOTS_US + 1000 * rng.randrange(100))
        assert not chip.powered and chip.end.start == {POWER: 1, BY_HAND: 2, TOO_LOW: 4}[why]
        chip.drive(recording, 0, 1400, nuvrik.Handset(link, stream=True))
        assert chip.armed_yet
    measured = chip.emulated.measured
    assert chip.wrong == [] and measured.lost == 0
    off_us = measured.off * 1e6 / chip.emulated.chip.clock_hz
    assert off_us < BYTE_AT_115200_US, f"interrupts were off for {off_us:.1f} us"
    for pin, pulses in chip.pulses.items():
        check_pulses(link, chip.servos[pin], pulses)


def full_ahead(link: nuvrik.Link, seconds: int) -> Recording:
    """Armed after half a second, and the stick hard ahead from one second on."""
    arm, stick = ("arm_button", "left_stick")
    moves = [(500, {arm: 1}), (600, {arm: 0}), (900, {stick: 0}), (1000, {stick: 1})]
    return play(link, moves, 1000 * seconds, seed=1)


def check_pulses(link: nuvrik.Link, name: str, pulses: list[tuple[int, float]]) -> None:
    """Pulses stay within the servo's ends and never jump by more than its ramp allows."""
    servo = link.outputs[name]
    low, centre, high = servo.pulse_us
    room = max(high - centre, centre - low)
    assert len(pulses) > 50 and low - 1.5 <= min(us for _, us in pulses)
    assert max(us for _, us in pulses) <= high + 1.5
    for (cycle, us), (next_cycle, next_us) in pairwise(pulses):
        apart_ms = (next_cycle - cycle) / 16_000
        if servo.ramp_ms and apart_ms < 40:
            most = room * (apart_ms + link.tick_ms) / servo.ramp_ms + 2
            assert abs(next_us - us) <= most, (name, cycle, us, next_us)


@pytest.mark.parametrize("sketch", AS_SKETCH)
def test_a_stop_on_the_chip_keeps_to_the_bound(sketch: bool, tmp_path: Path) -> None:
    """The handset falls silent at full speed; the pins are off within the bound of the budget."""
    link = link_of("tug")
    chip = chip_with(link, tmp_path, sketch=sketch)
    chip.run(BOOTS_US)
    recording = full_ahead(link, 3)
    chip.drive(recording, 0, 2500, nuvrik.Handset(link, stream=True))
    assert chip.powered and max(duty or 0 for _, _, duty in chip.duties) == 230, "its limit is 0.9 of 255"
    last_us = chip.emulated.us
    chip.run(1_500_000)
    assert not chip.powered
    bound = stop_bound(link)
    took_ms = (chip.off_at_us() - last_us) / 1000
    assert bound.timeout_ms + bound.ramp_ms - link.period_ms - link.tick_ms <= took_ms <= bound.worst_ms


@pytest.mark.parametrize("sketch", AS_SKETCH)
def test_a_loop_that_hangs_is_reset_by_its_watchdog_and_says_so(sketch: bool, tmp_path: Path) -> None:
    link = link_of("tug")
    chip = chip_with(link, tmp_path, main=HANGS, sketch=sketch)
    chip.run(BOOTS_US)
    recording = practice(link, 1, 6000)
    chip.drive(recording, 0, 2500, nuvrik.Handset(link, stream=True))
    assert chip.end.machine.watch.state == ARMED
    boots = chip.end.machine.desk.boot_low
    chip.emulated.memory[chip.emulated.symbol("hang")] = 1
    begun_us = chip.emulated.us
    while not chip.emulated.measured.resets:
        chip.run(1000)
        assert chip.emulated.us - begun_us < 400_000
    assert not chip.powered, "a reset leaves every pin an input"
    chip.armed_yet = False
    chip.run(BOOTS_US)
    assert (chip.end.start, chip.end.machine.desk.boot_low) == (3, boots + 1) and chip.wrong == []
    assert not chip.powered and chip.end.machine.watch.state != ARMED


def test_what_it_reads_is_what_it_tells(tmp_path: Path) -> None:
    """Marram's battery on its analog pin comes back in volts, and its stack stays where it belongs."""
    link = link_of("marram")
    chip = chip_with(link, tmp_path, "atmega2560")
    chip.run(BOOTS_US)
    use = next(use for use in uses_of_sensors(link) if use.of == "battery")
    chip.emulated.volts(use.pin - chip.emulated.chip.analog.start, 2500)
    handset = nuvrik.Handset(link, stream=True)
    chip.drive(practice(link, 2, 4000), 0, 2000, handset)
    low, high = link.telemetry["battery"].range
    assert handset.telemetry["battery"].value == pytest.approx((low + high) / 2, rel=0.02)


def test_twelve_servos_keep_time_with_all_else_running(tmp_path: Path) -> None:
    """Marram and nine servos more: frames come in, telemetry goes out, screws turn, and no pulse strays."""
    servo = 'kind = "servo"\nmix = { searchlight = 1.0 }\n'
    more = "".join(f"[outputs.s{at}]\npin = {30 + at}\n{servo}" for at in range(9))
    link = nuvrik.parse(starter_text("marram").replace("[failsafe]", more + "[failsafe]"))
    chip = chip_with(link, tmp_path, "atmega2560")
    chip.run(BOOTS_US)
    moves = [(0, {"grip": 1, "left_stick": 0}), (500, {"arm_button": 1}), (600, {"arm_button": 0})]
    moves += [(900, {"left_stick": 0}), (1000, {"left_stick": 1})]
    moves += [(1000, {"hook_shut": 1, "light_left": 1}), (1200, {"hook_shut": 0, "light_left": 0})]
    chip.drive(play(link, moves, 4000, seed=1), 0, 3500, nuvrik.Handset(link, stream=True))
    assert len(chip.pulses) == 12 and chip.wrong == [] and max(duty or 0 for _, _, duty in chip.duties) > 200
    for pulses in chip.pulses.values():
        # The hooks have shut by then; nobody moves the searchlight.
        lengths = [us for _, us in pulses][40:]
        assert len(lengths) > 60 and max(lengths) - min(lengths) <= 1.0, lengths
        # Beyond what it is told a pulse lasts as long as an interrupt takes to begin: always the same.
        assert abs(sum(lengths) / len(lengths) - round(lengths[0])) < 1.0, lengths
    measured = chip.emulated.measured
    assert measured.off * 1e6 / chip.emulated.chip.clock_hz < BYTE_AT_115200_US
    assert chip.emulated.chip.first_ram + chip.emulated.chip.ram - measured.deepest < 200, "its stack"


def test_a_machine_that_only_listens_drives_and_stops_and_says_nothing(tmp_path: Path) -> None:
    link = link_of("tug")
    chip = chip_with(link, tmp_path, answers=False)
    chip.run(BOOTS_US)
    handset = nuvrik.Handset(link, stream=True)
    handset.greet()
    chip.drive(full_ahead(link, 3), 0, 2500, handset)
    assert chip.powered and chip.wrong == [] and handset.identity is None
    # It has refused the question, each time that it was asked.
    assert 0 < chip.end.refused < 30 and chip.end.accepted > 80
    chip.run(1_500_000)
    assert not chip.powered and chip.end.machine.watch.state == FAILSAFE
    assert chip.emulated.said() == []


CONTROLS = {"left_stick": 14, "right_stick": 15, "arm_button": 4, "stop_button": 5}


def with_pins(pins: dict[str, int] = CONTROLS) -> nuvrik.Link:
    """The tug, its controls on pins: sticks on a converter, buttons to ground."""
    return nuvrik.parse(on_pins(starter_text("tug"), pins))


def test_a_handset_on_a_chip_sends_what_one_in_python_does(tmp_path: Path) -> None:
    link, rng, board = with_pins(), random.Random(SEED), CHIPS["atmega328p"]
    chip = Emulated(emulator(), built(Wanted(link, "tug.toml", board.name, end=HANDSET), tmp_path), board)
    machine, ours = nuvrik.Machine(link, stream=True), nuvrik.Handset(link, stream=True)
    sticks = {"left_stick": 508, "right_stick": 515}
    buttons = {"arm_button": False, "stop_button": False}
    sent = armed = stopped = 0
    for part in range(24):
        if part > 3:
            buttons = {"arm_button": part % 4 == 0, "stop_button": part in (11, 17)}
        if part > 6:
            sticks = {name: rng.choice((0, 508, 515, 1023, rng.randrange(1024))) for name in sticks}
        for channel, raw in enumerate(sticks.values()):
            chip.volts(channel, (raw * 5000 + 2500) // 1024)
        for bit, pressed in zip((4, 5), buttons.values(), strict=True):
            chip.level("D", bit, not pressed)
        values: list[int] = []
        for _ in range(60):
            chip.run(chip.us + 5000)
            now = int(chip.us / 1000)
            ours.read(now, **sticks, **{name: int(not one) for name, one in buttons.items()})
            ours.send(now)
            for event in machine.feed(bytes(byte for _, byte in chip.said()), now):
                assert isinstance(event, nuvrik.Frame), event
                sent += 1
                stopped += event.kind == STOP
                values = [] if event.kind == STOP else list(event.values)
            machine.tick(now)
        armed += machine.state == "ARMED"
        # A converter reads a count beside what it should, and a level is as coarse as its bits.
        for value, (name, theirs) in zip(values, ours.wire_values.items(), strict=False):
            assert value == pytest.approx(theirs, abs=150), (name, part, sticks, buttons)
    assert sent > 24 * 12 and armed and stopped


@pytest.mark.parametrize("board", CHIPS.values(), ids=CHIPS)
def test_a_handset_tells_raw_readings_to_a_host_that_asks(board: BoardChip, tmp_path: Path) -> None:
    """On its line, where a module has the link; on a second one, where the chip has it."""
    second = bool(board.second)
    link = with_pins(
        {"left_stick": 54, "right_stick": 55, "arm_button": 4, "stop_button": 5} if second else CONTROLS
    )
    wanted = Wanted(link, "tug.toml", board.name, packets=not second, end=HANDSET)
    chip = Emulated(emulator(), built(wanted, tmp_path), board)
    if second:
        assert chip.run(300_000) is False and chip.said(), "its frames are on the first line"
        chip.use_line(1)
    chip.run(chip.us + BOOTS_US)
    places = Pins(board).places
    chip.volts(0, 2500)
    chip.level(*places[4], False)
    chip.level(*places[5], True)
    chip.run(chip.us + 160_000)
    assert chip.said() == []
    chip.send(b"r")
    chip.run(chip.us + 300_000)
    header, *rows = bytes(byte for _, byte in chip.said()).decode().splitlines()
    assert header == f"t_ms,{','.join(CONTROLS)}" and len(rows) > 12
    times = [int(row.split(",")[0]) for row in rows]
    assert times == sorted(times) and all(abs(int(row.split(",")[1]) - 512) < 4 for row in rows[:-1])
    assert rows[0].endswith(",0,1")
    chip.send(b"x")
    chip.run(chip.us + 50_000)
    chip.said()
    chip.run(chip.us + 150_000)
    assert chip.said() == []


def test_a_rehearsal_on_a_chip_draws_the_stop_of_its_pins(tmp_path: Path) -> None:
    file, picture = write(tmp_path, "tug.toml", starter_text("tug")), tmp_path / "stop.png"
    words = ("rehearse", file, "--fault", "cable_pulled", "--on", "avr", "--runs", 1, "--figure", picture)
    said = nuvrik_command(*words)
    assert "within a tick of python" in said and "1 rehearsal of 1 fault" in said
    assert picture.read_bytes()[:4] == b"\x89PNG" and picture.stat().st_size > 20_000
    link = nuvrik.load(file)
    run = rehearse(link, FAULTS["cable_pulled"], seed=3, make=on_avr(link, tmp_path))
    assert run.pins is not None and run.pins_us is not None
    power = {use.pin: use.of for use in uses_of_outputs(link) if use.role == PWM}
    last = max(at_ms for at_ms, pin, _ in run.pins.changes if pin in power)
    # The last change of a pin with power is what is told as its stop.
    assert last - run.pins.sent_ms == pytest.approx(run.pins_us / 1000, abs=0.01)
    for way in (use.pin for use in uses_of_outputs(link) if use.role == PLAIN):
        assert {share for _, pin, share in run.pins.changes if pin == way} <= {0.0, 1.0}


@pytest.mark.parametrize("sketch", AS_SKETCH)
def test_noise_on_its_line_moves_nothing_and_leaves_it_able_to_hear(sketch: bool, tmp_path: Path) -> None:
    """Random bytes, pieces of frames, and frames of which a bit was changed, as fast as the line carries
    them; now and then a reset. Afterwards it is driven as if nothing had been."""
    link, rng = link_of("tug"), random.Random(SEED)
    chip = chip_with(link, tmp_path, sketch=sketch)
    chip.run(BOOTS_US)
    encoder = nuvrik.Encoder(link, stream=True)
    for number in range(120):
        noise = bytearray(rng.randbytes(rng.randrange(200)))
        for _ in range(6):
            frame = bytearray(encoder.on_wire(encoder.command([16000, -16000, 1], rng.randrange(256))))
            if rng.random() < 0.5:
                del frame[rng.randrange(len(frame)) :]
            else:
                # Not in the zero that ends it: that would only make two frames one.
                frame[rng.randrange(len(frame) - 1)] ^= 1 << rng.randrange(8)
            noise += frame + bytes((rng.randrange(1, 256),))
        chip.emulated.send(bytes(noise), 16 * 87)
        chip.run(90 * len(noise) + 5000)
        chip.emulated.said()
        if number % 40 == 39:
            chip.emulated.reset(BY_HAND)
            chip.run(BOOTS_US)
    assert not chip.armed_yet and not chip.powered and chip.wrong == []
    # One in 65,536 of damaged frames may pass its check; and its watchdog has never had to bite.
    assert chip.end.accepted < 3 and chip.emulated.measured.resets == 0
    chip.run(500_000)
    chip.drive(full_ahead(link, 3), 0, 2500, nuvrik.Handset(link, stream=True))
    assert chip.powered and chip.wrong == []
