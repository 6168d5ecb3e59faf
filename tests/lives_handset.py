"""Random lives of what hands move, and of the handset's end of a link."""

import random
from collections.abc import Callable, Iterator
from operator import attrgetter
from typing import Any

from random_links import random_link

from nuvrik.core.frames import incoming, sealed, sender
from nuvrik.core.hand import hands, handset
from nuvrik.core.hand.knob import KnobTable
from nuvrik.core.levels import FULL
from nuvrik.core.loops import bridge, handset_end
from nuvrik.core.machine import telling
from nuvrik.core.requests import asking
from nuvrik.core.widths import Table
from nuvrik.plan.tables.handset import handset_table
from nuvrik.plan.tables.handset_end import asking_table, bridge_table, handset_end_table

EDGES = (0, 1, 2, 399, 400, 401, 1000, 32767, 32768, 65534, 65535)

Step = tuple[str, tuple[Any, ...]]


def life_of_a_handset(rng: random.Random, table: Any) -> Iterator[Step]:
    """Hands that move, let go, and fall silent; stops, programs, leaving, held up loops."""
    yield "begin", ()
    now, rows = rng.randrange(65536), table.hands.controls
    rest = {at: _rest(table.hands, one) for at, one in enumerate(rows) if one.kind <= hands.IS_KEY}
    raws = dict(rest)
    silent: set[int] = set()
    while True:
        gap = rng.choice((0, 1, 5, 10, 10, 20)) if rng.random() < 0.97 else rng.choice((*EDGES, 60, 500, 501))
        now = (now + gap) & 0xFFFF
        yield "pass_time", (now,)
        if rng.random() < 0.02:
            silent = set(rng.sample(sorted(rest), rng.randint(0, len(rest)))) if rng.random() < 0.4 else set()
        for at in rest:
            # Nothing is seen of a handset on which somebody leans on the stop.
            if at == table.stop:
                pressed = rng.random() < (0.001 if raws[at] == rest[at] else 0.8)
                raws[at] = 1 - rest[at] if pressed else rest[at]
            elif rng.random() < 0.1:
                raws[at] = _moved(rng, table.hands, rows[at], raws[at], rest[at])
        if rng.random() < 0.05:
            raws |= {at: raw for at, raw in rest.items() if rows[at].kind != hands.IS_KEY}
        if rest and rng.random() < 0.7:
            for at in sorted(set(rest) - silent):
                yield "read", (at, raws[at])
            yield "have_read", ()
        if rng.random() < 0.6 and (yield "turn", ()) == handset.SENDS_ANYTHING:
            if rng.random() < 0.1:
                yield "may_ask", ()
            yield "command", ()
            yield "fill", ()
            yield "unready", ()
        odd = rng.random()
        if odd < 0.01:
            yield rng.choice((("press_stop", (rng.random() < 0.1,)), ("put_arm", (rng.random() < 0.7,))))
        elif odd < 0.02:
            yield rng.choice((("hear", ()), ("arm_falls", ()), ("change_hands", ()), ("expire", (now,))))
        elif odd < 0.04:
            yield "value", (rng.randrange(len(rows)),)
        elif odd < 0.0405:
            yield "leave", ()


def life_of_a_handset_end(rng: random.Random, table: Any) -> Iterator[Step]:
    """A handset, and a machine that answers it, now and then damaged, after a restart, or not at all. What it
    asks is seen in one that lives the same life here."""
    here = handset_end.HandsetEnd(table)
    yield from _lived_here_too(here, _heard_and_asked(rng, table, here))


def _lived_here_too(here: Any, living: Any) -> Iterator[Step]:
    """The steps of a life that looks at an object living the same."""
    step = next(living)
    while True:
        back = yield step
        attrgetter(step[0])(here)(*step[1])
        step = living.send(back)


def _heard_and_asked(rng: random.Random, table: Any, here: handset_end.HandsetEnd) -> Iterator[Step]:
    silent, machine, quarter = False, sender.Sender(table.writer.sender), 0
    own = ("pass_time", "read", "have_read", "expire", "press_stop")
    yield "begin", (rng.choice((0, 1, 0xFFFF)),)
    for name, given in life_of_a_handset(rng, table.handset):
        if name in own:
            yield name, given
            if table.knobs and rng.random() < 0.3:
                # A hand that turns a knob, and contacts that bounce.
                quarter = (quarter + rng.choice((-1, 0, 1, 1))) % 4
                yield "turn", (rng.randrange(len(table.knobs)), quarter in (1, 2), quarter in (2, 3))
            if rng.random() < 0.0002:
                yield "leave", ()
        if name != "turn":
            continue
        yield "hearing.state", ()
        if rng.random() < 0.05:
            yield from _something_asked(rng, table.asking)
        here.writer.sender.length = 0
        yield "send", ()
        sent = bytes(here.writer.sender.body[: here.writer.sender.length])
        asked = sent if sent and sent[0] & 15 in ASKING else b""
        if rng.random() < 0.02:
            silent = rng.random() < 0.4
        if rng.random() < 0.05:
            # Started again, or the same frame twice.
            machine.seq = rng.choice((rng.randrange(256), machine.seq - 1 & 255))
        if silent or (rng.random() < 0.6 and not asked):
            continue
        if asked and rng.random() < 0.9:
            _answer(rng, asked, machine)
        else:
            _machine_says(rng, table.hearing.telling.items, machine)
        data = machine.wire[: machine.count]
        if rng.random() < 0.1:
            data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
        if table.incoming.way_in == incoming.IN_PACKETS:
            yield "begin_packet", ()
            for byte in data:
                yield "packet_byte", (byte,)
            yield "end_packet", ()
        else:
            for byte in data:
                yield "take", (byte,)


ASKING = (sealed.KIND_REQUEST, sealed.KIND_HELLO, sealed.KIND_ECHO)


def _answer(rng: random.Random, asked: bytes, machine: sender.Sender) -> None:
    """What a machine answers to a question, sealed: mostly of one boot, and in the end that it is done."""
    kind, payload = asked[0] & 15, asked[sealed.HEAD : -2]
    if kind == sealed.KIND_HELLO:
        boot = rng.choice((7, 7, 7, 7, 8)).to_bytes(4, "little")
        who = b"\1\0" + bytes(8) + boot + bytes(4)
        said = who if payload[3] == 0 else b"\1\1" + bytes(11)
    elif kind == sealed.KIND_ECHO:
        said = b"\1" + payload[1:]
    else:
        # Code, boot, session, number.
        status = rng.choice((1, 1, 1, 1, 0, 2, 6, 7))
        said = payload[:1] + payload[5:9] + bytes((status,)) + rng.randbytes(4)
    machine.begin(sealed.KIND_REPLY if kind == sealed.KIND_REQUEST else kind)
    for byte in said:
        machine.byte(byte)
    machine.seal()


def _something_asked(rng: random.Random, table: Any, *more: bool) -> Iterator[Step]:
    """What a builder's program may ask. ``more``: for a desk alone, whether it may move."""
    what, requests = rng.random(), table.requests
    if what < 0.5 and requests:
        code = rng.randrange(len(requests))
        for at, one in enumerate(requests[code].arguments):
            low = -(1 << one.bits - 1) if one.either_sign else 0
            yield "argument", (at, rng.randint(low, (1 << one.bits - one.either_sign) - 1))
        yield "ask", (code, *more)
    elif what < 0.8:
        yield rng.choice(("greet", "echo")), ()
    else:
        yield (
            "jog",
            (
                rng.randrange(len(table.jog_most)),
                rng.choice((0, FULL, -FULL, 5000)),
                rng.choice((0, 200, 600, 65535)),
                *more,
            ),
        )


def _machine_says(rng: random.Random, items: list[Any], machine: sender.Sender) -> None:
    """Telemetry, an answer, or something that no machine says, sealed."""
    kind = rng.choice((1, 1, 1, 1, 1, 3, 4, 6, rng.randrange(16)))
    machine.begin(kind)
    if kind == sealed.KIND_TELEMETRY:
        there = [rng.random() < 0.5 for _ in items]
        own = rng.choice((0, 0, 0, 0, 0, 0, 1, 15, 16))
        machine.byte(
            rng.choice((0, 1, 2, 2, 2, 2, 3, 4, 5, 64)) + rng.choice((0, 8, 16)) + (32 if own else 0)
        )
        machine.byte(rng.randrange(256))
        if own:
            machine.byte(own)
        for one in there:
            machine.bits(int(one), 1)
        machine.at = (machine.at + 7 & ~7) + rng.choice((0, 0, 0, 0, 0, 0, 0, 0, 8))
        for item, one in zip(items, there, strict=True):
            for _ in range(one * (3 if item.tells == telling.TELLS_AXES else 1)):
                machine.bits(rng.randrange(1 << item.bits), item.bits)
    else:
        sizes = {3: 10, 4: rng.choice((13, 18, 22)), 6: rng.randint(1, 17)}
        answers = rng.choice((1, 1, 1, 0, 2)) if kind != sealed.KIND_REPLY else rng.randrange(4)
        machine.byte(answers)
        for at in range(sizes.get(kind, 5) - 1 + rng.choice((0, 0, 0, 0, 1))):
            machine.byte(rng.choice((0, 1, 7, 8)) if at in (0, 4) else rng.randrange(256))
    machine.seal()


def any_handset_end(rng: random.Random) -> Table:
    style = rng.choice(("packed", "slip", "line", "columns", "keys"))
    link = random_link(rng, hands=True, style=style)
    table = handset_end_table(link, stream=rng.random() < 0.7)
    for place, control in enumerate(table.handset.hands.controls):
        if control.kind == hands.IS_MOVED and rng.random() < 0.3:
            moved = table.handset.hands.moved[control.at]
            low, high = sorted((moved.low, moved.high))
            about = KnobTable(control=place, pin_a=1, pin_b=2, low=low, high=high, start=moved.rest)
            table.knobs.append(about)
    return table


def _rest(table: Any, control: Any) -> int:
    if control.kind == hands.IS_MOVED:
        return table.moved[control.at].rest
    return 1 - table.buttons[control.at].pressed if control.kind == hands.IS_BUTTON else 0


def _moved(rng: random.Random, table: Any, control: Any, raw: int, rest: int) -> int:
    if control.kind == hands.IS_KEY:
        return (raw + rng.choice((0, 1, 1, 7))) & 0xFFFF
    if control.kind == hands.IS_BUTTON:
        return rng.choice((0, 1, rest, rest))
    low, high = sorted((table.moved[control.at].low, table.moved[control.at].high))
    return max(-65535, min(65535, rng.choice((rest, rest, low, high, rng.randint(low - 20, high + 20)))))


def any_handset(rng: random.Random) -> Table:
    return handset_table(random_link(rng, hands=True, style="packed"))


def life_of_asking(rng: random.Random, table: Any) -> Iterator[Step]:
    """Requests, hellos and echoes of a handset whose machine answers mostly, and now and then another one."""
    here = asking.Asking(table)
    yield from _lived_here_too(here, _asked(rng, table, here))


def _asked(rng: random.Random, table: Any, here: asking.Asking) -> Iterator[Step]:
    boot, deaf = 7, False
    yield "begin", (rng.choice((0, 1, 0xFFFF)),)
    while True:
        yield "pass_time", (rng.choice((20, 50, 100, 100, 300, 4000)) if rng.random() < 0.5 else 20,)
        if rng.random() < 0.2:
            yield from _something_asked(rng, table, rng.random() < 0.8)
        if rng.random() < 0.03:
            yield "forget", ()
        deaf = rng.random() < 0.3 if rng.random() < 0.05 else deaf
        boot += rng.random() < 0.01
        yield "wants", ()
        what = yield "question", (rng.random() < 0.5,)
        if deaf or rng.random() < 0.1:
            continue
        if what == asking.QUESTION_WHO:
            yield "hear_who", (boot & 0xFFFF, boot >> 16)
        elif what == asking.QUESTION_HOW:
            yield "hear_how", ()
        elif what == asking.QUESTION_ECHO:
            yield "pass_time", (rng.choice((0, 5, 65535)),)
            yield "hear_echo", (here.token - (rng.random() < 0.2) & 0xFFFF,)
        elif what == asking.QUESTION_REQUEST or rng.random() < 0.05:
            status = rng.choice((1, 1, 1, 0, 2, 6, 7))
            number = here.number - (rng.random() < 0.1) & 0xFFFF
            words = (rng.randrange(65536), rng.randrange(65536))
            yield "hear_reply", (here.code, here.session, number, status, *words)


def any_asking(rng: random.Random) -> Table:
    while True:
        table = asking_table(random_link(rng, style="packed"))
        if table.requests:
            return table


def life_of_a_bridge(rng: random.Random, table: Any) -> Iterator[Step]:
    """Whole frames and broken ones from the host, packets of any length from the module."""
    host = sender.Sender(table.sender)
    while True:
        if rng.random() < 0.5:
            host.begin(rng.randrange(16))
            for byte in rng.randbytes(rng.choice((0, 5, 20, min(table.most, 190), 150))):
                host.byte(byte)
            host.seal()
            data = host.wire[: host.count]
            if rng.random() < 0.3:
                data[rng.randrange(len(data))] = rng.choice((0, 0xC0, 0xDB, rng.randrange(256)))
            for byte in data:
                yield "take", (byte,)
        else:
            yield "begin_packet", ()
            for byte in rng.randbytes(rng.choice((0, 1, 8, table.most, table.most + 1, 203))):
                yield "packet_byte", (rng.choice((byte, 0, 0xC0, 0xDB)),)
            yield "end_packet", ()


def any_bridge(rng: random.Random) -> Table:
    while True:
        link = random_link(rng, medium=rng.choice(("radio", "udp")), style=rng.choice(("packed", "slip")))
        if link.medium.datagrams:
            return bridge_table(link)


def life_of_hands(rng: random.Random, table: Any) -> Iterator[Step]:
    """The controls alone: what is looked at besides in Python, and keys whose time is up when they come."""
    yield "begin", ()
    read = [at for at, one in enumerate(table.controls) if one.kind <= hands.IS_KEY]
    raws = {at: _rest(table, table.controls[at]) for at in read}
    while True:
        if rng.random() < 0.9:
            yield "pass_time", (rng.choice((0, 5, 20, 60, 500, 20_000)),)
        for at in read:
            raws[at] = _moved(rng, table, table.controls[at], raws[at], raws[at])
            if rng.random() < 0.6:
                yield "read", (at, raws[at])
        yield "refresh", ()
        yield "latched", (rng.randrange(len(table.controls)),)
        if rng.random() < 0.05:
            yield "withdraw", (rng.randrange(len(table.controls)),)
            yield "switch_off", (rng.randrange(len(table.controls)),)


LIVES: dict[str, tuple[type, Callable[[random.Random], Table], Callable[..., Iterator[Step]]]] = {
    "Asking": (asking.Asking, any_asking, life_of_asking),
    "Bridge": (bridge.Bridge, any_bridge, life_of_a_bridge),
    "Hands": (hands.Hands, lambda rng: any_handset(rng).hands, life_of_hands),  # type: ignore[attr-defined]
    "HandsetEnd": (handset_end.HandsetEnd, any_handset_end, life_of_a_handset_end),
    "Handset": (handset.Handset, any_handset, life_of_a_handset),
}
