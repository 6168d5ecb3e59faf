"""Did it hold? One link, one fault, one seed, one verdict."""

import random
from typing import Any, Literal, NamedTuple

from nuvrik.budget.stop import run_down_ms, stop_bound
from nuvrik.failsafe.table import ARMED, STANDBY, State
from nuvrik.plan.media import InfraredMedium
from nuvrik.plan.models import Link
from nuvrik.plan.outputs import MotorOutput, StepperOutput
from nuvrik.rehearsal.beam import BeamWorld
from nuvrik.rehearsal.faults import Fault
from nuvrik.rehearsal.medium import Conditions
from nuvrik.rehearsal.pilot import practice
from nuvrik.rehearsal.recording import Recording
from nuvrik.rehearsal.world import Trace, World


class Run(NamedTuple):
    """One rehearsal's outcome. ``stop_ms`` is from the sending of the last frame that was obeyed to
    the tick that left no motor driven; ``why`` what the machine said then, or what went wrong."""

    fault: str
    seed: int
    verdict: Literal["pass", "fail"]
    stop_ms: float | None
    bound_ms: float
    why: str
    trace: Trace


class _Strike:
    """Strikes when the machine moves, then watches it come to rest."""

    def __init__(self, world: World, fault: Fault, not_before_us: int) -> None:
        self.world, self.fault = world, fault
        self.struck_us: int | None = None
        self.stop_ms: float | None = None
        self.stopped_in: State | None = None
        self.stopped_why = ""
        world.at(not_before_us, self._wait)

    def _wait(self, _: Any) -> None:
        world = self.world
        if not self._worth_striking():
            world.at(world.t_us + world.link.link.tick_ms * 1000, self._wait)
        else:
            # Anywhere between two frames, not always just after a tick.
            world.at(world.t_us + world.rng.randrange(2000 * world.link.link.period_ms), self._hit)

    def _worth_striking(self) -> bool:
        """While a motor turns; where nothing turns (servos, switches), while it is armed."""
        machine = self.world.machine
        if any(
            isinstance(output, MotorOutput | StepperOutput) for output in self.world.link.outputs.values()
        ):
            return not machine.safe
        return machine.state is ARMED

    def _hit(self, _: Any) -> None:
        self.struck_us = self.world.t_us
        self.fault.strike(self.world)
        self._watch(None)

    def _watch(self, _: Any) -> None:
        world = self.world
        machine = world.machine
        if world.at_rest and world.last_armed_sent_us is not None:
            self.stop_ms = (world.trace.moments[-1].t_ms * 1000 - world.last_armed_sent_us) / 1000
            self.stopped_in, self.stopped_why = machine.state, machine.why
        else:
            world.at(world.t_us + 1000, self._watch)


def rehearse(
    link: Link,
    fault: Fault,
    seed: int = 0,
    recording: Recording | None = None,
    conditions: Conditions | None = None,
) -> Run:
    """Run a link against a fault and judge what happened.

    Without a ``recording``, a pilot made up from the seed drives. The fault strikes at a time chosen
    by the seed, while a motor is turning.
    """
    if recording is None:
        recording = practice(link, seed)
    world = world_of(link, recording, conditions, seed=seed)
    chance = random.Random(f"{fault.name} {seed}")
    strike = _Strike(world, fault, int(1000 * recording.duration_ms * chance.uniform(0.1, 0.7)))
    bound = stop_bound(link).worst_ms
    # Long enough after a strike at the very end for the machine to stop and the handset to return.
    trace = world.run(recording.duration_ms + int(bound) + 3000)

    def outcome(verdict: Literal["pass", "fail"], why: str) -> Run:
        return Run(fault.name, seed, verdict, strike.stop_ms, bound, why, trace)

    if strike.struck_us is None:
        return outcome("fail", "no motor was turning when the fault was to strike, so nothing was shown")
    if strike.stop_ms is None:
        return outcome("fail", f"a motor was still turning at the end; the machine was {world.machine.state}")
    if strike.stop_ms > bound:
        return outcome("fail", f"stopped {strike.stop_ms - bound:.1f} ms later than the bound")
    unasked = unasked_motion(link, trace)
    if unasked:
        return outcome("fail", unasked)
    ends_in = (ARMED, STANDBY) if isinstance(world, BeamWorld) else fault.ends_in
    if strike.stopped_in not in ends_in:
        return outcome("fail", f"stopped in {strike.stopped_in}, expected {' or '.join(ends_in)}")
    return outcome("pass", f"{strike.stopped_in}: {strike.stopped_why or 'no key is held any more'}")


def world_of(
    link: Link, recording: Recording, conditions: Conditions | None = None, *, seed: int = 0
) -> World:
    """The world that a link lives in."""
    kind = BeamWorld if isinstance(link.medium, InfraredMedium) else World
    return kind(link, recording, conditions, seed=seed)


def unasked_motion(link: Link, trace: Trace) -> str | None:
    """The one thing that must never be: a motor that speeds up, or still turns once its ramp must
    have run down, while the machine is not ARMED. None if there was nothing of the kind."""
    slowest = run_down_ms(link) + 2 * link.link.tick_ms
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
