"""A machine's whole part of a link as one table."""

from collections.abc import Iterator

from nuvrik.core.levels import NOBODY
from nuvrik.core.loops.hearing import WHO_BYTES
from nuvrik.core.machine.desk import (
    ASKS_CALL,
    ASKS_HOME,
    ASKS_ROUTINE,
    ASKS_STEPS,
    ArgumentTable,
    DeskTable,
    RequestTable,
    RoutineStepTable,
    WishTable,
)
from nuvrik.core.machine.machine import MachineTable
from nuvrik.core.machine.outputs import AT_BACKWARD_END, AT_FORWARD_END
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import (
    AnyRequest,
    CallRequest,
    HomeRequest,
    RoutineRequest,
    StepsRequest,
)
from nuvrik.plan.layout import HELLO_MOST, payload_room
from nuvrik.plan.per_link import per_link
from nuvrik.plan.tables.failsafe import command_table, watch_table
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.outputs import outputs_table


@per_link
def machine_table(link: Link) -> MachineTable:
    """All that a machine needs to know of its link."""
    return made(
        MachineTable,
        watch=watch_table(link.failsafe),
        commands=command_table(link),
        outputs=outputs_table(link),
        desk=desk_table(link),
    )


def desk_table(link: Link) -> DeskTable:
    """The requests of a link."""
    return made(
        DeskTable,
        requests=[request_table(link, request) for request in link.requests.values()],
        answers=True,
        says_hello=payload_room(link.medium, link.frame) >= (HELLO_MOST if link.authenticated else WHO_BYTES),
        authenticated=link.authenticated,
    )


KINDS = {
    StepsRequest: ASKS_STEPS,
    HomeRequest: ASKS_HOME,
    CallRequest: ASKS_CALL,
    RoutineRequest: ASKS_ROUTINE,
}

ENDS = {None: 0, "forward": AT_FORWARD_END, "backward": AT_BACKWARD_END}
"""The ends of an output that turns, as core has them."""


def request_table(link: Link, request: AnyRequest, *, steps: bool = True) -> RequestTable:
    """One request; without the steps of a routine for an end that only asks."""
    output = stepper = NOBODY
    if isinstance(request, StepsRequest | HomeRequest):
        output = list(link.outputs).index(request.output)
        stepping = [name for name, one in link.outputs.items() if one.steps_hz]
        stepper = stepping.index(request.output)
    routine = request if steps and isinstance(request, RoutineRequest) else None
    return made(
        RequestTable,
        kind=KINDS[type(request)],
        moves=request.moving,
        output=output,
        stepper=stepper,
        speeds=isinstance(request, StepsRequest | HomeRequest) and request.speed,
        against=ENDS[getattr(request, "against", None)],
        times=routine.times if routine else 0,
        arguments=[
            made(ArgumentTable, bits=part.bits, most=part.high - part.low, either_sign=part.low < 0)
            for part in request.parts
        ],
        routine=[*_steps(link, routine)] if routine else [],
    )


def _steps(link: Link, request: RoutineRequest) -> Iterator[RoutineStepTable]:
    """The steps of a routine. What turns stands still in a step that does not name it; the rest stays."""
    places = {name: place for place, name in enumerate(link.outputs)}
    for step in request.steps:
        levels = {name: 0.0 for name in request.outputs if link.outputs[name].turns} | step.levels
        wishes = [made(WishTable, output=places[n], to=level_of(at)) for n, at in levels.items()]
        yield made(RoutineStepTable, for_ms=step.for_ms, wishes=wishes)
