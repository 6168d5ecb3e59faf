"""The state of one machine in words: a State and a Why for the numbers of ``core.machine.watch``."""

from nuvrik.core.levels import NOBODY
from nuvrik.core.machine.states import STATES, State
from nuvrik.core.machine.watch import Watch
from nuvrik.failsafe.why import Code, Why


class LinkWatch:
    """What a watch's numbers mean: ``state``, and ``why`` as a code with a place and a count.

    >>> from nuvrik.plan.form.models import FailsafeSection
    >>> from nuvrik.plan.tables.failsafe import watch_table
    >>> watch = Watch(watch_table(FailsafeSection(arm="arm", timeout_ms=400)))
    >>> watch.stop(Code.STOPPED, NOBODY)
    >>> LinkWatch(watch).state.value
    'STOPPED'
    """

    def __init__(self, watch: Watch) -> None:
        self.core = watch
        self._why, self._told = Why(Code.FIRST_FRAME), (int(Code.FIRST_FRAME), NOBODY, 0)

    @property
    def state(self) -> State:
        """WAITING, STANDBY, ARMED, FAILSAFE or STOPPED."""
        return STATES[self.core.state]

    @property
    def why(self) -> Why:
        """What holds the machine back; the same object while it is the same reason."""
        told = self.core.why, self.core.place, self.core.number
        if told != self._told:
            self._told = told
            why, place, number = told
            self._why = Why(Code(why), -1 if place == NOBODY else place, number)
        return self._why
