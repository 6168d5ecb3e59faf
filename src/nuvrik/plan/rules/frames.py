"""Rules about frames and what comes back: does the style give what the link needs of it?"""

from collections.abc import Iterator, Mapping, Sequence

from nuvrik.core.sizes import MOST_TRIGGERS
from nuvrik.plan.controls import ButtonControl, KeyControl
from nuvrik.plan.form.frame_actions import KeyAction
from nuvrik.plan.form.frame_base import LACKS, Lack
from nuvrik.plan.form.media import InfraredMedium, Packets, UdpMedium, transit_us
from nuvrik.plan.form.requests import AnyRequest, HomeRequest, RoutineRequest, StepsRequest
from nuvrik.plan.layout import answers_bytes, payload_room
from nuvrik.plan.problems import Problem, listing
from nuvrik.plan.rules.draft import Draft, longest_on_wire, unknown
from nuvrik.plan.telemetry import DemandItem, DistanceItem, ShaftItem, VectorItem


def answers_fit(draft: Draft) -> Iterator[Problem]:
    """A packet holds what a link with requests has to say."""
    medium, frame, requests = draft.medium, draft.frame, [r for r in draft.requests.values() if r is not None]
    if not isinstance(medium, Packets) or frame is None or not requests:
        return
    short = answers_bytes(requests) - payload_room(medium, frame)
    if short > 0:
        bytes_each = 1 if frame.sealed else 2  # two hex digits
        what = f"is {medium.payload_max}, {short * bytes_each} bytes too few for requests"
        yield Problem(
            "error",
            "medium.payload_max",
            f"{what} and hello",
            "use a module that carries more, or no requests",
        )


def lacks(draft: Draft) -> Iterator[Problem]:
    """What a style or a code cannot give is accepted by name, and nothing else is."""
    if draft.frame is not None:
        style = f'style "{draft.frame.style}"'
        yield from _lacks(
            "frame.accept", style, draft.frame.lacks, draft.frame.accept, '"packed" provides everything'
        )
    medium = draft.medium
    if isinstance(medium, InfraredMedium):
        code = f'a code of protocol "{medium.protocol}"'
        yield from _lacks("medium.accept", code, medium.lacks, medium.accept, "no code provides everything")


def _lacks(
    where: str, what: str, lacking: Sequence[Lack], accepted: Sequence[Lack], else_: str
) -> Iterator[Problem]:
    missing = [lack for lack in lacking if lack not in accepted]
    if missing:
        costs = "; ".join(f"{lack}: {LACKS[lack]}" for lack in missing)
        named = ", ".join(f'"{lack}"' for lack in lacking)
        yield Problem(
            "error",
            where,
            f"does not name {listing(missing)}, which {what} does not provide ({costs})",
            f"if that is acceptable, write accept = [{named}]; {else_}",
        )
    for lack in accepted:
        if lack not in lacking:
            yield Problem("error", where, f'names "{lack}", which {what} provides', "take it out")
        else:
            yield Problem("note", where, f"{lack}: {LACKS[lack]}", "nothing, if that is acceptable")


def delay_guard(draft: Draft) -> Iterator[Problem]:
    """A delay guard has telemetry to go by, a style that can carry it, and time for a round trip."""
    guard_ms = draft.failsafe.delay_guard_ms if draft.failsafe else None
    if guard_ms is None:
        return
    where = "failsafe.delay_guard_ms"
    if not draft.telemetry:
        what = "is given, but nothing comes back by which a handset could show how old its commands are"
        yield Problem("error", where, what, "add telemetry, or take it out")
    if draft.frame is not None and not draft.frame.sealed:
        what = f'is given, and style "{draft.frame.style}" has no room for it'
        yield Problem("error", where, what, 'use "packed" or "slip", or take it out')
    medium, link = draft.medium, draft.link
    if medium is not None and link is not None:
        way_ms = -(-transit_us(medium, longest_on_wire(draft)) // 1000) + medium.jitter_ms
        trip_ms = 2 * way_ms + guard_ms // 3 + 2 * link.period_ms + link.tick_ms
        if trip_ms > guard_ms:
            what = f"is {guard_ms}, and there and back may take {trip_ms}: good commands would be refused"
            yield Problem("error", where, what, f"make it {3 * (trip_ms - guard_ms // 3) // 2 + 10} or more")


MOST_TOLD = 249
"""Frames that a machine sends within a delay guard: what a command was made from is one byte of a counter."""

MOST_RECENT = 100
"""Periods in a timeout: the lead that a handset takes over another is 128 frames."""

ANSWER_ROOM, HELLO_ROOM = 31, 38
"""The bytes of a packet that the answer to a search needs, and a whole page of a hello."""


def authenticated(draft: Draft) -> Iterator[Problem]:
    """What authenticated frames need, and what they leave open."""
    frame, rules, link, medium = draft.frame, draft.failsafe, draft.link, draft.medium
    if rules is not None and rules.stop_without_key and not (frame and frame.key_name):
        what = "is given, and there is no key: anybody may do anything already"
        yield Problem(
            "error", "failsafe.stop_without_key", what, "take it out, or name a key_file in [frame]"
        )
    if frame is None or frame.key_name is None:
        if isinstance(medium, UdpMedium):
            yield Problem(
                "note",
                "medium",
                "is a network, and the link has no key: whoever is in it and knows pair and layout is obeyed",
                'for [frame] key_file = "NAME.key", see docs/security.md',
            )
        return
    if not draft.telemetry:
        what = "is given, and nothing comes back by which a command could show how old it is"
        yield Problem("error", "frame.key_file", what, "add telemetry, if only of one item")
    if rules is None or link is None:
        return
    if rules.delay_guard_ms is None and draft.telemetry:
        what = "is missing: with a key, commands show how old they are"
        yield Problem("error", "failsafe.delay_guard_ms", what, "add it: 500, or more on a slow link")
    if rules.timeout_ms >= MOST_RECENT * link.period_ms:
        what = f"is {rules.timeout_ms}, {MOST_RECENT} periods or more: two handsets could not be told apart"
        yield Problem(
            "error", "failsafe.timeout_ms", what, f"make it {MOST_RECENT * link.period_ms - 1} or less"
        )
    if rules.delay_guard_ms is not None:
        told = rules.delay_guard_ms * (
            sum(1000 / item.every_ms for item in draft.telemetry.values() if item) + 40 + link.rate_hz
        )
        if told > 1000 * MOST_TOLD:
            what = f"is {rules.delay_guard_ms}, and the machine may send {told / 1000:.0f} frames in it"
            most = int(1000 * MOST_TOLD * rules.delay_guard_ms / told)
            yield Problem("error", "failsafe.delay_guard_ms", what, f"make it {most} or less")
    if isinstance(medium, Packets) and medium.payload_max < HELLO_ROOM:
        if medium.payload_max < ANSWER_ROOM:
            what = f"is {medium.payload_max}; the answer to a search takes {ANSWER_ROOM}"
            yield Problem("error", "medium.payload_max", what, "use a module that carries more, or no key")
        else:
            what = (
                f"is {medium.payload_max}, {HELLO_ROOM - medium.payload_max} too few for a hello with a key"
            )
            yield Problem(
                "note", "medium.payload_max", what, "nothing: whether builds differ is not compared"
            )
    open_to = "jamming; who holds a board or the file; who may open the panel; and it hides nothing"
    yield Problem("note", "frame.key_file", f"leaves open: {open_to}", "nothing; see docs/security.md")
    if rules.stop_without_key:
        what = "lets anybody in range stop it, at once and without a ramp, for as long as they like"
        yield Problem("note", "failsafe.stop_without_key", what, "nothing, if that is wanted")


def texts(draft: Draft) -> Iterator[Problem]:
    """Text fields and keys name channels that exist."""
    frame = draft.frame
    if frame is None:
        return
    for key, names in frame.named.items():
        for name in names:
            if name not in draft.channels:
                yield unknown(f"frame.{key}.{name}", name, "channel", draft.channels)
    if not frame.says_no_reading:
        yield Problem(
            "note",
            "frame",
            "has no way of saying that a control has no reading: the handset then sends nothing, and the "
            "machine stops after timeout_ms; only a place is sent as it was sent last",
            'nothing, or style = "line" with missing = "no_reading"',
        )
    if frame.actions:
        yield from _keys(draft, frame.actions)


def _keys(draft: Draft, actions: Mapping[str, KeyAction]) -> Iterator[Problem]:
    arm = draft.failsafe.arm if draft.failsafe else "none"
    sets: set[str] = set()
    for key, action in actions.items():
        sets |= action.set.keys()
        if arm in action.add:
            yield Problem(
                "error",
                f"frame.keys.{key}.add",
                f'steps "{arm}", the arm channel',
                "set it to 0 or 1 instead",
            )
    if arm != "none" and arm not in sets and draft.channels.get(arm) is not None:
        yield Problem(
            "error", "frame.keys", f'never set "{arm}", so nothing can be armed', "add a key that does"
        )
    if not any(idles(action) for action in actions.values()):
        yield Problem(
            "warning",
            "frame.keys",
            "all step something, so a link at rest has nothing to send and times out",
            "add a key that sets a value",
        )


def idles(action: KeyAction) -> bool:
    """Whether a key can be sent again and again without changing anything more."""
    return not action.stop and not action.add


def _started_by_hand(draft: Draft, name: str, request: AnyRequest | None) -> Iterator[Problem]:
    """A button that starts a request is one, and says all that the request wants to know."""
    if request is None:
        return
    where = f"requests.{name}.when"
    if request.when is None:
        if request.when_args:
            yield Problem("error", f"{where}_args", "is given without when", "name the button that starts it")
        return
    control = draft.controls.get(request.when)
    if request.when not in draft.controls:
        yield unknown(where, request.when, "control", draft.controls)
    elif control is not None and not isinstance(control, ButtonControl | KeyControl):
        what = f'is "{request.when}", a control of kind {control.kind}, which is not pressed'
        yield Problem("error", where, what, "name a button or a key")
    for key in request.when_args.keys() ^ request.arguments.keys():
        known = key in request.arguments
        what = (
            f"has no {key}, which the request wants"
            if known
            else f"has {key}, which the request does not take"
        )
        yield Problem("error", f"{where}_args", what, "give it" if known else "take it out")
    for key in request.when_args.keys() & request.arguments.keys():
        argument = request.arguments[key]
        try:
            low, high = argument.limits
            if not all(low <= number <= high for number in argument.numbers(request.when_args[key])):
                raise ValueError(f"{request.when_args[key]} is not from {low} to {high}")
        except (TypeError, ValueError) as error:
            yield Problem("error", f"{where}_args.{key}", f"is wrong: {error}", "give a value that it takes")


def _steps(draft: Draft, name: str, request: RoutineRequest) -> Iterator[Problem]:
    """A routine moves what there is, and a switch is off or on."""
    for number, step in enumerate(request.steps, 1):
        for output, to in step.levels.items():
            where = f"requests.{name}.steps"
            if output not in draft.outputs:
                yield unknown(f"{where}.{number}", output, "output", draft.outputs)
            elif getattr(draft.outputs[output], "switched_by", None) and to not in (0, 1):
                what = f"step {number} moves {output}, a switch, to {to:g}"
                yield Problem("error", where, what, "0 is off, 1 is on")


def backward(draft: Draft) -> Iterator[Problem]:
    """Telemetry, requests and cues name what exists, and can travel."""
    for name, item in draft.telemetry.items():
        if isinstance(item, DemandItem | ShaftItem) and item.of is not None:
            if item.of not in draft.outputs:
                yield unknown(f"telemetry.{name}.of", item.of, "output", draft.outputs)
            elif isinstance(item, ShaftItem) and not item.sensor:
                output = draft.outputs[item.of]
                if output is not None and not output.steps_hz:
                    what = f'is "{item.of}", a {output.kind}: without a sensor nobody knows how far it turned'
                    yield Problem("error", f"telemetry.{name}.of", what, "name a stepper, or fit a sensor")
        elif isinstance(item, ShaftItem) and not item.sensor:
            yield Problem("error", f"telemetry.{name}.of", "is missing", "name the stepper it speaks of")
    started = [name for name, request in draft.requests.items() if request is not None and request.when]
    if len(started) > MOST_TRIGGERS:
        what = f"is the {len(started)}th that a button starts"
        yield Problem(
            "error", f"requests.{started[-1]}.when", what, f"a handset has room for {MOST_TRIGGERS}"
        )
    for name, request in draft.requests.items():
        yield from _started_by_hand(draft, name, request)
        if isinstance(request, StepsRequest | HomeRequest):
            output = draft.outputs.get(request.output)
            if request.output not in draft.outputs:
                yield unknown(f"requests.{name}.output", request.output, "output", draft.outputs)
            elif output is not None and not output.steps_hz:
                what = f'is "{request.output}", a {output.kind}'
                yield Problem("error", f"requests.{name}.output", what, "name a stepper")
            elif output is not None and isinstance(request, HomeRequest) and request.against:
                key = f"end_{request.against}"
                if getattr(output, key, None) is None:
                    what = f'is "{request.against}", but {request.output} has no {key}'
                    do = f"give it the switch there: outputs.{request.output}.{key}"
                    yield Problem("error", f"requests.{name}.against", what, do)
        elif isinstance(request, RoutineRequest):
            yield from _steps(draft, name, request)
    for name, cue in draft.cues.items():
        if cue is None:
            continue
        source = draft.telemetry.get(cue.source)
        if cue.source not in draft.telemetry:
            yield unknown(f"cues.{name}.from", cue.source, "telemetry", draft.telemetry)
        elif source is not None and (not hasattr(source, "range") or isinstance(source, VectorItem)):
            what = f'is "{cue.source}", of kind {source.kind}'
            yield Problem("error", f"cues.{name}.from", what, "name a range, volts or analog")
        elif isinstance(source, DistanceItem) and cue.fast_at > cue.slow_at:
            what = f"is {cue.fast_at:g}, further away than slow_at: it beeps faster the further away"
            yield Problem("note", f"cues.{name}.fast_at", what, "swap the two, if nearer is to be faster")
    if draft.frame is not None and draft.frame.actions and draft.requests:
        yield Problem(
            "error",
            "requests",
            "cannot be asked for in style keys, which sends single keys",
            "use a line or packed",
        )
    if draft.frame is not None and draft.frame.answers_in_hex and (draft.telemetry or draft.requests):
        what = "come back as lines of # and hex digits, with the whole protection of packed frames"
        where = "telemetry" if draft.telemetry else "requests"
        yield Problem("note", where, what, "nothing: what the command style lacks does not touch them")
