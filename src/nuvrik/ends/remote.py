"""An infrared link's two ends: the remote, whose keys become codes, and the receiver at the machine, which
shapes them as a handset does and moves what a machine moves.

The receiver is a handset and a machine with nothing between them that could fail: keys, rockers, toggles
and selectors are those of a handset, and who may move is for the one failsafe table. What is special
is silence. A remote says nothing most of the time, so a key that is not heard for its ``released_after_ms``
has been let go, and after ``disarm_after_ms`` without any code of this remote arm goes off. That is no
fault, and nobody is waiting for the lamps to go out: outputs with ``on_loss = "hold"`` stay as they are
until the machine is armed again, an off key is pressed, or a stop. Where nothing turns, there may be no
arm, and nothing goes off."""

from collections import Counter
from collections.abc import Iterable

from nuvrik.core.infrared.codes import CodeMaker
from nuvrik.core.infrared.infrared import NOT_YET
from nuvrik.core.loops.receiver import (
    OURS,
    REPEAT_OF_NOTHING,
    UNKNOWN_KEY,
    WRONG_ADDRESS,
    WRONG_CODE,
)
from nuvrik.core.loops.receiver import Receiver as Rules
from nuvrik.core.loops.remote import Remote as Keys
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.tables.infrared import code_table, key_code, keys_of, receiver_table, remote_table
from nuvrik.pulses.codes import Code, signed
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.shape import Shape

ABOUT = {
    OURS: "ours",
    UNKNOWN_KEY: "unknown_key",
    WRONG_ADDRESS: "wrong_address",
    WRONG_CODE: "wrong_code",
    REPEAT_OF_NOTHING: "repeat_of_nothing",
}
"""What a code is to a receiver, by core's number for it."""


def shape_of(medium: InfraredMedium) -> Shape | None:
    """The learned shape of a link's codes, if they have one."""
    shape = medium.shape
    if shape is None:
        return None
    header, zero, one = ((mark, space) for mark, space in (shape.header, shape.zero, shape.one))
    return Shape(header, zero, one, shape.bits, shape.period_us)


def infrared(link: Link) -> InfraredMedium:
    """The medium of an infrared link. ValueError for any other."""
    if not isinstance(link.medium, InfraredMedium):
        raise ValueError(f"{link.name} is a {link.medium.kind} link, not an infrared one")
    return link.medium


def frame_of(medium: InfraredMedium, command: int, toggle: int = 0) -> list[int]:
    """One code of a link's remote, first mark to last, in microseconds."""
    maker = CodeMaker(code_table(medium.protocol, medium.address, medium.shape))
    maker.key(key_code(command), toggle)
    return signed(maker)


class Remote:
    """The sending end: give it readings as a handset, and at each ``send`` it gives the marks and spaces
    that begin now, [] if none do. One key at a time: of several held, the one pressed last."""

    def __init__(self, link: Link) -> None:
        self._places = {name: place for place, name in enumerate(keys_of(link))}
        self._core = Keys(remote_table(link, infrared(link)))

    def read(self, now_ms: int, **readings: int | None) -> None:
        """Take readings of keys: how often each has arrived so far, as for a handset. KeyError for a name
        that is no key."""
        self._core.pass_time(now_ms & 0xFFFF)
        for name, count in readings.items():
            if name not in self._places:
                raise KeyError(f"no key is called {name}; this remote has: {', '.join(self._places)}")
            if count is not None:
                self._core.read(self._places[name], count & 0xFFFF)

    def send(self, now_ms: int) -> list[int]:
        """What begins now."""
        self._core.pass_time(now_ms & 0xFFFF)
        return signed(self._core.maker) if self._core.send() else []


class Receiver:
    """The machine's end of an infrared link: marks and spaces in, demands out.

    ``counts`` has how many codes were ``ours``, of keys we have not (``unknown_key``), of another remote
    (``wrong_address``), of another kind or unknown (``wrong_code``), and repeats of what was not heard.

    >>> curtain = nuvrik.load("curtain.toml")
    >>> remote, receiver = Remote(curtain), Receiver(curtain)
    >>> remote.read(0, key_open=0)
    >>> remote.read(20, key_open=1)  # pressed once
    >>> receiver.feed([*remote.send(20), -40000], 20)[0].command
    16
    >>> receiver.counts["ours"]
    1
    """

    def __init__(self, link: Link) -> None:
        self.link = link
        medium = infrared(link)
        self._reader = InfraredReader(shape_of(medium))
        self._hand = Handset(link)
        self.machine = Machine(link)
        self.counts: Counter[str] = Counter()
        # The same rules as on a chip, with the hand, the machine and the reader that have names and words.
        self._rules = Rules(receiver_table(link, medium))
        self._rules.reader = self._reader.core
        self._rules.handset = self._hand.core
        self._rules.machine = self.machine.core

    @property
    def latched(self) -> list[str]:
        """The keys and selectors whose value is held although no hand holds it."""
        return self._hand.latched

    def feed(self, durations: Iterable[int], now_ms: int) -> list[Code]:
        """Take signed microseconds that have passed, a last space as far as it has got; and give the codes of
        this link's remote that have been accepted."""
        self._rules.pass_time(now_ms & 0xFFFF)
        accepted = []
        for event, code in self._reader.events(durations):
            about = self._rules.hear(event) if event != NOT_YET else WRONG_CODE
            self.counts[ABOUT[about]] += 1
            if about == OURS:
                accepted.append(code)
        return accepted

    def tick(self, now_ms: int) -> list[Demand]:
        """One turn of the machine's loop."""
        self._rules.pass_time(now_ms & 0xFFFF)
        self._rules.act()
        return self.machine.tick(now_ms)
