"""What can go wrong on purpose.

A fault strikes a :class:`~nuvrik.rehearsal.world.World`, mostly while a motor is turning, and may end after
a while; what must hold is in ``verdict``. Faults on the way from one end to the other are in
``faults_on_the_way``, those of the ends and of the bench in ``faults_at_the_ends``; ``faults`` lists them.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from nuvrik.failsafe.table import ARMED, FAILSAFE, STANDBY, STOPPED, WAITING, State
from nuvrik.plan.frames import Lack, Sealed
from nuvrik.plan.media import InfraredMedium
from nuvrik.plan.models import Link
from nuvrik.rehearsal.world import World

Must = Literal["stop", "hold", "never"]

NOT_ARMED = (WAITING, STANDBY, FAILSAFE, STOPPED)
ANY = (*NOT_ARMED, ARMED)


def any_link(link: Link) -> bool:
    """Every link but a remote control's: what is on the way there are no frames."""
    return not isinstance(link.medium, InfraredMedium)


def every_link(link: Link) -> bool:
    """Every link there is."""
    return True


def sealed(link: Link) -> bool:
    """A link whose frames have every protection."""
    return any_link(link) and isinstance(link.frame, Sealed)


@dataclass(frozen=True)
class Fault:
    """One fault.

    ``group`` is the communication error of the safety standards that it stands for, or "bench". ``must``
    says what has to hold besides what always has to (see ``verdict``): "stop", every motor at rest within the
    bound, and then in one of the states ``ends_in``; "hold", it may go on or stop, but obeys nothing that was
    not sent for it; "never", struck before power-up, nothing moves at all. ``shows`` are words of which one
    must come up among refusals and reasons. ``lasts_ms`` is the range from which its length is drawn, None
    for ever; ``heal`` ends it. ``needs`` names what a frame style must not lack; ``fits`` says which links it
    can strike. ``later_ms`` is what is added to the bound of a link.
    """

    name: str
    group: str
    imitates: str
    strike: Callable[[World], None]
    must: Must = "stop"
    ends_in: tuple[State, ...] = NOT_ARMED
    shows: tuple[str, ...] = ()
    lasts_ms: tuple[int, int] | None = None
    heal: Callable[[World], None] | None = None
    needs: tuple[Lack, ...] = ()
    fits: Callable[[Link], bool] = any_link
    later_ms: Callable[[Link], float] | None = None

    def can_strike(self, link: Link) -> bool:
        """Whether it makes sense on a link."""
        return self.fits(link) and not any(lack in link.frame.accept for lack in self.needs)


GROUPS = (
    "corruption",
    "unintended repetition",
    "loss",
    "insertion",
    "wrong order",
    "delay",
    "masquerade",
    "wrong address",
    "bench",
)
"""The eight communication errors that the standards for safety protocols list, and the bench's own."""
