"""All outputs of a link and their routes, as tables."""

from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.mix import Route, Term
from nuvrik.core.machine.outputs import OutputsTable, OutputTable
from nuvrik.core.widths import Table
from nuvrik.levels import level_of
from nuvrik.plan import wiring
from nuvrik.plan.form.models import Link
from nuvrik.plan.outputs import KINDS
from nuvrik.plan.tables.inputs import limits_of
from nuvrik.plan.tables.made import made


def outputs_table(link: Link) -> OutputsTable:
    """All outputs of a link. What counts as at rest counts as zero only for what turns."""
    routes, places = wiring.output_routes(link), {name: at for at, name in enumerate(link.channels)}
    band, stand = level_of(link.failsafe.rest_band), wiring.place_channels(link)
    rows: dict[str, list[Table]] = {kind.rows: [] for kind in KINDS.values()}
    outputs, extra = [], 0
    for name, model in link.outputs.items():
        route = route_table(routes[name], places, list(link.outputs), band if model.turns else 0)
        if model.stands and len(route.terms) > 1:
            for term in route.terms:
                channel = list(link.channels)[term.place]
                if channel in stand and link.channels[channel].optional:
                    term.extra, extra = extra, extra + 1
        alike = rows[model.rows]
        outputs.append(made(OutputTable, kind=model.core_kind, at=len(alike), route=route))
        alike.append(model.table)
    return made(OutputsTable, outputs=outputs, **rows, limits=limits_of(link), extra=[0] * extra)


def route_table(route: wiring.Route, places: dict[str, int], outputs: list[str], band: int) -> Route:
    """How one output gets its level."""
    return made(
        Route,
        switched=route.switched,
        band=band,
        terms=[
            made(Term, place=places[name], weight=weight, extra=NOBODY)
            for name, weight in route.weights.items()
            if weight
        ],
        partner=NOBODY if route.partner is None else outputs.index(route.partner),
        turn=NOBODY if route.turn is None else places[route.turn],
        inner=route.inner,
    )
