"""A short timeout trips too often, a long one stops too late: try several on a bad radio.

The same pilot and the same bad luck each time; only timeout_ms in the link file differs. After a
trip the machine waits until the sticks are at rest, so a trip costs more than its own length.
"""

from itertools import pairwise

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import stop_bound
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal.world import World

MINUTES = 2
bad_radio = Conditions(loss=0.05, burst_loss=0.10, burst_frames=5)
print(f"timeout_ms   false trips in {MINUTES} minutes   able to drive   at rest within")
for timeout_ms in (100, 150, 250, 400, 800):
    text = starter_text("tug").replace("timeout_ms = 400", f"timeout_ms = {timeout_ms}")
    link = nuvrik.parse(text)
    trace = World(link, practice(link, seed=1, duration_ms=60_000 * MINUTES), bad_radio, seed=1).run()
    changes = list(pairwise(trace.moments))
    trips = sum(a.state is nuvrik.State.ARMED and b.state is nuvrik.State.FAILSAFE for a, b in changes)
    armed_ms = sum(b.t_ms - a.t_ms for a, b in changes if a.state is nuvrik.State.ARMED)
    share = armed_ms / (60_000 * MINUTES)
    print(f"{timeout_ms:10}   {trips:24}   {share:13.0%}   {stop_bound(link).worst_ms:11.0f} ms")
