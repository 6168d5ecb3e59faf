"""The handset that goes on a chip is the library's: what it sends, what it takes of what comes back."""

import os
import random
from collections import Counter
from operator import attrgetter
from typing import Any

import pytest
from links import many
from lives_handset import life_of_a_handset_end
from random_links import random_link

import nuvrik
import nuvrik.plan.starters
from nuvrik.core.frames.sealed import ACCEPTED, NO_EVENT
from nuvrik.core.frames.writer import OUT_SLOTS
from nuvrik.core.levels import FULL, TIMER_MAX
from nuvrik.core.loops.bridge import Bridge
from nuvrik.core.loops.handset_end import HandsetEnd
from nuvrik.core.loops.hearing import NEVER_HEARD
from nuvrik.core.machine.states import STATES
from nuvrik.ends.asking import Asked
from nuvrik.plan.tables.handset_end import bridge_table, handset_end_table
from nuvrik.wire.events import Frame
from nuvrik.wire.kinds import TELEMETRY
from nuvrik.wire.styles.train import GAP, in_bytes

SESSION = 5

STYLES = ("packed", "slip", "line", "columns", "keys", "train")


class Both:
    """One handset of core and one of the library, told the same."""

    def __init__(self, rng: random.Random, style: str) -> None:
        self.link, self.stream = random_link(rng, hands=True, style=style), rng.random() < 0.7
        self.table = handset_end_table(self.link, stream=self.stream)
        self.end = HandsetEnd(self.table)
        self.usual = nuvrik.Handset(self.link, stream=self.stream, session=SESSION)
        self.seen: Counter[str] = Counter()
        self.asked: Asked | None = None
        self._given = [0] * 8
        # Nothing comes back over pulses.
        self.one_way = style == "train"
        self._names, self._now = list(self.link.controls), 0
        self._readings: dict[str, int] = {}
        self._packet = bytearray()

    def step(self, method: str, given: tuple[Any, ...]) -> None:
        end, usual = self.end, self.usual
        if self.one_way and method in ("take", "packet_byte", "end_packet"):
            return
        back = attrgetter(method)(end)(*given)
        if method == "begin":
            end.asking.session = SESSION + 1
        if method == "pass_time":
            self._now = given[0]
            usual._pass_time(self._now)
        elif method == "read":
            self._readings[self._names[given[0]]] = given[1]
        elif method == "have_read":
            before = usual.asked_last
            usual.read(self._now, **self._readings)
            self._readings = {}
            if usual.asked_last is not before:
                self.asked = usual.asked_last
                self.seen["asked by a button"] += 1
        elif method == "expire":
            usual.expire(self._now)
        elif method == "press_stop":
            usual.press_stop(self._now, *given)
        elif method == "argument":
            self._given[given[0]] = given[1]
        elif method == "ask":
            name, request = list(self.link.requests.items())[given[0]]
            if back or not end.asking.asked:
                values = zip(request.arguments, self._given, strict=False)
                self.asked = usual.request(name, **dict(values))
        elif method == "greet":
            usual.greet()
        elif method == "echo":
            usual.echo(self._now)
        elif method == "hearing.state":
            assert usual.machine_state == (None if back == NEVER_HEARD else STATES[back])
        elif method == "leave":
            usual.disarm()
        elif method == "jog":
            usual.jog([*self.link.outputs][given[0]], given[1] / FULL, given[2])
        elif method == "send":
            self._sent(back)
        elif method == "packet_byte":
            self._packet.append(given[0])
        elif method == "take":
            self._heard(back, bytes(given))
        elif method == "end_packet":
            self._heard(back, bytes(self._packet))
            self._packet.clear()

    def _sent(self, said: bool) -> None:
        sender, sent = self.end.writer.sender, b""
        if said and self.table.writer.way_out == OUT_SLOTS:
            sent = in_bytes(self.end.writer.slots[: len(self.link.channels)]) + GAP * self.stream
        elif said:
            sent = bytes(sender.wire[: sender.count])
        assert sent == self.usual.send(self._now)
        asking, asked = self.end.asking, self.asked
        if asked is not None:
            assert (asking.outcome, asking.tries, asking.number) == (asked.outcome, asked.tries, asked.number)
            value = asking.value_high << 16 | asking.value_low
            assert value - (value >> 31 << 32) == asked.value
            self.seen[asked.outcome.name] += 1
        trip_ms = None if asking.trip_ms == TIMER_MAX else asking.trip_ms
        assert self.usual.round_trip_ms == trip_ms
        self.seen["sent"] += said

    def _heard(self, event: int, data: bytes) -> None:
        events = self.usual.feed(data, self._now)
        assert [isinstance(one, Frame) for one in events] == ([event == ACCEPTED] if event else [])
        self.seen["accepted" if event == ACCEPTED else "refused"] += event != NO_EVENT
        if event == ACCEPTED and events[0].kind == TELEMETRY:  # type: ignore[union-attr]
            told = events[0].values.items  # type: ignore[union-attr]
            for place, name in enumerate(self.link.telemetry):
                if name in told:
                    first = self.table.hearing.telling.items[place].first
                    codes = self.end.hearing.codes[first : first + len(told[name])]
                    assert (tuple(codes), self.end.hearing.ages_ms[place]) == (told[name], 0)


def test_a_handset_on_a_chip_sends_and_takes_what_the_library_does() -> None:
    rng, seen = random.Random(os.environ["NUVRIK_SEED"]), Counter[str]()
    for at in range(4 * many(60)):
        # Some seeds make no link that asks for anything: then a few more live.
        if at >= many(60) and _lived(seen):
            break
        both = Both(rng, STYLES[at % len(STYLES)])
        for (method, given), _ in zip(life_of_a_handset_end(rng, both.table), range(5000), strict=False):
            both.step(method, given)
        seen += both.seen
    assert _lived(seen), seen


def _lived(seen: Counter[str]) -> bool:
    """Lives in which nothing happens would prove nothing."""
    return min(seen["sent"], seen["accepted"], seen["refused"]) > 100 and seen["ASKED"] > 0 and len(seen) > 5


@pytest.mark.parametrize("style", ["packed", "slip"])
def test_a_bridge_hands_on_what_both_ends_say_and_nothing_else(style: str) -> None:
    """A handset on a wire, a machine behind a radio module: as good as without a bridge."""
    rng = random.Random(os.environ["NUVRIK_SEED"] + style)
    link = random_link(rng, medium="radio", style="packed", hands=True)
    if style == "slip":
        text = nuvrik.plan.starters.starter_text("rover").replace('style = "packed"', 'style = "slip"')
        link = nuvrik.parse(text)
    bridge = Bridge(bridge_table(link))
    handset, machine = nuvrik.Handset(link, stream=True), nuvrik.Machine(link, stream=False)
    frames = 0
    handset.press_stop(0, False)
    for now in range(0, 3000, 10):
        sent = handset.send(now)
        frames += sent != b""
        noise = rng.randbytes(3) if rng.random() < 0.02 else b""
        for byte in noise + sent:
            if bridge.take(byte):
                machine.feed(bytes(bridge.sealed.body[: bridge.sealed.length]), now)
        machine.tick(now)
        while packet := machine.send(now):
            bridge.begin_packet()
            for byte in packet:
                bridge.packet_byte(byte)
            assert bridge.end_packet()
            events = handset.feed(bytes(bridge.sender.wire[: bridge.sender.count]), now)
            assert [type(event) for event in events] == [Frame]
    assert machine.counts["accepted"] >= 0.5 * frames > 10
