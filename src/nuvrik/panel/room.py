"""Who drives, and what of it still holds: the rules of pages, without a clock and without a socket.

Why a late reading is never used. The server counts ticks to each page, notes when it sent each, and a page
answers every tick with its readings. A reading was made after its tick had been sent; so one that answers
tick k is no older than the time since tick k, whatever lies queued on the way there or back, and whatever the
page's clock says. It counts until ``stale_ms`` after tick k was sent, and not a moment longer.

Why there is a hand. Two pages that both drive would be two people pulling at one stick. The hand is a
number that grows with each taking and each loss, and readings carry the number under which they were made:
what was made under another is nobody's any more. A page that takes it drives only after arm has been sent off
for long enough for any machine to see it; and each of its controls counts only once it has been read at rest,
so that a finger that lies on a stick already moves nothing. What says where a place is to be counts only once
it has been touched since, so that whoever takes the hand moves nothing to where the page happens to have it.

All times are milliseconds of one clock that only grows, given by whoever calls."""

from collections import deque
from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from nuvrik.panel.control import PageControl

MOST_PAGES = 8
MOST_EVENTS = 100

BEAT_MS = 20
"""How often a page is told what is; at least every 50 ms, so that its answers keep what it holds fresh."""

LAGS_MS = 100
"""A page that answers this much later than ``stale_ms`` is told no more than that it is waited for."""

BARE_MS = 250
SILENT_MS = 5000
UNSENT_MOST = 16 * 1024

RATE_MOST = 120
"""Messages a second. A page sends one for each tick and one for each 20 ms that something moves: 100."""

MALFORMED_MOST = 10
MALFORMED_MS = 60_000

FLOOD_MOST = 1200
"""Messages beyond the rate, without a second between them: ten seconds of twice too many."""

TRIP_MARGIN_MS = 50
TRIP_SPARE_MS = 30
"""A page's readings are made up to two frames of its screen after a tick. Measured with ``stale_ms`` 150: at
a round trip of 84 ms 2 % of frames went out without a reading, at 124 ms 47 %, at 153 ms all."""


class Answer(NamedTuple):
    """What a page says of its controls: the tick that it answers, the hand it believes in, a number that
    grows within a tick, and readings of all controls; None: it may not be believed now."""

    tick: int
    hand: int
    seq: int
    readings: Mapping[str, int] | None


class Page:
    """One page that has joined. ``late``, ``dropped`` and ``malformed`` count what was not used."""

    def __init__(self, number: int, now_ms: float) -> None:
        self.number = number
        self.tick = 0
        self.sent: dict[int, float] = {}
        """When each tick was sent that may still be answered."""
        self.answered_ms = now_ms
        self.told_ms = -float(BARE_MS)
        self.best = (0, 0)
        self.trip_ms: float | None = None
        self.late = self.dropped = self.malformed = self.lost_events = 0
        self.stops = False
        self.events: deque[dict[str, Any]] = deque()
        self._arrived: deque[float] = deque()
        self._over, self._over_ms = 0, 0.0
        self._broken: deque[float] = deque()

    def comes(self, now_ms: float) -> bool:
        """Whether one more message may be looked at: not above RATE_MOST a second."""
        while self._arrived and now_ms - self._arrived[0] >= 1000:
            self._arrived.popleft()
        if len(self._arrived) >= RATE_MOST:
            self.dropped += 1
            self._over = self._over + 1 if now_ms - self._over_ms < 1000 else 1
            self._over_ms = now_ms
            return False
        self._arrived.append(now_ms)
        return True

    @property
    def floods(self) -> bool:
        """Whether so much has come too much, without a second of rest, that it has to go."""
        return self._over >= FLOOD_MOST

    def breaks(self, now_ms: float) -> bool:
        """A message made no sense. True: so many did not that the page has to go."""
        self.malformed += 1
        self._broken.append(now_ms)
        while now_ms - self._broken[0] >= MALFORMED_MS:
            self._broken.popleft()
        return len(self._broken) >= MALFORMED_MOST

    def next_tick(self, now_ms: float) -> int:
        """The number of a tick that is being sent now."""
        self.tick += 1
        self.sent[self.tick] = now_ms
        self.told_ms = now_ms
        return self.tick

    def oldest_ms(self, now_ms: float) -> float:
        """How long the oldest tick that is not answered has been on its way; 0 if all are."""
        waits = [sent for tick, sent in self.sent.items() if tick > self.best[0]]
        return now_ms - min(waits) if waits else 0.0

    def note(self, event: dict[str, Any]) -> None:
        """Something that it will be told with the next tick. The oldest goes where there are too many."""
        if len(self.events) == MOST_EVENTS:
            self.events.popleft()
            self.lost_events += 1
        self.events.append(event)

    def new_events(self) -> list[dict[str, Any]]:
        """What it has not been told yet."""
        events = list(self.events)
        self.events.clear()
        return events


class Room:
    """The pages of one panel, and which of them has the hand. ``controls`` is what a page moves, ``stale_ms``
    for how long what it says holds, ``timeout_ms`` how long arm is sent off when the hand changes."""

    def __init__(self, controls: Iterable[PageControl], stale_ms: int, timeout_ms: int) -> None:
        self.controls = {one.name: one for one in controls}
        self.stale_ms, self.timeout_ms = stale_ms, timeout_ms
        self.pages: dict[int, Page] = {}
        self.hand = 0
        self.driver: Page | None = None
        self.stop_presses = 0
        self._joined = 0
        self._off_until_ms = float("-inf")
        self._readings: Mapping[str, int] | None = None
        self._until_ms = float("-inf")
        self._rested: set[str] = set()
        self._untouched: dict[str, int] = {}

    # ---- who is here ----

    def join(self, now_ms: float) -> Page | None:
        """One more page, which watches; None where there are enough."""
        if len(self.pages) >= MOST_PAGES:
            return None
        self._joined += 1
        page = self.pages[self._joined] = Page(self._joined, now_ms)
        return page

    def leave(self, page: Page) -> None:
        """A page has gone. With it goes the hand, at once, and the finger on its stop."""
        self.pages.pop(page.number, None)
        page.stops = False
        if self.driver is page:
            self._pass_on(None)
            self.tell({"news": "the page that drove has gone"})

    def take(self, page: Page, hand: int, now_ms: float) -> bool:
        """A page takes the hand on purpose; ``hand`` is the number that it sees. False: somebody else has
        just taken it."""
        if hand != self.hand:
            page.note({"news": "somebody else has just taken it"})
            return False
        self._pass_on(page)
        self._off_until_ms = now_ms + self.timeout_ms
        self.tell({"news": f"page {page.number} drives now"})
        return True

    def give(self, page: Page) -> None:
        """A page that drives lets go on purpose."""
        if self.driver is page:
            self._pass_on(None)

    def _pass_on(self, page: Page | None) -> None:
        self.hand += 1
        self.driver = page
        self._readings = None
        self._rested = set()
        self._untouched = {}

    def tell(self, event: dict[str, Any]) -> None:
        """Something that every page is told."""
        for page in self.pages.values():
            page.note(event)

    # ---- what they say ----

    def answer(self, page: Page, said: Answer, now_ms: float) -> bool:
        """A page says where its controls are. False: it answers a tick that it was never sent."""
        sent_ms = page.sent.get(said.tick)
        if sent_ms is None:
            return 0 < said.tick <= page.best[0]
        page.answered_ms = now_ms
        newest = (said.tick, said.seq) > page.best
        if said.tick > page.best[0]:
            page.trip_ms = now_ms - sent_ms
        if newest:
            page.best = (said.tick, said.seq)
            for tick in [tick for tick in page.sent if tick < said.tick]:
                del page.sent[tick]
        if self.driver is not page or said.hand != self.hand:
            return True
        if now_ms >= sent_ms + self.stale_ms:
            page.late += 1
            return True
        if not newest:
            page.dropped += 1
            return True
        self._readings, self._until_ms = said.readings, sent_ms + self.stale_ms
        for name, reading in (said.readings or {}).items():
            if now_ms >= self._off_until_ms and self._counts_now(name, reading):
                self._rested.add(name)
        return True

    def _counts_now(self, name: str, reading: int) -> bool:
        """Whether a control that did not count so far counts with this reading."""
        if self.controls[name].alone:
            return self._untouched.setdefault(name, reading) != reading
        return reading == self.controls[name].rest

    def press_stop(self, page: Page, pressed: bool) -> None:
        """A page presses stop, or lets go of it."""
        if pressed and not page.stops:
            self.stop_presses += 1
            self.tell({"news": f"page {page.number} pressed stop"})
        page.stops = pressed

    @property
    def stops(self) -> bool:
        """Whether stop is pressed on any page."""
        return any(page.stops for page in self.pages.values())

    # ---- what holds ----

    def arm_is_off(self, now_ms: float) -> bool:
        """Whether arm has to be sent off now, whatever any control says: the hand is changing."""
        return now_ms < self._off_until_ms

    def readings(self, now_ms: float) -> dict[str, int | None]:
        """Where every control of the page that drives is now; None: no reading."""
        said = self._readings if self.driver is not None and now_ms < self._until_ms else None
        if said is None or self.arm_is_off(now_ms):
            return dict.fromkeys(self.controls)
        return {name: said.get(name) if name in self._rested else None for name in self.controls}

    def forget(self) -> None:
        """What was said so far does not count any more: nobody has looked for a while."""
        self._readings = None

    def waits_for_rest(self) -> list[str]:
        """The controls of the page that drives which have not been read at rest since it took the hand."""
        if self.driver is None:
            return []
        said = self.controls if self._readings is None else self._readings
        return [name for name in said if name not in self._rested and not self.controls[name].alone]

    # ---- what they are told ----

    def may_tell(self, page: Page, now_ms: float, unsent: int) -> str:
        """What a page is to be sent now: ``all`` that is, a ``bare`` tick, ``nothing``, or that it is to
        ``go``."""
        if now_ms - page.answered_ms >= SILENT_MS:
            return "go"
        if unsent >= UNSENT_MOST or page.oldest_ms(now_ms) > self.stale_ms + LAGS_MS:
            return "bare" if now_ms - page.told_ms >= BARE_MS else "nothing"
        return "all" if now_ms - page.told_ms >= BEAT_MS else "nothing"

    def slow(self, page: Page) -> bool:
        """Whether its round trip is too long for what it says to hold until the next."""
        return page.trip_ms is not None and page.trip_ms + TRIP_MARGIN_MS > self.stale_ms - TRIP_SPARE_MS
