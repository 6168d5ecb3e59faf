"""One output, moved a little: arm, ask, let it end, disarm, leave."""

from nuvrik.ends.handset import Handset
from nuvrik.plan.form.models import Link
from nuvrik.ports.driving import run_handset
from nuvrik.ports.leaving import NO_SIGNALS, Interrupted, Signals
from nuvrik.ports.live import AnyClock, ByteLine
from nuvrik.recordings.pilot import arming

SETTLE_MS = 400
"""How long after a jog it is given to come to rest before arm goes off."""


def jog_once(
    link: Link,
    line: ByteLine,
    clock: AnyClock | None,
    output: str,
    fraction: float,
    for_ms: int,
    signals: Signals = NO_SIGNALS,
) -> None:
    """Move one output to a fraction of full scale (-1 to 1) for ``for_ms``, with everything else at rest.

    Before it returns, however it ends, arm is off again; between two jogs nothing is armed. Raises
    Interrupted, with what was done in words, if a signal came meanwhile.
    """
    recording, ready_ms = arming(link, for_ms + SETTLE_MS)
    asked = False

    def ask(_: int, played_ms: int, handset: Handset) -> None:
        nonlocal asked
        handset.hands_off()
        if not asked and played_ms >= ready_ms:
            asked = True
            handset.jog(output, fraction, for_ms)

    played = run_handset(link, line, recording, ask, clock, signals)
    if played.interrupted:
        raise Interrupted(played.farewell.words)
