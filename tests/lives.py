"""Random lives of the classes of core: what is called, with what, for ever, and the tables they are lived
with."""

import random
from collections.abc import Callable, Iterator
from typing import Any

from random_links import random_link

from nuvrik.core import loop, ramp
from nuvrik.core.frames import bits, writer
from nuvrik.core.levels import FULL, NO_READING, NOBODY, TIMER_MAX
from nuvrik.core.machine import demand, desk, machine, motor, servo, stepper, watch
from nuvrik.core.widths import Table
from nuvrik.plan.form.models import FailsafeSection
from nuvrik.plan.outputs import MotorOutput, ServoOutput, StepperOutput
from nuvrik.plan.outputs.motor import CAN_BRAKE
from nuvrik.plan.tables.failsafe import watch_table
from nuvrik.plan.tables.machine import machine_table
from nuvrik.plan.tables.made import made, ramp_table
from nuvrik.plan.tables.writer import writer_table

EDGES = (0, 1, 2, 399, 400, 401, 1000, 32767, 32768, TIMER_MAX - 1, TIMER_MAX)

Step = tuple[str, tuple[Any, ...]]


def life_of_a_watch(rng: random.Random, table: Table) -> Iterator[Step]:
    """Frames, silences, ticks and stops as a machine has them, in stretches of one kind."""
    while True:
        kind = rng.choice(("rest", "moved", "off", "bare", "mixed", "silence"))
        for _ in range(rng.randint(1, 12)):
            yield "pass_time", (rng.choice((*EDGES, 5, 20, 20, 20, 20)) if rng.random() < 0.2 else 20,)
            arm = kind != "off" and rng.random() < 0.95
            moved = NOBODY if kind != "moved" else rng.randrange(4)
            if kind == "bare" or (kind == "mixed" and rng.random() < 0.5):
                yield "bare", (arm, rng.randrange(4))
            elif kind != "silence":
                yield "drive", (arm, moved)
            if rng.random() < 0.9:
                yield "ticked", ()
        if rng.random() < 0.1:
            why = rng.choice((watch.WHY_STOPPED, watch.WHY_STOP_SWITCH, watch.WHY_OWN_CODE))
            yield "stop", (why, rng.choice((NOBODY, 1, 15)))


def life_of_a_ramp(rng: random.Random, table: Table) -> Iterator[Step]:
    """Targets that stay for a while, gaps, and halts."""
    while True:
        target = rng.choice((0, FULL, -FULL, rng.randint(-FULL, FULL), rng.randint(-3, 3)))
        for _ in range(rng.randint(1, 30)):
            yield "towards", (target, rng.choice(EDGES) if rng.random() < 0.05 else rng.randint(0, 60))
            yield "at", ()
            yield "pause_left", (rng.randint(-FULL, FULL),)
        if rng.random() < 0.2:
            yield "halt", ()


def life_of_a_slew(rng: random.Random, table: Table) -> Iterator[Step]:
    for name, given in life_of_a_ramp(rng, table):
        if name == "halt":
            yield "put", (rng.randint(-FULL, FULL),)
        elif name != "pause_left":
            yield name, given


def life_of_a_motor(rng: random.Random, table: Table) -> Iterator[Step]:
    """What a machine does with a motor: armed, driven, at rest for long, lost, stopped, and armed again."""
    yield "begin", ()
    while True:
        mode = rng.choice(
            (demand.FOLLOW, demand.FOLLOW, demand.FOLLOW, demand.SAFE, demand.LOST, demand.HELD)
        )
        for _ in range(rng.randint(1, 4)):
            target = rng.choice((0, 0, FULL, -FULL, rng.randint(-FULL, FULL), rng.randint(-3, 3)))
            asked, longest = rng.random() < 0.9, rng.choice((20, 60, 700))
            for _ in range(rng.randint(1, 30)):
                yield (
                    "tick",
                    (
                        target,
                        asked,
                        rng.choice(EDGES) if rng.random() < 0.02 else rng.randint(0, longest),
                        mode,
                    ),
                )
                yield rng.choice(("hold_ends", "hold_left_ms", "holding")), ()
        if rng.random() < 0.15:
            yield "halt", ()


def any_motor(rng: random.Random) -> Table:
    model = {
        "kind": "motor",
        "driver": rng.choice(("pwm_2dir", "pwm_1dir", "two_pwm", "servo_pulse")),
        "duty_max": rng.choice((1, 15, 255, 1023, 65535)),
        "start_duty": rng.choice((0.0, 0.18, 0.5)),
        "limit": rng.choice((0.51, 0.9, 1.0)),
        "ramp_ms": rng.choice((0, 1, 250, 3000, 30_000)),
        "reverse_pause_ms": rng.choice((0, 120, 5000)),
        "reverse": rng.random() < 0.5,
        "hold_toward": rng.choice(("forward", "backward")),
        "hold_from_arming": rng.random() < 0.3,
    }
    if model["driver"] != "servo_pulse":
        model |= {"hold_duty": rng.choice((0, 0.1, 0.5)), "hold_ms": rng.choice((0, 50, 1500, 30_000))}
        if rng.random() < 0.5:
            model["duty_curve"] = [[0.0, 0.0], [0.25, 0.1], [0.5, 0.6], [1.0, 1.0]]
    if model["driver"] in CAN_BRAKE:
        model |= {"idle": rng.choice(("coast", "brake")), "on_loss": rng.choice(("ramp", "off", "brake"))}
    return MotorOutput.model_validate(model).table


def life_of_a_servo(rng: random.Random, table: Table) -> Iterator[Step]:
    """The same, led by a jog or a motion now and then."""
    for name, given in life_of_a_motor(rng, table):
        if name == "tick":
            yield name, (*given[:2], rng.random() < 0.1, *given[2:], 400)
        elif name not in ("hold_ends", "hold_left_ms", "holding"):
            yield name, given


def life_of_a_switch(rng: random.Random, table: Table) -> Iterator[Step]:
    for name, given in life_of_a_motor(rng, table):
        if name not in ("hold_ends", "hold_left_ms", "holding"):
            yield name, (*given[:2], given[3]) if name == "tick" else given


def any_servo(rng: random.Random) -> Table:
    model = {
        "kind": "servo",
        "pulse_us": sorted(rng.sample(range(400, 2601), 3)),
        "travel": rng.choice(([-1, 1], [-0.3, 1], [0, 0.7])),
        "ramp_ms": rng.choice((0, 1, 500, 30_000)),
        "reverse": rng.random() < 0.5,
        "at_start": rng.choice(("silent", "centre")),
        "on_loss": rng.choice(("hold", "centre", "release", "preset")),
        "preset": rng.choice((-1, 0.2, 1)),
    }
    return ServoOutput.model_validate(model).table


def life_of_a_machine(rng: random.Random, table: Any) -> Iterator[Step]:
    """Commands at rest, moved, without readings; stops, jogs, requests, hellos, echoes, silences, held up
    loops; and the builder's own code, which does what it likes."""
    routes = [output.route for output in table.outputs.outputs]
    scaled = {term.place for one in routes if not one.switched for term in one.terms}
    scaled |= {route.turn for route in routes} | set(table.commands.required)
    places = {term.place for one in routes for term in one.terms} | scaled | {table.commands.arm}
    many = max(places - {NOBODY}) + 1
    now, number, session, boot, met = rng.randrange(65536), 0, 1, rng.choice((0xFFFF, 0xFFFFFFFE)), 0
    capped = rng.random() < 0.3
    yield "begin", (boot & 0xFFFF, boot >> 16)
    while True:
        kind = rng.choice(("rest", "rest", "moved", "moved", "off", "bare", "silence"))
        for _ in range(rng.randint(1, 20)):
            now = (now + (rng.choice(EDGES) if rng.random() < 0.03 else 20)) & 0xFFFF
            yield "pass_time", (now,)
            low, high = (-FULL, FULL) if kind == "moved" else (-rng.choice((0, 400)), 0)
            values = [rng.randint(low, high) if at in scaled else rng.randint(0, 1) for at in range(many)]
            if routes and rng.random() < 0.2:
                # Where rest ends, from both sides.
                band = rng.choice(routes).band
                values[rng.choice(sorted(scaled - {NOBODY}) or [0])] = rng.choice((-1, 1)) * (
                    band + rng.randint(0, 1)
                )
            if kind == "bare":
                values[rng.choice(sorted(scaled - {NOBODY}) or [0])] = NO_READING
            if table.commands.arm != NOBODY:
                values[table.commands.arm] = int(kind != "off" and rng.random() < 0.98)
            if kind != "silence":
                yield "hear", ()
                yield "command", (values,)
                yield "numbered", (rng.randrange(256),)
            if rng.random() < 0.02:
                yield rng.choice((("stop", ()), ("own_stop", (rng.randrange(16),))))
            if capped and rng.random() < 0.04:
                yield "cap", (rng.randrange(len(routes)), rng.choice((0, 0, FULL, 4000)))
            yield "own_number", ()
            if rng.random() < 0.15:
                yield "jog", (rng.randrange(len(routes)), rng.randint(-8000, 8000), 10 * rng.randint(1, 50))
            if rng.random() < 0.01:
                session = rng.choice((0, session, session + 1))
                if session:
                    boot = (boot + (met not in (0, session))) % (1 << 32)
                    met = session
                yield "hello", (session, rng.randrange(2))
                session = met
            if table.desk.requests and rng.random() < 0.2:
                number = (number + rng.choice((0, 1, 1, 1, 7, 40000))) & 0xFFFF
                code = rng.randrange(len(table.desk.requests))
                yield "argument", (0, rng.choice((0, 1, -1, rng.randint(-60, 60), -32768, 32767)))
                told = boot if rng.random() < 0.9 else 7
                calls = yield "ask", (code, told & 0xFFFF, told >> 16, session, number)
                if calls:
                    done = desk.RUNNING if table.desk.requests[code].moves else desk.DONE
                    yield "called", (rng.choice((done, desk.REFUSED)), rng.randint(-(2**31), 2**31 - 1))
            if rng.random() < 0.005:
                yield "expire", (now,)
            if rng.random() < 0.9:
                if rng.random() < 0.3:
                    yield "wish", (rng.randrange(len(routes)), rng.choice((0, FULL, -9000)))
                if rng.random() < 0.05:
                    yield "let_go", ()
                if rng.random() < 0.05:
                    yield "own_over", (desk.DONE, 5)
                yield "turn", ()
                yield "mode", ()


def life_of_a_writer(rng: random.Random, table: Any) -> Iterator[Step]:
    """Values of every channel, at rest, at their ends and between, now and then without a reading."""
    values = [0] * len(table.channels)
    while True:
        for at, one in enumerate(table.channels):
            if rng.random() < 0.4:
                values[at] = rng.choice((0, 0, _some_value(rng, one)))
        bare = rng.random() < 0.1
        given = [NO_READING if bare and rng.random() < 0.5 else value for value in values]
        yield "command", (given,)
        if rng.random() < 0.05:
            yield "stop", ()


def _some_value(rng: random.Random, channel: Any) -> int:
    if channel.kind > bits.IS_SHARE:
        return rng.randint(0, channel.most)
    low = -FULL if channel.kind == bits.IS_LEVEL else 0
    return rng.choice((low, FULL, rng.randint(low, FULL)))


def any_writer(rng: random.Random) -> Table:
    style = rng.choice(("packed", "slip", "line", "columns", "keys", "train"))
    return writer_table(random_link(rng, style=style), stream=rng.random() < 0.7)


def any_section(rng: random.Random) -> FailsafeSection:
    return FailsafeSection(
        arm=rng.choice(("arm", "arm", "none")),
        timeout_ms=rng.choice((60, 400, 30_000)),
        good_frames=rng.choice((1, 3, 100)),
        recover=rng.choice(("rearm", "at_rest", "resume")),
        give_up_ms=rng.choice((None, 0, 500, 30_000)),
    )


def any_ramp(rng: random.Random) -> Table:
    return ramp_table(rng.choice((0, 1, 2, 250, 3001, 30_000)), rng.choice((0, 1, 120, 30_000)))


def life_of_a_loop(rng: random.Random, table: Any) -> Iterator[Step]:
    """Turns soon after one another, late ones, and gaps from both sides of every limit."""
    while True:
        some = table.timeout_ms, table.tick_ms, 0, 1, 2, 5, 29_999, 30_000, 30_001, TIMER_MAX
        yield "turn", (min(TIMER_MAX, max(0, rng.choice(some) + rng.choice((-1, 0, 1)))),)
        if rng.random() < 0.9:
            yield "ticks", ()


def any_loop(rng: random.Random) -> Table:
    return made(loop.LoopTable, tick_ms=rng.choice((1, 20, 1000)), timeout_ms=rng.choice((1, 400, 30_000)))


def life_of_a_stepper(rng: random.Random, table: Any) -> Iterator[Step]:
    """Rates, moves to places near and far, loops that are held up, and ends of its way."""
    yield "begin", ()
    while True:
        moves = rng.random() < 0.5
        if moves:
            yield (
                "go_to",
                (
                    rng.choice((0, 1, 40, 5000, stepper.TURNS, rng.randrange(stepper.TURNS))),
                    rng.randrange(1000),
                ),
            )
        longest = rng.choice((0, 20, 20, 60, 900, 65_535))
        for _ in range(rng.randint(1, 60)):
            dt_ms = rng.randint(0, longest)
            yield "count_on", (dt_ms,)
            to = (yield "wanted", (dt_ms,)) if moves else rng.choice((0, FULL, -FULL, 300))
            yield (
                "tick",
                (to, rng.random() < 0.95, dt_ms, demand.FOLLOW if rng.random() < 0.95 else demand.LOST),
            )
            yield rng.choice(("arrived", "rounded")), ()
        yield rng.choice(("let_go", "let_go", "halt")), ()


def any_stepper(rng: random.Random) -> Table:
    return StepperOutput.model_validate(
        {
            "kind": "stepper",
            "rate_max": rng.choice((1, 50, 400, 65_535)),
            "ramp_ms": rng.choice((0, 1, 300, 3000)),
            "reverse_pause_ms": rng.choice((0, 120)),
            "reverse": rng.random() < 0.5,
        }
    ).table


def any_machine(rng: random.Random) -> Table:
    style = rng.choice(("", "", "", "train"))
    return machine_table(random_link(rng, style=style))


LIVES: dict[str, tuple[type, Callable[[random.Random], Table], Callable[..., Iterator[Step]]]] = {
    "Machine": (machine.Machine, any_machine, life_of_a_machine),
    "Loop": (loop.Loop, any_loop, life_of_a_loop),
    "Stepper": (stepper.Stepper, any_stepper, life_of_a_stepper),
    "Watch": (watch.Watch, lambda rng: watch_table(any_section(rng)), life_of_a_watch),
    "Motor": (motor.Motor, any_motor, life_of_a_motor),
    "Servo": (servo.Servo, any_servo, life_of_a_servo),
    "Switch": (servo.Switch, lambda rng: made(servo.SwitchTable, holds=rng.random() < 0.5), life_of_a_switch),
    "Ramp": (ramp.Ramp, any_ramp, life_of_a_ramp),
    "Writer": (writer.Writer, any_writer, life_of_a_writer),
    "Slew": (ramp.Slew, any_ramp, life_of_a_slew),
}
