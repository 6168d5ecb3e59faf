"""Ends of a link in C as they are exported, each with a radio chip's stand-in; turn by turn, as in on_air."""

import ctypes
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from taped_in_c import ASKED, Told, in_c

import nuvrik
from nuvrik.core.board import DIGITAL, LATCHED, NOT_READ
from nuvrik.export import boards
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import RadioPins
from nuvrik.plant.radio_chip import Ether, RadioChip

BYTE_US = 2
NOW, START, TAKE, GIVE, PIN, INPUT, BEFORE_FRAME, SPI = 0, 2, 3, 4, 6, 10, 15, 17
"""What the C of taped_in_c asks for, by number."""


class EndInC:
    """One end. Its chip's arrivals are noted: ``heard_us``. ``row``: what its controls read."""

    def __init__(self, link: nuvrik.Link, end: str, ether: Ether, folder: Path, fast: float = 1) -> None:
        wanted = Wanted(link, "link.toml", "blank", packets=True, end=end)
        assert isinstance(wanted.driver, RadioPins)
        folder.mkdir(parents=True)
        self.pins, self.fast, self.chip = wanted.driver, fast, RadioChip(ether)
        self.controls, self.row = list(wanted.controls), dict[str, int | None]()
        self.now_ms, self.us, self.heard_us = 0, 0.0, 0.0
        self.heard = 0
        self.chip.arrive = self._arrive  # type: ignore[method-assign]
        self.built = in_c(wanted, folder)
        self._asked = ASKED(self._answer)
        ctypes.c_void_p.in_dll(self.built, "asked").value = ctypes.cast(self._asked, ctypes.c_void_p).value
        self.turning: list[Told] = []
        if end == boards.MACHINE:
            self.built.nuvrik_told.restype = ctypes.POINTER(Told)
            # Where a demand stands never changes.
            turning = [at for at, one in enumerate(link.outputs.values()) if one.turns]
            self.turning = [self.built.nuvrik_told(at).contents for at in turning]
        self.built.nuvrik_begin()

    def _arrive(self, sent: Any) -> None:
        self.heard_us, self.heard = sent.end_us, self.heard + 1
        RadioChip.arrive(self.chip, sent)

    def turn(self, us: float) -> None:
        """One turn of its loop, whose clock is as fast as its crystal."""
        self.us = max(us, self.us)
        self.now_ms = int(us * self.fast / 1000)
        self.built.nuvrik_turn()

    @property
    def driven(self) -> bool:
        """Whether anything is made to turn; a stepper that holds its place is not."""
        return any(one.driven and one.at for one in self.turning)

    @property
    def armed(self) -> bool:
        """Whether a handset says arm."""
        return bool(self.built.nuvrik_armed() & 1)

    @property
    def state(self) -> int:
        """The machine's."""
        return int(self.built.nuvrik_state())

    def _answer(self, what: int, a: int, b: int, c: int, d: int, at: int) -> int:
        if what == NOW:
            return self.now_ms & 0x7FFF_FFFF
        if what == INPUT:
            if a == self.pins.irq:
                return int(self.chip.irq(self.us))
            return 1 if b in (DIGITAL, LATCHED) else NOT_READ
        if what == PIN:
            if a == self.pins.csn:
                self.chip.csn(bool(b), self.us)
            elif a == self.pins.ce:
                self.chip.ce(bool(b), self.us)
        elif what == SPI:
            box = ctypes.cast(at, ctypes.POINTER(ctypes.c_uint8))
            for i in range(a):
                self.us += BYTE_US
                box[i] = self.chip.exchange(box[i], self.us)
        elif what == BEFORE_FRAME:
            for i, name in enumerate(self.controls):
                raw = self.row.get(name)
                if raw is not None:
                    self.built.nuvrik_read(i, ctypes.c_int32(raw))
        elif what == START:
            ctypes.cast(at, ctypes.POINTER(ctypes.c_uint32))[0] = 7
            return 1
        return {TAKE: -1, GIVE: 1}.get(what, 0)


class PairInC:
    """A machine and a handset, a millisecond each turn."""

    def __init__(self, link: nuvrik.Link, ether: Ether, folder: Path, fast: float = 1.002) -> None:
        self.ether, self.now_ms = ether, 0
        self.machine = EndInC(link, boards.MACHINE, ether, folder / "machine")
        self.handset = EndInC(link, boards.HANDSET, ether, folder / "handset", fast)

    def turn(self, row: Mapping[str, int | None]) -> None:
        """A millisecond, in which the hand is at ``row``."""
        self.now_ms += 1
        self.handset.row = dict(row)
        self.machine.turn(1000.0 * self.now_ms)
        self.handset.turn(1000.0 * self.now_ms + 500)
