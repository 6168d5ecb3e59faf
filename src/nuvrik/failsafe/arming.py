"""The handset's half of who may move: when arm is sent on, and when nothing but stops is sent.

The machine's half is the table. This half makes sure that the table sees what it must see:

* arm is sent off until its control has been read off, so a switch that was left on arms nothing;
* an off, once begun, is sent for at least ``timeout_ms``, so that the machine sees it whatever is lost;
* a stop is sent for as long as it is pressed and for at least ``timeout_ms`` and a period more;
* a stop puts arm off in the same way, and lets whatever keeps arm on by itself (a toggle, a program) fall;
* before anything has been read or set, nothing is sent at all.

A program may stand in for the arm control and press a stop of its own, by the same rules.
"""

from nuvrik.levels import LONG_AGO


class Arming:
    """Arm and stop of one handset. Times are milliseconds that only grow."""

    def __init__(self, timeout_ms: int, period_ms: int) -> None:
        self._timeout_ms = timeout_ms
        self._stop_ms = timeout_ms + period_ms
        self.begun = False
        """Whether anything has been read or set, so that there is something to send."""
        self.sent = False
        """Whether arm is sent on."""
        self.allowed = False
        """Whether arm has been read off since it was last not to be believed."""
        self.put: bool | None = None
        """What a program says in place of the arm control; None where there is none."""
        self.stop_put = False
        """Whether a program presses a stop of its own."""
        self._off_since_ms = 0
        self._stopped_ms = LONG_AGO
        self.stopping = False
        """Whether nothing but stops is sent."""
        self.parting = False
        """Whether the handset is leaving: arm off for good, and no stop any more."""

    def stop(self, pressed: bool, now_ms: int) -> bool:
        """Look at the stop control. True where a stop has just begun: whatever keeps arm on is to fall."""
        if self.parting:
            return False
        pressed = self.begun and (pressed or self.stop_put)
        began = pressed and not self.stopping
        if began and self.put:
            self.put = False
        if pressed:
            self.stopping, self.allowed, self._stopped_ms = True, False, now_ms
        # A stop that was only touched is still sent long enough to be heard through losses.
        elif self.stopping and now_ms - self._stopped_ms >= self._stop_ms:
            self.stopping = False
            self._begin_off(now_ms)
        return began

    def follow(self, wanted: bool | None, now_ms: int) -> None:
        """Follow the arm control: on, off, or None where it has no reading. To be called at every reading
        and not only at every frame, so that an off between two frames counts too."""
        wanted = wanted if self.put is None else self.put
        if self.parting or wanted is None:
            self.allowed = False
        elif not wanted:
            self.allowed = True
        on = self.allowed and bool(wanted)
        if on is self.sent:
            return
        # Off is sent at once; on has to wait until the off before it has been sent for long enough.
        if not on:
            self._begin_off(now_ms)
        elif now_ms - self._off_since_ms >= self._timeout_ms:
            self.sent = True

    def forget(self) -> None:
        """What was read or set before is not to be believed any more: arm has to be read off again."""
        self.allowed, self.put = False, None

    def leave(self) -> None:
        """From now on arm is off, whatever is read, and no stop is sent."""
        self.parting, self.stopping, self.begun = True, False, True

    def _begin_off(self, now_ms: int) -> None:
        self.sent = False
        self._off_since_ms = now_ms
