"""The other ends in MicroPython, in virtual time: what one stand-in for a board does is what another sees."""

import contextlib
import itertools
import random
from pathlib import Path

import pytest
from links import with_medium
from python_chips import (
    BOOT_MS,
    TUG,
    Chip,
    Host,
    exported,
    full_ahead,
    needs_micropython,
    on_line,
    powered,
    run,
)
from test_chip_edges import keyed
from test_chip_edges import train as pulse_train

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.export.micropython import How
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.on_off_keyed import durations
from nuvrik.pulses.train import as_levels, train
from nuvrik.wire.styles.train import in_slots

pytestmark = [needs_micropython, pytest.mark.slow]

REMOTE = (
    starter_text("curtain")
    .replace("[controls.key_open]", "[controls.key_open]\npin = 14")
    .replace("[controls.key_arm]", "[controls.key_arm]\npin = 15")
)


def test_a_remote_moves_a_curtain_and_a_listener_writes_down_what_it_sends(tmp_path: Path) -> None:
    """The lamp of one stand-in is what the receivers of two others see, in microseconds."""
    link = nuvrik.parse(REMOTE)
    for end in ("handset", "machine", "listener"):
        exported(link, tmp_path / end, end=end)
    keys = [(0, "pin 14 1"), (0, "pin 15 1"), (300, "pin 15 0"), (450, "pin 15 1")]
    keys += [(900, "pin 14 0"), (2100, "pin 14 1")]
    ran = run(tmp_path / "handset", keys, 3000)
    assert ran.code == 0, ran.said
    flashes = [row for row in ran.rows if row.what == "duty" and row.pin == 3]
    assert {row.value for row in flashes} == {0, 21845}
    seen = [(0, "pin 2 1")]
    seen += [(row.us / 1000, f"pin 2 {0 if row.value else 1}") for row in flashes]
    ran = run(tmp_path / "machine", seen, 4000)
    assert ran.code == 0, ran.said
    rows = ran.rows
    on, off = [t_ms for t_ms, _ in powered(link, rows)][1:]
    assert 900 <= on <= 1150 and off - 2100 <= 250 + 500
    text = b"".join(row.sent for row in run(tmp_path / "listener", seen, 4000).rows).decode()
    reader = InfraredReader()
    codes = [*reader.feed(map(int, text.split())), *reader.end()]
    assert len(text.splitlines()) >= 10
    assert [(one.address, one.command) for one in codes if not one.repeat] == [(0x1C, 0x1E), (0x1C, 0x10)]


def with_pins(text: str, pins: dict[str, int]) -> str:
    """A link file with controls on pins of a handset's board; buttons are contacts to ground."""
    for name, pin in pins.items():
        low = 'active = "low"\n' if "button" in name else ""
        text = text.replace(f"[controls.{name}]", f"[controls.{name}]\npin = {pin}\n{low}")
    return text


HAND = with_pins(
    starter_text("tug"), {"left_stick": 26, "right_stick": 27, "arm_button": 14, "stop_button": 15}
)


def test_a_hand_on_one_board_moves_a_motor_on_another_and_stops_it(tmp_path: Path) -> None:
    link = nuvrik.parse(HAND)
    exported(link, tmp_path / "hand", "rp2040", "handset", How(precompiled=True))
    exported(link, tmp_path / "machine", "rp2040")
    rest, ahead = 512 << 6, 1023 << 6
    events = [(0, f"volts {pin} {rest}") for pin in (26, 27)] + [(0, f"pin {pin} 1") for pin in (14, 15)]
    events += [(1000, "pin 14 0"), (1100, "pin 14 1"), (1500, f"volts 26 {ahead}"), (3000, "pin 15 0")]
    hand = run(tmp_path / "hand", events, 4000)
    assert hand.code == 0, hand.said
    sent = [(row.us / 1000, row.sent) for row in hand.rows if row.what == "line"]
    machine = run(tmp_path / "machine", on_line(sent), 4000)
    on, off = [t_ms for t_ms, _ in powered(link, machine.rows)][1:]
    assert 1500 <= on <= 1600 and 3000 <= off <= 3060
    # A hand that is cut off, in place of one that presses stop.
    machine = run(tmp_path / "machine", on_line(one for one in sent if one[0] < 2500), 4000)
    assert powered(link, machine.rows)[-1][0] - 2500 <= stop_bound(link).worst_ms


OWN = nuvrik.parse(with_medium(starter_text("tug"), 'kind = "radio"\nbitrate = 250000'))
"""By radio, through a driver of one's own."""

RADIO = """
from machine import Radio
def packet(into):
    if not Radio.came:
        return 0
    data = Radio.came.pop(0)
    into[: len(data)] = data
    return len(data)
def free():
    return True
give = Radio.give
"""


def test_a_bridge_hands_on_what_is_whole_and_a_machine_takes_packets(tmp_path: Path) -> None:
    """From a host's line through the air to a machine, and its answers back to the host."""
    radio = {"radio.py": RADIO}
    exported(OWN, tmp_path / "bridge", end="bridge", own=radio, packets=True)
    exported(OWN, tmp_path / "machine", own=radio, packets=True)
    ahead = full_ahead(4000)
    noise = [(t_ms + 2, random.Random(t_ms).randbytes(30)) for t_ms in range(100, 4000, 400)]
    bridge = run(tmp_path / "bridge", on_line([*ahead, *noise]), 4500)
    air = [(row.us / 1000, f"air {row.sent.hex()}") for row in bridge.rows if row.what == "air"]
    machine = run(tmp_path / "machine", air, 4500)
    assert [on for _, on in powered(TUG, machine.rows)] == [False, True, False], machine.said
    hello = nuvrik.Handset(TUG, stream=False, session=7)
    hello.greet()
    hello.read(0, left_stick=512, right_stick=512, arm_button=0, stop_button=0)
    asks = [(BOOT_MS + t_ms, f"air {hello.send(t_ms).hex()}") for t_ms in range(0, 300, 20)]
    told = [row for row in run(tmp_path / "machine", asks, 900).rows if row.what == "air"]
    back = run(tmp_path / "bridge", [(row.us / 1000, f"air {row.sent.hex()}") for row in told], 1500)
    host = nuvrik.Handset(TUG, stream=True, session=7)
    host.greet()
    host.read(0, left_stick=512, right_stick=512, arm_button=0, stop_button=0)
    host.send(0)
    for row in back.rows:
        host.feed(row.sent, row.t_ms)
    assert len(told) >= 2 and host.identity is not None


def test_a_stepper_makes_exactly_the_steps_that_its_reply_says(tmp_path: Path) -> None:
    link = nuvrik.parse(starter_text("vent"))
    exported(link, tmp_path)
    with contextlib.closing(Chip(tmp_path)) as chip:
        host = Host(link, chip)
        host.handset.greet()
        host.go_on(1200)
        host.handset.put_arm(True)
        host.go_on(1200)
        move = host.handset.request("move", steps=-120)
        host.go_on(2500)
        steps = [row for row in chip.rows if row.pin == 3 and row.what == "pin" and row.value]
        assert move.state == "done" and move.value == -120 == -len(steps)
        # As fast as the file lets it, give or take one look of the timer, and never faster.
        apart = [after.us - before.us for before, after in itertools.pairwise(steps)]
        assert min(apart) >= 1e6 / 400 - 1e6 / 800 - 300


def levels_of(link: nuvrik.Link, until_ms: int) -> list[tuple[float, str]]:
    """What a handset switches on its pin: armed after a second, ahead from two on."""
    handset, found = nuvrik.Handset(link, stream=False), []
    pin = link.medium.pins.machine_in
    for t_ms in range(0, until_ms, 5):
        sticks = {name: 512 if t_ms < 2000 else 1023 for name in link.controls if "stick" in name}
        arm = 1000 < t_ms < 1300
        if link.medium.kind == "pulses":
            # Its button is a contact to ground.
            handset.read(t_ms, **sticks, arm_button=not arm, knob=10)
        else:
            handset.read(
                t_ms, left_stick=sticks["left_stick"], right_stick=512, arm_button=not arm, stop_button=1
            )
        data = handset.send(t_ms)
        if not data:
            continue
        if link.medium.kind == "pulses":
            lengths = as_levels(train(in_slots(data), link.medium), link.medium)[:-1]
        else:
            lengths = durations(data, link.medium.bitrate, link.medium.training_bits)
        us = 1000 * (BOOT_MS + t_ms)
        for length in lengths:
            found.append((us / 1000, f"pin {pin} {int(length > 0)}"))
            us += abs(length)
        found.append((us / 1000, f"pin {pin} {int(lengths[-1] < 0)}"))
    return found


@pytest.mark.parametrize("make", [keyed, pulse_train])
def test_what_is_switched_on_a_pin_is_followed_and_its_end_is_a_silence(make, tmp_path: Path) -> None:
    link = make()
    exported(link, tmp_path)
    ran = run(tmp_path, levels_of(link, 4000), 6000, heap="8M")
    assert ran.code == 0, ran.said
    on, off = [t_ms for t_ms, _ in powered(link, ran.rows)][1:]
    assert 2000 <= on - BOOT_MS <= 2400 and off - BOOT_MS - 4000 <= stop_bound(link).worst_ms


def test_a_machine_that_answers_nobody_is_driven_too(tmp_path: Path) -> None:
    exported(TUG, tmp_path, answers=False)
    ran = run(tmp_path, on_line(full_ahead(4000)), 5000)
    assert [on for _, on in powered(TUG, ran.rows)] == [False, True, False], ran.said
    assert not any(row.what == "line" for row in ran.rows)
