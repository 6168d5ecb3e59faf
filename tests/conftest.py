"""How the tests run: hypothesis makes the same examples every time; what needs real time gets it."""

import inspect
import os
import random
import signal
import threading
import time
from pathlib import Path

import checked_first  # noqa: F401  before anything imports core
import pytest
from hypothesis import HealthCheck, settings
from links import many
from terminals import Cable, end_all

# No deadline, because machines are noisy.
settings.register_profile(
    "steady",
    max_examples=many(100),
    deadline=None,
    derandomize=True,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("steady")

# Random lives are others in every run, and the same in all processes of one. Given again, they come again.
os.environ.setdefault("NUVRIK_SEED", str(random.SystemRandom().randrange(1 << 30)))


# Many tests export the same ends, in processes of their own: what was fitted for one serves the others.
FITS = Path(__file__).parents[1] / "build" / "fits"
os.environ.setdefault("NUVRIK_FITS", str(FITS))
A_DAY_S = 24 * 3600


def pytest_configure(config) -> None:
    if not hasattr(config, "workerinput"):
        for file in FITS.glob("*"):
            if time.time() - file.stat().st_mtime > A_DAY_S:
                file.unlink(missing_ok=True)


def pytest_report_header() -> str:
    return f"lives: NUVRIK_SEED={os.environ['NUVRIK_SEED']}"


def pytest_collection_modifyitems(items) -> None:
    if not os.environ.get("NUVRIK_NIGHTLY"):
        for item in items:
            if item.get_closest_marker("nightly"):
                item.add_marker(pytest.mark.skip(reason="long: make nightly"))


# A shell has what it runs in the background ignore Ctrl-C, nohup has it ignore a hang-up, and
# children inherit both: not here.
signal.signal(signal.SIGINT, signal.default_int_handler)
if hasattr(signal, "SIGHUP"):
    signal.signal(signal.SIGHUP, signal.SIG_DFL)


def pytest_terminal_summary(terminalreporter) -> None:
    """One line says what has not been looked at here, and how it can be."""
    skipped = terminalreporter.stats.get("skipped", [])
    if skipped:
        why = sorted({str(one.longrepr[-1]).removeprefix("Skipped: ") for one in skipped})
        terminalreporter.write_line(f"not looked at here: {len(skipped)} tests ({'; '.join(why)})")


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
def pytest_pyfunc_call(pyfuncitem: pytest.Function) -> bool | None:
    """A live test that fails while the computer stood still has shown nothing, and is run again, in a folder
    and on a line of its own."""
    if pyfuncitem.get_closest_marker("live") is None:
        return None
    given = {name: pyfuncitem.funcargs[name] for name in inspect.signature(pyfuncitem.obj).parameters}
    folder = given.get("tmp_path")
    for tries_left in reversed(range(TRIES)):
        with Stillness() as stillness:
            try:
                pyfuncitem.obj(**given)
                return True
            except Exception:
                if not tries_left or stillness.longest_s <= STOOD_STILL_S:
                    raise
        end_all()
        if folder is not None:
            given["tmp_path"] = folder / f"try_{tries_left}"
            given["tmp_path"].mkdir()
        for thing in given.values():
            if isinstance(thing, Cable):
                thing.renew()
            # Pages that a browser still shows would go on driving.
            for context in getattr(thing, "contexts", ()):
                context.close()
    return None
