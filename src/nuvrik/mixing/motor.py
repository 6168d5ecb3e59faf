"""A motor behind a driver: the level it has reached to duty and direction."""

from nuvrik.levels import FULL, along, clamp, div, level_of, mul
from nuvrik.mixing.demand import FOLLOW, LOST, Demand, Mode
from nuvrik.mixing.ramp import Ramp
from nuvrik.plan.form.outputs import MotorOutput

HOLD_ENDS_MS = 1000
"""A hold that ends says so for its last second: long enough to be seen, and to set the load down."""


class Hold:
    """A load held while nothing is asked of its motor: when, for how long, and with what demand."""

    def __init__(self, name: str, model: MotorOutput, sign: int, most: int) -> None:
        duty = min(div(level_of(model.hold_duty) * model.duty_max, FULL), most)
        self.toward = 1 if model.hold_toward == "forward" else -1
        self.demand = Demand(name, 0, duty, sign * self.toward, True) if duty else None
        self._limit_ms = model.hold_ms
        self._from_arming = model.hold_from_arming
        self._has_turned = False
        self._held_ms = 0

    def arm(self) -> None:
        """The machine has been armed: a load that is up then may have to be held from then on."""
        self._has_turned, self._held_ms = self._from_arming, 0

    def turned(self) -> None:
        """The load has been moved."""
        self._has_turned, self._held_ms = True, 0

    def forget(self) -> None:
        """Outside ARMED nothing is held, and what was moved before counts no more."""
        self._has_turned = False

    def wanted(self, dt_ms: int) -> bool:
        """Whether the load is to be held, after so much more time at rest."""
        self._held_ms += dt_ms
        return self._has_turned and (self._limit_ms == 0 or self._held_ms < self._limit_ms)

    @property
    def left_ms(self) -> int | None:
        """How long it goes on; None: as long as the machine is armed."""
        return self._limit_ms - self._held_ms if self._limit_ms else None

    @property
    def ends(self) -> bool:
        """Whether it lets go within HOLD_ENDS_MS."""
        return self.left_ms is not None and self.left_ms <= HOLD_ENDS_MS


class Motor:
    """One motor output: ramp, reverse pause, start duty, limit, direction, and holding a load."""

    def __init__(self, name: str, model: MotorOutput) -> None:
        self.name = name
        self.ramp = Ramp(model.ramp_ms, model.reverse_pause_ms)
        self._model = model
        self._sign = -1 if model.reverse else 1
        self._start = div(level_of(model.start_duty) * model.duty_max, FULL)
        # On a driver with few counts rounding may bring the limit below the start; then the start is all.
        self._top = clamp(div(level_of(model.limit) * model.duty_max, FULL), self._start, 65535)
        self._hold = Hold(name, model, self._sign, self._top)
        self._duty_curve = [(level_of(x), level_of(y)) for x, y in model.duty_curve]
        self._ramps_on_loss = model.on_loss == "ramp"
        pulses = model.driver == "servo_pulse"
        off = Demand(name, 0, model.pulse_us[1], 1, False) if pulses else Demand(name, 0, 0, 0, False)
        self._off = off._replace(braked=model.idle == "brake")
        self._lost = off._replace(braked=model.on_loss == "brake")
        self._at = self._pulse_at if pulses else self._duty_at
        # A demand follows from the level alone, so each is worked out once.
        self._known: dict[int, Demand] = {}
        self._armed = False
        self.demand = self._off

    def tick(self, target: int | None, dt_ms: int, mode: Mode) -> Demand:
        """Follow ``target`` if the mode lets it, else come to rest."""
        if mode is not FOLLOW:
            target, self._armed = 0, False
            self._hold.forget()
            if mode is LOST and not self._ramps_on_loss:
                # Halted, and then moved by nothing, so that the time at rest counts from this tick.
                self.ramp.halt()
                self.ramp.towards(0, dt_ms)
                self.demand = self._lost
                return self.demand
        if self.demand is self._lost:
            self.demand = self._off
        elif not self._armed:
            self._armed = True
            self._hold.arm()
        moved = self.ramp.towards(target or 0, dt_ms)
        if moved:
            level = self.ramp.level
            demand = self._known.get(level)
            if demand is None:
                demand = self._known[level] = self._at(level)
            self.demand = demand
            self._hold.turned()
        if self._hold.demand is not None and not self.ramp.moving:
            # In the tick that reaches rest too: a gap of one tick lets the load drop a little each time.
            self._keep_holding(target, 0 if moved else dt_ms, mode)
        return self.demand

    @property
    def hold_ends(self) -> bool:
        """Whether it holds a load and will let go of it within HOLD_ENDS_MS."""
        return self._holding and self._hold.ends

    @property
    def _holding(self) -> bool:
        return self.demand.driven and not self.demand.level

    def halt(self) -> None:
        """To rest at once, without a ramp."""
        self.ramp.halt()
        self._armed = False
        self._hold.forget()
        self.demand = self._off

    def why(self, target: int | None, mode: Mode) -> str:
        """Why it does what it does, in a line."""
        level, wanted = self.ramp.level, target or 0
        if mode is not FOLLOW:
            return f"coming to rest, at {_percent(level)}" if level else "at rest"
        pause_ms = self.ramp.pause_left(wanted)
        if wanted and pause_ms:
            return f"reversing: {pause_ms} ms of pause left"
        if self._holding:
            held, left_ms = f"holding its load {self._model.hold_toward}", self._hold.left_ms
            if left_ms is None:
                return held
            return f"{held}, {'about to let go: ' if self.hold_ends else ''}{left_ms / 1000:.1f} s left"
        if target is None:
            return "no reading: coming to rest"
        if not wanted:
            return f"asked to rest, at {_percent(level)}" if level else "asked to rest"
        return f"asked for {_percent(wanted)}" + (f", ramp at {_percent(level)}" if level != wanted else "")

    def _keep_holding(self, target: int | None, dt_ms: int, mode: Mode) -> None:
        """Hold what has been moved since arming, while nothing is asked of it; for ``hold_ms``, if there is
        a limit. A reverse pause wins over a hold: the driver may not be made to push the other way yet."""
        # The time at rest counts whether or not it is held: a hold that has ended does not begin again.
        holding = self._hold.wanted(dt_ms) and mode is FOLLOW and not target
        holding = holding and not self.ramp.pause_left(self._hold.toward)
        if holding != self._holding:
            self.demand = self._hold.demand if holding and self._hold.demand is not None else self._off

    def _duty_at(self, level: int) -> Demand:
        size = along(self._duty_curve, abs(level)) if self._duty_curve else abs(level)
        duty = self._start + div(size * (self._top - self._start), FULL) if level else 0
        if not duty:
            return self._off if not level else Demand(self.name, level, 0, 0, False)
        return Demand(self.name, level, duty, self._sign if level > 0 else -self._sign, True)

    def _pulse_at(self, level: int) -> Demand:
        if not level:
            # A speed controller at rest is told so all the time: without pulses it would beep or sleep.
            return self._off
        low, rest, high = self._model.pulse_us
        ahead = (level > 0) == (self._sign > 0)
        span = high - rest if ahead else rest - low
        start = mul(level_of(self._model.start_duty), span)
        reach = start + div(abs(level) * (mul(level_of(self._model.limit), span) - start), FULL)
        return Demand(self.name, level, rest + reach if ahead else rest - reach, 1, reach != 0)


def _percent(level: int) -> str:
    return f"{100 * level / FULL:.0f} %"
