"""From what outputs are told to what a board does with its pins."""

from nuvrik.core.board import Board
from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.demand import Demand
from nuvrik.core.machine.pins import (
    COILS,
    PULSED,
    STEPPED,
    TWO_POWERED,
    PinTable,
    Writes,
    level_of_pin,
    pins_of,
)
from nuvrik.core.widths import i32, sign, u8, u16

MOST_ENDS = 4
"""The ends of two coils."""


class PinWriter:
    """Sets the pins of outputs. ends: those of the coils that are told of now."""

    def __init__(self, board: Board) -> None:
        self.board: Board = board
        self.ends: list[u8] = [0] * MOST_ENDS

    def nothing_on(self, pins: PinTable, steps: bool) -> None:
        """An output off, before anything else runs. steps: whether it goes by steps."""
        for at in range(pins_of(pins.use)):
            self.write(pins, at, level_of_pin(pins, at, 0, 0, False), steps, 0, -1)

    def carry_out(self, pins: PinTable, writes: Writes, steps: bool, told: Demand, left: i32) -> None:
        """Make the writes of an output, in their order. left: how many steps are left to it, -1 for
        any number."""
        for k in range(writes.count):
            self.write(pins, writes.pin[k], writes.level[k], steps, told.way, left)

    def write(self, pins: PinTable, at: u8, to: u16, steps: bool, way: sign, left: i32) -> None:
        """Set one pin of an output."""
        number: u8 = pins.numbers[at]
        if number == NOBODY:
            return
        if pins.use == PULSED:
            self.board.pulse(number, to)
        elif steps and (at == 0 or pins.use == COILS):
            self.step(pins, at, to, way, left)
        elif pins.use == TWO_POWERED or (at == 0 and pins.use < STEPPED):
            self.board.pwm(number, to, pins.most)
        else:
            self.board.pin(number, to != 0)

    def step(self, pins: PinTable, at: u8, to: u16, way: sign, left: i32) -> None:
        """Let the board step. The four pins of two coils are told what a driver would be: how fast,
        which way, and whether there is current at all."""
        count: u8 = MOST_ENDS if pins.use == COILS else 1
        for i in range(count):
            self.ends[i] = pins.numbers[i]
        if at == 0:
            rate: i32 = -to if way < 0 else to
            self.board.steps(self.ends, count, rate, left)
        elif at == 2 and to == 0:
            for i in range(count):
                self.board.pin(self.ends[i], False)
