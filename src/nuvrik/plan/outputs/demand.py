"""What an output is told, and how it is asked."""

from enum import IntEnum
from typing import Any, NamedTuple, Protocol

from nuvrik.core.machine import demand
from nuvrik.levels import fraction_of, in_percent


class Mode(IntEnum):
    """What the failsafe lets an output do."""

    FOLLOW = demand.FOLLOW
    """ARMED: do what the mix says."""
    SAFE = demand.SAFE
    """Not armed: come to rest; places stay."""
    LOST = demand.LOST
    """FAILSAFE: do what ``on_loss`` says."""
    HELD = demand.HELD
    """Arm has gone off by itself, because a remote control has been silent for long: what turns comes to
    rest, places stay, and a switch with ``on_loss = "hold"`` stays as it is."""


FOLLOW, SAFE, LOST, HELD = Mode


class Demand(NamedTuple):
    """What one output is told to do right now.

    ``level`` is where it stands, -FULL to FULL (``fraction``: -1 to 1). ``value`` is in the units of its
    driver: duty counts, microseconds of pulse, steps a second, 0 or 1. ``direction`` is the way the driver
    is set, with ``reverse`` applied: 1 forward, -1 backward, 0 off. ``driven`` says whether power makes it
    turn, ``braked`` whether both sides of the motor are joined. ``steps_left`` is for what is in a move
    by steps: it may be turned by no more than that, however long this demand stands."""

    output: str
    level: int
    value: int
    direction: int
    driven: bool
    braked: bool = False
    steps_left: int | None = None

    @property
    def fraction(self) -> float:
        """Where it stands, -1 to 1 of full scale."""
        return fraction_of(self.level)

    @property
    def signed(self) -> int:
        """The value with the sign of the way its driver is set to: a log's column of counts."""
        return self.value * self.direction

    @property
    def words(self) -> str:
        """Where it stands, as people read it."""
        return "holding its load" if self.driven and not self.level else in_percent(self.level)

    @property
    def effort(self) -> int:
        """How hard it is driven: its level, 1 or -1 while it only holds, 0 while no power makes it turn."""
        return (self.level or self.direction) if self.driven else 0


class Told(demand.Demand):
    """What the driver is told, as a Demand too. ``demand`` is the same object whenever the same is told:
    levels come again and again, and two demands that are one object are soon compared."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name = name
        self._known: dict[tuple[int, int, int, bool, bool], Demand] = {}
        self.demand = Demand(name, 0, 0, 0, False)

    def put(self, at: int, value: int, way: int, driven: bool, braked: bool) -> None:
        """Be told something else."""
        self.at, self.value, self.way, self.driven = at, value, way, driven
        key = at, value, way, driven, braked
        known = self._known.get(key)
        if known is None:
            known = self._known[key] = Demand(self._name, *key)
        self.demand = known

    def repeat(self, known: Demand) -> None:
        """Be told what it has been told before."""
        self.at, self.value, self.way, self.driven = known.level, known.value, known.direction, known.driven
        self.demand = known


class InWords(Protocol):
    """An output that lives: core's numbers, and words around them."""

    core: Any
    """The object of core."""

    @property
    def told(self) -> Told:
        """What it is told."""

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line; ``target`` is the level asked of it, None for none."""
