"""Makes random lives: frames of every kind, damage, silences, wraps of the clock, bursts, readings, requests,
reboots, and the builder's own code doing what it likes."""

import random
from collections.abc import Iterator
from typing import Any

from nuvrik.core.levels import FULL
from nuvrik.core.loops.machine_end import MachineEnd
from nuvrik.core.machine.desk import DONE, FAILED, OWN_MOTION, REFUSED, RUNNING
from nuvrik.core.machine.telling import NOTHING_THERE
from nuvrik.export.traces.seen import carry_out, seen
from nuvrik.levels import level_of
from nuvrik.plan.form.channels import AnyChannel, ChoiceChannel
from nuvrik.plan.form.frame_actions import KeysFrame, TrainFrame
from nuvrik.plan.form.frame_base import CHECK_BYTES, HEAD_BYTES
from nuvrik.plan.form.frame_texts import ColumnsFrame, LineFrame
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.ends import end_table
from nuvrik.wire.codes import Value
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ECHO, HELLO, REQUEST
from nuvrik.wire.messages import Ask, Echo, Jog, Query, pack_ask, pack_echo, pack_hello, pack_jog
from nuvrik.wire.sealed import check_bytes, sealed
from nuvrik.wire.styles.text import with_check

Step = list[Any]
"""A word, and whole numbers or lists of them."""

MOODS = ("rest", "rest", "rest", "drive", "drive", "drive", "off", "bare", "noise", "silence")
"""What goes on for a while."""

ODD_GAPS = (0, 0, 1, 5, 199, 200, 399, 400, 401, 999, 1000, 1001, 5000, 32767, 32768, 65535)
"""How long a turn may take for once: every limit that matters, from both sides."""

LONGEST_MOOD = 25

GAP_US = 30_000

SMALL_STEPS = 60
"""Moves by steps are short, so that they come to their end."""


class Life:
    """One life of the machine of a link, from a seed. Iterating gives each step, what came back of it and
    what could be seen after it, as core in Python has it."""

    def __init__(self, link: Link, seed: int, *, stream: bool | None = None) -> None:
        self.link = link
        packets = link.medium.datagrams if stream is None else not stream
        # Keys are told apart in packets as on a stream.
        self.stream = not packets or isinstance(link.frame, KeysFrame)
        self.table = end_table(link, stream=self.stream)
        self.kinds = [(output.kind, output.at) for output in self.table.machine.outputs.outputs]
        self._rng = random.Random(f"{link.name} {seed}")
        self._encoder = Encoder(link, stream=self.stream)
        self._channels = list(link.channels.items())
        self._requests = list(link.requests.values())
        self._band = level_of(link.failsafe.rest_band)
        self._end = MachineEnd(self.table)
        self._now = self._rng.randrange(65536)
        self._seq = self._number = 0
        self._session = 1
        self.answers = DONE, RUNNING, RUNNING, REFUSED, FAILED
        """What the builder's own code says when it is called."""

    def __iter__(self) -> Iterator[tuple[Step, list[int], list[int]]]:
        while True:
            for step in self._boot():
                back = carry_out(self._end, step)
                yield step, back, seen(self._end, self.kinds)

    def _boot(self) -> Iterator[Step]:
        """From one power-up to the next."""
        rng = self._rng
        self._end = MachineEnd(self.table)
        self._lessens = rng.random() < 0.5
        yield ["begin", rng.choice((0, 7, 0xFFFF)), rng.choice((0, 0xFFFF)), rng.randrange(5)]
        if isinstance(self.link.frame, TrainFrame):
            # What comes before the first gap may be half a train.
            yield ["slots", self._now, [GAP_US]]
        for _ in range(rng.randint(50, 400)):
            mood = rng.choice(MOODS)
            for _ in range(rng.randint(2, LONGEST_MOOD)):
                yield from self._turn(mood)

    def _turn(self, mood: str) -> Iterator[Step]:
        rng = self._rng
        gap = rng.choice(ODD_GAPS) if rng.random() < 0.05 else self.link.period_ms
        self._now = (self._now + gap) & 0xFFFF
        for _ in range(1 if rng.random() < 0.97 else rng.randint(2, 8)):
            yield from self._arrival(mood)
        yield from self._builder()
        if rng.random() < 0.3:
            yield from self._readings()
        if rng.random() < 0.9:
            yield ["turn", self._now]
        for _ in range(rng.choice((0, 1, 1, 2))):
            yield ["send", self._now]
        if rng.random() < 0.002:
            yield ["expire", self._now]
        if rng.random() < 0.001:
            yield ["halt"]

    def _builder(self) -> Iterator[Step]:
        """The builder's own code, which lessens and stops at any time, and moves while a request for it goes
        on."""
        rng = self._rng
        if self._lessens and rng.random() < 0.02:
            yield ["cap", rng.randrange(len(self.kinds)), rng.choice((0, 0, FULL, rng.randint(0, FULL)))]
        if self._lessens and rng.random() < 0.002:
            yield ["own", rng.randint(1, 15)]
        if self._end.machine.desk.motion == OWN_MOTION and rng.random() < 0.7:
            if rng.random() < 0.1:
                yield ["over", self._now, rng.choice((DONE, FAILED)), rng.randint(-9, 9)]
            else:
                output = rng.randrange(len(self.kinds))
                yield ["wish", self._now, output, rng.choice((0, FULL, -FULL, rng.randint(-FULL, FULL)))]

    def _readings(self) -> Iterator[Step]:
        rng = self._rng
        for place, item in enumerate(self.link.telemetry.values()):
            if not item.measured or rng.random() < 0.5:
                continue
            if item.parts > 1:
                yield ["axes", self._now, place, *(rng.randint(-600, 600) for _ in range(3))]
            else:
                some = rng.choice((NOTHING_THERE, 0, 1, -1, rng.randint(0, 1100), rng.randint(-65535, 65535)))
                yield ["reading", self._now, place, some]

    # ---- what arrives ----

    def _arrival(self, mood: str) -> Iterator[Step]:
        rng, data = self._rng, [*self._arrives(mood)]
        if mood == "noise" and rng.random() < 0.05:
            # A sender that never comes to an end; or nothing at all, where that can come.
            data = rng.choices(range(1, 192), k=rng.choice((250, 430, 900))) if self.stream else []
            if isinstance(self.link.frame, LineFrame | ColumnsFrame) and rng.random() < 0.5:
                # Or a line of hex digits that is about as long as a body can be, or longer.
                data = [*b"#", *rng.choices(b"0123456789abcdef", k=rng.choice((398, 400, 402, 700)))]
                data += self.link.frame.end.encode()
        elif not data:
            return
        if isinstance(self.link.frame, TrainFrame):
            yield ["slots", self._now, self._slots(bytes(data), mood)]
        elif self.stream and rng.random() < 0.02:
            yield ["skip", self._now, data]
        else:
            answer = rng.choice(self.answers)
            value = rng.getrandbits(32) - 2**31 if answer in (DONE, RUNNING) else 0
            yield ["stream" if self.stream else "packet", self._now, answer, value, data]

    def _slots(self, data: bytes, mood: str) -> list[int]:
        """A train in slots, and the gap behind it."""
        slots = [int.from_bytes(data[at : at + 2], "big") for at in range(0, len(data) - 1, 2)]
        slots = [slot for slot in slots if slot < GAP_US // 10]
        if mood == "noise" and slots and self._rng.random() < 0.5:
            del slots[self._rng.randrange(len(slots)) :]
            slots += self._rng.choices((300, 700, 899, 900, 1500, 2101, 2500), k=self._rng.randint(0, 4))
            if self._rng.random() < 0.1:
                slots += [900] * self._rng.choice((17, 90, 300))
        return [*slots, GAP_US]

    def _arrives(self, mood: str) -> bytes:
        rng = self._rng
        if rng.random() < 0.98:
            self._seq = self._seq + (1 if rng.random() < 0.98 else rng.choice((2, 100, 127, 128, 200))) & 0xFF
        chance = rng.random()
        if chance < 0.01:
            body = self._encoder.stop(self._seq)
        elif chance < 0.14 and self.link.frame.carries_questions:
            body = self._encoder.sealed(*self._question(), anyone=rng.random() < 0.05)
        elif mood == "silence":
            return b""
        else:
            body = self._command(mood)
        if mood == "noise":
            body = self._damaged(body)
        data = self._travelling(body)
        if not self.stream and isinstance(self.link.frame, LineFrame | ColumnsFrame) and rng.random() < 0.5:
            # In a packet the end of a line may be there or not.
            data += rng.choice((b"\n", b"\r\n", self.link.frame.end.encode()))
        if mood == "noise" and data and self.stream and rng.random() < 0.2:
            data = self._spoilt(data)
        return data

    def _command(self, mood: str) -> bytes:
        # What the handset heard last, as a delay guard wants it: mostly the latest, now and then long ago.
        self._encoder.echo = (self._end.sender.seq - self._rng.choice((1, 1, 1, 1, 2, 9, 100))) & 0xFF
        try:
            body = self._encoder.command(self._values(mood), self._seq)
        except ValueError:  # no reading, where a style has no way of saying it
            return b""
        if isinstance(self.link.frame, KeysFrame) and self._rng.random() < 0.2:
            return bytes((self._rng.choice([*self.link.frame.codes()]),))
        if mood == "noise" and isinstance(self.link.frame, LineFrame | ColumnsFrame):
            return self._written_otherwise(body)
        return body

    def _written_otherwise(self, body: bytes) -> bytes:
        """Text with characters put in, taken out and changed, and its check made anew now and then."""
        text = bytearray(body)
        for _ in range(self._rng.choice((0, 0, 1, 1, 2, 30))):
            at = self._rng.randrange(len(text) + 1)
            text[at : at + self._rng.randint(0, 1)] = bytes((self._rng.choice(b"0019+-. ,;*#!aF"),))
        if self.link.frame.check != "none" and b"*" in text and self._rng.random() < 0.7:  # type: ignore[union-attr]
            made = with_check(bytes(text[: text.rindex(b"*")]), self.link.frame)  # type: ignore[arg-type]
            if made[-1:] == b"0" and made[-2:-1] in b"123456789":
                # As much, written with a g, which is no digit.
                made = made[:-2] + b"%dg" % (int(made[-2:-1]) - 1)
            return made
        return bytes(text)

    def _travelling(self, body: bytes) -> bytes:
        try:
            return self._encoder.on_wire(body)
        except ValueError:
            return body

    def _values(self, mood: str) -> list[Value]:
        values = [self._value(name, channel, mood) for name, channel in self._channels]
        if mood == "bare":
            places = [at for at, (_, one) in enumerate(self._channels) if one.scaled]
            if places:
                values[self._rng.choice(places)] = None
        return values

    def _value(self, name: str, channel: AnyChannel, mood: str) -> Value:
        rng = self._rng
        if name == self.link.arm_channel:
            return int(mood != "off" and rng.random() < 0.99)
        if channel.scaled:
            low = -FULL if channel.kind == "level" else 0
            if mood != "drive" and mood != "noise":
                return rng.choice((0, 0, 0, 100))
            # Where rest ends, from both sides, matters as much as the ends.
            band = self._band
            near = max(low, -band), band, max(low, -band - 1), band + 1
            some = 0, FULL, low, rng.choice(near), rng.randint(low, FULL), rng.randint(low, FULL)
            return rng.choice(some)
        most = len(channel.options) - 1 if isinstance(channel, ChoiceChannel) else channel.most
        return rng.randint(0, most)

    def _query(self) -> Query:
        """A page of a hello, of this session or of none; or a page that there is not."""
        return Query(self._rng.choice((0, self._session, self._session)), self._rng.choice((0, 0, 1, 2)))

    def _question(self) -> tuple[int, int, bytes]:
        rng, desk = self._rng, self._end.machine.desk
        kind = rng.random()
        if kind < 0.02:
            # A jog that no link means.
            return REQUEST, self._seq, bytes((0xFF, 0, rng.choice((128, 100, 1)), rng.choice((0, 1, 51))))
        if kind < 0.2:
            self._session += rng.random() < 0.2
            return HELLO, self._seq, pack_hello(self._query())
        if kind < 0.3:
            return ECHO, self._seq, pack_echo(Echo(False, rng.randbytes(rng.randint(1, 16))))
        if kind < 0.4:
            return (
                rng.randrange(16),
                self._seq,
                bytes(rng.choices(range(3), k=rng.choice((0, rng.randint(1, 24))))),
            )
        if kind < 0.5 or not self._requests:
            jog = Jog(rng.randrange(len(self.kinds) + 1), rng.randint(-FULL, FULL), rng.randint(1, 600))
            return REQUEST, self._seq, pack_jog(jog)
        code = rng.randrange(len(self._requests))
        request = self._requests[code]
        self._number = (self._number + rng.choice((0, 1, 1, 1, 40_000))) & 0xFFFF
        arguments = tuple(self._argument(part.low, part.high) for part in request.parts)
        boot = desk.boot_low + (desk.boot_high << 16) if rng.random() < 0.95 else rng.getrandbits(32)
        session = desk.session if rng.random() < 0.95 else rng.randrange(65536)
        return REQUEST, self._seq, pack_ask(Ask(code, boot, session, self._number, arguments), request)

    def _argument(self, low: int, high: int) -> int:
        if self._rng.random() < 0.1:
            return self._rng.choice((low, high))
        return self._rng.randint(max(low, -SMALL_STEPS), min(high, SMALL_STEPS))

    def _damaged(self, body: bytes) -> bytes:
        """A body with bits changed, cut short, from another link or another version, or no body at all."""
        rng, chance = self._rng, self._rng.random()
        if not body or chance < 0.3:
            return body
        if chance < 0.6:
            return self._spoilt(body)
        if chance < 0.67:
            return body[: rng.randrange(len(body))]
        if chance < 0.7 and self.link.frame.sealed:
            # Sound, and of the right length, but saying anything.
            anything = rng.randbytes(len(body) - HEAD_BYTES - CHECK_BYTES)
            return sealed(body[0] & 15, self.link.frame.pair, self._encoder.tag, self._seq, anything)
        if chance < 0.85 and self.link.frame.sealed:
            pair = rng.choice((self.link.frame.pair, self.link.frame.pair, rng.randrange(256)))
            return sealed(body[0] & 15, pair, rng.randrange(65536), self._seq, body[4:-2])
        if chance < 0.9 and self.link.frame.sealed:
            return _reversioned(body, self._encoder.tag)
        return rng.randbytes(rng.choice((1, 5, 6, 20, 150, 199, 200, 201, 202, 260)))

    def _spoilt(self, data: bytes) -> bytes:
        spoilt = bytearray(data)
        for _ in range(self._rng.choice((1, 1, 2, 5))):
            spoilt[self._rng.randrange(len(spoilt))] ^= 1 << self._rng.randrange(8)
        return bytes(spoilt)


def _reversioned(body: bytes, tag: int) -> bytes:
    """A sound frame of another version."""
    covered = bytes((body[0] ^ 0x20,)) + body[1:-2]
    return covered + check_bytes(covered, tag)
