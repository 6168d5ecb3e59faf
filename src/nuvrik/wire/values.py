"""Values at the public edge: fractions of full scale, and the whole numbers that travel for them."""

from collections.abc import Mapping, Sequence

from nuvrik.levels import fraction_of, level_of
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.models import Link
from nuvrik.wire.codes import Value


def value_to_send(name: str, channel: AnyChannel, value: float | None) -> Value:
    """A program's value as it travels: of a level or a share, a fraction of full scale; of any other channel,
    a whole number; None for no reading, or no choice. TypeError or ValueError for what the channel cannot
    have."""
    if channel.scaled:
        low = -1 if channel.kind == "level" else 0
        if value is None:
            return None
        wrong = f"{name} is {value!r}; it must be from {low} to 1, or None"
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise TypeError(wrong)
        if not low <= value <= 1:
            raise ValueError(wrong)
        return level_of(value)
    if value is None and channel.kind == "choice":
        return None
    if not isinstance(value, int):
        raise TypeError(f"{name}: a {channel.kind} is a whole number, not {value!r}")
    if channel.kind != "count" and not 0 <= value <= channel.most:
        raise ValueError(f"{name} is {value}; it must be from 0 to {channel.most}")
    return value


def value_to_show(channel: AnyChannel, value: Value) -> float | None:
    """The opposite: a level or a share as a fraction of full scale, anything else as it is."""
    return value if value is None or not channel.scaled else fraction_of(value)


def to_wire(link: Link, **values: float | None) -> list[Value]:
    """What an encoder takes: one whole number a channel, in declared order. Levels and shares are given as
    fractions of full scale, None for *no reading*; channels that are not named are at rest or off. KeyError
    for a channel that the link does not have, TypeError and ValueError for a value that it cannot have.

    >>> to_wire(nuvrik.load("tug.toml"), throttle=0.5, turn=None)
    [8192, None, 0]
    """
    for name in values:
        if name not in link.channels:
            raise KeyError(f"no channel is called {name}; this link has: {', '.join(link.channels)}")
    return [value_to_send(name, channel, values.get(name, 0)) for name, channel in link.channels.items()]


def from_wire(link: Link, values: Sequence[Value]) -> Mapping[str, float | None]:
    """The opposite: the values of a command frame by channel, levels and shares as fractions of full
    scale."""
    pairs = zip(link.channels.items(), values, strict=True)
    return {name: value_to_show(channel, value) for (name, channel), value in pairs}
