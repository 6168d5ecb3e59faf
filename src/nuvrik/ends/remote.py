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

from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.levels import Clock
from nuvrik.mixing.demand import Demand
from nuvrik.plan.form.controls import KeyControl
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.pulses.codes import LEARNED, NEC_REPEAT, PROTOCOLS, Code, frame
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.shape import Shape

FINGER_MS = 150
"""A key whose reading has not changed for so long is not held any more."""


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
    shape = shape_of(medium)
    return shape.frame(command) if shape else frame(medium.protocol, medium.address, command, toggle)


class Remote:
    """The sending end: give it readings as a handset, and at each :meth:`send` it gives the marks and spaces
    that begin now, [] if none do. One key at a time: of several held, the one pressed last."""

    def __init__(self, link: Link) -> None:
        self._medium = infrared(link)
        self._codes = {name: c.code for name, c in link.controls.items() if isinstance(c, KeyControl)}
        self._counts: dict[str, int] = {}
        self._held_ms: dict[str, int] = {}
        self._clock = Clock()
        self._key: str | None = None
        self._toggle = 0
        self._left = 0
        self._due_ms = 0

    def read(self, now_ms: int, **readings: int | None) -> None:
        """Take readings of keys: how often each has arrived so far, as for a handset. KeyError for a name
        that is no key."""
        now_ms = self._clock.read(now_ms)
        for name, count in readings.items():
            if name not in self._codes:
                raise KeyError(f"no key is called {name}; this remote has: {', '.join(self._codes)}")
            if count is None:
                continue
            if count != self._counts.setdefault(name, count):
                # One that was not held before goes to the end.
                self._counts[name], self._held_ms[name] = count, now_ms

    def send(self, now_ms: int) -> list[int]:
        """What begins now."""
        now_ms = self._clock.read(now_ms)
        self._held_ms = {n: at for n, at in self._held_ms.items() if now_ms - at < FINGER_MS}
        if self._key not in self._held_ms and not self._left:
            self._key = None
        # A press is sent whole; then it is the turn of the key pressed last.
        key = self._key if self._left else next(reversed(self._held_ms), None)
        if key is None or now_ms < self._due_ms:
            return []
        # Let go and pressed again is a fresh press only if the frames of the one before are out.
        fresh = key != self._key
        about = PROTOCOLS.get(self._medium.protocol)
        if fresh:
            self._key, self._toggle = key, self._toggle ^ 1
            self._left = about.frames if about else 1
        self._left = max(0, self._left - 1)
        self._due_ms = now_ms + -(-self._medium.period_us // 1000)
        if not fresh and self._medium.protocol.startswith("nec"):
            return NEC_REPEAT
        code = self._codes[key]
        return frame_of(self._medium, code or 0, self._toggle)


class Receiver:
    """The machine's end of an infrared link: marks and spaces in, demands out.

    ``counts`` has how many codes were ``ours``, of keys we have not (``unknown_key``), of another remote
    (``wrong_address``), of another kind or unknown (``wrong_code``), and repeats of what was not heard.
    """

    def __init__(self, link: Link) -> None:
        self.link = link
        self._medium = infrared(link)
        self._reader = InfraredReader(shape_of(self._medium))
        self._keys = {c.code: name for name, c in link.controls.items() if isinstance(c, KeyControl)}
        self._hand = Handset(link)
        self.machine = Machine(link)
        self.counts: Counter[str] = Counter()
        off = {getattr(control, "off_by", None) for control in link.controls.values()}
        self._off_keys = {name for name in off if name}
        self._clock = Clock()
        self._heard_ms = 0
        self._quiet = False

    @property
    def latched(self) -> list[str]:
        """The keys and selectors whose value is held although no hand holds it."""
        return self._hand.latched

    def feed(self, durations: Iterable[int], now_ms: int) -> list[Code]:
        """Take signed microseconds that have passed, a last space as far as it has got; and give the codes of
        this link's remote that have been accepted."""
        total_ms = self._clock.read(now_ms)
        accepted = []
        for code in self._reader.feed(durations):
            about = self._about(code)
            self.counts[about] += 1
            if about == "ours":
                assert code.command is not None
                key = self._keys[code.command]
                self._hand.hear_key(now_ms, key, fresh=not code.repeat)
                self._heard_ms, self._quiet = total_ms, False
                if key in self._off_keys:
                    self.machine.switch_off()
                accepted.append(code)
        return accepted

    def _about(self, code: Code) -> str:
        if code.protocol not in (self._medium.protocol, LEARNED):
            # A repeat alone says nothing of whose it is.
            return "wrong_code"
        if code.command is None:
            return "repeat_of_nothing"
        if code.protocol != LEARNED and code.address != self._medium.address:
            return "wrong_address"
        return "ours" if code.command in self._keys else "unknown_key"

    def tick(self, now_ms: int) -> list[Demand]:
        """One turn of the machine's loop."""
        # Keys that do not come are released, so this hand has something to say from the start.
        self._hand.read(now_ms)
        silent_ms = self._clock.read(now_ms) - self._heard_ms
        if self.link.arm_channel and silent_ms >= self._medium.disarm_after_ms and not self._quiet:
            self._quiet = True
            self._hand.switch_arm_off(now_ms)
            self.machine.disarm_and_hold()
        self.machine.feed(self._hand.send(now_ms), now_ms)
        return self.machine.tick(now_ms)
