"""Faults of controls that lie, of second hands, of the builder's own code, and of silences that are none."""

from collections.abc import Generator
from itertools import pairwise

from nuvrik.budget.stop import stop_bound
from nuvrik.core.frames.bits import level_code
from nuvrik.core.hand.controls import bent_level
from nuvrik.core.machine.states import ARMED, FAILSAFE, STANDBY, STOPPED, WAITING
from nuvrik.failsafe.why import Code
from nuvrik.levels import FULL, level_of
from nuvrik.plan.controls import AxisControl, KeyControl, SliderControl
from nuvrik.plan.form.channels import LevelChannel, ShareChannel
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import CallRequest
from nuvrik.plan.outputs import MotorOutput, ServoOutput, SwitchOutput
from nuvrik.plan.wiring import moving_channels, output_routes, place_channels
from nuvrik.recordings.recording import Row
from nuvrik.rehearsal.beam import BeamWorld
from nuvrik.rehearsal.fault import ANY, Fault, any_link, only
from nuvrik.rehearsal.faults_on_the_way import infrared_link
from nuvrik.rehearsal.hands import moving_controls, reading_at, sticks
from nuvrik.rehearsal.world import World
from nuvrik.wire.codes import level_from_code

HANGS_MS = 20_000
"""How long a machine hangs at most while frames queue up: far longer than any timeout."""

HOOK_MS = 600
"""How long the builder's code has been moving something when stop is pressed."""


# ---- controls ------------------------------------------------------------------------------------


def off_centre(link: Link, name: str) -> int:
    """The reading of a stick or slider furthest from rest that still counts as at rest, as it travels."""
    control = link.controls[name]
    assert isinstance(control, AxisControl | SliderControl)
    table, band = control.table({}), level_of(link.failsafe.rest_band)
    fed = [c for c in link.channels.values() if name in c.sources.values() and isinstance(c, LevelChannel)]

    def at_rest(reading: int) -> bool:
        level = bent_level(table, reading)
        sent = [level_from_code(level_code(level, channel.bits), channel.bits) or 0 for channel in fed]
        return max(map(abs, [level, *sent])) <= band

    rest, high = control.raw[-2], control.raw[-1]
    step, reading = (1 if high > rest else -1), rest
    while reading != high and at_rest(reading + step):
        reading += step
    return reading


def _rests_off_centre(world: World) -> None:
    name, arm, rest = sticks(world.link)[0], world.link.arm_control, world.recording.at(0)
    lying = {**rest, name: off_centre(world.link, name)}

    def alter(row: Row) -> Row:
        # The rest is left alone, but for the arm control.
        return {**lying, **{key: reading for key, reading in row.items() if key == arm}}

    world.hands = alter


def _start_duty(link: Link) -> bool:
    motors = (output for output in link.outputs.values() if isinstance(output, MotorOutput))
    rests = all(
        abs(bent_level(c.table({}), c.raw[-2])) <= level_of(link.failsafe.rest_band)
        for c in (link.controls[name] for name in moving_controls(link))
        if isinstance(c, AxisControl | SliderControl)
    )
    return bool(sticks(link)) and rests and any(motor.start_duty for motor in motors)


def shared(link: Link) -> tuple[str, str] | None:
    """Two controls, each read by itself, that feed one turning channel, the first of them by priority."""
    moving = moving_channels(link, output_routes(link))
    for name, channel in link.channels.items():
        if name in moving and moving[name].turns and isinstance(channel, LevelChannel | ShareChannel):
            read = [n for n in channel.origins if isinstance(link.controls[n], AxisControl | SliderControl)]
            if len(read) > 1:
                return read[0], read[1]
    return None


def _second_lies_over(world: World) -> None:
    """From power-up on, the second source lies half over; the first drives."""
    names = shared(world.link)
    assert names is not None
    half = reading_at(world.link, names[1], 0.5)

    def alter(row: Row) -> Row:
        return {**row, names[1]: half}

    world.hands = alter


def _first_goes_quiet(world: World) -> None:
    names = shared(world.link)
    assert names is not None and world.hands is not None
    lying = world.hands

    def alter(row: Row) -> Row:
        return {**lying(row), names[0]: None}

    world.hands = alter


def _second_drove(world: World, struck_ms: float) -> str:
    """Whatever the second source says, it has not been at rest, so it has no say."""
    later_ms = struck_ms + stop_bound(world.link).worst_ms + 2 * world.link.period_ms
    drove = any(any(moment.efforts) for moment in world.trace.moments if moment.t_ms > later_ms)
    return "the second source drove on, though it had never been at rest" if drove else ""


def _optional(link: Link) -> tuple[str, list[str]] | None:
    """A stick or slider that feeds only an optional turning channel, and the outputs that only it moves."""
    routes = output_routes(link)
    for name, use in moving_channels(link, routes).items():
        source = getattr(link.channels[name], "source", None)
        fed = [n for n, channel in link.channels.items() if source in channel.sources.values()]
        outputs = [n for n, route in routes.items() if route.channels == (name,)]
        if not use.turns or use.required or not isinstance(source, str) or fed != [name]:
            continue
        if outputs and isinstance(link.controls[source], AxisControl | SliderControl):
            return source, outputs
    return None


def _optional_unread(world: World) -> None:
    optional = _optional(world.link)
    assert optional is not None

    def alter(row: Row) -> Row:
        return {**row, optional[0]: None}

    world.hands = alter


def _optional_back_at_full(world: World) -> None:
    optional = _optional(world.link)
    assert optional is not None
    full = reading_at(world.link, optional[0], 1.0)

    def alter(row: Row) -> Row:
        return {**row, optional[0]: full}

    world.hands = alter


def _optional_moved(world: World, struck_ms: float) -> str:
    optional = _optional(world.link)
    places = [place for place, name in enumerate(world.link.outputs) if optional and name in optional[1]]
    moved = any(moment.efforts[place] for moment in world.trace.moments for place in places)
    return "an optional channel moved something before it had been at rest" if moved else ""


# ---- programs ------------------------------------------------------------------------------------


def _hung_up(world: World) -> None:
    """The terminal goes: what `drive` then does is to take leave, and end."""
    assert world.handset is not None
    world.handset.disarm()
    world.hung = True
    leave_ms = world.link.failsafe.timeout_ms + 2 * world.link.period_ms
    world.at(world.t_us + 1000 * leave_ms, lambda _: world.kill_handset())


def _frames_queue(world: World) -> None:
    """The machine's loop hangs while the handset drives on; then that goes too, and the loop turns again."""
    hangs_us = 1000 * world.rng.randint(world.link.failsafe.timeout_ms + 200, HANGS_MS)
    world.machine_stalled_until_us = world.t_us + hangs_us
    world.at(world.t_us + hangs_us - 100_000, lambda _: world.kill_handset())


def own_code(link: Link) -> str | None:
    """The request that runs moving code of the builder's own, if there is one."""
    return next(
        (n for n, r in link.requests.items() if isinstance(r, CallRequest) and r.moving and not r.args), None
    ) or next((n for n, r in link.requests.items() if isinstance(r, CallRequest) and r.moving), None)


def _own_code_fails(world: World) -> None:
    """The builder's routine moves whatever turns; when it is stopped it neither ends nor lets itself be
    closed."""
    name = own_code(world.link)
    assert name is not None and world.handset is not None
    turning = [n for n, o in world.link.outputs.items() if o.turns] or list(world.link.outputs)

    def routine(**_: int) -> Generator[dict[str, float], None, None]:
        while True:
            try:
                yield dict.fromkeys(turning, 0.5)
            except GeneratorExit:
                yield dict.fromkeys(turning, 1.0)

    world.machine.on_request(name, routine)
    request = world.link.requests[name]
    arguments = request.given([part.low for part in request.parts])
    world.handset.request(name, **arguments)

    def stop(_: object) -> None:
        if world.handset is not None:
            world.handset.press_stop(world.handset_clock.ms(world.t_us))

    world.at(world.t_us + 1000 * HOOK_MS, stop)


# ---- silences ------------------------------------------------------------------------------------


def _laid_down(world: World) -> None:
    """Nobody presses anything any more."""
    world.hands = lambda row: {}


def nothing_more(world: World) -> None:
    """Nobody does anything; or it has been so all along."""


def _held_lamps(link: Link) -> list[int]:
    return [
        place
        for place, output in enumerate(link.outputs.values())
        if isinstance(output, SwitchOutput) and output.on_loss == "hold"
    ]


def _lamps_on(world: World) -> None:
    """The lamps are switched on before the remote is laid down."""
    assert isinstance(world, BeamWorld)
    flags = {o.follows for o in world.link.outputs.values() if isinstance(o, SwitchOutput)}
    keys = {getattr(world.link.channels[flag], "source", None) for flag in flags}
    pressed = [n for n in keys if isinstance(world.link.controls.get(n or ""), KeyControl)]

    def alter(row: Row) -> Row:
        # One press, for a third of a second, once it must be armed; else as the pilot's hand does.
        t_ms = world.t_us // 1000
        if not 2000 <= t_ms < 2330:
            return {name: reading for name, reading in row.items() if name not in pressed}
        return {**row, **{str(name): t_ms // 110 for name in pressed}}

    world.hands = alter


def _lamps_went_dark(world: World, struck_ms: float) -> str:
    link, moments = world.link, world.trace.moments
    lit = next((m for m in reversed(moments) if m.t_ms <= struck_ms), moments[0])
    wrong = [list(link.outputs)[p] for p in _held_lamps(link) if lit.values[p] != moments[-1].values[p]]
    if wrong:
        return f'{wrong[0]} changed although on_loss is "hold"'
    if moments[-1].state is ARMED and link.arm_channel is not None:
        return "arm did not go off"
    return ""


def _steps_a_place(link: Link) -> bool:
    """Keys that step a servo's place."""
    places = place_channels(link)
    return any(name in places for action in link.frame.actions.values() for name in action.add)


def _place_moved(world: World) -> bool:
    """Whether some servo stands away from where it started."""
    outputs = world.link.outputs.values()
    return any(
        isinstance(output, ServoOutput) and abs(demand.level) > FULL // 4
        for output, demand in zip(outputs, world.machine.demands, strict=True)
    )


def _silence_at_rest(world: World) -> None:
    """Nothing comes through; the sticks are let go of, so that it may go on once something does."""
    rest = world.recording.at(0)
    let_go = {
        n: rest[n] for n, c in world.link.controls.items() if isinstance(c, AxisControl | SliderControl)
    }

    def alter(row: Row) -> Row:
        return {**row, **let_go}

    world.hands = alter
    world.cut()


def _place_jumped(world: World, struck_ms: float) -> str:
    """A servo may move by a key's step at a time, and no further, whatever silence lay before."""
    link, moments = world.link, world.trace.moments
    step = max(level_of(abs(add)) for action in link.frame.actions.values() for add in action.add.values())
    for before, after in pairwise(moments):
        for place, (name, output) in enumerate(link.outputs.items()):
            if isinstance(output, ServoOutput) and after.t_ms >= struck_ms:
                moved = abs(after.demands[place].level - before.demands[place].level)
                if moved > 2 * step + 2:
                    return f"{name} jumped at {after.t_ms:.0f} ms by more than its keys can ask for"
    return ""


_starts_with_duty = only(
    lambda link: _start_duty(link) and link.arm_control, "no stick moves a motor with a start duty"
)
two_sources = only(shared, "nothing that turns has two sources")
_has_optional = only(_optional, "no stick of its own feeds an optional channel that turns something")
has_own_code = only(
    lambda link: own_code(link) and link.telemetry, "no request runs moving code of the builder's own"
)
_lamp_link = only(_held_lamps, 'no switch has on_loss = "hold"', infrared_link)
_stepped_places = only(_steps_a_place, "no keys step a place")

FAULTS = (
    Fault(
        "stick_rests_off_centre",
        "bench",
        "a stick lies as far from the middle as still counts as at rest, and the machine is armed so",
        _rests_off_centre,
        must="never",
        reaches=ARMED,
        fits=_starts_with_duty,
    ),
    Fault(
        "second_source_lies_over",
        "bench",
        "the first of two sources goes quiet while the second has lain half over from the start",
        _first_goes_quiet,
        before=_second_lies_over,
        ends_in=(FAILSAFE, WAITING, STANDBY, STOPPED),
        fits=two_sources,
        judge=_second_drove,
        later_ms=lambda link: link.period_ms,
    ),
    Fault(
        "optional_comes_back",
        "bench",
        "an optional control that had no reading comes back hard over",
        _optional_back_at_full,
        before=_optional_unread,
        must="hold",
        ends_in=ANY,
        fits=_has_optional,
        judge=_optional_moved,
    ),
    Fault(
        "terminal_hung_up",
        "bench",
        "the terminal of the handset's program is closed: the program sends arm off, and ends",
        _hung_up,
        ends_in=(STANDBY, WAITING, FAILSAFE),
        shows=(Code.ARM_OFF, Code.SILENCE),
    ),
    Fault(
        "frames_queued",
        "delay",
        "the machine hangs for seconds while frames queue up; the handset is gone when it goes on",
        _frames_queue,
        ends_in=(FAILSAFE, WAITING),
        later_ms=lambda link: HANGS_MS + 2 * link.tick_ms,
        fits=any_link,
        holds_up=True,
    ),
    Fault(
        "own_code_in_a_stop",
        "bench",
        "stop is pressed while the builder's own code moves something, and that code will not end",
        _own_code_fails,
        ends_in=(STOPPED,),
        shows=(Code.STOPPED,),
        fits=has_own_code,
        later_ms=lambda link: HOOK_MS,
        own_code=True,
    ),
    Fault(
        "remote_laid_down",
        "bench",
        "the remote control is laid down for longer than arm lasts: what is to stay as it is must stay",
        _laid_down,
        before=_lamps_on,
        must="hold",
        ends_in=ANY,
        lasts_ms=(30_500, 31_000),
        heal=nothing_more,
        fits=_lamp_link,
        judge=_lamps_went_dark,
    ),
    Fault(
        "place_after_silence",
        "loss",
        "no key arrives for longer than the timeout; the next ones move on from where the place was",
        _silence_at_rest,
        heal=lambda world: world.cut(on=False),
        ready=_place_moved,
        lasts_ms=(1200, 2500),
        must="hold",
        ends_in=ANY,
        fits=_stepped_places,
        judge=_place_jumped,
    ),
)
