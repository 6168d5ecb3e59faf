"""The loops of core on boards that exist only here: fitted to a link, in Python and in C, they ask the same
of a board and of the builder's own code, call by call, whatever comes."""

import os
import random
import shutil
from collections import deque
from collections.abc import Callable
from itertools import count
from pathlib import Path

import pytest
from links import THOROUGH, WIRED_TEXT, with_medium
from on_air import by_radio
from random_links import random_link
from taped_boards import fitted_plays, live
from taped_in_c import c_plays

import nuvrik
from nuvrik.core.levels import FULL
from nuvrik.core.loops.machine_loop import MachineLoop
from nuvrik.core.machine.watch import ARMED
from nuvrik.export.loops import loop_table
from nuvrik.export.wanted import Wanted
from nuvrik.plan.form.media import RadioMedium
from nuvrik.plan.starters import starter_names, starter_text

SEED = int(os.environ["NUVRIK_SEED"])
TURNS = 4000 if THOROUGH else 1500

STYLES = ("packed", "slip", "line", "columns", "keys", "train")
LINKS = {name: nuvrik.parse(starter_text(name)) for name in starter_names()}
CHIPS = [f"{name} by radio" for name in ("tug", "marram")]
LINKS |= {
    f"{name} by radio": nuvrik.parse(by_radio(starter_text(name), more))
    for name, more in (("tug", ""), ("marram", 'length = "varying"'))
}
LINKS |= {
    style: random_link(random.Random(SEED + at), style=style, hands=True) for at, style in enumerate(STYLES)
}
WIRED = nuvrik.parse(WIRED_TEXT)
PACKETS = nuvrik.parse(with_medium(WIRED_TEXT, 'kind = "radio"'))
PAIRS = [(name, "machine", "handset") for name in LINKS]
PAIRS += [(name, "bridge", "machine") for name, link in LINKS.items() if isinstance(link.medium, RadioMedium)]


class Queue:
    """A board on which much has queued up, and which otherwise does nothing."""

    def __init__(self) -> None:
        self.bytes: deque[int] = deque()
        self.packets: deque[bytes] = deque()

    def take(self, line: int) -> int:
        return self.bytes.popleft() if self.bytes else -1

    def packet(self, into: list[int]) -> int:
        packet = self.packets.popleft() if self.packets else b""
        into[: len(packet)] = packet
        return len(packet)

    def give(self, line: int, frame: object, count: int) -> bool:
        return True

    def __getattr__(self, word: str) -> Callable[..., int]:
        return lambda *given: 0


@pytest.mark.parametrize("packets", [False, True])
def test_all_that_queued_up_while_a_loop_was_held_up_moves_nothing(packets: bool) -> None:
    link, board, seqs = (PACKETS if packets else WIRED), Queue(), count()
    wanted = Wanted(link, "link.toml", "blank", packets=packets, end="machine")
    loop, encoder = MachineLoop(loop_table(wanted), board, board), nuvrik.Encoder(link)
    outputs, now_ms = loop.end.machine.outputs, 0
    loop.begin()

    def turn(gap_ms: int, *commands: tuple[int, int]) -> None:
        nonlocal now_ms
        for throttle, arm in commands:
            seq = next(seqs) & 0xFF
            board.packets.append(encoder.command([throttle, 0, arm], seq))
            board.bytes.extend(encoder.command_on_wire([throttle, 0, arm], seq))
        now_ms += gap_ms
        loop.turn(now_ms & 0xFFFF, gap_ms)

    for command in [(0, 0)] * 4 + [(0, 1)] * 4 + [(FULL, 1)] * 4:
        turn(20, command)
    assert outputs.any_driven()
    # At rest for long enough to arm again, and then pushed: all of it older than the silence.
    turn(5000, *[(FULL, 1)] * 20, *[(0, 0)] * 150, *[(0, 1)] * 150, *[(FULL, 1)] * 150)
    for _ in range(200):
        turn(5)
        assert loop.end.machine.watch.state != ARMED
    assert not (board.packets if packets else board.bytes) and not outputs.any_driven()
    # Whoever is there now is listened to.
    for command in [(0, 0)] * 4 + [(0, 1)] * 4 + [(FULL, 1)] * 4:
        turn(20, command)
    assert outputs.any_driven()


SOME = random.Random(SEED).sample(PAIRS, len(PAIRS) if THOROUGH else 4)
SOME += [pair for pair in PAIRS if pair[0] in CHIPS and pair not in SOME][: None if THOROUGH else 2]
"""Others in each run."""


@pytest.mark.slow
@pytest.mark.parametrize(("name", "first", "second"), SOME)
def test_fitted_to_a_link_it_asks_the_same_of_its_board(
    name: str, first: str, second: str, tmp_path: Path
) -> None:
    for end, (wanted, tape) in live(LINKS[name], (first, second), TURNS, SEED).items():
        fitted_plays(wanted, tape)
        if shutil.which("gcc"):
            (tmp_path / end).mkdir()
            c_plays(wanted, tape, tmp_path / end)
