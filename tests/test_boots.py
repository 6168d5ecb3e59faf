"""A chip that counts its starts: power that fails at any byte, slots that rot, boards that are new."""

import os
import random
import subprocess
from binascii import crc_hqx
from pathlib import Path

import pytest
from chips import emulator, needs_a_chip
from links import many
from links_with_key import link_with_key

from nuvrik.core import boots
from nuvrik.export.chips import CHIPS
from nuvrik.export.emulated import Emulated
from nuvrik.export.firmware import firmware as made_for
from nuvrik.export.on_avr import on_avr
from nuvrik.export.wanted import Wanted
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import rehearse

SEED = int(os.environ["NUVRIK_SEED"])


class Memory:
    """Memory that lasts. ``busy`` turns go by while a byte is written; power fails after ``left`` of them."""

    def __init__(self) -> None:
        self.bytes = bytearray(b"\xff" * 256)
        self.left, self.busy, self.rotten = 1 << 30, 0, set[int]()

    def kept(self, at: int) -> int:
        return self.bytes[at]

    def keep(self, at: int, byte: int) -> bool:
        if self.busy:
            self.busy -= 1
            return False
        self.busy = 2
        if self.left > 0 and at not in self.rotten:
            self.bytes[at] = byte
        self.left -= 1
        return True


def started(memory: Memory, key: int, fails_after: int = 1 << 30) -> boots.Boots:
    """A board that has just got power, and gone on for long enough to count that, or until power fails."""
    memory.left, memory.busy = fails_after, 0
    board = boots.Boots(memory)  # type: ignore[arg-type]
    board.begin(key)
    for _ in range(600):
        if memory.left <= 0:
            break
        board.turn()
    return board


def count_of(board: boots.Boots) -> int | None:
    """What it would use, None for nothing."""
    return board.low | board.high << 16 if board.state == boots.BOOTS_READY else None


def test_no_count_comes_twice_wherever_power_fails_and_whichever_slot_rots() -> None:
    rng = random.Random(SEED)
    for _ in range(many(20)):
        memory, used, usable = Memory(), set[int](), 0
        for _ in range(60):
            count = count_of(started(memory, 0x1234, rng.choice((1 << 30, 1 << 30, rng.randrange(1, 17)))))
            if count is not None:
                assert count not in used and count > max(used, default=0)
                used.add(count)
                usable += 1
            if rng.random() < 0.1:
                # One slot rots while power is off.
                memory.bytes[boots.FIRST_BYTE + rng.randrange(128)] ^= 1 << rng.randrange(8)
        assert usable > 10 and memory.bytes[: boots.FIRST_BYTE] == b"\xff" * boots.FIRST_BYTE


def test_a_memory_that_keeps_nothing_is_given_up_and_one_that_is_half_rotten_is_not() -> None:
    memory = Memory()
    memory.rotten = {boots.FIRST_BYTE + at for at in range(0, 128, 8)}
    assert count_of(started(memory, 0x1234)) is None
    memory = Memory()
    memory.rotten = {boots.FIRST_BYTE + at for at in range(0, 64, 8)}
    assert count_of(started(memory, 0x1200)) == 1


def test_another_key_goes_on_counting_and_broken_slots_of_ones_own_stop_it() -> None:
    memory = Memory()
    for wanted in (1, 2, 3):
        assert count_of(started(memory, 0x1234)) == wanted
    # A board that gets a new key, and one that was cloned, go on from the greatest count.
    assert count_of(started(memory, 0x5678)) == 4
    for slot in range(16):
        memory.bytes[boots.FIRST_BYTE + 8 * slot + 6] ^= 1
    assert count_of(started(memory, 0x5678)) is None and count_of(started(memory, 0x1234)) is None
    assert count_of(started(memory, 0x9ABC)) == 1


def test_the_last_count_is_not_passed() -> None:
    memory = Memory()
    board = started(memory, 0x1234)
    board.low = board.high = 0xFFFF
    board.begin(0x1234)
    for slot in (4, 5):
        image = bytes((0x34, 0x12, 255, 255, 255, 255))
        sum_ = crc_hqx(image, 0xFFFF)
        memory.bytes[8 + 8 * slot : 16 + 8 * slot] = image + sum_.to_bytes(2, "big")
    assert count_of(started(memory, 0x1234)) is None


@needs_a_chip
@pytest.mark.slow
def test_a_chip_with_a_key_is_driven_by_who_has_it_and_stops_in_time(tmp_path: Path) -> None:
    link = link_with_key(tmp_path, "rover")
    run = rehearse(link, FAULTS["cable_pulled"], seed=3, make=on_avr(link, tmp_path))
    assert run.verdict == "pass", run.why


COUNTS_CYCLES = """
#include <avr/io.h>
#include "nuvrik.c"
volatile uint16_t took[3];
int main(void)
{
    static uint8_t body[64];
    TCCR1B = 1;
    for (uint8_t i = 0; i < 3; i++) {
        TCNT1 = 0;
        nuvrik_tags_work_out(body, 0, 5, 8, (uint16_t)(12 + 16 * i));
        took[i] = TCNT1;
    }
    for (;;) {
    }
}
"""


@needs_a_chip
@pytest.mark.slow
def test_a_tag_takes_a_chip_no_longer_than_is_said(tmp_path: Path) -> None:
    """1.35 ms at 16 MHz: with 50 commands in and 12.5 frames out a second, a twelfth of the chip."""
    firmware = made_for(Wanted(link_with_key(tmp_path, "tug"), "link.toml", "atmega328p"))
    files = {name: str(text) for name, text in firmware.files.items()} | {"main.c": COUNTS_CYCLES}
    for name, text in files.items():
        (tmp_path / name).write_text(text, "utf-8")
    parts = " ".join(sorted(name for name in files if name.endswith(".c") and name != "nuvrik.c"))
    subprocess.run(["make", f"PARTS={parts}"], cwd=tmp_path, check=True, capture_output=True)
    words = ["avr-nm", "firmware.elf"]
    names = subprocess.run(words, cwd=tmp_path, check=True, capture_output=True, text=True)
    lines = [line for line in names.stdout.splitlines() if line.endswith(" took")]
    address = int(lines[0][:8], 16) & 0xFFFF
    chip = Emulated(emulator(), tmp_path / "firmware.elf", CHIPS["atmega328p"])
    chip.run(20_000)
    two, three, four = (chip.memory[address + at] | chip.memory[address + at + 1] << 8 for at in (0, 2, 4))
    # Published numbers: two blocks for a payload of up to 12 bytes, and one more for each 16.
    assert 10_000 < two <= 21_500 and two < three < four and four - three <= 11_000
