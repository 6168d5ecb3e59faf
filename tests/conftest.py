"""How the tests run: hypothesis makes the same examples every time; what needs real time gets it."""

import signal
import threading
import time

import pytest
from _pytest.runner import runtestprotocol
from hypothesis import HealthCheck, settings
from terminals import end_all

# No deadline, because machines are noisy.
settings.register_profile(
    "steady", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("steady")

# A shell has what it runs in the background ignore Ctrl-C, and its children with it: not here.
signal.signal(signal.SIGINT, signal.default_int_handler)

STOOD_STILL_S = 0.1
"""A computer that lets a sleeper sleep this much too long cannot keep a link of 50 frames a second going."""

TRIES = 5


@pytest.fixture(autouse=True)
def nothing_outlives_its_test():
    """Programs that a test started and, because it failed, did not end."""
    yield
    end_all()


class Stillness:
    """Measures how long the computer stands still: a sleeper that looks at the clock when it wakes."""

    def __enter__(self) -> "Stillness":
        self.longest_s, self._done = 0.0, threading.Event()
        self._sleeper = threading.Thread(target=self._sleep, daemon=True)
        self._sleeper.start()
        return self

    def _sleep(self) -> None:
        while not self._done.is_set():
            begun = time.monotonic()
            time.sleep(0.01)
            self.longest_s = max(self.longest_s, time.monotonic() - begun - 0.01)

    def __exit__(self, *_: object) -> None:
        self._done.set()
        self._sleeper.join()


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_protocol(item: pytest.Item, nextitem: pytest.Item | None) -> bool | None:
    """A live test that fails while the computer stood still has shown nothing, and is run again."""
    if item.get_closest_marker("live") is None:
        return None
    item.ihook.pytest_runtest_logstart(nodeid=item.nodeid, location=item.location)
    for tries_left in reversed(range(TRIES)):
        with Stillness() as stillness:
            reports = runtestprotocol(item, nextitem=nextitem, log=False)
        failed = any(report.failed for report in reports)
        if not (failed and tries_left and stillness.longest_s > STOOD_STILL_S):
            break
        item._initrequest()  # type: ignore[attr-defined]  # fixtures, tmp_path among them, anew
    for report in reports:
        item.ihook.pytest_runtest_logreport(report=report)
    item.ihook.pytest_runtest_logfinish(nodeid=item.nodeid, location=item.location)
    return True
