"""Frames over the cheapest radio modules: carrier on, carrier off, and nothing else.

::

    training (ones) | sync word (16 bits) | length (8 bits) | body | a space to end with

Each bit is two halves, as IEEE 802.3 has Manchester code: a 1 is off then on, a 0 on then off. So the
carrier is on half of the time whatever is sent, which such receivers need to find their threshold, and no
level lasts longer than two halves, which the bit clock is recovered from. Bits go lowest first, but the
sync word highest first. The body carries its own check.
"""

from collections.abc import Iterable, Iterator

from nuvrik.plan.form.frame_base import MAX_BODY

SYNC_WORD = 0xE19A
"""Behind the training, it differs in 14 of its 32 halves or more from itself at every earlier place: the most
that 16 balanced bits can."""

SYNC_BITS, LENGTH_BITS = 16, 8
ONE, ZERO = (0, 1), (1, 0)

FINDING, KEEPING = (1 / 6, 1 / 32, 1 / 12), (1 / 12, 1 / 256, 1 / 48)
"""How much of each edge's error the recovered clock takes up, before the sync word and behind it: into
where it is, into how fast it runs, and into how much longer marks come out than spaces. Measured at 2000
bit/s with edges that stray by 30 % of a half bit: 88 % of frames are read. Half as much while finding reads
98 % of those, but loses 4 % where a sender's clock is 8 % slow; half as much while keeping reads 75 %,
twice as much 92 %, and with both doubled 68 %. Below 20 % and at any clock within 8 %, these read every
frame."""

FASTEST, SLOWEST = 0.85, 1.18
"""How far from the expected clock the recovered one may run: ceramic resonators and the RC clocks inside
small chips are within 10 %, and the rest is what a first guess may be off by."""


def halves_of(body: bytes, training_bits: int) -> list[int]:
    """Carrier on (1) or off (0) for each half bit of a frame."""
    if len(body) > MAX_BODY:
        raise ValueError(f"a body of {len(body)} bytes is too long; the most is {MAX_BODY}")
    bits = [1] * training_bits + [SYNC_WORD >> place & 1 for place in range(SYNC_BITS - 1, -1, -1)]
    for byte in (len(body), *body):
        bits += [byte >> place & 1 for place in range(8)]
    return [half for bit in bits for half in (ONE if bit else ZERO)]


def durations(body: bytes, bitrate: int, training_bits: int) -> list[int]:
    """A frame as marks (positive) and spaces (negative), in microseconds."""
    half_us = 500_000 / bitrate
    made: list[int] = []
    edge = 0.0
    run, level = 0, -1
    for number, half in enumerate([*halves_of(body, training_bits), 0, 0, 0]):
        if half == level:
            run += 1
            continue
        if run:
            # From edge to edge, so that rounding does not add up.
            start, edge = edge, number * half_us
            made.append((1 if level else -1) * (round(edge) - round(start)))
        run, level = 1, half
    return [*made, -round(4 * half_us)]


class OnOffDecoder:
    """Marks and spaces to bodies, as they come. Give :meth:`feed` durations in pieces of any size.

    The clock is recovered from the edges, and with it how much longer marks come out than spaces, as they do
    in such receivers. Pulses shorter than a third of a half bit are taken for noise and
    joined to what is around them. What arrives between frames decodes to nothing but, rarely, a body that
    its check then refuses; memory is bounded by the longest body.
    """

    def __init__(self, bitrate: int) -> None:
        self._nominal = 500_000 / bitrate
        self._half, self._late, self._lean = self._nominal, 0.0, 0.0
        self._pending = 0
        self._pattern = _pattern()
        self._window = 0
        self._reading = False
        self._bits: list[int] = []
        self._first: int | None = None

    def feed(self, pulses: Iterable[int]) -> list[bytes]:
        """The bodies in the next durations. A duration of 0 is ignored."""
        bodies = []
        for duration in self._cleaned(pulses):
            level = int(duration > 0)
            count = self._count(abs(duration), level)
            for _ in range(min(count, 2)):
                body = self._half_bit(level)
                if body is not None:
                    bodies.append(body)
            if not 1 <= count <= 2:
                self._lose()  # but the silence behind a frame begins with its last half
        return bodies

    def end(self) -> list[bytes]:
        """The bodies still held back, once nothing more comes."""
        return self.feed([-round(20 * self._nominal), round(20 * self._nominal)])

    def _cleaned(self, pulses: Iterable[int]) -> Iterator[int]:
        """Durations without glitches: each is held back until the next shows whether it has ended."""
        shortest = self._nominal / 3
        for duration in pulses:
            if not duration:
                continue
            pending = self._pending
            if not pending:
                self._pending = duration
            elif abs(duration) < shortest or (duration > 0) == (pending > 0):
                # A glitch, or the rest of what a glitch cut in two: the level goes on.
                self._pending = pending + (abs(duration) if pending > 0 else -abs(duration))
            else:
                yield pending
                self._pending = duration

    def _count(self, length: float, level: int) -> int:
        """How many halves a run is, and follow the clock if it is 1 or 2, as in every frame.

        Each edge is held against a grid, not against the edge before, whose own jitter would count twice.
        """
        lean = self._lean if level else -self._lean
        reach = length + self._late
        count = int((reach - lean) / self._half + 0.5)
        if not 1 <= count <= 2:
            return count
        late = reach - count * self._half
        error = late - lean
        nominal = self._nominal
        phase, pace, leaning = KEEPING if self._reading else FINDING
        self._late = late - phase * error
        self._half = min(max(self._half + pace * error / count, FASTEST * nominal), SLOWEST * nominal)
        self._lean += leaning * (error if level else -error)
        self._lean = min(max(self._lean, -nominal / 3), nominal / 3)
        return count

    def _lose(self) -> None:
        """No clock any more: whatever was being read is not a frame."""
        self._half, self._late, self._lean = self._nominal, 0.0, 0.0
        self._window, self._reading = 0, False

    def _half_bit(self, level: int) -> bytes | None:
        if not self._reading:
            self._window = (self._window << 1 | level) & 0xFFFFFFFF
            if self._window == self._pattern:
                self._reading, self._bits, self._first = True, [], None
            return None
        if self._first is None:
            self._first = level
            return None
        first, self._first = self._first, None
        if first == level:
            # No bit is two halves alike: the frame is damaged, and its check would say so in the end.
            self._window, self._reading = 0, False
            return None
        self._bits.append(level)
        bits = self._bits
        if len(bits) < LENGTH_BITS:
            return None
        length = sum(bit << place for place, bit in enumerate(bits[:LENGTH_BITS]))
        if not 0 < length <= MAX_BODY:
            self._window, self._reading = 0, False
        elif len(bits) == LENGTH_BITS + 8 * length:
            self._window, self._reading = 0, False
            body = bits[LENGTH_BITS:]
            return bytes(
                sum(bit << place for place, bit in enumerate(body[at : at + 8]))
                for at in range(0, len(body), 8)
            )
        return None


def _pattern() -> int:
    number = 0
    for place in range(SYNC_BITS - 1, -1, -1):
        number = number << 2 | (0b01 if SYNC_WORD >> place & 1 else 0b10)
    return number
