"""Two emulated chips and one wire between them: what is switched on and off on a pin of one is timed on a pin
of the other. And a listener, which tells what it hears."""

import random
import re
from itertools import pairwise
from pathlib import Path

import pytest
from chips import BYTE_AT_115200_US, Chip, emulator, needs_a_chip, on_pins
from test_pulses import TRAIN_TEXT
from test_traces import SEED

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.levels import FULL
from nuvrik.core.machine.watch import ARMED, FAILSAFE
from nuvrik.export.boards import HANDSET, LISTENER, MACHINE, misfits, uses_of_inputs, uses_of_medium
from nuvrik.export.chip_pins import Pins
from nuvrik.export.chips import CHIPS
from nuvrik.export.emulated import Emulated
from nuvrik.export.firmware import board_header
from nuvrik.export.on_avr import built
from nuvrik.export.wanted import Wanted
from nuvrik.plan.starters import starter_text
from nuvrik.ports.listener import SILENCE_US
from nuvrik.pulses.codes import press
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.noise import worn

pytestmark = [needs_a_chip, pytest.mark.slow]

BOARD = CHIPS["atmega328p"]

SLICE_US = 500
"""One chip runs for so long, and then the other catches up."""

KEYED = """
kind = "on_off_keyed"
bitrate = 3000
pins = { handset_out = 7, machine_in = 12 }
"""

MOTOR = 'driver = "pwm_2dir", pins = { pwm = 5, forward = 7, backward = 8 }'


def keyed() -> nuvrik.Link:
    text = (
        starter_text("tug")
        .replace("rate_hz = 50", "rate_hz = 10")
        .replace("timeout_ms = 400", "timeout_ms = 600")
    )
    text = re.sub(r"\[medium\].*?\n\[", f"[medium]{KEYED}\n[", text, count=1, flags=re.DOTALL)
    return nuvrik.parse(
        on_pins(text, {"left_stick": 14, "right_stick": 15, "arm_button": 4, "stop_button": 5})
    )


def train() -> nuvrik.Link:
    text = TRAIN_TEXT.replace('active = "low"', 'active = "low", pins = { handset_out = 6, machine_in = 3 }')
    text = text.replace('driver = "pwm_2dir"', MOTOR)
    knob = 'knob = { kind = "slider", raw = [0, 40], pin = 8, pin_b = 9 }\n'
    text = text.replace("raw = [0, 512, 1023]", "raw = [0, 512, 1023], pin = 14")
    text = text.replace("[channels]", knob + "[channels]").replace('"share" }', '"share", from = "knob" }')
    return nuvrik.parse(
        text.replace('kind = "button"', 'kind = "button", pin = 4, active = "low", toggle = true')
    )


def curtain() -> nuvrik.Link:
    return nuvrik.parse(on_pins(starter_text("curtain"), {"key_open": 4, "key_arm": 5, "key_stop": 6}))


class OneWire:
    """A handset's chip and a machine's, and what one sends to the other."""

    def __init__(self, link: nuvrik.Link, folder: Path) -> None:
        self.link = link
        library = emulator()
        chips = []
        for end in (HANDSET, MACHINE):
            assert [*misfits(link, BOARD, end)] == []
            (folder / end).mkdir()
            chips.append(
                Emulated(library, built(Wanted(link, "x.toml", BOARD.name, end=end), folder / end), BOARD)
            )
        self.hand, self.pins = chips[0], Pins(BOARD)
        self.machine = Chip(link, chips[1], answers=False)
        (out,) = (use.pin for use in uses_of_medium(link, HANDSET))
        (self.into,) = (self.pins.places[use.pin] for use in uses_of_medium(link, MACHINE))
        self.carried = link.medium.kind == "infrared"
        self.at = self.pins.control(out) if self.carried else self.pins.port(out)
        self.bit = self.pins.connects(out) if self.carried else self.pins.mask(out)
        self.hand.watch(self.at)
        self.high = self.carried
        self.machine.emulated.level(*self.into, self.high)
        self.contacts = {
            use.of: self.pins.places[use.pin]
            for use in uses_of_inputs(link, HANDSET)
            if use.role == "contact"
        }
        for place in self.contacts.values():
            self.hand.level(*place, True)
        self.edges = 0

    def press(self, name: str, pressed: bool) -> None:
        """A finger closes a contact, or lets it go."""
        self.hand.level(*self.contacts[name], not pressed)

    def run(self, ms: float) -> None:
        """So much longer, of both."""
        for _ in range(int(1000 * ms / SLICE_US)):
            self.hand.run(self.hand.us + SLICE_US)
            for change in self.hand.changes():
                # A receiver of remote controls is low while it sees the carrier.
                high = bool(change.value & self.bit) != self.carried
                if high != self.high:
                    self.high = high
                    self.edges += 1
                    self.machine.emulated.run(change.cycle * 1e6 / BOARD.clock_hz)
                    self.machine.emulated.level(*self.into, high)
            self.machine.emulated.run(self.hand.us)
            self.machine.look()

    def state(self) -> int:
        """The machine's state."""
        return self.machine.end.machine.watch.state


def turn_a_knob(wire: OneWire, rng: random.Random) -> int:
    """Turn an encoder to and fro, with contacts that bounce; gives how far it is from its lower end."""
    contacts = [wire.pins.places[use.pin] for use in uses_of_inputs(wire.link, HANDSET) if use.of == "knob"]
    levels, place = [True, True], 0
    for _ in range(60):
        way = rng.choice((1, 1, -1))
        # Forward, the first contact changes where both are alike, else the second.
        which = int((levels[0] != levels[1]) == (way > 0))
        for _ in range(rng.choice((1, 3))):
            levels[which] = not levels[which]
            wire.hand.level(*contacts[which], levels[which])
            wire.run(2)
        place = min(40, max(0, place + way))
    wire.run(100)
    return place


@pytest.mark.parametrize("make", [keyed, train, curtain])
def test_a_hand_on_one_chip_moves_a_motor_on_another_and_stops_it(make, tmp_path: Path) -> None:
    link = make()
    wire = OneWire(link, tmp_path)
    arm, go = ("key_arm", "key_open") if make is curtain else ("arm_button", "")
    for channel in (0, 1):
        wire.hand.volts(channel, 2490 if make is keyed else 2500)
    wire.run(900)
    assert not wire.machine.powered
    wire.press(arm, True)
    wire.run(400)
    wire.press(arm, False)
    wire.run(600)
    assert wire.state() == ARMED and not wire.machine.powered
    wire.press(go, True) if go else wire.hand.volts(0, 5000)
    wire.run(900)
    assert wire.machine.powered and wire.state() == ARMED and wire.machine.wrong == []
    assert max(duty or 0 for _, _, duty in wire.machine.duties) >= 170
    if make is train:
        turned = turn_a_knob(wire, random.Random(SEED))
        assert wire.machine.end.values[1] == pytest.approx(FULL * turned / 40, abs=200)
    # The handset is gone.
    wire.hand.level(*wire.contacts[arm], True)
    last_us = wire.machine.emulated.us
    wire.machine.run(1000 * (stop_bound(link).worst_ms + 40) if not go else 1_500_000)
    assert not wire.machine.powered
    if go:
        took_ms = (wire.machine.off_at_us() - last_us) / 1000
        assert took_ms <= 250 + 300 + 110 + link.tick_ms + 20
    else:
        assert wire.state() == FAILSAFE
        assert (wire.machine.off_at_us() - last_us) / 1000 <= stop_bound(link).worst_ms
    assert wire.machine.wrong == [] and wire.edges > 100
    for chip in (wire.hand, wire.machine.emulated):
        assert chip.measured.off * 1e6 / BOARD.clock_hz < BYTE_AT_115200_US


def test_what_stands_in_c_and_in_python_is_the_same() -> None:
    assert f"BOARD_SILENCE_US = {SILENCE_US} " in board_header()


def test_a_listener_tells_what_a_remote_sends(tmp_path: Path) -> None:
    """Presses of three codes, worn as a receiver wears them, come back from its text as what they were."""
    link, rng = curtain(), random.Random(SEED)
    chip = Emulated(emulator(), built(Wanted(link, "x.toml", BOARD.name, end=LISTENER), tmp_path), BOARD)
    place = Pins(BOARD).places[2]
    chip.level(*place, True)
    chip.run(100_000)
    sent = [("nec", 28, 16), ("sirc12", 3, 21), ("rc5", 5, 53)]
    text = b""
    for protocol, address, command in sent:
        for length in worn(press(protocol, address, command, 2), rng):
            chip.level(*place, length < 0)
            chip.run(chip.us + abs(length))
            text += bytes(byte for _, byte in chip.said())
        chip.level(*place, True)
        chip.run(chip.us + 400_000)
    text += bytes(byte for _, byte in chip.said())
    numbers = [int(word) for word in text.decode().split()]
    assert all((a > 0) != (b > 0) for a, b in pairwise(numbers))
    reader = InfraredReader()
    codes = [*reader.feed(numbers), *reader.end()]
    assert len(text.splitlines()) >= 3
    assert [(c.protocol, c.address, c.command) for c in codes if not c.repeat] == sent
