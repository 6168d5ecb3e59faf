"""``[requests.NAME]``: what can be asked for."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import Field, model_validator

from nuvrik.plan.form.base import Name, Section

MOST_PARTS = 8
"""Numbers that the arguments of one request come to at most."""

TEXT_BITS = 16
"""Two bytes of a text go into each number."""


class Part(NamedTuple):
    """One number of a request, as it travels: the argument that it belongs to, its bits, its limits."""

    name: str
    bits: int
    low: int
    high: int

    def value(self, code: int) -> int:
        """What a code of its bits stands for: below 0 it is in two's complement."""
        return code - (1 << self.bits) if self.low < 0 and code >> (self.bits - 1) else code


class Argument(Section):
    """One argument of a request: ``args.NAME``."""

    kind: Literal["integer", "count", "flag", "choice", "text"] = Field(
        description='"integer" = either sign, "count" = from 0, "flag" = off or on, "choice" = one of '
        'options, "text" = up to so many bytes'
    )
    bits: int = Field(
        default=16, ge=1, le=16, description="bits on the wire; a flag has 1, a choice as many as it needs"
    )
    bytes: int | None = Field(
        default=None, ge=1, le=16, description="of a text: its most bytes of UTF-8, 1 to 16"
    )
    options: list[Name] | None = Field(
        default=None, min_length=2, max_length=64, description="of a choice: names; the number travels"
    )

    @model_validator(mode="before")
    @classmethod
    def _bits_that_follow(cls, given: Any) -> Any:
        if not isinstance(given, dict) or "bits" in given:
            return given
        options = given.get("options")
        if given.get("kind") == "flag":
            return {**given, "bits": 1}
        if given.get("kind") == "choice" and isinstance(options, list):
            return {**given, "bits": max(1, (len(options) - 1).bit_length())}
        return given

    @model_validator(mode="after")
    def _options_fit(self) -> "Argument":
        if (self.kind == "text") != (self.bytes is not None):
            raise ValueError('bytes: belongs to kind = "text", and it needs it')
        if (self.kind == "choice") != (self.options is not None):
            raise ValueError('options: belong to kind = "choice", and it needs them')
        if self.options is not None:
            if len(set(self.options)) < len(self.options):
                raise ValueError("options: one of them stands there twice")
            if len(self.options) > 1 << self.bits:
                raise ValueError(f"bits: {self.bits} is too few for {len(self.options)} options")
        return self

    @property
    def limits(self) -> tuple[int, int]:
        """The least and the greatest value of a number; of a text, of two bytes of it."""
        if self.kind == "integer":
            return -(1 << (self.bits - 1)), (1 << (self.bits - 1)) - 1
        if self.options is not None:
            return 0, len(self.options) - 1
        return 0, 1 if self.kind == "flag" else (1 << self.bits) - 1

    @property
    def widths(self) -> list[int]:
        """The bits of each number that it travels as: one, but for a text."""
        if self.bytes is None:
            return [self.bits]
        return [TEXT_BITS] * (self.bytes // 2) + [TEXT_BITS // 2] * (self.bytes % 2)

    def numbers(self, value: int | str) -> list[int]:
        """A value as it travels: of a choice, a name is its number; of a text, two bytes a number, the first
        one low, and zeros behind it. ValueError for a name that there is not and a text that is too long,
        TypeError for a text where a number is wanted and the other way round."""
        if self.bytes is not None:
            return self._two_by_two(value, self.bytes)
        if not isinstance(value, str):
            return [int(value)]
        if self.options is None:
            raise TypeError(f"{value!r} is a text; it takes a whole number")
        if value not in self.options:
            raise ValueError(f"{value!r} is none of {', '.join(self.options)}")
        return [self.options.index(value)]

    def _two_by_two(self, value: int | str, most: int) -> list[int]:
        if not isinstance(value, str):
            raise TypeError(f"{value!r} is no text")
        text = value.encode()
        if len(text) > most or b"\0" in text:
            raise ValueError(f"{value[:40]!r} is no text of up to {most} bytes")
        padded = text.ljust(most, b"\0")
        return [int.from_bytes(padded[at : at + 2], "little") for at in range(0, most, 2)]

    def given(self, numbers: Sequence[int]) -> int | str:
        """What its numbers stand for, as the machine's own code is given it: a choice stays a number."""
        if self.bytes is None:
            return numbers[0]
        whole = b"".join(number.to_bytes(2, "little") for number in numbers)
        return whole.split(b"\0")[0].decode("utf-8", "replace")


class _Request(Section):
    when: Name | None = Field(
        default=None, description="a button or a key of the handset that starts it, once a press"
    )
    when_args: dict[Name, int | str] = Field(
        default_factory=dict,
        max_length=8,
        description="what it then passes on, e.g. { steps = 40 }; a flag 0 or 1, a choice by its name, "
        "a text as it is",
    )

    @property
    def arguments(self) -> dict[str, Argument]:
        """Its arguments, in order."""
        return {}

    @property
    def moving(self) -> bool:
        """Whether it needs ARMED, and ends on leaving it."""
        return True

    @property
    def parts(self) -> list[Part]:
        """The numbers that its arguments travel as, in order."""
        return [
            Part(name, bits, *(argument.limits if argument.bytes is None else (0, (1 << bits) - 1)))
            for name, argument in self.arguments.items()
            for bits in argument.widths
        ]

    @property
    def bits(self) -> int:
        """How many bits its arguments are."""
        return sum(part.bits for part in self.parts)

    def numbers(self, arguments: Mapping[str, int | str]) -> tuple[int, ...]:
        """Arguments by name as the numbers that travel. TypeError and ValueError for what cannot be one."""
        known = self.arguments.items()
        return tuple(number for name, about in known for number in about.numbers(arguments[name]))

    def given(self, numbers: Sequence[int]) -> dict[str, int | str]:
        """What travelled, by name again."""
        left = iter(numbers)
        known = self.arguments.items()
        return {name: about.given([next(left) for _ in about.widths]) for name, about in known}


STEPS = Argument(kind="integer", bits=16)
SPEED = Argument(kind="count", bits=7)


class _Move(_Request):
    output: Name = Field(description="the stepper")
    speed: bool = Field(
        default=False,
        description="true: it has an argument speed too, at most so many per cent of rate_max; 0 is full",
    )

    @property
    def arguments(self) -> dict[str, Argument]:
        """How fast, where it says that."""
        return {"speed": SPEED} if self.speed else {}


class StepsRequest(_Move):
    """``kind = "steps"``: turn a stepper by so many steps; the argument is ``steps``."""

    kind: Literal["steps"]

    @property
    def arguments(self) -> dict[str, Argument]:
        """How many steps, and which way."""
        return {"steps": STEPS} | super().arguments


class HomeRequest(_Move):
    """``kind = "home"``: turn a stepper back to where it was at power-up, or to one of its ends."""

    kind: Literal["home"]
    against: Literal["forward", "backward"] | None = Field(
        default=None,
        description="the end to which it turns until the switch there is on; from there it counts then",
    )


class CallRequest(_Request):
    """``kind = "call"``: run the machine's own code."""

    kind: Literal["call"]
    moves: bool = Field(
        default=False, description="true: it moves something, so it needs ARMED and ends on leaving it"
    )
    args: dict[Name, Argument] = Field(
        default_factory=dict,
        max_length=8,
        description='what is passed on, e.g. { number = { kind = "count", bits = 4 } }',
    )

    @property
    def arguments(self) -> dict[str, Argument]:
        """As the file says."""
        return self.args

    @property
    def moving(self) -> bool:
        """As the file says."""
        return self.moves

    @model_validator(mode="after")
    def _flags_are_one_bit(self) -> "CallRequest":
        for name, argument in self.args.items():
            if argument.kind == "flag" and argument.bits != 1:
                raise ValueError(f"args: {name} is a flag; a flag has bits = 1")
            if argument.kind == "integer" and argument.bits < 2:
                raise ValueError(f"args: {name} is an integer; it needs at least 2 bits")
        if len(self.parts) > MOST_PARTS:
            raise ValueError(f"args: come to {len(self.parts)} numbers (2 bytes of a text are one), not 8")
        return self


class RoutineStep(Section):
    """One step of a routine."""

    for_ms: int = Field(ge=20, le=30000, description="how long it lasts, in ms, 20 to 30000")
    levels: dict[Name, Annotated[float, Field(ge=-1, le=1)]] = Field(
        default_factory=dict,
        max_length=32,
        description="how far each output is moved, -1 to 1 (a switch: 0 or 1). What turns and is not named "
        "stands still in this step; what stands in a place stays there",
    )


class RoutineRequest(_Request):
    """``kind = "routine"``: steps that the machine goes through by itself, one after another."""

    kind: Literal["routine"]
    steps: list[RoutineStep] = Field(
        min_length=1,
        max_length=32,
        description="the steps in order, e.g. [{ for_ms = 500, levels = { winch = 0.4 } }, { for_ms = 200 }]",
    )
    times: int = Field(default=1, ge=1, le=255, description="how often it goes through them, 1 to 255")

    @property
    def outputs(self) -> list[str]:
        """The outputs that it moves, in the order in which they are first named."""
        return list(dict.fromkeys(name for step in self.steps for name in step.levels))

    @model_validator(mode="after")
    def _moves_something(self) -> "RoutineRequest":
        if not self.outputs:
            raise ValueError("steps: move nothing; give one of them levels = { OUTPUT = 0.3 }")
        return self


AnyRequest = StepsRequest | HomeRequest | CallRequest | RoutineRequest
Request = Annotated[AnyRequest, Field(discriminator="kind")]
