"""Rules about numbers: do rates, sizes, pins and currents fit together?"""

from collections.abc import Iterator, Mapping
from itertools import pairwise

from nuvrik.plan.controls import AxisControl, ButtonControl, KeyControl, SliderControl
from nuvrik.plan.form.frame_base import MAX_BODY
from nuvrik.plan.form.media import Packets, RadioMedium, retries_of
from nuvrik.plan.outputs.base import PULSE, PWM
from nuvrik.plan.problems import Problem, listing
from nuvrik.plan.rules.draft import Draft, longest_body, longest_on_wire
from nuvrik.plan.telemetry import DigitalItem

SEQUENCE_HALF = 127
"""Sequence numbers that count as newer; a timeout must come before they run out."""


MOST_EACH = 250
"""So many entries of one section have a place among the numbers that a machine runs on: a byte, but for a
few."""


def places(draft: Draft) -> Iterator[Problem]:
    """There are no more of anything than the tables have places for."""
    for section in ("controls", "channels", "outputs", "telemetry", "requests"):
        count = len(getattr(draft, section) or {})
        if count > MOST_EACH:
            yield Problem(
                "error",
                section,
                f"there are {count}; a machine has places for {MOST_EACH}",
                "leave some out, or make two links of it",
            )


PATIENT_MS = 150
PATIENT_ON_THE_AIR_MS = 250
"""A page's word holds for stale_ms. In less than this a tick, its answer and two frames of a screen do not
fit well; Wi-Fi adds some tens of ms now and then."""


def patience(draft: Draft) -> Iterator[Problem]:
    """A control that is soon without a reading leaves a page little time."""
    for name, control in draft.controls.items():
        stale_ms = getattr(control, "stale_ms", PATIENT_MS)
        if stale_ms < PATIENT_MS:
            what = f"is {stale_ms}: a page in a browser would often have no reading"
            do = f"give it {PATIENT_MS}, or {PATIENT_ON_THE_AIR_MS} over Wi-Fi, if nuvrik panel drives"
            yield Problem("note", f"controls.{name}.stale_ms", what, do)


def timing(draft: Draft) -> Iterator[Problem]:
    """The timeout fits the rate."""
    if draft.link is None or draft.failsafe is None:
        return
    period, timeout = draft.link.period_ms, draft.failsafe.timeout_ms
    numbered = draft.frame is None or "no_sequence" not in draft.frame.lacks
    if timeout >= SEQUENCE_HALF * period and numbered:
        yield Problem(
            "error",
            "failsafe.timeout_ms",
            f"is {timeout}; with a frame every {period} ms it must be under {SEQUENCE_HALF * period}",
            "lower it, or lower link.rate_hz: sequence numbers must not run out before the timeout",
        )
    elif timeout <= period:
        yield Problem(
            "error",
            "failsafe.timeout_ms",
            f"is {timeout}, not longer than the {period} ms between frames, so it always trips",
            f"use at least {3 * period}",
        )
    elif timeout < 3 * period:
        yield Problem(
            "warning",
            "failsafe.timeout_ms",
            f"is {timeout}: a single lost frame ({period} ms apart) nearly trips it",
            f"use at least {3 * period}",
        )
    if 1000 % draft.link.rate_hz:
        yield Problem(
            "note",
            "link.rate_hz",
            f"is {draft.link.rate_hz}; in whole milliseconds that is a frame every {period} ms, "
            f"{1000 / period:.1f} Hz",
            "nothing, if that is acceptable",
        )


def sizes(draft: Draft) -> Iterator[Problem]:
    """The frame fits in a body, in a packet, and on the air."""
    body = longest_body(draft)
    if not body:
        return
    if body > MAX_BODY:
        yield Problem(
            "error", "channels", f"make a frame of {body} bytes; the most is {MAX_BODY}", "use fewer bits"
        )
    medium = draft.medium
    if isinstance(medium, Packets) and body > medium.payload_max:
        yield Problem(
            "error",
            "medium.payload_max",
            f"is {medium.payload_max}, but a frame is {body} bytes",
            "use fewer bits in the channels, or a module that carries more",
        )
    if medium is None or draft.link is None:
        return
    travels = longest_on_wire(draft)
    airtime_ms = medium.airtime_us(travels) / 1000
    period, tries = draft.link.period_ms, retries_of(medium, travels)
    if airtime_ms >= period:
        yield Problem(
            "error",
            "link.rate_hz",
            f"is {draft.link.rate_hz}, but a frame takes {airtime_ms:.1f} ms of the {period} ms it has",
            "lower the rate, or use a faster medium",
        )
    elif airtime_ms + tries.longest_ms >= period:
        takes = f"{airtime_ms + tries.longest_ms:.1f} ms of the {period} ms it has"
        # Worse than losing it: the frames behind it would queue up, and every one of them be old.
        yield Problem(
            "error",
            "medium.retries",
            f"is {tries.most}: with all of them a frame takes {takes}, and the next ones queue up behind it",
            f"use {int((period - 0.001 - airtime_ms) * 1000 // tries.each_us)} at most, or lower the rate",
        )


def pins(draft: Draft) -> Iterator[Problem]:
    """No pin has two users, and the board has them all."""
    board = draft.board
    outputs = {
        f"outputs.{name}.{one.key}": (one.number, one.role in (PWM, PULSE))
        for name, output in draft.outputs.items()
        if output is not None
        for one in output.on_pins
    }
    named: dict[str, int | None] = {user: pin for user, (pin, _) in outputs.items()}
    named |= {f"telemetry.{name}.pin": item.pin for name, item in draft.telemetry.items() if item is not None}
    reserved = dict.fromkeys(board.reserved, "board.reserved") if board else {}
    yield from _own_pins(named | _medium_pins(draft, "machine"), reserved)
    if board is None:
        return
    for user, (pin, powers) in outputs.items():
        if board.pins is not None and pin >= board.pins:
            what = f"is pin {pin}, but the board has pins 0 to {board.pins - 1}"
            yield Problem("error", user, what, "use one that it has")
        if powers and board.pwm_pins is not None and pin not in board.pwm_pins:
            can = listing(map(str, board.pwm_pins))
            yield Problem("error", user, f"is pin {pin}, which cannot carry PWM", f"use {can}")


def _medium_pins(draft: Draft, end: str) -> dict[str, int | None]:
    pins = getattr(draft.medium, "pins", None)
    keys = (f"{end}_in", f"{end}_out")
    named = {f"medium.pins.{key}": getattr(pins, key, None) for key in keys}
    chip = draft.medium.pins_of(end) if isinstance(draft.medium, RadioMedium) else None
    return named | {f"medium.{end}.{key}": pin for key, pin in (chip or ())}


def _own_pins(pins: Mapping[str, int | None], users: dict[int, str]) -> Iterator[Problem]:
    """Each of some pins, by the keys that name them, has no user yet."""
    for user, pin in pins.items():
        if pin is None:
            continue
        if pin in users:
            what = f"is pin {pin}, which {users[pin]} uses too"
            yield Problem("error", user, what, "give each its own pin")
        users.setdefault(pin, user)


def control_pins(draft: Draft) -> Iterator[Problem]:
    """No pin of the handset's board reads two controls."""
    named = {
        f"controls.{name}.{key}": getattr(control, key, None)
        for name, control in draft.controls.items()
        for key in ("pin", "pin_b")
    }
    yield from _own_pins(named | _medium_pins(draft, "handset"), {})


def contacts(draft: Draft) -> Iterator[Problem]:
    """What a broken wire does. A contact lies between a pin and ground, and the board's pull-up is on: a
    broken wire reads open. So what stops has to open when it is pressed, and what arms has to close."""
    failsafe = draft.failsafe
    stop = failsafe.stop if failsafe else None
    arming = draft.channels.get(failsafe.arm) if failsafe else None
    arms = arming.sources.values() if arming is not None else ()
    for name, control in draft.controls.items():
        if not isinstance(control, ButtonControl) or control.pin is None:
            continue
        where, opens = f"controls.{name}.active", control.active == "high"
        if name == stop:
            yield from _stops(where, "the stop", opens=opens)
        elif opens and name in arms:
            what = 'is "high": this contact opens when it is pressed, so a broken wire arms'
            yield Problem("error", where, what, 'use a contact that closes, and active = "low"')
        elif opens:
            what = 'is "high", but a contact to ground reads 0 while it closes: a broken wire reads pressed'
            yield Problem("warning", where, what, 'say active = "low", or pull the pin down yourself')
    named = {failsafe.stop_switch: "the machine's stop switch"} if failsafe and failsafe.stop_switch else {}
    for output, model in draft.outputs.items():
        for key in ("end_forward", "end_backward"):
            named |= {getattr(model, key): f"an end switch of {output}"} if getattr(model, key, None) else {}
    for name, what in named.items():
        item = draft.telemetry.get(name)
        if isinstance(item, DigitalItem) and item.pin is not None:
            yield from _stops(f"telemetry.{name}.active", what, opens=item.active == "high")


def _stops(where: str, what: str, *, opens: bool) -> Iterator[Problem]:
    if opens:
        said = (
            f'is "high": {what} opens when pressed. A broken wire stops; one shorted to ground is not noticed'
        )
        yield Problem("note", where, said, "nothing: that is the safe way round")
    else:
        said = f'is "low": {what} closes when pressed, and a broken wire will not be noticed'
        yield Problem("warning", where, said, 'use a contact that opens when pressed, and active = "high"')


def same_item(draft: Draft) -> Iterator[Problem]:
    """Two controls that one item of a source moves are probably a slip."""
    moved: dict[str, str] = {}
    for name, control in draft.controls.items():
        item = getattr(control, "source", None)
        if item is not None and item in moved:
            what = f'is "{item}", which moves {moved[item]} too'
            yield Problem("warning", f"controls.{name}.source", what, "name another item, or leave it")
        elif item is not None:
            moved[item] = name


def power_up(draft: Draft) -> Iterator[Problem]:
    """Nothing runs while the board starts and its program does not yet hold the pins."""
    for name, output in draft.outputs.items():
        if output is None:
            continue
        roles = [one.key.rpartition(".")[2] for one in output.on_pins]
        for role, level in output.at_power_up.items():
            where = f"outputs.{name}.at_power_up.{role}"
            if roles and role not in roles:
                yield Problem("error", where, "is no pin of this output", f"its pins are {listing(roles)}")
            elif (runs := output.runs_at_start(role, level)) is not None:
                yield Problem("warning", where, *runs)


def supply(draft: Draft) -> Iterator[Problem]:
    """What feeds the outputs can feed them all at once."""
    board, fed = draft.board, {"supply": 0, "regulator": 0}
    for name, output in draft.outputs.items():
        if output is None:
            continue
        fed[output.fed_from] += output.current_ma or 0
        if output.fed_from == "regulator" and output.moves:
            what = "is the board's own regulator, which a stalled motor pulls down: the board resets"
            yield Problem(
                "warning", f"outputs.{name}.fed_from", what, "feed it from the supply, with a common ground"
            )
    if board is None:
        return
    both = {
        "regulator": (board.regulator_ma, fed["regulator"]),
        "supply": (board.supply_ma, sum(fed.values())),
    }
    for what, (most, drawn) in both.items():
        if most is not None and drawn > most:
            yield Problem(
                "warning",
                f"board.{what}_ma",
                f"is {most}, but the outputs on it draw {drawn} mA together",
                "use a stronger one, or feed some of them elsewhere",
            )


def twins(draft: Draft) -> Iterator[Problem]:
    """Two sticks of one box usually behave alike; a difference is probably a slip."""
    axes = [(name, control) for name, control in draft.controls.items() if isinstance(control, AxisControl)]
    for (first, one), (second, other) in pairwise(axes):
        if one.on_release != other.on_release:
            what = f"{first} is to {one.on_release} when let go, {second} to {other.on_release}"
            yield Problem(
                "note", f"controls.{second}.on_release", what, "nothing, if the two are meant to differ"
            )


def rests(draft: Draft) -> Iterator[Problem]:
    """A control at rest says nothing, or the machine can never be armed."""
    band = draft.failsafe.rest_band if draft.failsafe else 0.0183
    for name, control in draft.controls.items():
        if isinstance(control, AxisControl | SliderControl) and abs(control.trim) > band:
            what = f"is {control.trim}: at rest it is {abs(control.trim):.0%} from zero, beyond rest_band"
            yield Problem(
                "warning",
                f"controls.{name}.trim",
                what,
                "mend the rest in raw instead, or widen rest_band",
            )
        if (
            isinstance(control, KeyControl)
            and draft.failsafe
            and control.released_after_ms >= draft.failsafe.timeout_ms
        ):
            held_ms = control.released_after_ms
            what = f"is {held_ms}, not shorter than timeout_ms: a lost key outlasts a lost link"
            yield Problem(
                "note",
                f"controls.{name}.released_after_ms",
                what,
                "use a little more than the remote's repeat time",
            )
