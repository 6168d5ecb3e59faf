"""The sums of one link: how big, how fast, how long, how finely."""

from typing import NamedTuple

from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import StopBound, stop_bound
from nuvrik.budget.trips import Way, mean_hours
from nuvrik.plan.form.channels import LevelChannel, ShareChannel
from nuvrik.plan.form.media import InfraredMedium, retries_of, transit_us
from nuvrik.plan.form.models import Link
from nuvrik.plan.wiring import output_routes
from nuvrik.wire.frames import Encoder


class Step(NamedTuple):
    """The finest difference that a channel can say: as a share of full scale, and in the units of what it
    moves."""

    channel: str
    share: float
    means: str


class Budget(NamedTuple):
    """The sums. Times in ms; loads are shares of the time that the medium is busy, there and back."""

    frame_bytes: int
    wire_bytes: int
    airtime_ms: float
    load: float
    load_back: float
    max_rate_hz: float
    typical_ms: float
    worst_ms: float
    stop: StopBound
    mean_hours: float
    payload_left: int | None
    steps: list[Step]


def budget(link: Link, conditions: Conditions | None = None) -> Budget:
    """All of it for a link; ``conditions`` say how bad its medium is, for the odds of a false trip."""
    encoder, medium, period = Encoder(link), link.medium, link.period_ms
    wire = encoder.longest_on_wire
    airtime_ms, tries_ms = medium.airtime_us(wire) / 1000, retries_of(medium, wire).longest_ms
    back_ms = _back_ms(link)
    # From a hand's move to the motor's first answer: waiting for the next frame, the way, waiting for a tick.
    way_ms = transit_us(medium, wire) / 1000
    typical = period / 2 + way_ms + medium.jitter_ms / 2 + link.tick_ms / 2
    worst = period + way_ms + tries_ms + medium.jitter_ms + link.tick_ms
    most = getattr(medium, "payload_max", None)
    return Budget(
        frame_bytes=encoder.longest_body,
        wire_bytes=wire,
        airtime_ms=airtime_ms,
        load=airtime_ms / period,
        load_back=back_ms / 1000,
        max_rate_hz=1000 / (airtime_ms + tries_ms) if airtime_ms else 1000 / period,
        typical_ms=round(typical, 2),
        worst_ms=round(worst, 2),
        stop=stop_bound(link),
        mean_hours=mean_hours(conditions or Conditions(), Way.of(link), link.failsafe.timeout_ms),
        payload_left=None
        if most is None or isinstance(medium, InfraredMedium)
        else most - encoder.longest_body,
        steps=_steps(link),
    )


def _back_ms(link: Link) -> float:
    """How long in every second something comes back unasked."""
    total = 0.0
    stream = not link.medium.datagrams
    for item in link.telemetry.values():
        body = (
            link.frame.around_bytes + 2 + (len(link.telemetry) + 7) // 8 + (item.bits * item.parts + 7) // 8
        )
        if not link.frame.sealed:
            body = 1 + 2 * body  # a line of hex digits
        wire = link.frame.wire_bytes(body, stream=stream)
        total += link.medium.airtime_us(wire) / item.every_ms
    return total


def _steps(link: Link) -> list[Step]:
    routes, found = output_routes(link), []
    for name, channel in link.channels.items():
        if not isinstance(channel, LevelChannel | ShareChannel):
            continue
        share = link.frame.finest(name, channel)
        moved = {
            f"{amount} of {out}": None
            for out, route in routes.items()
            if name in route.channels and (amount := link.outputs[out].amount(share))
        }
        found.append(Step(name, share, ", ".join(moved)))
    return found
