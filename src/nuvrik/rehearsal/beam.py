"""An infrared link in virtual time: a remote, a beam that lamps and other remotes share, a receiver."""

import random
from typing import Any

from nuvrik.budget.conditions import Conditions
from nuvrik.core.machine.states import ARMED
from nuvrik.ends.remote import Receiver, Remote, infrared
from nuvrik.pulses.codes import PROTOCOLS
from nuvrik.pulses.noise import LAMP_MARK_US
from nuvrik.rehearsal.medium import Losses
from nuvrik.rehearsal.world import Clock, World

LEARNED_UNIT_US = 500
"""A shape that was learnt has no unit; jitter is a share of this, near to the units of the known codes."""


class Beam:
    """Marks from whoever sends, as a receiver sees them: wherever two overlap, one longer mark."""

    def __init__(self, unit_us: float, conditions: Conditions, rng: random.Random) -> None:
        self.blocked = False
        self.lamp_per_s = conditions.lamp_per_s
        self._jitter_us = conditions.jitter * unit_us
        self._lean_us = conditions.mark_stretch_us
        self._rng = rng
        self._tries = Losses(conditions, rng).tries
        self._marks: list[tuple[int, int]] = []
        self._taken_us = 0
        self._lamp_us = 0

    def send(self, durations: list[int], t_us: int) -> None:
        """A code that begins at a time."""
        if self._tries() is None:
            return
        rng, at = self._rng, t_us
        for duration in durations:
            end = at + abs(duration)
            if duration > 0:
                start_us = at + rng.uniform(-1, 1) * self._jitter_us
                end_us = end + rng.uniform(-1, 1) * self._jitter_us + self._lean_us
                self._marks.append((round(start_us), round(max(end_us, start_us + 1))))
            at = end

    def take(self, t_us: int) -> list[int]:
        """What has passed since the last time, up to a time: marks and spaces, the last as far as it got."""
        self._lamp(t_us)
        marks = [] if self.blocked else sorted(self._marks)
        self._marks = [mark for mark in self._marks if mark[1] > t_us]
        made: list[int] = []
        at = self._taken_us
        for start, end in marks:
            start, end = max(start, at), min(end, t_us)
            if start >= t_us or end <= at:
                continue
            if start > at:
                made.append(at - start)
            made.append(end - start)
            at = end
        if t_us > at:
            made.append(at - t_us)
        self._taken_us = t_us
        return made

    def _lamp(self, t_us: int) -> None:
        """What a lamp adds up to a time."""
        if not self.lamp_per_s:
            self._lamp_us = t_us
            return
        while self._lamp_us < t_us:
            length = 1 + int(self._rng.expovariate(1 / LAMP_MARK_US))
            self._marks.append((self._lamp_us, self._lamp_us + length))
            self._lamp_us += length + 1 + int(self._rng.expovariate(self.lamp_per_s / 1_000_000))


class BeamWorld(World):
    """One rehearsal of an infrared link. The handset is the remote; the machine is inside the receiver, which
    looks at the beam once a tick.

    Silence is ordinary here: a machine whose keys have been let go of is at rest though it is still armed.
    """

    def _prepare(self, conditions: Conditions) -> None:
        medium = infrared(self.link)
        about = PROTOCOLS.get(medium.protocol)
        self.beam = Beam(about.unit_us if about else LEARNED_UNIT_US, conditions, self.rng)
        self.remote: Remote | None = Remote(self.link)
        self.receiver = Receiver(self.link)
        self.machine = self.receiver.machine
        self.machine_on = True
        self.back = None
        self.at(self.rng.randrange(self._period_us), self._remote_turn)
        self.at(self.rng.randrange(self._tick_us), self._receiver_turn)

    def cut(self, on: bool = True) -> None:
        """Something stands in the beam, or has gone."""
        self.beam.blocked = on

    @property
    def at_rest(self) -> bool:
        """Whether nothing turns."""
        return self.machine.safe

    def reset_handset(self, boot_ms: int) -> None:
        """The remote loses power, and starts afresh ``boot_ms`` later."""
        self.remote = None
        self.at(self.t_us + 1000 * boot_ms, self._boot_remote)

    def kill_handset(self) -> None:
        """The remote's battery is empty."""
        self.remote = None

    def reset_machine(self, boot_ms: int) -> None:
        """The receiver loses power with the motors; it starts afresh ``boot_ms`` later."""
        self.machine_on = False
        self.receiver = Receiver(self.link)
        self.machine = self.receiver.machine
        self.plant.float_pins()
        self._see(self.machine.demands)
        self.at(self.t_us + 1000 * boot_ms, self._boot_machine)

    def _boot_remote(self, _: Any) -> None:
        self.remote = Remote(self.link)
        self.handset_clock = Clock(-self.t_us // 1000)

    def second_remote(self, durations: list[int], every_us: int) -> None:
        """From now on another remote sends these marks and spaces again and again."""

        def turn(_: Any) -> None:
            self.beam.send(durations, self.t_us)
            self.at(self.t_us + every_us, turn)

        self.at(self.t_us, turn)

    def _remote_turn(self, _: Any) -> None:
        self.at(self.t_us + self._period_us, self._remote_turn)
        if self.remote is None:
            return
        now_ms = self.handset_clock.ms(self.t_us)
        row = self.recording.at(self.t_us // 1000)
        self.remote.read(now_ms, **(row if self.hands is None else self.hands(row)))
        durations = self.remote.send(now_ms)
        if durations:
            self.trace.sent.append(self.t_us / 1000)
            self.beam.send(durations, self.t_us)

    def _receiver_turn(self, _: Any) -> None:
        self.at(self.t_us + self._tick_us, self._receiver_turn)
        if not self.machine_on or self.t_us < self.machine_stalled_until_us:
            return
        now_ms = self.machine_clock.ms(self.t_us)
        before = self.receiver.counts.copy()
        codes = self.receiver.feed(self.beam.take(self.t_us), now_ms)
        demands = self.receiver.tick(now_ms)
        for code in codes:
            self.trace.accepted.append(code.at_us / 1000)
            if self.machine.state is ARMED:
                self.last_armed_sent_us = code.at_us
        for reason, count in (self.receiver.counts - before).items():
            if reason != "ours":
                self.trace.refused += [(self.t_us / 1000, reason)] * count
        self._see(demands)
