"""The frames of an end with a key, in CPython: what ``core.session`` says goes out, as it travels."""

from nuvrik.core.frames.sealed import AUTHENTICATED
from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.watch import STOPPED
from nuvrik.core.requests.asking import Asking
from nuvrik.core.session import HandsetSession, MachineSession
from nuvrik.ends.quick import QuickSender
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.session import session_table
from nuvrik.wire.authenticated import QuickTags
from nuvrik.wire.bits import put
from nuvrik.wire.codes import Value
from nuvrik.wire.events import Frame
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import COMMAND, STOP, TELEMETRY
from nuvrik.wire.sealed import VERSION, check_bytes, initial_of


class AuthenticSender(QuickSender):
    """Keeps what it is given, until a session gives that its counter and its tag."""

    def __init__(self, encoder: Encoder, pair: int) -> None:
        super().__init__(encoder)
        self._pair = pair

    def begin(self, kind: int) -> None:
        """A frame that carries counter and tag."""
        super().begin(kind | AUTHENTICATED)

    def begin_open(self, kind: int) -> None:
        """A frame that anybody could have made."""
        super().begin(kind)

    def seal(self) -> None:
        """The payload is whole; what comes next, the session says."""

    def finish(self) -> None:
        """Without a tag."""
        self.close(bytes((*self.front, 0)) + self.payload)

    @property
    def front(self) -> bytes:
        """The head without its number."""
        return bytes((VERSION << 4 | self._kind, self._pair, self._encoder.tag & 0xFF))

    @property
    def payload(self) -> bytes:
        """What has been filled in."""
        return put(self._fields)

    def close(self, covered: bytes) -> None:
        """Everything but the check."""
        check = check_bytes(covered, initial_of(self._kind, self._encoder.tag))
        self.made = self._encoder.on_wire(covered + check)


class SessionTags(QuickTags):
    """Tags for what an ``AuthenticSender`` sends."""

    def finish(self, sender: AuthenticSender, high: int, low: int, heard: int) -> None:  # type: ignore[override]
        """Give a frame that is filled its counter and its tag."""
        sender.close(self.signed(sender.front, high, low, heard, sender.payload))


def machine_session(link: Link) -> MachineSession:
    """What a machine with the link's key knows of handsets."""
    session = MachineSession(session_table(link))
    session.tags = SessionTags(link)
    return session


def handset_session(link: Link) -> HandsetSession:
    """What a handset with the link's key knows of the machine."""
    session = HandsetSession(session_table(link))
    session.tags = SessionTags(link)
    session.search()
    return session


class Authentic:
    """A handset's frames with counter and tag."""

    unsaid = NOBODY

    def __init__(self, link: Link, *, stream: bool) -> None:
        self.session = handset_session(link)
        encoder = Encoder(link, stream=stream)
        self._sender = AuthenticSender(encoder, link.frame.pair)
        self._packer = encoder.packer
        self.frames = 0

    def search(self, now_ms: int) -> bytes:
        """A question after the machine."""
        self.frames += 1
        self.session.ask(self._sender, now_ms & 0xFFFF)
        return self._sender.made

    def stop(self) -> bytes:
        """A stop."""
        self._sender.begin(STOP)
        return self._made(STOP)

    def question(self, asking: Asking, what: int) -> bytes:
        """What is asked in place of a command."""
        asking.write(what, self._sender)
        return self._made(self._sender.front[0] & 7)

    def command(self, values: list[Value], echo: int) -> bytes:
        """A command. What it was made from, the session knows."""
        self._sender.begin(COMMAND)
        for byte in self._packer.pack(values):
            self._sender.byte(byte)
        return self._made(COMMAND)

    def _made(self, kind: int) -> bytes:
        self.frames += 1
        self.session.finish(self._sender, kind)
        return self._sender.made


def tell(session: HandsetSession, event: Frame) -> None:
    """What a frame from the machine says of whether it hears this handset."""
    if event.kind == TELEMETRY:
        said = event.values
        session.told(said.accepted is not None, said.accepted or 0, said.state == STOPPED)
