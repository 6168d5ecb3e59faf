"""Ends of a link on boards that exist only here, each with a radio chip's stand-in, and the air between."""

import random
from collections.abc import Callable
from typing import Any

from links import with_medium

import nuvrik
from nuvrik.core.board import DIGITAL, LATCHED, NOT_READ
from nuvrik.core.loops import handset_loop, machine_loop
from nuvrik.export import boards
from nuvrik.export.loops import LOOPS, loop_table
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import RadioPins
from nuvrik.plan.starters import starter_text
from nuvrik.plant.radio_chip import Ether, RadioChip
from nuvrik.recordings.recording import Recording

KINDS: dict[str, Any] = {
    "MachineLoop": machine_loop.MachineLoop,
    "HandsetLoop": handset_loop.HandsetLoop,
}

BYTE_US = 2
"""A byte on the bus, and a little around it."""

PINS = "{ csn = 32, ce = 33, irq = 34, lamp = 35 }"


def by_radio(text: str, more: str = "", pins: str = PINS) -> str:
    """A link file by the radio chip, its pins where nobody else has any."""
    said = f'kind = "radio"\ndriver = "nrf24l01"\nmachine = {pins}\nhandset = {pins}\nbridge = {pins}'
    return with_medium(text, f"{said}\ndelay_ms = 1\njitter_ms = 3\n{more}")


TUG = nuvrik.parse(by_radio(starter_text("tug")))
MARRAM = nuvrik.parse(by_radio(starter_text("marram")))


class Board:
    """A board that has nothing but a radio; hands come from a recording. ``driven_us``: since when something
    has been given power, None while nothing is."""

    def __init__(
        self, link: nuvrik.Link, end: str, chip: RadioChip, hands: Recording | None = None, fast: float = 1
    ) -> None:
        self.link, self.chip, self.hands = link, chip, hands
        self.wanted = Wanted(link, "link.toml", "blank", packets=True, end=end)
        pins = self.wanted.driver
        assert isinstance(pins, RadioPins)
        self.radio_pins, self.lamp = pins, False
        self.now_us = self.at_us = 0.0
        self.spi_us = self.now_ms = 0
        self.fast = fast
        self.loop: Any = KINDS[LOOPS[self.wanted.glue]](loop_table(self.wanted, pins=False), self, self)
        self.loop.begin()

    @property
    def us(self) -> float:
        """Now, within a turn too."""
        self.at_us = max(self.at_us, self.now_us)
        return self.at_us

    def turn(self, us: float) -> None:
        """One turn of its loop, whose clock is as fast as its crystal."""
        self.now_us = us
        before, self.now_ms = self.now_ms, int(us * self.fast / 1000)
        self.loop.turn(self.now_ms & 0xFFFF, self.now_ms - before)

    # ---- what core asks ----

    def spi(self, box: Any, count: int) -> None:
        for at in range(count):
            self.at_us = self.us + BYTE_US
            self.spi_us += BYTE_US
            box[at] = self.chip.exchange(box[at], self.at_us)

    def pin(self, pin: int, high: bool) -> None:
        if pin == self.radio_pins.csn:
            self.chip.csn(high, self.us)
        elif pin == self.radio_pins.ce:
            self.chip.ce(high, self.us)
        elif pin == self.radio_pins.lamp:
            self.lamp = bool(high)

    def input(self, pin: int, what: int) -> int:
        if pin == self.radio_pins.irq:
            return self.chip.irq(self.us)
        return 1 if what in (DIGITAL, LATCHED) else NOT_READ

    def before_frame(self) -> None:
        if self.hands is not None:
            row = self.hands.at(int(self.now_us // 1000))
            for at, name in enumerate(self.wanted.controls):
                raw = row.get(name)
                if raw is not None:
                    self.loop.read(at, raw)

    def take(self, line: int) -> int:
        return -1

    def start(self, boot: Any) -> int:
        boot[0] = 7
        return 1

    def __getattr__(self, word: str) -> Callable[..., int]:
        if word.startswith("_"):
            raise AttributeError(word)
        return lambda *given: 0


class Pair:
    """A machine and a handset over the air, turn by turn, a millisecond each."""

    def __init__(
        self, link: nuvrik.Link, hands: Recording, ether: Ether, *, older: bool = False, fast: float = 1.002
    ) -> None:
        self.ether, self.now_ms = ether, 0
        self.machine = Board(link, boards.MACHINE, RadioChip(ether, older=older))
        self.handset = Board(link, boards.HANDSET, RadioChip(ether), hands, fast)

    def run(self, ms: int, each: Callable[["Pair"], None] = lambda pair: None) -> None:
        """Let time go by."""
        for _ in range(ms):
            self.now_ms += 1
            # They are not in step, and their crystals are not alike.
            self.machine.turn(1000.0 * self.now_ms)
            self.handset.turn(1000.0 * self.now_ms + 500)
            each(self)

    @property
    def state(self) -> int:
        """The machine's."""
        return self.machine.loop.end.machine.watch.state

    @property
    def driven(self) -> bool:
        """Whether anything is given power."""
        return bool(self.machine.loop.end.machine.outputs.any_driven())


class Bursts:
    """Loss of single packets, and of several in a row."""

    def __init__(self, seed: int, single: float, burst: float, mean_ms: float) -> None:
        self._rng, self._single, self._burst, self._mean_us = (
            random.Random(seed),
            single,
            burst,
            1000 * mean_ms,
        )
        self._until_us = 0.0

    def __call__(self, us: float) -> bool:
        if self._rng.random() < self._burst:
            self._until_us = us + self._rng.expovariate(1 / self._mean_us)
        return us < self._until_us or self._rng.random() < self._single
