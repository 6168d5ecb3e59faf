"""Links with a key against somebody who hears everything and can send, drop, delay, change and repeat it,
across restarts of either end: nothing counts twice, nothing late counts, nobody else is obeyed."""

import os
import random
import shutil
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
from ends_with_key import (
    AHandset,
    AMachine,
    CoreHandset,
    CoreMachine,
    OurHandset,
    OurMachine,
    PipedMachine,
    Random,
)
from links import many
from links_with_key import link_with_key
from python_chips import MICROPYTHON, needs_micropython

import nuvrik
from nuvrik.core.frames.sealed import FORGED
from nuvrik.export.native import Native, build
from nuvrik.plan.layout import layout_tag
from nuvrik.recordings.pilot import practice
from nuvrik.wire.kinds import COMMAND, STOP
from nuvrik.wire.sealed import check_bytes

SEED = int(os.environ["NUVRIK_SEED"])

QUIET_MS = 1200
"""So soon after the last interference a handset drives again."""

OTHER_KEY = bytes(range(100, 116))


class Together:
    """A machine of the library and one of core, told the same: they do the same."""

    def __init__(self, link: nuvrik.Link, random: Random, other: Callable[..., AMachine]) -> None:
        drawn = random(8)
        self.one, self.two = OurMachine(link, lambda count: drawn), other(link, lambda count: drawn)

    def obeyed(self, wire: bytes, now_ms: int) -> int | None:
        kind = self.one.obeyed(wire, now_ms)
        assert self.two.obeyed(wire, now_ms) == kind, (wire.hex(), now_ms)
        return kind

    def tick(self, now_ms: int) -> None:
        self.one.tick(now_ms)
        self.two.tick(now_ms)

    def send(self, now_ms: int) -> bytes:
        wire = self.one.send(now_ms)
        assert self.two.send(now_ms) == wire, now_ms
        return wire


class Hands:
    """What a hand at one handset does: practice, and arm off for a while and on again, by a toggle."""

    def __init__(self, link: nuvrik.Link, seed: int) -> None:
        self.link, self.script = link, practice(link, seed)
        self.off_until_ms = 0

    def read(self, handset: AHandset, now_ms: int) -> None:
        arm = self.link.arm_control
        assert arm is not None
        off, on = now_ms < self.off_until_ms, handset.is_on(arm)
        presses = on == off and now_ms % 100 < 50
        handset.read(now_ms, **self.script.at(now_ms) | {arm: int(presses)})


class Air:
    """Both ends, other handsets, and whoever is between them."""

    def __init__(
        self,
        link: nuvrik.Link,
        other: nuvrik.Link,
        seed: int,
        machine: Callable[[nuvrik.Link, Random], AMachine],
        handset: Callable[[nuvrik.Link, Random], AHandset],
    ) -> None:
        self.link, self.rng = link, random.Random(seed)
        self._machine, self._handset = machine, handset
        self.now_ms = 0
        self.made: dict[bytes, int] = {}
        self.accepted: dict[bytes, int] = {}
        self.last_ms = 0
        self.way: list[tuple[int, bool, bytes]] = []
        self.heard: list[bytes] = []
        self.said: list[bytes] = []
        self.hands = [Hands(one, seed + at) for at, one in enumerate((link, link, other))]
        self.links = [link, link, other]
        self.handsets: list[AHandset | None] = [self.handset(0), None, self.handset(2)]
        self.machine = self.boot()

    def boot(self) -> AMachine:
        return self._machine(self.link, self.rng.randbytes)

    def handset(self, which: int) -> AHandset:
        return self._handset(self.links[which], self.rng.randbytes)

    def pass_ms(self, interferes: bool) -> None:
        """A millisecond."""
        self.now_ms += 1
        now_ms = self.now_ms
        for which, handset in enumerate(self.handsets):
            if handset is None:
                continue
            if now_ms % 5 == 0:
                self.hands[which].read(handset, now_ms)
            wire = handset.send(now_ms)
            if wire:
                if which < 2:
                    self.made[wire] = now_ms
                self.heard.append(wire)
                self.carry(True, wire, interferes)
        due = [one for one in self.way if one[0] <= now_ms]
        self.way = [one for one in self.way if one[0] > now_ms]
        for _, to_machine, wire in due:
            if to_machine:
                self.arrive(wire)
            else:
                for handset in self.handsets:
                    if handset is not None:
                        handset.feed(wire, now_ms)
        if now_ms % self.link.tick_ms == 0:
            self.machine.tick(now_ms)
        wire = self.machine.send(now_ms)
        if wire:
            self.said.append(wire)
            self.carry(False, wire, interferes)

    def carry(self, to_machine: bool, wire: bytes, interferes: bool) -> None:
        """A frame on its way."""
        if not interferes:
            self.way.append((self.now_ms + 2, to_machine, wire))
            return
        for _ in range(self.rng.choice((0, 1, 1, 1, 1, 2))):
            late = self.rng.choice((1, 2, 3, 20, 200, 900, 4000)) if self.rng.random() < 0.2 else 2
            self.way.append((self.now_ms + late, to_machine, wire))

    def arrive(self, wire: bytes) -> None:
        """Something at the machine, whoever sent it."""
        kind = self.machine.obeyed(wire, self.now_ms)
        if kind not in (COMMAND, STOP):
            return
        assert wire in self.made, "obeyed what no handset with the key has sent"
        assert wire not in self.accepted, "obeyed twice"
        self.accepted[wire] = self.last_ms = self.now_ms
        age_ms, guard_ms = self.now_ms - self.made[wire], self.link.failsafe.delay_guard_ms
        assert guard_ms is not None
        assert kind == STOP or age_ms <= guard_ms, f"obeyed {age_ms} ms late"

    def interfere(self) -> None:
        """One thing that somebody without the key can do, or that happens."""
        rng, old = self.rng, self.heard + self.said
        what = rng.randrange(16)
        if what < 5 and old:
            self.way.append((self.now_ms, rng.random() < 0.8, rng.choice(old)))
        elif what < 7 and old:
            wire = bytearray(rng.choice(old[-40:]))
            wire[rng.randrange(len(wire))] ^= 1 << rng.randrange(8)
            self.way.append((self.now_ms, rng.random() < 0.8, bytes(wire)))
        elif what < 9 and old:
            one, two = rng.choice(old[-40:]), rng.choice(old)
            cut = rng.randrange(len(one))
            self.way.append((self.now_ms, True, one[:cut] + two[cut:]))
        elif what == 9 and rng.random() < 0.1:
            self.machine = self.boot()
        elif what == 10 and rng.random() < 0.1:
            self.handsets[0] = self.handset(0)
        elif what == 11 and rng.random() < 0.1:
            self.handsets[1] = None if self.handsets[1] else self.handset(1)
        elif what == 12 and rng.random() < 0.2:
            self.hands[rng.randrange(2)].off_until_ms = self.now_ms + 300
        elif what == 13 and self.heard:
            # Everything that was heard in the last second, once more.
            self.way += [(self.now_ms + at, True, wire) for at, wire in enumerate(self.heard[-50:])]

    def back_ms(self) -> int:
        """How long after the last interference the first handset drives again."""
        self.way.clear()
        self.handsets[1] = None
        self.hands[0].off_until_ms = self.now_ms + 60
        began_ms = self.now_ms
        while self.now_ms < began_ms + 3 * QUIET_MS:
            self.pass_ms(interferes=False)
            if self.last_ms > began_ms:
                return self.last_ms - began_ms
        return 3 * QUIET_MS


def attacked(
    folder: Path,
    name: str,
    rounds: int,
    machine: Callable[[nuvrik.Link, Random], AMachine],
    handset: Callable[[nuvrik.Link, Random], AHandset],
) -> None:
    """So many seconds of that, and after each of them quiet, in which it drives again."""
    link = link_with_key(folder, name)
    (folder / "other").mkdir()
    other = link_with_key(folder / "other", name, OTHER_KEY)
    air = Air(link, other, SEED, machine, handset)
    for _ in range(rounds):
        for _ in range(1000):
            air.pass_ms(interferes=True)
            if air.rng.random() < 0.2:
                air.interfere()
        assert air.back_ms() <= QUIET_MS
    # That is worth something only if it was driven all the time.
    assert len(air.accepted) > 10 * rounds


@pytest.mark.parametrize("name", ["marram", "tug"])
def test_nobody_without_the_key_is_obeyed_and_nothing_twice_or_late(name: str, tmp_path: Path) -> None:
    attacked(tmp_path, name, many(20), OurMachine, OurHandset)


@pytest.mark.parametrize("name", ["marram", "crane"])
def test_what_the_library_does_is_what_core_says(name: str, tmp_path: Path) -> None:
    attacked(tmp_path, name, many(4), partial(Together, other=CoreMachine), CoreHandset)


@pytest.fixture(scope="module")
def native(tmp_path_factory: pytest.TempPathFactory) -> Native:
    """Core as C, built here."""
    library = tmp_path_factory.mktemp("core") / "core.so"
    build(library)
    return Native(library)


@pytest.mark.slow
@pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain")
@pytest.mark.parametrize("name", ["marram", "tug"])
def test_the_same_in_c(name: str, tmp_path: Path, native: Native) -> None:
    machine = partial(CoreMachine, make=partial(native.make, "MachineEnd"))
    attacked(
        tmp_path, name, many(100), machine, partial(CoreHandset, make=partial(native.make, "HandsetEnd"))
    )


@pytest.mark.slow
@pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain")
def test_c_does_what_the_library_does(tmp_path: Path, native: Native) -> None:
    machine = partial(CoreMachine, make=partial(native.make, "MachineEnd"))
    attacked(tmp_path, "rover", many(20), partial(Together, other=machine), OurHandset)


@needs_micropython
def test_micropython_does_what_the_library_does(tmp_path: Path) -> None:
    (tmp_path / "exports").mkdir()
    machine = partial(PipedMachine, interpreter=MICROPYTHON, folder=tmp_path / "exports")
    attacked(tmp_path, "marram", many(3), partial(Together, other=machine), OurHandset)


@pytest.mark.slow
@pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain")
def test_guesses_are_never_right(tmp_path: Path, native: Native) -> None:
    """Everything but the tag is as it has to be; ten million of them in `make nightly`."""
    link, rng = link_with_key(tmp_path, "tug"), random.Random(SEED)
    machine = CoreMachine(link, rng.randbytes, partial(native.make, "MachineEnd"))
    handset = OurHandset(link, rng.randbytes)
    for now_ms in range(400):
        machine.obeyed(handset.send(now_ms), now_ms)
        handset.feed(machine.send(now_ms), now_ms)
        handset.read(now_ms, **practice(link, 1).at(now_ms)) if now_ms % 50 == 0 else None
    wire = next(filter(None, (handset.send(at) for at in range(400, 500))))
    before, forged = machine.end.accepted, 0
    for _ in range(10_000_000 if os.environ.get("NUVRIK_NIGHTLY") else 20_000):
        covered = wire[:-8] + rng.randbytes(6)
        machine.end.begin_packet()
        for byte in covered + check_bytes(covered, layout_tag(link)):
            machine.end.packet_byte(byte)
        forged += machine.end.end_packet() == FORGED
    assert machine.end.accepted == before and forged >= 20_000
    # And the one that it was made of is obeyed.
    assert machine.obeyed(wire, 401) == COMMAND
