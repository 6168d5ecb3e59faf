"""A machine's whole part of a link as one table."""

from nuvrik.core.desk import ASKS_CALL, ASKS_HOME, ASKS_STEPS, ArgumentTable, DeskTable, RequestTable
from nuvrik.core.hearing import WHO_BYTES
from nuvrik.core.levels import NOBODY
from nuvrik.core.machine import MachineTable
from nuvrik.core.outputs import AT_BACKWARD_END, AT_FORWARD_END
from nuvrik.plan.form.backward import AnyRequest, CallRequest, HomeRequest
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.outputs import StepperOutput
from nuvrik.plan.layout import payload_room
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
        requests=[_request(link, request) for request in link.requests.values()],
        answers=True,
        says_hello=payload_room(link.medium, link.frame) >= WHO_BYTES,
    )


ENDS = {None: 0, "forward": AT_FORWARD_END, "backward": AT_BACKWARD_END}
"""The ends of an output that turns, as core has them."""


def _request(link: Link, request: AnyRequest) -> RequestTable:
    kind = ASKS_STEPS
    output = stepper = NOBODY
    if isinstance(request, CallRequest):
        kind = ASKS_CALL
    else:
        kind = ASKS_HOME if isinstance(request, HomeRequest) else ASKS_STEPS
        output = list(link.outputs).index(request.output)
        steppers = [name for name, one in link.outputs.items() if isinstance(one, StepperOutput)]
        stepper = steppers.index(request.output)
    arguments = [
        made(ArgumentTable, bits=one.bits, either_sign=one.kind == "integer")
        for one in request.arguments.values()
    ]
    return made(
        RequestTable,
        kind=kind,
        moves=request.moving,
        output=output,
        stepper=stepper,
        speeds="speed" in request.arguments and not isinstance(request, CallRequest),
        against=ENDS[getattr(request, "against", None)],
        arguments=arguments,
    )
