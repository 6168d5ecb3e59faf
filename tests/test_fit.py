"""Core fitted to one end of a link: whatever it has left out, it does what core does, on random links and
lives. Machines' ends are held to it in MicroPython, by ``test_traces.py``."""

import os
import random
from collections.abc import Callable
from copy import deepcopy
from operator import attrgetter
from typing import Any

import pytest
from everywhere import LIVES
from hypothesis import given, settings
from hypothesis import strategies as st
from links import TUG, many

from nuvrik.core.frames.incoming import IN_PACKETS
from nuvrik.core.levels import FULL
from nuvrik.core.widths import Table
from nuvrik.export import fitted_c
from nuvrik.export.firmware import firmware
from nuvrik.export.fit import roots
from nuvrik.export.fit.fitted import run_here
from nuvrik.export.fit.live import Roots
from nuvrik.export.fit.roots import CALLS, PACKETS, READS, STREAM
from nuvrik.export.fit.unroll import product
from nuvrik.export.wanted import Wanted


def fit_of(glue: str, table: Table, more: str) -> tuple[Any, Any, set[str]]:
    """The class of an end as it is left, its table, and the methods that its loop calls."""
    owner = roots.ENDS[glue]
    methods = {*f"{CALLS[glue]} {more}".split()}
    calls = {owner, *(f"{owner}.{name}" for name in methods)}
    reads = {tuple(word.split(".")) for word in READS[glue].split()}
    space = run_here(table, Roots(frozenset(calls), frozenset(reads)))  # type: ignore[arg-type]
    return space[owner], space["link"], methods


def sent(end: Any) -> object:
    """What a handset would send, and whether arm is on."""
    sender = end.writer.sender
    return end.handset.arming.sent, sender.count, bytes(sender.wire[: sender.count])


def told(end: Any) -> object:
    """What a receiver's outputs are told."""
    outputs = end.machine.outputs
    ones = [*outputs.motors, *outputs.servos, *outputs.steppers, *outputs.switches]
    demands = [(one.demand.value, one.demand.way, one.demand.driven, one.demand.braked) for one in ones]
    return end.machine.watch.state, demands


def flashed(end: Any) -> object:
    """What a remote's lamp would flash."""
    return end.maker.count, [end.maker.times[at] for at in range(end.maker.count)]


def to_the_air(end: Any) -> object:
    """What a bridge hands on when a body is whole."""
    return bytes(end.sealed.body[: end.sealed.length])


def to_the_host(end: Any) -> object:
    """The same, the other way."""
    return bytes(end.sender.wire[: end.sender.count])


def nothing(end: Any) -> object:
    """What is not handed on need not be kept whole."""
    return None


ENDS: dict[str, tuple[str, Callable[[Any], object]]] = {
    "HandsetEnd": ("handset", sent),
    "Receiver": ("receiver", told),
    "Remote": ("remote", flashed),
    "Bridge": ("bridge", nothing),
}


@pytest.mark.slow
@pytest.mark.parametrize("name", ENDS)
@pytest.mark.parametrize("at", range(3))
def test_what_is_left_of_an_end_does_what_it_did(name: str, at: int) -> None:
    rng = random.Random(f"{os.environ['NUVRIK_SEED']}{name}{at}")
    kind, any_table, life = LIVES[name]
    glue, seen = ENDS[name]
    table = any_table(rng)
    more = ""
    if glue == "handset":
        more = PACKETS if table.incoming.way_in == IN_PACKETS else STREAM
    made, link, methods = fit_of(glue, table, more)
    ours, left, living = kind(table), made(link), life(rng, table)
    method, given = next(living)
    lived = 0
    for step in range(many(6000)):
        back = None
        if method in methods:
            there = getattr(left, method)(*deepcopy(given))
            back = attrgetter(method)(ours)(*given)
            lived += 1
            assert there == back, (step, method, given)
            if glue == "bridge" and back:
                seen = to_the_air if method == "take" else to_the_host
            assert seen(left) == seen(ours), (step, method, given)
            seen = ENDS[name][1]
        method, given = living.send(back)
    assert lived > 1000


def test_a_fit_that_is_kept_is_the_same_and_a_broken_one_is_made_anew(tmp_path, monkeypatch) -> None:
    def text() -> str:
        return str(firmware(Wanted(TUG, "tug.toml", "blank")).files["nuvrik.c"])

    monkeypatch.delenv("NUVRIK_FITS")
    made = text()
    monkeypatch.setenv("NUVRIK_FITS", str(tmp_path))
    fitted_c._shape.cache_clear()
    assert text() == made
    (file,) = tmp_path.iterdir()
    whole = file.read_bytes()
    for broken in (b"", whole[: len(whole) // 2], whole):
        file.write_bytes(broken)
        fitted_c._shape.cache_clear()
        assert text() == made and [*tmp_path.iterdir()] == [file] and file.read_bytes() == whole


@settings(max_examples=40, deadline=None)
@given(st.one_of(st.integers(1, FULL), st.sampled_from([(1 << bits) - 1 for bits in range(1, 15)])))
def test_a_division_written_as_a_product_is_right_for_every_code(most: int) -> None:
    found = product(most)
    if found is not None:
        whole, factor, more, shift = found
        for code in range(most + 1):
            assert code * whole + (code * factor + more >> shift) == (code * FULL + most // 2) // most
            assert code * factor + more < 1 << 32
    assert product(1023) is not None and product(0) is None
