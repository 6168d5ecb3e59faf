"""A medium that loses, delays and damages frames, all from one seed."""

import random
from itertools import pairwise

from nuvrik.budget.conditions import Conditions
from nuvrik.plan.form.media import AnyMedium, OnOffMedium, PulsesMedium, Retries, retries_of, transit_us
from nuvrik.pulses.noise import receiver_noise, worn
from nuvrik.pulses.on_off_keyed import OnOffDecoder, durations
from nuvrik.pulses.train import edge_times, train
from nuvrik.wire.styles.train import in_bytes, in_slots


class Losses:
    """Which frames are lost: one by one, and in bursts."""

    def __init__(self, conditions: Conditions, rng: random.Random) -> None:
        self._rng = rng
        self._loss, self._burst_loss = conditions.loss, conditions.burst_loss
        self._in_burst = False
        self._ends = 1 / conditions.burst_frames
        self._starts = self._ends * conditions.burst_loss / (1 - conditions.burst_loss)

    def tries(self, most: int = 0) -> int | None:
        """How often the next frame is tried in vain before it arrives, with ``most`` tries after the first;
        None if it never does. A burst outlasts all of them."""
        rng = self._rng
        if self._burst_loss:
            self._in_burst ^= rng.random() < (self._ends if self._in_burst else self._starts)
        if self._in_burst:
            return None
        for failed in range(most + 1):
            if self._loss == 0 or rng.random() >= self._loss:
                return failed
        return None


class SimMedium:
    """The way from one end to the other. Frames stay in order; one is on the air at a time."""

    def __init__(self, medium: AnyMedium, conditions: Conditions, rng: random.Random) -> None:
        self.cut = False
        self._medium = medium
        self._conditions = conditions
        self._rng = rng
        self._jitter_us = medium.jitter_ms * 1000
        self._damages = bool(conditions.bit_errors or conditions.jitter or conditions.mark_stretch_us)
        self._lossy = bool(conditions.loss or conditions.burst_loss)
        self._losses = Losses(conditions, rng)
        self._airtimes_us: dict[int, tuple[int, int, Retries]] = {}
        self._free_us = 0
        self._arrived_us = 0

    def send(self, wire: bytes, t_us: int) -> tuple[int, bytes] | None:
        """When a frame handed over at ``t_us`` arrives, and as what; None if it is lost."""
        start = max(t_us, self._free_us)
        length = len(wire)
        if length not in self._airtimes_us:
            airtime_us, after_us = self._medium.airtime_us(length), transit_us(self._medium, length)
            self._airtimes_us[length] = airtime_us, after_us - airtime_us, retries_of(self._medium, length)
        airtime_us, after_us, retries = self._airtimes_us[length]
        failed = self._losses.tries(retries.most) if self._lossy else 0
        if failed is None or self.cut:
            self._free_us = start + airtime_us + retries.most * retries.each_us
            return None
        self._free_us = start + airtime_us + failed * retries.each_us
        arrives = self._free_us + after_us
        if self._jitter_us:
            arrives += int(self._rng.random() * self._jitter_us)
        self._arrived_us = max(arrives, self._arrived_us)
        heard = self._damaged(wire) if self._damages else wire
        return None if heard is None else (self._arrived_us, heard)

    def _damaged(self, wire: bytes) -> bytes | None:
        """What is heard of a frame; None if nothing is."""
        if not self._conditions.bit_errors:
            return wire
        share, bits = self._conditions.bit_errors, 8 * len(wire)
        if self._rng.random() < (1 - share) ** bits:
            return wire
        damaged = bytearray(wire)
        flips = {self._rng.randrange(bits)}
        flips |= {bit for bit in range(bits) if self._rng.random() < share}
        for bit in flips:
            damaged[bit >> 3] ^= 1 << (bit & 7)
        return bytes(damaged)


TRAIN_UNIT_US = 100
"""Jitter of a train is a share of this, so that 10 % stray by 10 us: what an interrupt in the way costs."""

NOISE_PULSES = 40
"""So many does a receiver make of the empty band before a frame: longer than its clock takes to be misled, so
that a frame never finds it fresh."""


class KeyedMedium(SimMedium):
    """Carrier on and off: each frame goes over it as marks and spaces, noise before it, and is read bit by
    bit. A pulse that is lost leaves the carrier off."""

    def _damaged(self, wire: bytes) -> bytes | None:
        medium, rng, conditions = self._medium, self._rng, self._conditions
        assert isinstance(medium, OnOffMedium)
        heard = [
            -abs(pulse) if pulse > 0 and rng.random() < conditions.bit_errors else pulse
            for pulse in durations(wire, medium.bitrate, medium.training_bits)
        ]
        stray_us = conditions.jitter * 500_000 / medium.bitrate
        heard = worn(heard, rng, jitter_us=stray_us, mark_stretch_us=conditions.mark_stretch_us)
        decoder = OnOffDecoder(medium.bitrate)
        bodies = decoder.feed([*receiver_noise(NOISE_PULSES, rng), *heard]) + decoder.end()
        return bodies[-1] if bodies else None


class TrainMedium(SimMedium):
    """A wire with trains of pulses: each goes over it as marks and spaces, and is captured edge by edge."""

    def _damaged(self, wire: bytes) -> bytes:
        assert isinstance(self._medium, PulsesMedium)
        rng, conditions = self._rng, self._conditions
        stray = conditions.jitter * TRAIN_UNIT_US
        edges = [
            at + rng.uniform(-stray, stray)
            for at in edge_times(train(in_slots(wire), self._medium))
            if rng.random() >= conditions.bit_errors
        ]
        return in_bytes([min(max(round(b - a), 0), 0xFFFF) for a, b in pairwise(edges)])


def medium_of(medium: AnyMedium, conditions: Conditions, rng: random.Random) -> SimMedium:
    """The simulated medium of a link."""
    kinds = {PulsesMedium: TrainMedium, OnOffMedium: KeyedMedium}
    return kinds.get(type(medium), SimMedium)(medium, conditions, rng)
