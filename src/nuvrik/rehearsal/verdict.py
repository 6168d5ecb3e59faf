"""Did it hold? One link, one fault, one seed, one verdict.

What must hold whatever happens: no motor speeds up, or turns on after its ramp, while the machine is not
ARMED; nothing is accepted that the handset did not send, nor anything older than what was accepted before; no
output jumps by more than its ramp allows; no bridge is short-circuited by pins written in the wrong order.
What must hold besides is said by each fault.
"""

import random
from collections.abc import Iterable, Iterator
from itertools import chain
from typing import Any, Literal, NamedTuple

from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import run_down_ms, stop_bound
from nuvrik.core.machine.states import ARMED, State
from nuvrik.ends.machine import Machine
from nuvrik.failsafe.why import Code
from nuvrik.levels import FULL
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import listing
from nuvrik.recordings.pilot import arm_ms, practice
from nuvrik.recordings.recording import Recording
from nuvrik.rehearsal.beam import BeamWorld
from nuvrik.rehearsal.fault import ANY, Fault
from nuvrik.rehearsal.world import MakeMachine, Trace, World

PRACTICE_MS = 8000
"""How long a pilot drives who is made up for a rehearsal, on a link that is armed after a second."""
LOOK_US = 4000
"""How often it is looked whether the machine has come to rest; since when is what the trace says."""
AFTER_MS = 1200
"""How long the run is watched after a fault has ended, or stopped the machine for good."""


class PinsSeen(NamedTuple):
    """What the pins of an emulated chip did: when the last frame was sent that was accepted, and every
    change, as its time in milliseconds, its pin, and how much of full it is at from then on."""

    sent_ms: float
    changes: list[tuple[float, int, float]]


class Run(NamedTuple):
    """One rehearsal's outcome. ``stop_ms`` is from the sending of the last frame that was accepted to the
    tick that left no motor driven, None where it did not have to stop; ``why`` what the machine said then,
    or what went wrong. ``pins_us``: the same time in microseconds, as the pins of an
    emulated chip show it; ``pins``: what they did."""

    fault: str
    seed: int
    verdict: Literal["pass", "fail"]
    stop_ms: float | None
    bound_ms: float
    why: str
    trace: Trace
    pins_us: float | None = None
    pins: PinsSeen | None = None


class Strike:
    """Strikes when the machine moves, heals, and watches it come to rest."""

    def __init__(self, world: World, fault: Fault, not_before_us: int) -> None:
        self.world, self.fault = world, fault
        self.struck_us: int | None = None
        self.moving = False
        """Whether it was worth while when it struck."""
        self.healed_us: int | None = None
        self.last_us: int | None = None
        """When the last frame had been sent that was accepted by then."""
        self.stopped_us: int | None = None
        self.over = False
        """Whether it had ended, and the machine was armed again, before everything had run down."""
        self.stop_ms: float | None = None
        self.pins_us: float | None = None
        self.pins: PinsSeen | None = None
        self.stopped_in: State | None = None
        self.stopped_why = ""
        if fault.before is not None:
            fault.before(world)
        if fault.must == "never":
            self.hit()
        else:
            world.at(not_before_us, self._wait)

    def _wait(self, _: Any) -> None:
        world = self.world
        if not self._worth_striking():
            world.at(world.t_us + world.link.tick_ms * 1000, self._wait)
        else:
            # Anywhere between two frames, not always just after a tick.
            world.at(world.t_us + world.rng.randrange(2000 * world.link.period_ms), self.hit)

    def _worth_striking(self) -> bool:
        """While a motor turns; where nothing turns (servos, switches), while it is armed."""
        machine, ready = self.world.machine, self.fault.ready
        if ready is not None:
            return machine.state is ARMED and ready(self.world)
        return not machine.safe if turns_something(self.world.link) else machine.state is ARMED

    def hit(self, _: Any = None) -> None:
        """It begins now, unless it has begun already."""
        world, fault = self.world, self.fault
        if self.struck_us is not None:
            return
        self.struck_us, self.moving = world.t_us, self._worth_striking()
        world.trace.marks.append((world.t_us / 1000, f"{fault.name} begins"))
        fault.strike(world)
        if fault.lasts_ms is not None:
            world.at(world.t_us + 1000 * world.rng.randint(*fault.lasts_ms), self.heal)
        if fault.must == "stop":
            self._watch(None)

    def heal(self, _: Any = None) -> None:
        """It ends now, unless it has ended already."""
        world = self.world
        if self.healed_us is not None:
            return
        self.healed_us, self.last_us = world.t_us, world.last_armed_sent_us
        self._end_soon()
        world.trace.marks.append((world.t_us / 1000, f"{self.fault.name} ends"))
        if self.fault.heal is not None:
            self.fault.heal(world)

    def _end_soon(self) -> None:
        """What was to be seen has been seen, but for what comes of it."""
        self.world.until_us = min(self.world.until_us, self.world.t_us + 1000 * AFTER_MS)

    def _watch(self, _: Any) -> None:
        world = self.world
        machine = world.machine
        # A stop is accepted at once, but only the next tick tells the drivers: that is when it counts.
        told = not any(world.trace.moments[-1].efforts)
        if world.at_rest and told and world.last_armed_sent_us is not None:
            self.stop_ms = (world.trace.moments[-1].t_ms * 1000 - world.last_armed_sent_us) / 1000
            self.stopped_us = world.t_us
            self.stopped_in, self.stopped_why = machine.state, machine.why
            if machine.off_for_us is not None:
                self.pins_us = world.t_us - machine.off_for_us - world.last_armed_sent_us
                changes = [
                    ((world.t_us - ago_us) / 1000, pin, share) for ago_us, pin, share in machine.pins_seen
                ]
                self.pins = PinsSeen(world.last_armed_sent_us / 1000, changes)
            if self.fault.lasts_ms is None:
                self._end_soon()
        elif self._came_back():
            self.over = True
        else:
            world.at(world.t_us + LOOK_US, self._watch)

    def _came_back(self) -> bool:
        """Whether it ended before the bound, and in time: what is driven then is driven by the hand."""
        world, healed_us, last_us = self.world, self.healed_us, self.last_us
        if healed_us is None or last_us is None or world.machine.state is not ARMED:
            return False
        return healed_us - last_us <= 1000 * bound_ms(world.link, self.fault)


def rehearse(
    link: Link,
    fault: Fault,
    seed: int = 0,
    recording: Recording | None = None,
    conditions: Conditions | None = None,
    make: MakeMachine = Machine,
) -> Run:
    """Run a link against a fault and judge what happened.

    Without a ``recording``, a pilot made up from the seed drives. The fault strikes at a time chosen
    by the seed, while a motor is turning. ``make`` makes the machine, where its rules run elsewhere.
    """
    recording = recording or practice(link, seed, practice_ms(link))
    when = random.Random(f"{fault.name} {seed}").uniform(0.1, 0.4)
    not_before_us = int(1000 * recording.duration_ms * when)
    world, strike = _run(link, fault, seed, recording, conditions, not_before_us, make)
    if strike.struck_us is None:  # nothing turned so late: then at the first chance
        world, strike = _run(link, fault, seed, recording, conditions, 0, make)
    return judged(world, fault, seed, strike)


def rehearse_all(
    link: Link,
    jobs: Iterable[tuple[Fault, int]],
    conditions: Conditions | None = None,
    make: MakeMachine = Machine,
) -> Iterator[Run]:
    """Rehearse many faults with many seeds. What the pilot of a seed does is made up once."""
    pilots: dict[int, Recording] = {}
    for fault, seed in jobs:
        if seed not in pilots:
            pilots[seed] = practice(link, seed, practice_ms(link))
        yield rehearse(link, fault, seed, pilots[seed], conditions, make)


def practice_ms(link: Link) -> int:
    """How long a pilot drives: longer by what a slow link takes to be armed."""
    return PRACTICE_MS + 2 * (arm_ms(link) - 1000)


def bound_ms(link: Link, fault: Fault) -> float:
    """How long after the last frame that was accepted every motor must be at rest."""
    return stop_bound(link).worst_ms + (fault.later_ms(link) if fault.later_ms else 0)


def _run(
    link: Link,
    fault: Fault,
    seed: int,
    recording: Recording,
    conditions: Conditions | None,
    not_before_us: int,
    make: MakeMachine,
) -> tuple[World, Strike]:
    world = world_of(link, recording, conditions, seed=seed, make=make)
    strike = Strike(world, fault, not_before_us)
    # Long enough after a strike at the very end for the machine to stop and the handset to return.
    lasts_ms = fault.lasts_ms[1] if fault.lasts_ms else 0
    world.run(recording.duration_ms + int(bound_ms(link, fault)) + lasts_ms + AFTER_MS)
    return world, strike


def judged(world: World, fault: Fault, seed: int, strike: Strike) -> Run:
    """What came of a strike, once it is over. In a rehearsal a fault that showed nothing has failed."""
    bound, trace = bound_ms(world.link, fault), world.trace
    wrong = next(chain(wrongs(world, fault, strike), _unshown(world, fault, strike)), None)
    seen = (strike.pins_us, strike.pins)
    if wrong is not None:
        return Run(fault.name, seed, "fail", strike.stop_ms, bound, wrong, trace, *seen)
    if fault.must == "stop" and not _nothing_lapses(world.link):
        said = strike.stopped_why or "no key is held any more"
        why = f"{strike.stopped_in}: {said}" if not strike.over else "it was over before all had run down"
        return Run(fault.name, seed, "pass", strike.stop_ms, bound, why, trace, *seen)
    said = "nothing moved" if fault.must == "never" else "nothing was accepted that was not meant for it"
    return Run(fault.name, seed, "pass", None, bound, said, trace)


def wrongs(world: World, fault: Fault, strike: Strike) -> Iterator[str]:
    """Everything that went wrong once a fault had struck, the worst first."""
    link, trace, bound = world.link, world.trace, bound_ms(world.link, fault)
    if strike.struck_us is None:
        return
    unasked = unasked_motion(link, trace)
    if unasked:
        yield unasked
    if world.plant.shorted:
        yield f"the bridge of {world.plant.shorted} was short-circuited: its direction changed under power"
    if trace.strangers:
        t_ms, what = trace.strangers[0]
        yield f"accepted {what}, at {t_ms:.0f} ms"
    if fault.must == "stop" and strike.stop_ms is None and not (strike.over or _nothing_lapses(link)):
        still = "a motor was still turning" if turns_something(link) else "it was still armed"
        yield f"{still} at the end; the machine was {world.machine.state}"
    if fault.judge is not None and (words := fault.judge(world, strike.struck_us / 1000)):
        yield words
    if strike.stop_ms is not None and strike.stop_ms > bound and not _nothing_lapses(link):
        yield f"stopped {strike.stop_ms - bound:.1f} ms later than the bound"
    if strike.pins_us is not None and strike.pins_us > 1000 * bound:
        yield f"its pins stopped {strike.pins_us - 1000 * bound:.0f} us later than the bound"
    if fault.must == "never" and any(any(moment.efforts) for moment in trace.moments):
        yield "something moved"
    ends_in = ANY if isinstance(world, BeamWorld) else fault.ends_in
    if strike.stopped_in is not None and strike.stopped_in not in ends_in:
        yield f"stopped in {strike.stopped_in}, expected {' or '.join(ends_in)}"
    jumped = jump(link, trace)
    if jumped:
        yield jumped


def _unshown(world: World, fault: Fault, strike: Strike) -> Iterator[str]:
    """Why nothing was shown, where nothing was."""
    trace = world.trace
    if strike.struck_us is None:
        was = "no motor was turning" if turns_something(world.link) else "the machine was not armed"
        yield f"{was} when the fault was to strike, so nothing was shown"
        return
    if fault.reaches is not None and all(moment.state is not fault.reaches for moment in trace.moments):
        yield f"the machine was never {fault.reaches}, so nothing was shown"
    shows = fault.shows + (fault.shows_authenticated if fault.shows and world.link.authenticated else ())
    if shows and not _shown(trace, shows, strike.struck_us / 1000):
        wanted = (one.name.lower() if isinstance(one, Code) else one for one in shows)
        said = "neither the refused frames nor the machine's reasons told what was wrong"
        yield f"{said}; expected {listing(wanted)}"


def _shown(trace: Trace, wanted: tuple[str | Code, ...], since_ms: float) -> bool:
    shown: set[str | Code] = {reason for t_ms, reason in trace.refused if t_ms >= since_ms}
    shown |= {moment.why.code for moment in trace.moments if moment.t_ms >= since_ms}
    return not shown.isdisjoint(wanted)


def turns_something(link: Link) -> bool:
    """Whether any output turns, so that there is something to bring to rest."""
    return any(output.turns for output in link.outputs.values())


def _nothing_lapses(link: Link) -> bool:
    """Whether silence ends nothing: a remote control that nothing arms, for what is only on or off."""
    remote = isinstance(link.medium, InfraredMedium)
    return remote and link.arm_channel is None and not turns_something(link)


def world_of(
    link: Link,
    recording: Recording,
    conditions: Conditions | None = None,
    *,
    seed: int = 0,
    make: MakeMachine = Machine,
) -> World:
    """The world that a link lives in."""
    kind = BeamWorld if isinstance(link.medium, InfraredMedium) else World
    return kind(link, recording, conditions, seed=seed, make=make)


def unasked_motion(link: Link, trace: Trace) -> str | None:
    """The one thing that must never be: a motor that speeds up, or still turns once its ramp must
    have run down, while the machine is not ARMED. None if there was nothing of the kind."""
    slowest = run_down_ms(link) + 2 * link.tick_ms
    left_ms: float | None = None
    before = [0] * len(link.outputs)
    for moment in trace.moments:
        efforts = moment.efforts
        if moment.state is ARMED:
            left_ms = None
        else:
            left_ms = moment.t_ms if left_ms is None else left_ms
            for name, was, effort in zip(link.outputs, before, efforts, strict=True):
                if abs(effort) > abs(was) or effort * was < 0:
                    return f"{name} sped up at {moment.t_ms:.0f} ms, in {moment.state}"
                if effort and moment.t_ms - left_ms > slowest:
                    return f"{name} still turned {moment.t_ms - left_ms:.0f} ms after ARMED had ended"
        before = efforts
    if left_ms is not None and any(before):
        return "a motor was still turning at the end, outside ARMED"
    return None


def jump(link: Link, trace: Trace) -> str | None:
    """An output that turns and sped up by more than its ramp allows in a tick; None if none did."""
    steps = {
        place: FULL * 1.1 * link.tick_ms / output.run_down_ms + 4
        for place, output in enumerate(link.outputs.values())
        if output.run_down_ms
    }
    before = None
    for moment in trace.moments:
        if before is not None:
            ticks = max(1.0, min(2.0, (moment.t_ms - before.t_ms) / link.tick_ms))
            for place, step in steps.items():
                was, now = before.demands[place].level, moment.demands[place].level
                if abs(now) - abs(was) > step * ticks:
                    name = list(link.outputs)[place]
                    size = 100 * (abs(now) - abs(was)) / FULL
                    return f"{name} jumped by {size:.0f} % at {moment.t_ms:.0f} ms, more than its ramp allows"
        before = moment
    return None
