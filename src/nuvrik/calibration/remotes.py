"""From a recording of someone pressing each button a few times to a table of keys."""

from collections import Counter
from collections.abc import Iterable, Sequence
from itertools import pairwise
from typing import NamedTuple

from nuvrik.pulses.codes import PROTOCOLS, Code
from nuvrik.pulses.infrared import RUN_GAP_US, InfraredReader, cleaned
from nuvrik.pulses.shape import Shape, fit, regular
from nuvrik.pulses.timings import Piece

MOST_DURATIONS = 2_000_000
"""Some hours of presses; a longer file is refused rather than held in memory."""

NEXT_US = 200_000
"""Two frames that begin within this time of each other may be of one press."""


class Key(NamedTuple):
    """One button: the code it sends, how often it was pressed, how many presses read as something else, and
    whether it repeated while it was held."""

    name: str
    protocol: str
    address: int | None
    command: int
    presses: int
    others: int
    repeats: bool


class Learned(NamedTuple):
    """What a recording teaches: keys, the shape of a code that is none of the published, and what is odd."""

    keys: list[Key]
    shape: Shape | None
    warnings: list[str]


def learn(pieces: Iterable[Piece], names: Sequence[str] = ()) -> Learned:
    """Find the keys in a recording. Buttons are named by remarks in it, or in the order of their first press
    by ``names``; the rest are called key_1, key_2 and so on. ValueError for more than two million durations.
    """
    durations: list[int] = []
    labels: list[tuple[int, str]] = []
    at_us = 0
    for piece in pieces:
        if piece.remark:
            labels.append((at_us, piece.remark))
        durations += piece.durations
        at_us += sum(map(abs, piece.durations))
        if len(durations) > MOST_DURATIONS:
            raise ValueError(
                f"is longer than {MOST_DURATIONS} durations; record a few presses of each button"
            )
    codes = _read(durations, None)
    shape, unknown = None, [code for code in codes if code.protocol == "unknown"]
    if len(unknown) > sum(code.command is not None for code in codes):
        shape = _shape(durations)
        codes = _read(durations, shape) if shape else codes
    known = [code for code in codes if code.command is not None]
    keys = _keys(known, labels, names)
    return Learned(keys, shape, _warnings(keys, labels, names, codes))


def _read(durations: Sequence[int], shape: Shape | None) -> list[Code]:
    reader = InfraredReader(shape)
    return [*reader.feed(durations), *reader.end()]


def _shape(durations: Sequence[int]) -> Shape | None:
    """What the frames that are no known code have in common: those of the commonest length."""
    lengths = cleaned([-RUN_GAP_US, *durations, -2 * RUN_GAP_US, 1 + RUN_GAP_US])
    runs: list[tuple[int, list[int]]] = []
    at_us = run_us = 0
    run: list[int] = []
    for place, length in enumerate(lengths):
        if place % 2 == 0 and length >= RUN_GAP_US:
            if regular(run):
                runs.append((run_us, run))
            run, run_us = [], at_us + length
        else:
            run.append(length)
        at_us += length
    if not runs:
        return None
    common = Counter(len(run) for _, run in runs).most_common(1)[0][0]
    same = [(at, run) for at, run in runs if len(run) == common]
    starts = [at for at, _ in same]
    gaps = sorted(b - a for a, b in pairwise(starts) if b - a < NEXT_US)
    return fit([run for _, run in same], gaps[len(gaps) // 2] if gaps else 110_000)


def _keys(codes: Sequence[Code], labels: Sequence[tuple[int, str]], names: Sequence[str]) -> list[Key]:
    """The codes sorted into keys; under a label, the one pressed most often is its key."""
    presses: dict[str, Counter[tuple[str, int | None, int]]] = {}
    held: Counter[tuple[str, int | None, int]] = Counter()
    frames: Counter[tuple[str, int | None, int]] = Counter()
    unnamed: dict[tuple[str, int | None, int], str] = {}
    for code in codes:
        assert code.command is not None
        what = code.protocol, code.address, code.command
        frames[what] += 1
        if code.repeat:
            held[what] += 1
            continue
        label = next((name for at_us, name in reversed(labels) if at_us <= code.at_us), None)
        if label is None:
            spare = names[len(unnamed)] if len(unnamed) < len(names) else f"key_{len(unnamed) + 1}"
            label = unnamed.setdefault(what, spare)
        presses.setdefault(label, Counter())[what] += 1
    keys = []
    for name, found in presses.items():
        what, count = found.most_common(1)[0]
        alone = PROTOCOLS[what[0]].frames - 1 if what[0] in PROTOCOLS else 0
        repeats = held[what] > alone * sum(f[what] for f in presses.values())
        keys.append(Key(name, *what, count, found.total() - count, repeats))
    return keys


def _warnings(
    keys: Sequence[Key], labels: Sequence[tuple[int, str]], names: Sequence[str], codes: Sequence[Code]
) -> list[str]:
    said = []
    owners: dict[tuple[str, int | None, int], str] = {}
    for key in keys:
        what = key[1:4]
        if what in owners:
            said.append(f"{owners[what]} and {key.name} send the same code")
        owners.setdefault(what, key.name)
        if key.others:
            said.append(
                f"{key.name}: {key.others} of {key.presses + key.others} presses read as another code"
            )
        if key.presses == 1:
            said.append(f"{key.name} was pressed only once; twice or more would show whether it reads well")
    kinds = {key[1:3] for key in keys}
    if len(kinds) > 1:
        listed = ", ".join(f"{name} {address}" for name, address in sorted(kinds, key=str))
        said.append(f"there is more than one remote in it: {listed}")
    heard = {key.name for key in keys}
    for name in dict.fromkeys(label for _, label in labels):
        if name not in heard:
            said.append(f"{name}: nothing was read of it")
    for name in () if labels else names[len(keys) :]:
        said.append(f"{name}: no press was left for it")
    unknown = sum(code.protocol == "unknown" for code in codes)
    if unknown:
        said.append(f"{unknown} frames are of no known shape")
    return said
