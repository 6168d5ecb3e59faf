"""What every kind of output has in common: its keys, and what the rest of the house asks of it.

A kind of output is one file beside this one: what may be written in a link file, what is wrong with that, its
words, its pins, its table, and why it does what it does.
"""

from collections.abc import Iterable, Iterator, Mapping
from typing import ClassVar, Literal, NamedTuple

from pydantic import Field

from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.pins import PinTable
from nuvrik.core.widths import Table
from nuvrik.plan.controls import Control
from nuvrik.plan.form.base import Name, Section, Weight
from nuvrik.plan.outputs.demand import InWords
from nuvrik.plan.problems import Problem
from nuvrik.plan.tables.made import made

PinLevel = Literal["low", "high", "float"]

PWM, PULSE, STEP, COIL, PLAIN = "pwm", "pulse", "step", "coil", "plain"
"""What a board has to do with a pin of an output."""


class OnPin(NamedTuple):
    """One pin of an output: the ``key`` that names it, its ``number``, its ``role`` for a board, and what
    whoever solders is told: which input ``of`` what it drives, what it ``carries``, and which way a resistor
    pulls it while the board starts ("" for none)."""

    key: str
    number: int
    role: str
    of: str
    carries: str
    pull: Literal["low", "high", ""]


class Fed(NamedTuple):
    """What has a say in an output: its ``controls`` by name, None for one with problems of its own, and
    whether it can be asked to go ``both_ways``."""

    controls: Mapping[str, Control | None]
    both_ways: bool


class OutputBase(Section):
    """What moves or switches on the machine."""

    current_ma: int | None = Field(
        default=None, ge=1, le=100_000, description="the most current it draws, in mA, to check the supply"
    )
    fed_from: Literal["supply", "regulator"] = Field(
        default="supply", description='"supply" = battery or supply; "regulator" = the board\'s own regulator'
    )
    at_power_up: dict[Name, PinLevel] = Field(
        default_factory=dict,
        description='the level of its pins while the board starts, e.g. { pwm = "low" }; "float" = not held',
    )

    core_kind: ClassVar[int]
    """What core calls the kind."""
    rows: ClassVar[str]
    """The lists of that kind, in core's tables and objects."""

    @property
    def turns(self) -> bool:
        """Whether it turns, and does not stand in a place or a state."""
        return False

    @property
    def stands(self) -> bool:
        """Whether it stands in a place."""
        return False

    @property
    def moves(self) -> bool:
        """Whether a level moves it, either way about zero; else a flag switches it."""
        return self.turns or self.stands

    @property
    def switched_by(self) -> Name | None:
        """The flag that switches it, None for what moves."""
        return None

    @property
    def steps_hz(self) -> int:
        """The most steps a second, 0 for what does not go by steps."""
        return 0

    @property
    def run_down_ms(self) -> int:
        """How long it takes from full to rest, in ms."""
        return 0

    @property
    def loss_ramp_ms(self) -> int:
        """How long that takes when frames stop, in ms."""
        return 0

    @property
    def on_pins(self) -> list[OnPin]:
        """Its pins, in the order of the file."""
        raise NotImplementedError

    @property
    def pin_roles(self) -> tuple[str, ...]:
        """What its pins are called, in the order of ``core.machine.pins``."""
        raise NotImplementedError

    @property
    def pin_table(self) -> PinTable:
        """Its pins as a table."""
        raise NotImplementedError

    def _pin_table(self, use: int, most: int, roles: Iterable[str], *, enable_low: bool = False) -> PinTable:
        given = {one.key.rpartition(".")[2]: one.number for one in self.on_pins}
        numbers = [given.get(role, NOBODY) for role in roles]
        return made(PinTable, use=use, most=most, enable_low=enable_low, numbers=numbers)

    @property
    def table(self) -> Table:
        """What core has to know of it."""
        raise NotImplementedError

    def in_words(self, name: str, timeout_ms: int) -> InWords:
        """One that lives: core's numbers, and words around them."""
        raise NotImplementedError

    @property
    def words(self) -> tuple[str, str]:
        """What drives it, and what it keeps to."""
        raise NotImplementedError

    @property
    def told_words(self) -> str:
        """What a function of the builder's is told that moves it."""
        raise NotImplementedError

    def amount(self, share: float) -> str:
        """A share of full in the units of its driver, "" for what has no such share."""
        raise NotImplementedError

    def runs_at_start(self, role: str, level: PinLevel) -> tuple[str, str] | None:
        """What a level of a pin does while the board starts, and what to do about it; None for nothing."""
        raise NotImplementedError

    def notes(self, name: str, fed: Fed) -> Iterator[Problem]:
        """What a file may have left at nothing, or should know."""
        raise NotImplementedError


class Moving(OutputBase):
    """What a level moves."""

    reverse: bool = Field(default=False, description="true if it moves the wrong way")
    mix: dict[Name, Weight] | None = Field(
        default=None,
        min_length=1,
        max_length=8,
        description="weights of channels, e.g. { throttle = 1.0, turn = 0.6 }, each -2 to 2",
    )

    @property
    def facing(self) -> int:
        """1, or -1 where it is mounted the other way round."""
        return -1 if self.reverse else 1

    @property
    def turned(self) -> str:
        """That in words, behind what drives it."""
        return ", reversed" if self.reverse else ""

    def runs_at_start(self, role: str, level: PinLevel) -> tuple[str, str] | None:
        """Nothing moves by the level of a pin alone."""
        return None


class Turning(Moving):
    """What turns."""

    dial: Name | None = Field(
        default=None, description="an item of telemetry that says how much of full scale is left to it"
    )
    end_forward: Name | None = Field(
        default=None, description="a digital item of telemetry: while on, it turns no further forward"
    )
    end_backward: Name | None = Field(
        default=None, description="a digital item of telemetry: while on, it turns no further backward"
    )

    @property
    def turns(self) -> bool:
        """Yes."""
        return True
