"""Frames over the cheapest radio modules, for Python: ``core.frames.on_off`` has the rules."""

from collections.abc import Iterable

from nuvrik.core.frames.on_off import LONGEST_BODY, LONGEST_RUN_US, OnOffMaker, OnOffReader
from nuvrik.plan.tables.on_off import on_off_table


def durations(body: bytes, bitrate: int, training_bits: int) -> list[int]:
    """A frame as marks (positive) and spaces (negative), in microseconds. ValueError for a body that is too
    long."""
    if len(body) > LONGEST_BODY:
        raise ValueError(f"a body of {len(body)} bytes is too long; the most is {LONGEST_BODY}")
    maker, made = OnOffMaker(on_off_table(bitrate, training_bits)), list[int]()
    maker.begin()
    for byte in body:
        maker.add(byte)
    while us := maker.next():
        made.append(us if maker.is_mark else -us)
    return made


class OnOffDecoder:
    """Marks and spaces to bodies, as they come. Give ``feed`` durations in pieces of any size. What
    arrives between frames decodes to nothing but, rarely, a body that its check then refuses; memory is
    bounded by the longest body."""

    def __init__(self, bitrate: int) -> None:
        self._core = OnOffReader(on_off_table(bitrate))

    def feed(self, pulses: Iterable[int]) -> list[bytes]:
        """The bodies in the next durations. A duration of 0 is ignored."""
        core, bodies = self._core, []
        for duration in pulses:
            if core.take(duration > 0, min(abs(duration), LONGEST_RUN_US)):
                bodies.append(bytes(core.body[: core.length]))
        return bodies

    def end(self) -> list[bytes]:
        """The bodies still held back, once nothing more comes."""
        return self.feed([-LONGEST_RUN_US, LONGEST_RUN_US])
