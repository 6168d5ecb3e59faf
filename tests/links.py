"""Link files for the tests, and hypothesis strategies that make any link and any values for it."""

import os
import re
from pathlib import Path

import pytest
from hypothesis import strategies as st

import nuvrik
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text

THOROUGH = bool(os.environ.get("NUVRIK_THOROUGH"))
"""Whether properties get two thirds of the examples that they name, as in CI, or one, which finds nearly as
much."""


def many(examples: int) -> int:
    """So many examples where there is the time for them."""
    return max(10, 2 * examples // 3 if THOROUGH else examples // 3)


TUG = nuvrik.parse(starter_text("tug"), "tug.toml")


# A wire instead of a radio, and a fast machine: for streams, and for tests that must not take long.
def with_medium(text: str, said: str) -> str:
    """A link file over another medium."""
    return re.sub(r"(?ms)^\[medium\]\n.*?(?=^\[)", f"[medium]\n{said}\n\n", text)


WIRED_TEXT = with_medium(starter_text("tug"), 'kind = "serial"\nbaud = 115200\ndelay_ms = 1\njitter_ms = 3')
WIRED = nuvrik.parse(WIRED_TEXT, "wired.toml")

MEDIA = st.sampled_from(['"serial"', '"radio"\npayload_max = 200'])
CHANNELS = st.one_of(
    st.tuples(st.just("level"), st.integers(3, 16)),
    st.tuples(st.just("share"), st.integers(2, 16)),
    st.tuples(st.just("flag"), st.just(1)),
    st.tuples(st.just("choice"), st.integers(2, 20)),
    st.tuples(st.just("count"), st.integers(1, 16)),
)


@st.composite
def any_link(draw: st.DrawFn) -> nuvrik.Link:
    """Any set of channels on either medium, without controls or motors."""
    text = '[link]\nname = "any"\nrate_hz = 20\n'
    text += f"[medium]\nkind = {draw(MEDIA)}\n"
    text += f'[frame]\nstyle = "packed"\npair = {draw(st.integers(1, 255))}\n'
    text += f"lead_in = {draw(st.sampled_from(['true', 'false']))}\n"
    for index, (kind, size) in enumerate(draw(st.lists(CHANNELS, min_size=1, max_size=24))):
        options = ", ".join(f'"o{i}"' for i in range(size))
        size_line = {"flag": "", "choice": f"options = [{options}]"}.get(kind, f"bits = {size}")
        text += f'[channels.c{index}]\nkind = "{kind}"\n{size_line}\n'
    return nuvrik.parse(text + '[failsafe]\narm = "none"\ntimeout_ms = 500\n')


@st.composite
def any_values(draw: st.DrawFn, link: nuvrik.Link) -> list[int | None]:
    """Values that may be sent over a link, *no reading* among them."""
    values: list[int | None] = []
    for channel in link.channels.values():
        if channel.kind == "level":
            values.append(draw(st.none() | st.integers(-FULL, FULL)))
        elif channel.kind == "share":
            values.append(draw(st.none() | st.integers(0, FULL)))
        elif channel.kind == "choice":
            values.append(draw(st.integers(0, len(channel.options) - 1)))
        else:
            values.append(draw(st.integers(0, (1 << channel.bits) - 1)))
    return values


def problem_in(text: str, where: str) -> nuvrik.Problem:
    """The one problem that a broken link file has at a place."""
    with pytest.raises(nuvrik.LinkFileError) as caught:
        nuvrik.parse(text, "mine.toml")
    found = [problem for problem in caught.value.problems if problem.where == where]
    assert len(found) == 1, caught.value.problems
    assert found[0].do and str(caught.value).startswith("mine.toml: ")
    assert "pydantic" not in str(caught.value) and "Traceback" not in str(caught.value)
    return found[0]


def write(folder: Path, name: str, text: str) -> Path:
    """A file with such a text."""
    file = folder / name
    file.write_text(text, encoding="utf-8")
    return file


PANEL_SERIAL = nuvrik.parse(starter_text("panel"), "panel.toml")
