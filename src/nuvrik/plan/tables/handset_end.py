"""A handset's end of a link as one table: readings in, frames out, and what comes back."""

from collections.abc import Iterable, Iterator

from nuvrik.core.frames.incoming import IN_LINES, IN_PACKETS, IncomingTable
from nuvrik.core.frames.sealed import KIND_ECHO, KIND_HELLO, KIND_REPLY, KIND_TELEMETRY
from nuvrik.core.hand.knob import KnobTable
from nuvrik.core.levels import NOBODY
from nuvrik.core.loops.bridge import BridgeTable
from nuvrik.core.loops.handset_end import HandsetEndTable
from nuvrik.core.loops.hearing import HearingTable
from nuvrik.core.machine.desk import JOG_MOST_TURNING, JOG_STEPS
from nuvrik.core.requests.asking import AskingTable, TriggerTable
from nuvrik.plan.controls import AxisControl, SliderControl
from nuvrik.plan.form.media import Packets
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import AnyOutput
from nuvrik.plan.tables.ends import sealed_table, sender_table, telling_table
from nuvrik.plan.tables.handset import handset_table
from nuvrik.plan.tables.machine import request_table
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.medium import medium_table
from nuvrik.plan.tables.session import session_table
from nuvrik.plan.tables.styles import text_table
from nuvrik.plan.tables.writer import writer_table

TO_HANDSET = (KIND_TELEMETRY, KIND_REPLY, KIND_HELLO, KIND_ECHO)

MISSED = 3
"""A value that has failed to come this many times in a row is no longer known: one or two are lost often."""


def handset_end_table(link: Link, *, stream: bool) -> HandsetEndTable:
    """A handset's end, on a stream of bytes or in packets."""
    # What comes back beside text and keys are lines of hex digits.
    lines = not link.frame.sealed
    back = IN_LINES if lines else link.frame.way_in
    return made(
        HandsetEndTable,
        handset=handset_table(link),
        writer=writer_table(link, stream=stream),
        sealed=sealed_table(link, TO_HANDSET),
        session=session_table(link),
        hearing=hearing_table(link),
        asking=asking_table(link),
        incoming=made(
            IncomingTable, text=text_table(link), way_in=back if stream else IN_PACKETS, lines=lines
        ),
        medium=medium_table(link.medium, "handset"),
        knobs=[*knob_tables(link)],
    )


def knob_tables(link: Link) -> Iterator[KnobTable]:
    """The controls of a handset that are rotary encoders."""
    for place, control in enumerate(link.controls.values()):
        if isinstance(control, AxisControl | SliderControl) and control.pin_b is not None:
            low, rest, high = control.points
            yield made(
                KnobTable,
                control=place,
                pin_a=NOBODY if control.pin is None else control.pin,
                pin_b=control.pin_b,
                low=min(low, high),
                high=max(low, high),
                start=rest,
            )


def bridge_table(link: Link) -> BridgeTable:
    """A bridge between a host on a wire and the module of a link that travels in packets. ValueError for any
    other link."""
    if not isinstance(link.medium, Packets) or not link.frame.sealed:
        raise ValueError(f"{link.name} needs no bridge: its frames are no packets")
    return made(
        BridgeTable,
        incoming=made(IncomingTable, text=text_table(link), way_in=link.frame.way_in, lines=False),
        sealed=sealed_table(link, ()),
        sender=sender_table(link, stream=True),
        most=link.medium.payload_max,
    )


def asking_table(link: Link) -> AskingTable:
    """What may be asked."""
    most = [_jog_most(output) for output in link.outputs.values()]
    places = {name: at for at, name in enumerate(link.controls)}
    triggers = [
        made(
            TriggerTable,
            control=places[request.when],
            code=code,
            arguments=[*request.numbers(request.when_args)],
        )
        for code, request in enumerate(link.requests.values())
        if request.when is not None
    ]
    asked = [request_table(link, request, steps=False) for request in link.requests.values()]
    return made(AskingTable, requests=asked, jog_most=most, triggers=triggers)


def _jog_most(output: AnyOutput) -> int:
    if not output.moves:
        return 0
    return JOG_MOST_TURNING if output.turns else JOG_STEPS


def lost_ms(link: Link, every_ms: Iterable[int]) -> int:
    """From what age on what comes that often, one with another, is no longer known."""
    return max(link.failsafe.timeout_ms, MISSED * min(every_ms, default=0))


def hearing_table(link: Link) -> HearingTable:
    """What comes back, and how soon it is too old."""
    return made(
        HearingTable,
        telling=telling_table(link),
        timeout_ms=link.failsafe.timeout_ms,
        lost_ms=lost_ms(link, [item.every_ms for item in link.telemetry.values()]),
    )
