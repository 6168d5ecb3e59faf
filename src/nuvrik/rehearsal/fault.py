"""What can go wrong on purpose.

A fault strikes a ``nuvrik.rehearsal.world.World``, mostly while a motor is turning, and may end after
a while; what must hold is in ``verdict``. Faults on the way from one end to the other are in
``faults_on_the_way``, those of the ends and of the bench in ``faults_at_the_ends``; ``faults`` lists them.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from nuvrik.core.machine.states import ARMED, FAILSAFE, STANDBY, STOPPED, WAITING, State
from nuvrik.failsafe.why import Code
from nuvrik.plan.form.frame_base import Lack
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.rehearsal.world import World

Must = Literal["stop", "hold", "never"]

NOT_ARMED = (WAITING, STANDBY, FAILSAFE, STOPPED)
ANY = (*NOT_ARMED, ARMED)


Fit = Callable[[Link], str]
"""Why a fault cannot strike a link, in words that follow "does not apply: "; "" where it can."""


def every_link(link: Link) -> str:
    """Every link there is."""
    return ""


def any_link(link: Link) -> str:
    """Every link but a remote control's."""
    return "a remote control sends codes, not frames" if isinstance(link.medium, InfraredMedium) else ""


def only(test: Callable[[Link], object], otherwise: str, among: Fit = any_link) -> Fit:
    """Links ``among`` others that pass a test; ``otherwise`` says what the rest have not got."""

    def fit(link: Link) -> str:
        return among(link) or ("" if test(link) else otherwise)

    return fit


sealed = only(lambda link: link.frame.sealed, "only packed and slip frames have what it attacks")
"""Links whose frames have every protection."""


@dataclass(frozen=True)
class Fault:
    """One fault.

    ``group`` is the communication error of the safety standards that it stands for, or "bench". ``must`` says
    what has to hold besides what always has to (see ``verdict``): "stop", every motor at rest within the
    bound, and then in one of the states ``ends_in``; "hold", it may go on or stop, but accepts nothing that
    was not sent for it; "never", struck before power-up, nothing moves at all. ``shows`` are reasons of
    refused frames, and codes of the machine's own, of which one must come up, and
    ``shows_authenticated`` are more of them on a link with a key. ``lasts_ms`` is the range from
    which its length is drawn, None for ever; ``heal`` ends it, by itself or because somebody mends it.
    ``needs`` names what a frame style must not lack; ``fits`` says which links it can strike. ``later_ms`` is
    what is added to the bound of a link.
    ``before`` is done to the world at power-up, so that the fault can strike later; ``reaches`` is a state
    that must have come up for anything to have been shown; ``ready`` says from when on it is worth striking;
    ``judge`` says what else is wrong at the end, "" where nothing is; ``own_code`` that it gives the machine
    code of the builder's own, in Python; ``holds_up`` that it holds up the machine's loop, as only a program
    can that runs the loop, and not somebody from outside a chip."""

    name: str
    group: str
    imitates: str
    strike: Callable[[World], None]
    must: Must = "stop"
    ends_in: tuple[State, ...] = NOT_ARMED
    shows: tuple[str | Code, ...] = ()
    shows_authenticated: tuple[str | Code, ...] = ()
    lasts_ms: tuple[int, int] | None = None
    heal: Callable[[World], None] | None = None
    needs: tuple[Lack, ...] = ()
    fits: Fit = any_link
    later_ms: Callable[[Link], float] | None = None
    before: Callable[[World], None] | None = None
    reaches: State | None = None
    judge: Callable[[World, float], str] | None = None
    ready: Callable[[World], bool] | None = None
    own_code: bool = False
    holds_up: bool = False

    def unfit(self, link: Link) -> str:
        """Why it cannot strike a link; "" where it can."""
        lacking = [lack for lack in self.needs if lack in link.frame.accept]
        return self.fits(link) or (f'the link accepts "{lacking[0]}"' if lacking else "")


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
