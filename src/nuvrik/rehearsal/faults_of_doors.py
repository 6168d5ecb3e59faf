"""Faults of whatever else may move a link: contacts whose wire comes off, places that nobody gives, a source,
a pad or a door that takes over, and the builder's own code that will not have enough."""

from collections.abc import Generator

from nuvrik.budget.stop import run_down_ms
from nuvrik.core.machine.states import ARMED, FAILSAFE, STANDBY, STOPPED, WAITING
from nuvrik.ends.rests import RestsFirst
from nuvrik.failsafe.why import Code
from nuvrik.plan.controls import AxisControl, ButtonControl, SliderControl
from nuvrik.plan.form.models import Link
from nuvrik.plan.telemetry import DigitalItem
from nuvrik.plan.wiring import output_routes, place_channels, turning_controls
from nuvrik.recordings.recording import Row
from nuvrik.rehearsal.fault import ANY, Fault, Fit, only, sealed
from nuvrik.rehearsal.faults_at_the_ends import hands_off, has_stick
from nuvrik.rehearsal.faults_of_hands import has_own_code, nothing_more, own_code, shared, two_sources
from nuvrik.rehearsal.hands import moving_controls, reading_at, sticks
from nuvrik.rehearsal.world import World

OPEN = 1
"""What a pin with a pull-up reads whose wire to a contact has come off."""

TAKES_OVER_MS = 300
"""How long both of two sources are pushed before the first of them goes quiet."""

RETRIES_MS = 150
"""How soon code that has cut an output off tries whether it may go on."""

ENDS_AFTER = 30
"""How many turns of the machine's loop own code moves something before it ends the program."""


def pushed_row(world: World) -> Row:
    """The hand as it is now, every stick that makes something turn pushed over."""
    link, row = world.link, world.recording.at(world.t_us // 1000)
    return row | {name: reading_at(link, name, 0.6) for name in sticks(link)}


# ---- contacts ------------------------------------------------------------------------------------


def _stop_button(link: Link) -> ButtonControl | None:
    stop = link.controls.get(link.failsafe.stop or "")
    return stop if isinstance(stop, ButtonControl) else None


def _stop_wire_broken(world: World) -> None:
    """A pin with a pull-up reads open; where the button is on no pin, there is no reading."""
    name, button = world.link.failsafe.stop, _stop_button(world.link)
    assert name is not None and button is not None
    reads = None if button.pin is None else OPEN

    def alter(row: Row) -> Row:
        return {**row, name: reads}

    world.hands = alter


def _switch_item(link: Link) -> DigitalItem | None:
    item = link.telemetry.get(link.failsafe.stop_switch or "")
    return item if isinstance(item, DigitalItem) and item.pin is not None else None


def _stop_contact_open(world: World) -> None:
    """What the machine's own pin reads with its wire off: pressed only if the contact opens when pressed."""
    item, name = _switch_item(world.link), world.link.failsafe.stop_switch
    assert item is not None and name is not None
    if item.active == "high":
        world.plant.sensors.pressed.add(name)


def _unnoticed(world: World, struck_ms: float) -> str:
    if any(moment.state is STOPPED for moment in world.trace.moments if moment.t_ms >= struck_ms):
        return ""
    return "the broken wire was not noticed: a contact that closes when pressed reads open, not pressed"


# ---- readings that nobody gives ------------------------------------------------------------------


def places_alone(link: Link) -> list[str]:
    """The sticks and sliders that say where something is to be, and turn nothing."""
    stand, turn = place_channels(link), turning_controls(link)
    says = {name for channel in stand for name in link.channels[channel].sources.values()}
    return [n for n in says - turn if isinstance(link.controls[n], AxisControl | SliderControl)]


def _places_unread(world: World) -> None:
    unread: Row = dict.fromkeys(places_alone(world.link))
    world.hands = lambda row: {**row, **unread}


def _place_went(world: World, struck_ms: float) -> str:
    """An output whose reading nobody gave is told the same from power-up on, until the link is lost."""
    link, moments = world.link, world.trace.moments
    unread = set(places_alone(link))
    channels = {n for n, c in link.channels.items() if not unread.isdisjoint(c.sources.values())}
    stays = [p for p, r in enumerate(output_routes(link).values()) if channels & set(r.channels)]
    for moment in moments:
        for place in stays:
            if moment.state is not FAILSAFE and moment.demands[place] != moments[0].demands[place]:
                name = list(link.outputs)[place]
                return f"{name} moved at {moment.t_ms:.0f} ms, and nobody had said where it is to be"
    return ""


# ---- whoever takes over --------------------------------------------------------------------------


def _both_pushed(world: World) -> None:
    """Two sources are pushed together, both having been at rest; then the one that drives goes quiet."""
    names = shared(world.link)
    assert names is not None
    row = world.recording.at(world.t_us // 1000)
    over: Row = row | {name: reading_at(world.link, name, 0.5) for name in names}
    goes_us = world.t_us + 1000 * TAKES_OVER_MS

    def alter(_: Row) -> Row:
        return over if world.t_us < goes_us else {**over, names[0]: None}

    world.hands = alter


def _drove_on(world: World, struck_ms: float) -> str:
    """Who is pushed when they take over have no say until they have been at rest."""
    # A hold is no motion: it goes on, whatever is left.
    levels = zip(world.link.outputs.values(), world.trace.moments[-1].demands, strict=True)
    drove = any(output.turns and demand.level for output, demand in levels)
    return "what took over was pushed, and drove at once" if drove else ""


def _pad_back_pushed(world: World) -> None:
    """A pad is gone for less than the timeout, and is back with its sticks pushed. Arm is not on the pad."""
    link, rests = world.link, RestsFirst(world.link)
    back_us = world.t_us + 600 * link.failsafe.timeout_ms
    pushed, lost = pushed_row(world), dict.fromkeys(moving_controls(link))

    def alter(_: Row) -> Row:
        came: Row = pushed if world.t_us >= back_us else {**pushed, **lost}
        return {name: rests.take(name, value) for name, value in came.items()}

    world.hands = alter


def _second_door(world: World) -> None:
    """Somebody else takes the hand, at another door, with the sticks pushed."""
    assert world.handset is not None
    pushed = pushed_row(world)
    world.hands = lambda row: pushed
    world.handset.change_hands(world.handset_clock.ms(world.t_us))


# ---- the builder's own code ----------------------------------------------------------------------


def _own_code_retries(world: World) -> None:
    """Own code leaves every output nothing; and lifts that and takes it back again and again, the sticks held
    over all the while."""
    pushed = pushed_row(world)
    machine, turning = world.machine, _turning(world.link)
    began_us = world.t_us

    def held(row: Row) -> Row:
        return pushed

    def watch(_: object) -> None:
        ended = world.hands is not held
        most = 1.0 if ended else float((world.t_us - began_us) // (1000 * RETRIES_MS) % 2)
        for name in turning:
            machine.limit(name, most)
        if not ended:
            world.at(world.t_us + 1000 * world.link.tick_ms, watch)

    world.hands = held
    watch(None)


def _drove_while_cut_off(world: World, struck_ms: float) -> str:
    """From when it has run down until the sticks are let go."""
    link, moments = world.link, world.trace.moments
    ends = [t_ms for t_ms, what in world.trace.marks if what.endswith("ends")]
    since, until = struck_ms + run_down_ms(link) + 2 * link.tick_ms, min([*ends, float("inf")])
    turning = [place for place, output in enumerate(link.outputs.values()) if output.turns]
    drove = any(m.demands[p].level for m in moments if since < m.t_ms < until for p in turning)
    return "what was cut off drove again with the sticks held over" if drove else ""


def _turning(link: Link) -> list[str]:
    return [name for name, output in link.outputs.items() if output.turns]


def _own_code_exits(world: World) -> None:
    """The builder's routine moves whatever turns, and then ends the whole program."""
    name = own_code(world.link)
    assert name is not None and world.handset is not None
    turning = _turning(world.link) or list(world.link.outputs)

    def routine(**given: int) -> Generator[dict[str, float], None, None]:
        yield from [dict.fromkeys(turning, 0.5)] * ENDS_AFTER
        raise SystemExit("battery flat")

    world.machine.on_request(name, routine)
    request = world.link.requests[name]
    world.handset.request(name, **request.given([part.low for part in request.parts]))


_has_stop_button: Fit = only(_stop_button, "no button stops it")
_has_stop_switch: Fit = only(_switch_item, "the machine has no stop switch on a pin")
_has_places: Fit = only(places_alone, "no stick or slider says only where something is to be", sealed)
_is_armed: Fit = only(lambda link: link.arm_channel, "nothing arms it", has_stick)
_turns: Fit = only(lambda link: _turning(link) and moving_controls(link), "nothing that turns has a stick")

FAULTS = (
    Fault(
        "stop_wire_broken",
        "bench",
        "the wire of the stop button breaks: its pin reads open; where it is on no pin, it has no reading",
        _stop_wire_broken,
        ends_in=(STOPPED,),
        shows=(Code.STOPPED,),
        fits=_has_stop_button,
        judge=_unnoticed,
        # Its last reading has to go stale, or settle; a frame is due within a period.
        later_ms=lambda link: link.period_ms,
    ),
    Fault(
        "stop_contact_open",
        "bench",
        "the wire of the machine's own stop switch breaks: its pin reads open",
        _stop_contact_open,
        ends_in=(STOPPED,),
        shows=(Code.STOP_SWITCH,),
        fits=_has_stop_switch,
        judge=_unnoticed,
    ),
    Fault(
        "place_not_given",
        "bench",
        "what says where the servos are to be has no reading from power-up on: they stay where they are",
        nothing_more,
        before=_places_unread,
        must="hold",
        ends_in=ANY,
        reaches=ARMED,
        fits=_has_places,
        judge=_place_went,
    ),
    Fault(
        "source_takes_over_pushed",
        "bench",
        "the first of two sources goes quiet while the second, at rest once, is pushed",
        _both_pushed,
        ends_in=(FAILSAFE, WAITING, STANDBY, STOPPED),
        fits=two_sources,
        judge=_drove_on,
        later_ms=lambda link: TAKES_OVER_MS + link.period_ms,
    ),
    Fault(
        "pad_back_pushed",
        "bench",
        "a pad is lost for a moment, and comes back with its sticks pushed",
        _pad_back_pushed,
        ends_in=(FAILSAFE, WAITING, STANDBY, STOPPED),
        fits=has_stick,
        judge=_drove_on,
        later_ms=lambda link: link.failsafe.timeout_ms,
    ),
    Fault(
        "second_door",
        "masquerade",
        "somebody else takes the hand at another door, with the sticks pushed",
        _second_door,
        ends_in=(FAILSAFE, WAITING, STANDBY, STOPPED),
        fits=_is_armed,
        judge=_drove_on,
        later_ms=lambda link: link.period_ms,
    ),
    Fault(
        "own_code_retries",
        "bench",
        "the builder's own code cuts everything off, and tries again and again, the sticks held over",
        _own_code_retries,
        must="hold",
        ends_in=ANY,
        lasts_ms=(2500, 3000),
        heal=hands_off,
        fits=_turns,
        judge=_drove_while_cut_off,
        own_code=True,
    ),
    Fault(
        "own_code_exits",
        "bench",
        "the builder's own code moves something, and ends the whole program",
        _own_code_exits,
        # Whoever drives may have disarmed it meanwhile.
        ends_in=(STOPPED, STANDBY),
        shows=(Code.STOPPED, Code.ARM_OFF),
        fits=has_own_code,
        later_ms=lambda link: ENDS_AFTER * link.tick_ms,
        own_code=True,
    ),
)
