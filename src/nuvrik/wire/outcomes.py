"""What becomes of a request: the one list, for both ends, and its words."""

from enum import IntEnum

from nuvrik.core.machine import desk
from nuvrik.core.requests import asking


class Outcome(IntEnum):
    """What became of a request. The first eight travel in replies; the others only the handset knows."""

    DONE = desk.DONE
    RUNNING = desk.RUNNING
    NOT_ARMED = desk.NOT_ARMED
    REFUSED = desk.REFUSED
    FAILED = desk.FAILED
    ENDED = desk.ENDED
    BUSY = desk.BUSY
    STRANGER = desk.STRANGER
    WAITING = asking.NOT_SENT
    ASKED = asking.SENT
    UNKNOWN = asking.NO_ANSWER
    NEVER_SENT = asking.NEVER_SENT
    FORGOTTEN = asking.FORGOTTEN

    @property
    def state(self) -> str:
        """In a word or two."""
        told = {Outcome.STRANGER: Outcome.UNKNOWN, Outcome.NEVER_SENT: Outcome.FAILED}.get(self, self)
        return told.name.lower().replace("_", " ")

    @property
    def why(self) -> str:
        """In a sentence, "" where there is nothing to explain."""
        return WHY[self]

    @property
    def settled(self) -> bool:
        """Whether nothing more will become of it."""
        return self not in (Outcome.WAITING, Outcome.ASKED, Outcome.RUNNING)


MOST_SENT = Outcome.STRANGER
"""The greatest that travels."""

WHY = {
    Outcome.DONE: "",
    Outcome.RUNNING: "under way",
    Outcome.NOT_ARMED: "the machine is not armed, and this moves something; arm first, then ask again",
    Outcome.REFUSED: "the machine's own code does not do it",
    Outcome.FAILED: "the machine's own code went wrong over it",
    Outcome.ENDED: "it was cut short: disarmed, lost, or a hand moved the same output",
    Outcome.BUSY: "another motion was going on",
    Outcome.STRANGER: "the machine has restarted or met another handset; unknown whether it was done",
    Outcome.WAITING: "not sent yet",
    Outcome.ASKED: "no answer yet",
    Outcome.UNKNOWN: "no answer; unknown whether it was done",
    Outcome.NEVER_SENT: "nobody answered hello, so it was never sent",
    Outcome.FORGOTTEN: "a stop, arm off, a change of hands or a long pause came before it was begun",
}
