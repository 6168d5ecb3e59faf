"""What can go wrong on purpose.

A fault strikes a :class:`~nuvrik.rehearsal.world.World` while a motor is turning; what must hold
afterwards is in ``verdict``.
"""

from collections.abc import Callable
from dataclasses import dataclass

from nuvrik.failsafe.table import FAILSAFE, STANDBY, WAITING, State
from nuvrik.rehearsal.world import World


@dataclass(frozen=True)
class Fault:
    """One fault. ``group`` is the communication error of the safety standards that it stands for;
    ``ends_in`` the states in which the machine may be once it has stopped."""

    name: str
    group: str
    imitates: str
    strike: Callable[[World], None]
    ends_in: tuple[State, ...]


def _cable_pulled(world: World) -> None:
    world.cut()


def _handset_reset(world: World) -> None:
    # From a brown-out too short for the timeout to notice, to a slow boot loader.
    world.reset_handset(boot_ms=world.rng.randrange(30, 2500))


FAULTS = {
    fault.name: fault
    for fault in (
        Fault(
            "cable_pulled",
            "loss",
            "the cable comes off, the aerial breaks, the handset's battery dies: no frame arrives any more",
            _cable_pulled,
            (FAILSAFE,),
        ),
        Fault(
            "handset_reset",
            "loss",
            "the handset restarts in mid-drive, its sequence from 0, its sticks where they are",
            _handset_reset,
            (FAILSAFE, WAITING, STANDBY),
        ),
    )
}
