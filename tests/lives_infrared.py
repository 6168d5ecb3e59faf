"""Random lives of what reads and sends infrared codes, and the remotes that they are lived with."""

import random
from collections.abc import Callable, Iterator
from typing import Any

from random_links import _output

import nuvrik
from nuvrik.core.frames import on_off
from nuvrik.core.infrared import infrared
from nuvrik.core.loops import receiver, remote
from nuvrik.core.widths import Table
from nuvrik.plan.form.media import CODE_FORMS
from nuvrik.plan.tables.infrared import receiver_table, remote_table, shape_table
from nuvrik.plan.tables.on_off import on_off_table
from nuvrik.pulses.codes import PROTOCOLS, learned_press, press
from nuvrik.pulses.shape import Shape

Step = tuple[str, tuple[Any, ...]]

SHAPES = (
    Shape((3400, 1700), (430, 430), (430, 1290), 40, 130_000),
    Shape((0, 0), (400, 600), (1200, 600), 12, 50_000),
    Shape((4500, 4500), (560, 560), (560, 1690), 48, 100_000),
    Shape((2000, 900), (1200, 500), (400, 500), 9, 60_000),
)


def random_remote(rng: random.Random) -> nuvrik.Link:
    """An infrared link: keys of every kind, what is made of them, and any outputs."""
    while True:
        try:
            return nuvrik.parse(_remote_text(rng))
        except nuvrik.LinkFileError:
            continue


def _remote_text(rng: random.Random) -> str:
    protocol = rng.choice([*PROTOCOLS, "learned", "learned", "learned"])
    lines = [f'link = {{ name = "far", rate_hz = {rng.choice((10, 20, 50))} }}']
    lines.append(f'[medium]\nkind = "infrared"\nprotocol = "{protocol}"')
    bits = 7
    if protocol == "learned":
        shape = rng.choice(SHAPES)
        bits = shape.bits
        given = ", ".join(
            f"{k} = {list(v) if isinstance(v, tuple) else v}" for k, v in shape._asdict().items()
        )
        lines.append(f"shape = {{ {given} }}")
    else:
        lines.append(f"address = {rng.randrange(1 << CODE_FORMS[protocol].address_bits)}")
    lines.append(f"disarm_after_ms = {rng.choice((500, 3000))}")
    # A code of nec says its command twice over, which is a check.
    lacks = ["no_sequence", "no_pair", "no_layout"] + ([] if protocol.startswith("nec") else ["no_check"])
    lines.append(f"accept = {lacks}".replace("'", '"'))
    lines.append(f'[frame]\nstyle = "packed"\npair = {rng.randint(1, 255)}')
    codes = rng.sample(range(1 << min(bits, 30)), 8)
    for at, code in enumerate(codes[:7]):
        code = code << bits - 30 if bits > 30 and rng.random() < 0.5 else code
        lines.append(f'[controls.k{at}]\nkind = "key"\ncode = {code}')
        lines.append(f"released_after_ms = {rng.choice((120, 250, 300))}")
        toggle = at == 6 or (at == 5 and rng.random() < 0.5)
        lines.append(("toggle = true\n" if toggle else "") + (f'off_by = "k{at - 2}"\n' if toggle else ""))
        lines.append(f'repeat = "{rng.choice(("every", "first"))}"' if not toggle else "")
    nudge = f'kind = "nudge"\nup = "k2"\ndown = "k3"\nstep = {rng.choice((0.1, 0.5))}'
    rocker = 'kind = "rocker"\nplus = "k0"\nminus = "k1"'
    choice = 'kind = "selector"\nbuttons = ["k2", "k3", "k4"]\nvalues = [-1.0, 0.0, 0.7]'
    sources = {"rocked": rocker, "nudged": nudge, "chosen": choice}
    lines += [f"[controls.{name}]\n{text}" for name, text in sources.items()]
    levels = [f"c{at}" for at in range(rng.randint(1, 3))]
    for name in levels:
        lines.append(f'[channels.{name}]\nkind = "level"\nbits = {rng.randint(3, 12)}')
        lines.append(f'from = "{rng.choice([*sources, "rocked"])}"')
    lines.append('[channels.lamp]\nkind = "flag"\nfrom = "k5"')
    lines.append('[channels.arm]\nkind = "flag"\nfrom = "k6"')
    for at in range(rng.randint(1, 4)):
        kind = rng.choice(("motor", "servo", "stepper", "switch"))
        lines.append(f'[outputs.m{at}]\nkind = "{kind}"\n' + _output(rng, kind))
        lines.append('follows = "lamp"' if kind == "switch" else f"mix = {{ {rng.choice(levels)} = 1.0 }}")
    stop = 'stop = "k4"\n' if rng.random() < 0.7 else ""
    lines.append(f'[failsafe]\narm = "arm"\ntimeout_ms = {rng.choice((300, 400, 1000))}\n{stop}')
    return "\n".join(lines)


def worn(rng: random.Random, lengths: list[int]) -> list[int]:
    """Marks and spaces as a poor receiver tells them: a clock, a stretch, scatter, glitches, cut off."""
    clock, scatter = rng.choice((1.0, 1.0, 0.85, 1.15)), rng.choice((0, 0, 0.05, 0.2, 0.4))
    stretch = rng.choice((0, 0, 90, -90, 150))
    made = []
    for length in lengths:
        us = round(abs(length) * clock * (1 + rng.uniform(-scatter, scatter)))
        us = max(1, us + (stretch if length > 0 else -stretch))
        sign = 1 if length > 0 else -1
        made += (
            [us // 3 * sign, -sign * rng.choice((20, 100, 101)), us // 2 * sign]
            if rng.random() < 0.005
            else [us * sign]
        )
    if rng.random() < 0.1:
        made = made[rng.randrange(len(made)) :]
    return made[: rng.randrange(len(made)) + 1] if rng.random() < 0.1 else made


def any_marks(rng: random.Random, shape: Shape | None) -> list[int]:
    """Presses of any code, or noise."""
    kind = rng.random()
    if kind < 0.15:
        count = rng.randint(1, 90)
        return [rng.randint(1, 3000) * (-1 if at % 2 else 1) for at in range(count)] + [
            -rng.randint(1000, 600_000)
        ]
    if kind < 0.4 and shape is not None:
        return worn(rng, learned_press(shape, rng.randrange(1 << shape.bits), rng.randint(0, 2)))
    name = rng.choice(sorted(PROTOCOLS))
    form = CODE_FORMS[name]
    address = rng.choice((0, (1 << form.address_bits) - 1, rng.randrange(1 << form.address_bits)))
    if name == "nec_extended" and address >> 8 == ~address & 0xFF:
        address ^= 1
    command = rng.choice((0, (1 << form.command_bits) - 1, rng.randrange(1 << form.command_bits)))
    made = press(name, address, command, rng.randint(0, 2), rng.randint(0, 1))
    if rng.random() < 0.2:
        # What looks like it, and is none.
        at = rng.randrange(len(made))
        made[at] = (
            rng.choice(made) if rng.random() < 0.5 else made[at] * rng.choice((2, 3)) // rng.choice((1, 2))
        )
        return worn(rng, [one if at % 2 == 0 else -one for at, one in enumerate(map(abs, made)) if one])
    return worn(rng, made)


def life_of_a_reader(rng: random.Random, table: Any) -> Iterator[Step]:
    """Presses, one after the other, whole and worn."""
    shape = None
    if table.bits:
        pairs = ((table.header_mark, table.header_space), (table.zero_mark, table.zero_space))
        shape = Shape(*pairs, (table.one_mark, table.one_space), table.bits, 2 * table.repeat_us // 5)
    while True:
        for length in any_marks(rng, shape):
            yield "take", (length > 0, abs(length))
        if rng.random() < 0.1:
            yield "take", (False, rng.choice((0, 400_000_000, 900_000_000)))


def life_of_a_remote(rng: random.Random, table: Any) -> Iterator[Step]:
    """Keys pressed, held, and let go, several at once, by a hand that may be held up."""
    keys = len(table.codes_sent)
    counts, held, now = [rng.randrange(65536) for _ in range(keys)], set[int](), rng.randrange(65536)
    while True:
        now = (
            now + rng.choice((0, 5, 10, 10, 20, 50)) + (rng.random() < 0.01) * rng.choice((400, 65_000))
        ) & 0xFFFF
        yield "pass_time", (now,)
        if rng.random() < 0.04:
            held = set(rng.sample(range(keys), rng.choice((0, 1, 1, 2))))
        for key in range(keys):
            if key in held and rng.random() < 0.4:
                counts[key] = (counts[key] + 1) & 0xFFFF
            if rng.random() < 0.5 or key in held:
                yield "read", (key, counts[key])
        yield "send", ()


def life_of_a_receiver(rng: random.Random, table: Any) -> Iterator[Step]:
    """A remote of its own, others beside it, silences, and loops that are held up."""
    link = REMOTES[id(table)]
    hand = remote.Remote(remote_table(link, link.medium))
    living = life_of_a_remote(rng, hand.table)
    now, silent = 0, False
    yield "begin", ()
    for name, given in living:
        sent = getattr(hand, name)(*given)
        if name == "pass_time":
            now = given[0]
            yield name, given
        elif name == "send":
            silent = rng.random() < 0.5 if rng.random() < 0.01 else silent
            marks = [-us if at % 2 else us for at, us in enumerate(hand.maker.times[: hand.maker.count])]
            marks = worn(rng, marks) if sent and not silent else []
            if rng.random() < 0.005:
                marks += any_marks(rng, None)
            for length in [*marks, -10_000]:
                yield "take", (length > 0, abs(length))
            yield "turn", ()
            if rng.random() < 0.002:
                yield "expire", (now,)


def life_of_a_carrier(rng: random.Random, table: Any) -> Iterator[Step]:
    """Frames as a poor receiver tells them, noise between them, levels without an end."""
    maker, half_us = on_off.OnOffMaker(table), table.half / on_off.UNIT
    while True:
        maker.begin()
        for byte in rng.randbytes(rng.choice((0, 1, 6, 12, 200))):
            maker.add(byte)
        stray, clock = rng.choice((0.0, 0.1, 0.25)), rng.choice((0.9, 1.0, 1.1))
        while us := maker.next():
            length = max(1, round(us * clock + half_us * rng.uniform(-stray, stray)))
            if rng.random() < 0.001:
                yield "take", (not maker.is_mark, max(1, round(half_us * rng.choice((0.1, 0.33, 0.34, 2.0)))))
            yield "take", (maker.is_mark, length)
        for at in range(rng.choice((0, 0, 5, 60))):
            yield (
                "take",
                (at % 2 == 0, rng.choice((0, 1, round(3 * half_us), rng.randint(1, 4000), 900_000_000))),
            )


def life_of_a_sender(rng: random.Random, table: Any) -> Iterator[Step]:
    """Bodies, one after the other, one of them too long."""
    while True:
        yield "begin", ()
        for byte in rng.randbytes(rng.choice((0, 1, 6, 12, 200, 201))):
            yield "add", (byte,)
        while (yield "next", ()):
            pass


def any_carrier(rng: random.Random) -> Table:
    return on_off_table(rng.choice((100, 300, 2000, 9600, 100_000)), rng.choice((12, 24, 200)))


REMOTES: dict[int, nuvrik.Link] = {}
"""The links of the tables that receivers are lived with: a table says less than whose it is."""

KEPT: list[Table] = []


def any_receiver(rng: random.Random) -> Table:
    return receiver_of(random_remote(rng))


def receiver_of(link: nuvrik.Link) -> Table:
    table = receiver_table(link, link.medium)
    KEPT.append(table)
    REMOTES[id(table)] = link
    return table


def any_remote(rng: random.Random) -> Table:
    link = random_remote(rng)
    return remote_table(link, link.medium)


LIVES: dict[str, tuple[type, Callable[[random.Random], Table], Callable[..., Iterator[Step]]]] = {
    "InfraredReader": (
        infrared.InfraredReader,
        lambda rng: shape_table(rng.choice((None, None, *SHAPES))),
        life_of_a_reader,
    ),
    "Remote": (remote.Remote, any_remote, life_of_a_remote),
    "OnOffReader": (on_off.OnOffReader, any_carrier, life_of_a_carrier),
    "OnOffMaker": (on_off.OnOffMaker, any_carrier, life_of_a_sender),
    "Receiver": (receiver.Receiver, any_receiver, life_of_a_receiver),
}
