"""The worst-case stop: how long after the last good frame left the handset a motor may still turn."""

from typing import NamedTuple

from nuvrik.plan.models import Link
from nuvrik.plan.outputs import MotorOutput, StepperOutput
from nuvrik.wire.frames import Encoder


class StopBound(NamedTuple):
    """Each term in milliseconds; the bound is their sum."""

    transit_ms: float
    timeout_ms: int
    tick_ms: int
    ramp_ms: int

    @property
    def worst_ms(self) -> float:
        """No motor is driven later than this after the last good frame was sent."""
        return round(sum(self), 3)

    def in_words(self) -> str:
        """The sum as a person would write it."""
        return (
            f"{self.transit_ms:.1f} transit + {self.timeout_ms} timeout + {self.tick_ms} tick + "
            f"{self.ramp_ms} ramp = {self.worst_ms:.1f} ms"
        )


def run_down_ms(link: Link) -> int:
    """How long the slowest motor or stepper takes from full to rest, in ms."""
    turning = (o for o in link.outputs.values() if isinstance(o, MotorOutput | StepperOutput))
    return max((output.ramp_ms for output in turning), default=0)


def stop_bound(link: Link) -> StopBound:
    """The worst-case stop of a link, for a machine whose loop keeps to ``tick_ms`` and feeds bytes as
    they arrive.

    Transit is the frame's airtime plus the most the medium delays it. Silence is judged at a tick,
    so it is noticed up to one tick late; from there the slowest ramp still has to run down.
    """
    encoder = Encoder(link)
    airtime_us = link.medium.airtime_us(encoder.longest_on_wire)
    return StopBound(
        transit_ms=airtime_us / 1000 + link.medium.delay_ms + link.medium.jitter_ms,
        timeout_ms=link.failsafe.timeout_ms,
        tick_ms=link.link.tick_ms,
        ramp_ms=run_down_ms(link),
    )
