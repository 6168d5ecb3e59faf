"""One output, moved a little: arm, ask, let it end, disarm, leave."""

from collections.abc import Callable, Mapping

from nuvrik.ends.handset import Handset
from nuvrik.plan.form.models import Link
from nuvrik.ports.driving import run_handset
from nuvrik.ports.leaving import NO_SIGNALS, Interrupted, Signals
from nuvrik.ports.live import AnyClock, ByteLine
from nuvrik.recordings.pilot import arming


class JogError(Exception):
    """Nothing was jogged; the text says why."""


MOST = 0.5
"""As far as a machine lets what turns be jogged, of full scale."""

LONGEST_MS = 500
"""The longest jog there is."""

OVERLAP_MS = 150
"""How long before a jog ends the next of several is asked for: seven frames at 50 a second, of which some may
be lost."""

SETTLE_MS = 400
"""How long after a jog it is given to come to rest before arm goes off."""


def lasting_ms(for_ms: int, times: int) -> int:
    """How long several jogs take, one into the other."""
    return for_ms + (times - 1) * (for_ms - OVERLAP_MS)


def jog_once(
    link: Link,
    line: ByteLine,
    clock: AnyClock | None,
    output: str,
    fraction: float,
    for_ms: int,
    signals: Signals = NO_SIGNALS,
    look: Callable[[int, Handset], None] = lambda since_ms, handset: None,
    times: int = 1,
) -> None:
    """Move one output to a fraction of full scale (-1 to 1) for ``for_ms``, with everything else at rest; a
    place so far from where it was told last, and back.

    It arms first, and then asks. Before it returns, however it ends, arm is off again; between two jogs
    nothing is armed. ``look`` is called in every turn with the time since the jog was asked for. ``times``:
    so many jogs, one into the other, for what takes longer to be seen. Raises Interrupted, with what was done
    in words, if a signal came meanwhile, and JogError if the machine could not be armed."""
    lasts_ms = lasting_ms(for_ms, times)
    start_ms: int | None = None
    asked = 0
    why = ""

    def ask(now_ms: int, handset: Handset) -> None:
        nonlocal start_ms, asked, why
        if start_ms is None and not handset.may_move:
            state = handset.machine_state
            why = handset.why or (f"the machine is {state}" if state else "the machine is not heard")
            return
        start_ms = now_ms if start_ms is None else start_ms
        if asked < times and now_ms - start_ms >= asked * (for_ms - OVERLAP_MS):
            asked += handset.jog(output, fraction, for_ms)
        look(now_ms - start_ms, handset)

    _armed(link, line, clock, lasts_ms + SETTLE_MS, ask, signals)
    if not asked:
        raise JogError(f"{output} was not jogged, because nothing was armed: {why}")


def place_once(
    link: Link,
    line: ByteLine,
    clock: AnyClock | None,
    places: Mapping[str, float],
    for_ms: int,
    signals: Signals = NO_SIGNALS,
) -> None:
    """Arm, give channels that feed places a fraction each for ``for_ms``, with everything else at rest, and
    disarm: so that it is known where they stand. Raises Interrupted as ``jog_once`` does."""

    def give(now_ms: int, handset: Handset) -> None:
        for name, fraction in places.items():
            handset.put(now_ms, name, fraction)

    _armed(link, line, clock, for_ms, give, signals)


def _armed(
    link: Link,
    line: ByteLine,
    clock: AnyClock | None,
    hold_ms: int,
    act: Callable[[int, Handset], None],
    signals: Signals,
) -> None:
    """Arm for so long, and disarm. ``act`` is called in every turn from when the machine should be armed."""
    recording, ready_ms = arming(link, hold_ms)

    def told(now_ms: int, played_ms: int, handset: Handset) -> None:
        handset.hands_off()
        if played_ms >= ready_ms:
            act(now_ms, handset)

    played = run_handset(link, line, recording, told, clock, signals)
    if played.interrupted:
        raise Interrupted(played.farewell.words)
