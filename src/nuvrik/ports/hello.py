"""Who is there? Asked of a port, before anything else."""

from typing import NamedTuple

from nuvrik.core.machine.desk import HOW, WHO
from nuvrik.ends.asking import Identity, identity_of
from nuvrik.ends.handset import Handset
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import layout_tag
from nuvrik.plan.tables.ends import build_tags
from nuvrik.ports.live import AnyClock, ByteLine, random_number
from nuvrik.printable import printable
from nuvrik.wire.decoder import Decoder
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import ECHO, HELLO
from nuvrik.wire.messages import Echo, How, Query, Who, pack_echo, pack_hello

ASK_EVERY_MS = 200
KNOWN_MS = 1000
"""So long after a machine has answered with the key it is waited for that it says who it is."""
TURN_S = 0.002
"""Between looks at a port: a tenth of a frame period, and no load on a computer."""

STRIDE = 100
"""Less than half of all sequence numbers, so that each is newer than the one before."""


MEANING = {
    "outputs": "mix, outputs, pins",
    "link": "frame, medium, timing, failsafe",
    "backward": "telemetry, requests",
}
"""What the three parts of a build are, in words."""


class Found(NamedTuple):
    """Somebody who answered, on which pair number, and whether with the link's key; of a link without one
    that is None."""

    pair: int
    identity: Identity
    authenticated: bool | None = None


def other_file(identity: Identity, link: Link) -> str | None:
    """What is wrong where the machine was built from another link file; None where it was not."""
    ours = layout_tag(link)
    if identity.tag == ours:
        return None
    return (
        f"{printable(identity.name)}, at the other end, was built from another link file "
        f"(layout tag {identity.tag:04X}, this one's is {ours:04X}): build it again from this file"
    )


def other_build(identity: Identity, link: Link) -> str:
    """In what a machine that reads the same bits differs from its link file as it is now; "" for nothing."""
    apart = identity.build.apart(build_tags(link))
    if not apart:
        return ""
    sections = " and ".join(f"[{name}] ({MEANING[name]})" for name in apart)
    return f"from another {sections}: export and flash it again"


def is_this(link: Link, found: Found) -> bool:
    """Whether it is the machine of this link, built from its file as it is now."""
    same = found.identity.tag == layout_tag(link) and not other_build(found.identity, link)
    return same and found.pair == link.frame.pair and found.authenticated is not False


def who_is_there(link: Link, line: ByteLine, clock: AnyClock, for_ms: int, *, enough: int = 1) -> list[Found]:
    """Ask everybody on a port until ``enough`` have answered, or for ``for_ms``. A board that resets when its
    port is opened answers as soon as it runs; no session is begun, and no motor is told anything."""
    if not link.frame.carries_questions:
        return []
    encoder = Encoder(link, stream=line.stream)
    decoder = Decoder(link, (HELLO,), any_pair=True)
    questions = [
        encoder.on_wire(encoder.sealed(HELLO, 0, pack_hello(Query(0, page)), anyone=True))
        for page in (WHO, HOW)
    ]
    who: dict[int, Who] = {}
    how: dict[int, How] = {}
    start_ms = clock.now_ms()
    due_ms, page = start_ms, HOW
    while (now_ms := clock.now_ms()) - start_ms < for_ms and len(who.keys() & how.keys()) < enough:
        if now_ms >= due_ms:
            # One at a time: of a machine with a key, anybody may ask one, and then none for a while.
            page = HOW if who and page == WHO else WHO
            line.write(questions[page])
            due_ms = now_ms + ASK_EVERY_MS
        data = line.read()
        for event in decoder.taker(stream=line.stream)(data):
            decoder.forget()
            if isinstance(event, Frame) and decoder.pair_heard is not None:
                if isinstance(event.values, How):
                    how[decoder.pair_heard] = event.values
                else:
                    due_ms = due_ms if decoder.pair_heard in who else now_ms
                    who[decoder.pair_heard] = event.values
        clock.sleep(TURN_S)
    return [Found(pair, identity_of(one, how.get(pair))) for pair, one in sorted(who.items())]


WITHOUT_MS = 1500
"""So long anybody else is asked for, where nobody has answered with the link's key."""


def meet(
    link: Link, line: ByteLine, clock: AnyClock, for_ms: int, *, echoes: int = 0
) -> tuple[list[Found], list[float]]:
    """Ask who is there of a link, and how long a few bytes take there and back, in ms. Where the link has a
    key, whoever has it is asked, and anybody else only where nobody does."""
    if not link.authenticated:
        found = who_is_there(link, line, clock, for_ms)
        mine = any(is_this(link, one) for one in found)
        return found, round_trips_ms(link, line, clock, echoes) if mine else []
    handset, start_ms, took = Handset(link, stream=line.stream, session=random_number(16)), clock.now_ms(), []

    def turn() -> None:
        handset.feed(line.read(), clock.now_ms())
        wire = handset.send(clock.now_ms())
        if wire:
            line.write(wire)
        clock.sleep(TURN_S)

    handset.greet()
    met_ms: int | None = None
    while not handset.known and (now_ms := clock.now_ms()) - start_ms < for_ms:
        turn()
        met_ms = now_ms if met_ms is None and handset.met else met_ms
        if met_ms is not None and now_ms - met_ms > (KNOWN_MS if handset.says_hello else 0):
            break
    for _ in range(echoes if handset.met else 0):
        handset.echo(clock.now_ms())
        start_ms = clock.now_ms()
        while handset.round_trip_ms is None and clock.now_ms() - start_ms < WITHOUT_MS:
            turn()
        if handset.round_trip_ms is not None:
            took.append(float(handset.round_trip_ms))
    if handset.identity is not None:
        return [Found(link.frame.pair, handset.identity, True)], took
    # Who it is it may say only in the open, where its packets are too small for more.
    others = who_is_there(link, line, clock, WITHOUT_MS)
    return [one._replace(authenticated=handset.met) for one in others], took


def round_trips_ms(
    link: Link, line: ByteLine, clock: AnyClock, times: int, wait_ms: int = 500
) -> list[float]:
    """How long a few bytes take there and back, in ms, each time that they came back."""
    encoder, decoder = Encoder(link, stream=line.stream), Decoder(link, (ECHO,))
    took: list[float] = []
    seq = random_number(8)
    for number in range(times):
        token = number.to_bytes(2, "little")
        # What this machine heard last is not known. In strides as long as these, at most two are taken for
        # old.
        seq = (seq + STRIDE) & 0xFF
        line.write(encoder.on_wire(encoder.sealed(ECHO, seq, pack_echo(Echo(False, token)))))
        start_ms, back = clock.now_ms(), False
        while not back and clock.now_ms() - start_ms < wait_ms:
            data = line.read()
            for event in decoder.taker(stream=line.stream)(data):
                decoder.forget()
                back = back or (isinstance(event, Frame) and event.values.token == token)
            if not back:
                clock.sleep(TURN_S)
        if back:
            took.append(clock.now_ms() - start_ms)
    return took
