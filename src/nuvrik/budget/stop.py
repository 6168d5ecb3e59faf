"""The worst-case stop: how long after the last accepted frame left the handset a motor may still turn."""

from typing import NamedTuple

from nuvrik.core.infrared.infrared import END_US
from nuvrik.ends.remote import frame_of
from nuvrik.plan.controls import KeyControl
from nuvrik.plan.form.media import InfraredMedium, retries_of, transit_us
from nuvrik.plan.form.models import Link
from nuvrik.plan.rules.draft import Draft
from nuvrik.plan.rules.pulses import moving_keys
from nuvrik.plan.tables.infrared import shape_table
from nuvrik.wire.frames import Encoder

WITHOUT_STALE_MS = 500
"""As long as a page's word holds on a link without any such control: as of a control by default."""


class StopBound(NamedTuple):
    """Each term in milliseconds; the bound is their sum."""

    transit_ms: float
    timeout_ms: int
    tick_ms: int
    ramp_ms: int
    silence: str = "timeout"
    """What silence means: the failsafe's timeout; on infrared, that a key is no longer held."""
    page_ms: int = 0
    """For how long after it has died what a page said last may still be sent."""
    own_code_ms: int = 0
    """How long the builder's own code may keep the loop: once as silence falls, once as the ramp ends."""
    lost_ms: float = 0.0
    """How much longer the times are that the chip counts, because interrupts are off for a part of each
    tick."""

    @property
    def terms(self) -> dict[str, float]:
        """What it is made of, in ms."""
        times = self.transit_ms, self.timeout_ms, self.tick_ms, self.ramp_ms
        terms: dict[str, float] = dict(zip(("transit", self.silence, "tick", "ramp"), times, strict=True))
        if self.own_code_ms:
            terms["own_code"] = 2 * self.own_code_ms
        if self.lost_ms:
            terms["interrupts_off"] = self.lost_ms
        return {"page": self.page_ms} | terms if self.page_ms else terms

    @property
    def worst_ms(self) -> float:
        """No motor is driven later than this after the last accepted frame was sent."""
        return round(sum(self.terms.values()), 3)

    def with_page(self, link: Link) -> "StopBound":
        """The bound from when a page that drives was asked last, if it dies then: its last word is sent for
        ``stale_ms`` and one period more."""
        return self._replace(page_ms=page_stale_ms(link) + link.period_ms)

    def at(self, link: Link) -> "StopBound":
        """The same with what the builder's own code adds to it at the machine: twice what it may take, and
        what the chip's clock loses while interrupts are off. Each tick then takes longer by that, and so does
        every time that is counted in ticks or in milliseconds of that clock."""
        counted_ms = self.timeout_ms + self.tick_ms + self.ramp_ms
        lost_ms = round(counted_ms * link.interrupts_off_ms / link.tick_ms, 1)
        return self._replace(own_code_ms=link.own_code_ms, lost_ms=lost_ms)

    def in_words(self) -> str:
        """The bound, and what it is made of: ``674.6 ms (4.6 transit + 400 timeout + 20 tick + 250
        ramp)``."""
        words = (
            f"{f'{ms:.1f}' if isinstance(ms, float) else ms} {name.replace('_', ' ')}"
            for name, ms in self.terms.items()
        )
        return f"{self.worst_ms:.1f} ms ({' + '.join(words)})"


def _beam_bound(link: Link, medium: InfraredMedium) -> StopBound:
    """From the start of the last code accepted: the longest code and the silence that ends it; then the key
    counts as released after its ``released_after_ms``, or, where what moves stays as it was put, arm goes
    off after ``disarm_after_ms``. The receiver looks once a tick, and shapes once a period."""
    keys = {name: key for name, key in link.controls.items() if isinstance(key, KeyControl)}
    moving = moving_keys(Draft.of_link(link))
    released_ms = max((keys[name].released_after_ms for name in moving or ()), default=0)
    pulses_us = max(sum(map(abs, frame_of(medium, key.code or 0))) for key in keys.values())
    ending_us = shape_table(medium.shape).gap_us if medium.shape else END_US
    return StopBound(
        transit_ms=round((pulses_us + ending_us) / 1000 + medium.delay_ms + medium.jitter_ms, 1),
        timeout_ms=medium.disarm_after_ms if moving is None else released_ms,
        tick_ms=2 * link.tick_ms + link.period_ms,
        ramp_ms=run_down_ms(link),
        silence="disarm_after" if moving is None else "released_after",
    ).at(link)


def page_stale_ms(link: Link) -> int:
    """For how long what a page says holds: as long as the most impatient of the link's controls."""
    return min(
        (control.stale_ms for control in link.controls.values() if hasattr(control, "stale_ms")),
        default=WITHOUT_STALE_MS,
    )


def run_down_ms(link: Link, *, lost: bool = False) -> int:
    """How long the slowest of what turns takes from full to rest, in ms; ``lost``: when frames stop."""
    ramps = (one.loss_ramp_ms if lost else one.run_down_ms for one in link.outputs.values())
    return max(ramps, default=0)


def stop_bound(link: Link) -> StopBound:
    """The worst-case stop of a link, for a machine whose loop keeps to ``tick_ms`` and feeds bytes as
    they arrive.

    Transit is the frame's way, at its last try, plus the most the medium delays it. Silence is
    judged at a tick, so it is noticed up to one tick late; from there the slowest ramp still has to run down.
    That counts whatever ``on_loss`` says: a frame that disarms, just before silence would be noticed, ramps.
    """
    if isinstance(link.medium, InfraredMedium):
        return _beam_bound(link, link.medium)
    encoder = Encoder(link)
    way_ms = transit_us(link.medium, encoder.longest_on_wire) / 1000
    tries_ms = retries_of(link.medium, encoder.longest_on_wire).longest_ms
    return StopBound(
        transit_ms=way_ms + tries_ms + link.medium.jitter_ms,
        timeout_ms=link.failsafe.timeout_ms,
        tick_ms=link.tick_ms,
        ramp_ms=run_down_ms(link),
    ).at(link)
