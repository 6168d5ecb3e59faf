"""A rehearsal that somebody drives: every fault at a word, and a verdict for each.

The medium, the machine, the plant and the faults are those of the rehearsal. What differs is the hand: the
handset is whoever's, in a loop of their own (``Bench.handset_of``), and time passes as they say. So there
is nobody who decides when to strike; a fault strikes when it is asked for, and is judged by the same rules as
in a rehearsal. There is one fault at a time, as in a rehearsal too."""

from collections.abc import Collection
from dataclasses import replace
from typing import Any, NamedTuple

from nuvrik.budget.conditions import Conditions
from nuvrik.core.machine.states import ARMED
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import suggestion
from nuvrik.plant.plant import Plant
from nuvrik.recordings.pilot import practice
from nuvrik.recordings.recording import Recording, Row
from nuvrik.rehearsal.fault import ANY, Fault
from nuvrik.rehearsal.faults import faults_for
from nuvrik.rehearsal.medium import medium_of
from nuvrik.rehearsal.verdict import AFTER_MS, Strike, bound_ms, judged, turns_something, wrongs
from nuvrik.rehearsal.world import Clock, World

LONGEST_TO_TELL_MS = 3000
"""Some faults do something else first, for a second or two, before the machine has to stop."""

KEEPS_MS = 1000
"""How often what has been seen is forgotten while no fault is judged by it."""

JUDGES_MS = 600_000
"""And while one is, that has no end of its own: what is judged is the last ten minutes at most."""


class Verdict(NamedTuple):
    """What came of a fault. ``passed`` is None where nothing was shown, because nothing was driven or it was
    taken away too soon; ``words`` say why, for people."""

    fault: str
    passed: bool | None
    words: str

    @property
    def outcome(self) -> str:
        """Whether it held, and why, in words."""
        what = {True: "it held", False: "IT DID NOT HOLD", None: "nothing was shown"}[self.passed]
        return f"{what}: {self.words}"

    @property
    def told(self) -> str:
        """The same with the fault's name."""
        return f"{in_words(self.fault)}: {self.outcome}"


def in_words(name: str) -> str:
    """A fault's name as people read it."""
    return name.replace("_", " ")


def bench_faults(link: Link) -> dict[str, Fault]:
    """The faults that can be asked for on a bench: all that can strike the link. Of a remote control none: on
    a port its keys travel as frames, and what a beam does to them shows in a rehearsal only."""
    return {} if isinstance(link.medium, InfraredMedium) else faults_for(link)


class Bench(World):
    """A machine and a medium in virtual time, and somebody's handset. ``backwards`` names outputs that are
    wired the wrong way round.

    Call ``put`` with what the handset sends, ``take`` for what comes back, and ``pass_time``::

        bench = Bench(link)
        handset = bench.handset_of(link)
        for now_ms in range(0, 2000, 2):
            handset.read(now_ms, left_stick=508, arm=0)
            bench.put(handset.send(now_ms))
            bench.pass_time(2000)
        bench.strike("cable_pulled")
    """

    def __init__(self, link: Link, backwards: Collection[str] = (), seed: int = 1) -> None:
        self._backwards = frozenset(backwards)
        self._boots = 0
        self._theirs: BenchHandset | None = None
        self._returned: list[bytes] = []
        self.faults = bench_faults(link)
        """The faults that can be asked for."""
        self._standing: Strike | None = None
        self._said = False
        self._forgot_us = 0
        self.verdicts: list[Verdict] = []
        """What came of faults since somebody took it."""
        # A fault that wants readings at rest looks at the beginning of a recording for them.
        first = practice(link, seed, 1000)
        super().__init__(link, Recording(first.times_ms[:1], first.rows[:1]), seed=seed, make=self._made)
        # Whoever drives counts from the beginning.
        self.handset_clock = Clock(0)

    def _made(self, link: Link) -> Machine:
        self._boots += 1
        return Machine(link, boot=self._boots)

    def _prepare(self, conditions: Conditions) -> None:
        link = self.link
        self.plant, self.plant_runs = Plant(link, self._backwards), True
        self.medium = medium_of(link.medium, conditions, self.rng)
        # Also where nothing is told: questions are answered.
        self.back = medium_of(link.medium, conditions, self.rng)
        self.handset = self._theirs
        self.machine = self.make(link)
        self.machine_on = True
        self._see(self.machine.demands)
        self._returned.clear()
        self.at(self.t_us, self._machine_turn)

    # ---- who drives ----

    def handset_of(self, link: Link, **how: Any) -> Handset:
        """The handset of whoever drives, as ``Handset`` makes it."""
        self._theirs = self.handset = BenchHandset(self, link, **how)
        return self._theirs

    @property
    def their_ms(self) -> int:
        """What the clock of the handset says."""
        return self.handset_clock.ms(self.t_us)

    def pass_time(self, us: int) -> None:
        """Let so many microseconds go by."""
        until_us = self.t_us + us
        self._run_to(until_us)
        self.t_us = until_us
        if self._standing is not None:
            self._judge(self._standing)
        judging = self._standing is not None and not self._said
        if self.t_us - self._forgot_us >= 1000 * (JUDGES_MS if judging else KEEPS_MS):
            self._forget()

    def put(self, wire: bytes) -> None:
        """Bytes from whoever drives. They go nowhere while a fault has ended the program of their handset;
        while it is swapped for another, what that one sends goes instead."""
        if self.handset is not self._theirs:
            wire = b"" if self.handset is None else self.handset.send(self.their_ms)
        if wire:
            self._carry(wire)

    def take(self, *, all_of_it: bool = True) -> bytes:
        """What has come back to the handset since the last time, or only the next frame of it."""
        count = len(self._returned) if all_of_it else 1
        taken = b"".join(self._returned[:count])
        del self._returned[:count]
        return taken

    def _come_back(self, wire: bytes) -> None:
        if self.handset is self._theirs:
            self._returned.append(wire)

    def _boot_handset(self, _: Any) -> None:
        # Its clock is that of whoever drives, and goes on.
        self.handset = self._theirs
        if self._theirs is not None:
            self._theirs.restart(self.rng.randrange(1 << 16))

    # ---- faults ----

    @property
    def standing(self) -> str | None:
        """The fault that there is now, or that waits until it is worth striking."""
        return None if self._standing is None else self._standing.fault.name

    @property
    def waits_for(self) -> str:
        """What the fault that was asked for waits for before it strikes, in words; "" while it does not."""
        if self._standing is None or self._standing.struck_us is not None:
            return ""
        if self._standing.fault.ready is not None:
            return "armed, and a place has been moved"
        return "something is driven" if turns_something(self.link) else "it is armed"

    def strike(self, name: str) -> None:
        """Ask for a fault; one that is there is taken away first. One that needs preparing, or that is there
        from power-up on, has both ends start anew; if it has to strike later, it does so once something is
        driven. KeyError for a fault that there is not, or that cannot strike this link."""
        if name not in self.faults:
            raise KeyError(f"there is no fault {name}: {suggestion(name, self.faults)}")
        self.take_away()
        # Whoever drives may stop or disarm meanwhile, and is right to.
        fault = replace(self.faults[name], ends_in=ANY)
        if fault.before is not None or fault.must == "never":
            self._start_anew()
        self._forget()
        self._said = False
        self._standing = Strike(self, fault, self.t_us)
        if fault.before is None and fault.ready is None:
            self._standing.hit()

    def take_away(self) -> None:
        """Everything is as it should be again. What cannot be healed ends with both ends started anew: a
        program that was killed runs again, a battery is changed."""
        strike = self._standing
        if strike is None:
            return
        fault = strike.fault
        if strike.struck_us is None:
            self._say(strike, "it was taken away before anything was driven")
        elif strike.healed_us is None and fault.lasts_ms is not None:
            self._say(strike, "it was taken away before its end")
        elif fault.must == "stop" and strike.moving and strike.stop_ms is None:
            self._say(strike, "it was taken away before the machine had to be at rest")
        else:
            self._say(strike)
        self._standing = None
        if fault.heal is None or strike.struck_us is None or fault.before is not None:
            self._start_anew()
        else:
            strike.heal()

    def _start_anew(self) -> None:
        """Both ends, and whatever is between them, from power-up on."""
        self.handset_clock.run_at(1.0, self.t_us)
        self.machine_clock.run_at(1.0, self.t_us)
        self._begin(Conditions())
        self._boot_handset(None)

    def _judge(self, strike: Strike) -> None:
        """Say what came of a fault, as soon as that shows."""
        fault, over_us = strike.fault, None
        if strike.struck_us is None:
            return
        if fault.lasts_ms is not None:
            over_us = strike.healed_us
        elif fault.must == "stop":
            most_ms = LONGEST_TO_TELL_MS + bound_ms(self.link, fault) if strike.moving else 0
            over_us = strike.stopped_us or strike.struck_us + int(1000 * most_ms)
        if over_us is None or self.t_us < over_us + 1000 * AFTER_MS:
            return
        self._say(strike)
        if fault.before is not None and fault.lasts_ms is not None:
            self._standing = None
            self._start_anew()
        elif self._whole and not fault.own_code:
            self._standing = None

    @property
    def _whole(self) -> bool:
        """Whether a fault has left nothing behind that somebody would have to mend."""
        left = (self.tamper, self.hands, self.twin)
        ends = self.handset is self._theirs and self.machine_on and not self.hung
        ways = not self.medium.cut and self.back is not None and not self.back.cut
        told = self.sensing is bool(self.link.telemetry) and not self.plant.sensors.pressed
        # What goes on by itself is a function of the fault's.
        ours = (self, self._standing)
        goes_on = any(getattr(action, "__self__", None) not in ours for *_, action, _ in self._queue)
        return ends and ways and told and not any(left) and not goes_on

    def _say(self, strike: Strike, nothing: str = "") -> None:
        """The verdict, by the rules of the rehearsal, unless it has been given; ``nothing`` says why nothing
        was shown."""
        fault = strike.fault
        if self._said:
            return
        self._said = True
        if not nothing and fault.must == "stop" and not strike.moving:
            nothing = "nothing was driven when it began: drive first"
        if nothing:
            self.verdicts.append(Verdict(fault.name, None, nothing))
            return
        run = judged(self, fault, 0, strike)
        stopped = f"at rest after {run.stop_ms:.0f} ms, {run.bound_ms:.0f} allowed; " if run.stop_ms else ""
        failed = next(wrongs(self, fault, strike), None) is not None
        passed = None if run.verdict == "fail" and not failed else not failed
        self.verdicts.append(Verdict(fault.name, passed, f"{stopped}{run.why}"))

    def _forget(self) -> None:
        """Drop what was seen before now, but for where everything stands: from the last moment at which
        it followed the hand, or nothing was driven, so that a ramp is seen from its beginning."""
        self._forgot_us = self.t_us
        trace = self.trace
        whole = (
            place
            for place in range(len(trace.moments) - 1, -1, -1)
            if trace.moments[place].state is ARMED or not any(trace.moments[place].efforts)
        )
        del trace.moments[: next(whole, 0)]
        for seen in (trace.sent, trace.accepted, trace.refused, trace.marks, trace.strangers):
            del seen[:]


class BenchHandset(Handset):
    """The handset of whoever drives on a bench: faults of hands, and of its program, lie in between."""

    def __init__(self, bench: Bench, link: Link, **how: Any) -> None:
        self._bench, self._how = bench, how
        self._row: Row = {}
        self._altered: object = None
        super().__init__(link, **how)

    def restart(self, session: int) -> None:
        """Its program starts anew."""
        self._how["session"] = session
        super().__init__(self.link, **self._how)

    def read(self, now_ms: int, **readings: int | None) -> None:
        """Readings, with what a fault makes of them; none while its program hangs."""
        bench = self._bench
        self._row |= readings
        self._altered = bench.hands
        if bench.hung:
            return
        row = readings if bench.hands is None else bench.hands(readings)
        super().read(now_ms, **row)
        if bench.handset is not self and bench.handset is not None:
            bench.handset.read(now_ms, **row)

    def send(self, now_ms: int) -> bytes:
        """What is due. A fault of hands is there at once, whether or not anything has been read since."""
        if self._bench.hands is not self._altered:
            self.read(now_ms, **self._row)
        return super().send(now_ms)
