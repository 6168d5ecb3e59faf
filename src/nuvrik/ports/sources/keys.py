"""Keys of a terminal. A terminal tells only that a key arrives, again and again while it is held, never that
it is let go; so a key counts as released ``released_after_ms`` after its last arrival, and while another key
is held the first one's repeats stop. A page in a browser hears keys go up, and is the better hand."""

import sys
from collections import Counter
from collections.abc import Callable, Collection
from contextlib import ExitStack

from nuvrik.plan.controls import KeyControl, ReadControl
from nuvrik.ports.sources.source import Items, Plain, SourceError

MOST_A_TURN = 256
"""Keys a turn looks at: more than anybody types, less than a paste."""


class Keys(Plain):
    """The keys of the terminal this runs in; an item is a character. ``others`` is given what arrives and is
    no character of a control: function keys by name."""

    def __init__(self, name: str, others: Callable[[str], None] = lambda key: None) -> None:
        super().__init__(name)
        import blessed

        if not sys.stdin.isatty():
            raise SourceError(f"{name}: standard input is no terminal, so no keys can be read from it")
        self._terminal = blessed.Terminal(stream=sys.stderr)
        self._stack = ExitStack()
        self._stack.enter_context(self._terminal.cbreak())
        self._arrived: Counter[str] = Counter()
        self._begun = False
        self.others = others

    @property
    def items(self) -> Collection[str]:
        """The characters that have arrived."""
        return set(self._arrived)

    def moves(self, name: str, control: ReadControl) -> str | None:
        """A key's character moves it."""
        return control.char if isinstance(control, KeyControl) else None

    def read(self, now_ms: int, wanted: Collection[str]) -> Items:
        """How often each key that has just arrived has arrived so far. The first look says that none has, so
        that the first arrival is a press; what was typed before it is not pressed now."""
        if not self._begun:
            self._begun = True
            self.skip()
            return dict.fromkeys(wanted, 0)
        new: dict[str, int | None] = {}
        for _ in range(MOST_A_TURN):
            key = self._terminal.inkey(timeout=0, esc_delay=0)
            if not key:
                break
            if key.is_sequence or str(key) not in wanted:
                self.others(key.name or str(key))
                continue
            self._arrived[str(key)] += 1
            new[str(key)] = self._arrived[str(key)]
        return new

    def skip(self) -> None:
        """Keys that were typed ahead are not pressed now."""
        while self._terminal.inkey(timeout=0, esc_delay=0):
            pass

    def close(self) -> None:
        """Give the terminal back as it was."""
        self._stack.close()
