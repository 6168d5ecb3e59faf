"""Faults of the two ends, of hands and programs, and of the bench."""

from nuvrik.budget.stop import run_down_ms
from nuvrik.core.machine.states import ARMED, FAILSAFE, STANDBY, STOPPED, WAITING
from nuvrik.ends.handset import Handset
from nuvrik.failsafe.why import Code
from nuvrik.plan.controls import ButtonControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import MotorOutput
from nuvrik.recordings.pilot import press_ms
from nuvrik.recordings.recording import Row
from nuvrik.rehearsal.fault import ANY, Fault, every_link, only, sealed
from nuvrik.rehearsal.faults_on_the_way import older
from nuvrik.rehearsal.hands import held, moving_controls, reading_at, sticks
from nuvrik.rehearsal.world import World

BROWN_OUT_VOLTS = 5.0
"""Under load, a board behind a regulator for 5 V resets at about this."""

WRAP_MS = 1 << 16
"""Where a counter of milliseconds in 16 bits goes round, as the ends' own do."""

THROW_MS = 300
"""A hand throws a stick from end to end about three times a second."""


def _stop_switch(world: World) -> None:
    world.plant.sensors.pressed.add(world.link.failsafe.stop_switch or "")


def _handset_reset(world: World) -> None:
    # From a brown-out too short for the timeout to notice, to a slow boot loader.
    world.reset_handset(boot_ms=world.rng.randrange(30, 2500))


def _machine_reset(world: World) -> None:
    world.reset_machine(boot_ms=world.rng.randrange(30, 2500))


def _battery_flat(world: World) -> None:
    """Whenever the motors draw, the voltage falls and the machine resets; at rest it recovers."""
    world.plant_runs = True
    world.plant.charge = 0.1

    def look(_: object) -> None:
        if world.machine_on and world.plant.volts < BROWN_OUT_VOLTS and not world.machine.safe:
            world.reset_machine(boot_ms=200)
            world.plant.volts = BROWN_OUT_VOLTS
        world.at(world.t_us + 1000 * world.link.tick_ms, look)

    look(None)


def _killed(world: World) -> None:
    world.kill_handset()


def _hung(world: World) -> None:
    world.hung = True


def _no_readings(world: World) -> None:
    world.hands = dict.fromkeys


def hands_off(world: World) -> None:
    """The hand is as it was recorded again."""
    world.hands = None


def _stuck_key(world: World) -> None:
    """Whatever button is pressed first from now on stays pressed."""
    stuck: Row = {}
    arm = world.link.arm_control

    def alter(row: Row) -> Row:
        for name, control in world.link.controls.items():
            if stuck or name == arm or not isinstance(control, ButtonControl):
                continue
            if row.get(name) == control.on:
                stuck[name] = control.on
        return {**row, **stuck}

    world.hands = alter


def _never_centres(world: World) -> None:
    """The stick stays a fifth out of the middle when it is let go; then the link is lost for a while."""
    name = sticks(world.link)[0]
    held(world, name, reading_at(world.link, name, 0.25))
    world.at(world.t_us + 300_000, lambda _: world.cut())
    world.at(
        world.t_us + 300_000 + 1000 * (world.link.failsafe.timeout_ms + 400), lambda _: world.cut(on=False)
    )


def _rail(world: World) -> None:
    name = sticks(world.link)[0]
    held(world, name, reading_at(world.link, name, world.rng.choice((-1.0, 1.0))))


def _pushed(world: World) -> None:
    name = sticks(world.link)[0]
    held(world, name, reading_at(world.link, name, world.rng.choice((-0.6, 0.6))))


def _reversing(link: Link) -> list[MotorOutput]:
    """The motors whose driver is told a direction."""
    motors = (output for output in link.outputs.values() if isinstance(output, MotorOutput))
    return [motor for motor in motors if motor.driver != "servo_pulse"]


def _thrown(world: World) -> None:
    """From one end to the other, again and again, each time long enough for the slowest motor to follow."""
    name = sticks(world.link)[0]
    ends = [reading_at(world.link, name, share) for share in (-1.0, 1.0)]
    every_us, began_us = 1000 * _throw_ms(world.link), world.t_us

    def alter(row: Row) -> Row:
        return {**row, name: ends[(world.t_us - began_us) // every_us % 2]}

    world.hands = alter


def _throw_ms(link: Link) -> int:
    slowest_ms = max(2 * motor.ramp_ms + motor.reverse_pause_ms for motor in _reversing(link))
    return slowest_ms + THROW_MS


def _never_reversed(world: World, struck_ms: float) -> str:
    moments = [moment for moment in world.trace.moments if moment.t_ms >= struck_ms]
    left_ms = next((moment.t_ms for moment in moments if moment.state is not ARMED), float("inf"))
    if left_ms < struck_ms + 2 * _throw_ms(world.link):
        # A bad medium has stopped it before there was time for both ways, and a stick that never rests keeps
        # it stopped.
        return ""
    later = [moment.values for moment in moments]
    motors = [place for place, o in enumerate(world.link.outputs.values()) if isinstance(o, MotorOutput)]
    both = any(min(v[place] for v in later) < 0 < max(v[place] for v in later) for place in motors)
    return "" if both else "no motor was reversed, so nothing was shown"


def _arm_on(world: World) -> None:
    arm = world.link.arm_control
    assert arm is not None
    control = world.link.controls[arm]
    assert isinstance(control, ButtonControl)
    held(world, arm, control.on)


def _sensor_lost(world: World) -> None:
    world.sensing = False


def _disarm_lost(world: World) -> None:
    """Arm is switched off, and what says so is lost for most of a timeout."""
    arm = world.link.arm_control
    assert arm is not None
    control = world.link.controls[arm]
    assert isinstance(control, ButtonControl)
    began_us, lasts_us = world.t_us, 2000 * press_ms(control, world.link.period_ms)

    def alter(row: Row) -> Row:
        pressed = control.toggle and world.t_us - began_us < lasts_us
        return {**row, arm: control.on if pressed else control.off}

    world.hands = alter
    world.cut()
    world.at(world.t_us + 700 * world.link.failsafe.timeout_ms, lambda _: world.cut(on=False))


def _port_gone(world: World) -> None:
    world.cut()


def _port_back(world: World) -> None:
    """The program that drove has ended; it is started again."""
    world.cut(on=False)
    world.reset_handset(boot_ms=0)


def _clocks_off(world: World) -> None:
    for clock, pace in ((world.handset_clock, 1.03), (world.machine_clock, 0.97)):
        clock.run_at(pace, world.t_us)
    world.cut()


def _loop_blocked(world: World) -> None:
    world.machine_stalled_until_us = world.t_us + 1000 * (WRAP_MS + world.rng.randrange(2000))
    world.kill_handset()


def _second_handset(world: World) -> None:
    """Somebody switches on another handset of this very link, its sticks at rest, arm off."""
    other = Handset(world.link, random=world.rng.randbytes)
    rest = world.recording.at(0)

    def turn(_: object) -> None:
        now_ms = world.t_us // 1000
        other.read(now_ms, **rest)
        wire = other.send(now_ms)
        arrival = world.medium.send(wire, world.t_us) if wire else None
        if arrival is not None:
            world.at(arrival[0], world._arrive, (arrival[1], world.t_us))
        world.at(world.t_us + 1000 * world.link.period_ms, turn)

    turn(None)


def _two_machines(world: World) -> None:
    world.twin = world.new_machine()
    world.at(world.t_us + 1_500_000, lambda _: world.cut())


def _older_file(world: World) -> None:
    """The handset is swapped for one that was built from an older link file."""
    world.handset = Handset(older(world.link), random=world.rng.randbytes)


def _stale_ms(link: Link) -> float:
    """A hung program's controls go stale first; its loop says so with its next frame."""
    stale = [control.stale_ms for control in link.controls.values() if hasattr(control, "stale_ms")]
    return max(stale, default=0) + link.period_ms


def _drift_ms(link: Link) -> float:
    return 0.04 * (link.failsafe.timeout_ms + run_down_ms(link))


has_stick = only(sticks, "no stick alone makes anything turn")
"""Links on which a stick alone makes something turn."""
_reverses = only(_reversing, "no motor has a driver with a direction", has_stick)
_recovers_at_rest = only(
    lambda link: link.failsafe.recover == "at_rest", 'failsafe.recover is not "at_rest"', has_stick
)
_armed_by_button = only(
    lambda link: isinstance(link.controls.get(link.arm_control or ""), ButtonControl), "no button arms it"
)
_read_by_hand = only(moving_controls, "no stick or slider makes anything turn")
_has_telemetry = only(lambda link: link.telemetry, "it has no telemetry")
_turns_a_motor = only(lambda link: any(o.kind == "motor" for o in link.outputs.values()), "it has no motor")

FAULTS = (
    Fault(
        "older_link_file",
        "masquerade",
        "the handset is swapped for one that was built from an older link file",
        _older_file,
        ends_in=(FAILSAFE,),
        shows=("wrong_layout",),
        shows_authenticated=(Code.SILENCE,),
        fits=sealed,
    ),
    Fault(
        "second_handset",
        "masquerade",
        "a second handset of this very link is switched on, its sticks at rest",
        _second_handset,
        must="hold",
        ends_in=ANY,
    ),
    Fault(
        "two_machines",
        "wrong address",
        "two machines were built from one link file; then the link is lost to both",
        _two_machines,
        ends_in=(FAILSAFE,),
    ),
    Fault(
        "handset_reset",
        "bench",
        "the handset restarts in mid-drive, its sequence from 0, its sticks where they are",
        _handset_reset,
        ends_in=(FAILSAFE, WAITING, STANDBY),
        fits=every_link,
    ),
    Fault(
        "machine_brown_out",
        "bench",
        "the machine restarts in mid-drive, the stick still pushed",
        _machine_reset,
        ends_in=(WAITING, STANDBY),
        fits=every_link,
    ),
    Fault(
        "flat_battery",
        "bench",
        "the battery sags under the motors until the machine restarts, again and again",
        _battery_flat,
        ends_in=(WAITING, STANDBY),
        fits=_turns_a_motor,
    ),
    Fault(
        "program_killed",
        "bench",
        "the handset's program is killed, and sends nothing more",
        _killed,
        ends_in=(FAILSAFE,),
        fits=every_link,
    ),
    Fault(
        "program_hung",
        "bench",
        "the part of the handset's program that reads the sticks hangs, the part that sends goes on",
        _hung,
        ends_in=(FAILSAFE, WAITING, STANDBY, STOPPED),
        shows=(Code.NO_READING, Code.SILENCE, Code.ARM_OFF, Code.STOPPED),
        fits=_read_by_hand,
        later_ms=_stale_ms,
    ),
    Fault(
        "no_readings",
        "bench",
        "the sticks come unplugged from the handset: none of them has a reading",
        _no_readings,
        ends_in=(FAILSAFE, WAITING, STANDBY, STOPPED),
        shows=(Code.NO_READING, Code.SILENCE, Code.ARM_OFF, Code.STOPPED),
        lasts_ms=(1500, 3000),
        heal=hands_off,
        fits=_read_by_hand,
        later_ms=lambda link: link.period_ms,
    ),
    Fault(
        "stuck_key",
        "bench",
        "a button stays down when the finger leaves it",
        _stuck_key,
        must="hold",
        ends_in=ANY,
    ),
    Fault(
        "stick_never_centres",
        "bench",
        "the stick stays a quarter out when it is let go; the link is lost, and comes back",
        _never_centres,
        ends_in=(FAILSAFE, STANDBY, WAITING),
        shows=(Code.NOT_AT_REST,),
        fits=_recovers_at_rest,
    ),
    Fault(
        "stick_thrown",
        "bench",
        "the stick is thrown from end to end: a driver whose direction changed under power would short",
        _thrown,
        must="hold",
        ends_in=ANY,
        lasts_ms=(5000, 6000),
        heal=hands_off,
        fits=_reverses,
        judge=_never_reversed,
    ),
    Fault(
        "wire_broken_at_power_up",
        "bench",
        "a wire in the handset is broken, and its stick reads an end of its range from the start",
        _rail,
        must="never",
        shows=(Code.NOT_AT_REST,),
        fits=has_stick,
    ),
    Fault(
        "stick_pushed_at_power_up",
        "bench",
        "the stick is held out of the middle from power-up on, and arm switched on",
        _pushed,
        must="never",
        shows=(Code.NOT_AT_REST,),
        fits=has_stick,
    ),
    Fault(
        "arm_on_at_power_up",
        "bench",
        "the arm control is on from power-up on",
        _arm_on,
        must="never",
        shows=(Code.ARM_OFF, Code.SWITCH_ARM_OFF),
        fits=_armed_by_button,
    ),
    Fault(
        "disarm_lost",
        "bench",
        "arm is switched off, and the first frames that say so are lost",
        _disarm_lost,
        ends_in=(STANDBY, FAILSAFE, WAITING),
        fits=_armed_by_button,
    ),
    Fault(
        "sensor_lost",
        "bench",
        "the machine's sensors give no readings any more",
        _sensor_lost,
        must="hold",
        ends_in=ANY,
        fits=_has_telemetry,
    ),
    Fault(
        "machines_own_stop",
        "bench",
        "somebody beside the machine presses its own stop switch",
        _stop_switch,
        ends_in=(STOPPED,),
        shows=(Code.STOP_SWITCH,),
        fits=only(lambda link: link.failsafe.stop_switch, "the machine has no stop switch"),
    ),
    Fault(
        "port_vanishes",
        "bench",
        "the port vanishes under the handset's program; it comes back, and the program is started again",
        _port_gone,
        lasts_ms=(700, 3000),
        heal=_port_back,
        ends_in=(FAILSAFE, WAITING),
    ),
    Fault(
        "clocks_off",
        "bench",
        "the handset's clock runs 3 % fast and the machine's 3 % slow; then the cable comes off",
        _clocks_off,
        ends_in=(FAILSAFE,),
        later_ms=_drift_ms,
    ),
    Fault(
        "loop_blocked",
        "bench",
        "the machine's loop is blocked for longer than its clock takes to wrap, the handset gone meanwhile",
        _loop_blocked,
        ends_in=(FAILSAFE,),
        later_ms=lambda link: WRAP_MS + 2000,
        fits=_turns_a_motor,
        holds_up=True,
    ),
)
