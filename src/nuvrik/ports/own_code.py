"""The builder's own functions at a machine that runs in Python: what drives each output, what reads each
sensor, what carries out each request.

A file of them has up to three tables, by the names of the link file::

    OUTPUTS = {"port_screw": drive_port}        # drive_port(demand), whenever something else is demanded
    SENSORS = {"battery": read_battery}         # read_battery() -> a raw reading, or None; at every tick
    REQUESTS = {"honk": honk}                   # honk(times=3) -> a number or nothing; or a generator

Nothing else runs while one of them does. So one that raises, or takes longer than LONGEST_MS, stops the
machine as a stop frame does, and is named; every output is told to rest. It is called again once the machine
has been armed again.
"""

import runpy
import signal
import threading
import time
import traceback
from collections.abc import Callable, Generator, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from types import FrameType
from typing import Any

from nuvrik.ends.machine import Machine
from nuvrik.ends.motions import Hook, RequestRefused
from nuvrik.mixing.demand import Demand
from nuvrik.plan.form.backward import DemandItem
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import CallRequest
from nuvrik.plan.problems import suggestion

LONGEST_MS = 250
"""Longer than any motor board takes to be told, and shorter than a person takes to notice."""

Functions = Mapping[str, Callable[..., Any]]


class OwnCodeError(Exception):
    """A file of functions that cannot be used, and why; in plain words."""


class TookTooLong(Exception):
    """Raised inside a function that keeps the loop for longer than LONGEST_MS."""


class OwnCode:
    """The functions of one machine. ``warn`` is told of each that fails, once until it works again."""

    def __init__(
        self,
        link: Link,
        outputs: Functions,
        sensors: Functions,
        requests: Functions,
        warn: Callable[[str], None] = lambda text: None,
    ) -> None:
        self._link, self._warn = link, warn
        read = [name for name, item in link.telemetry.items() if not isinstance(item, DemandItem)]
        calls = [name for name, request in link.requests.items() if isinstance(request, CallRequest)]
        _check("OUTPUTS", outputs, list(link.outputs), "output")
        _check("SENSORS", sensors, read, "sensor in [telemetry]")
        _check("REQUESTS", requests, calls, "request of kind call")
        self._outputs, self._sensors, self._requests = outputs, sensors, requests
        self._places = {name: place for place, name in enumerate(link.outputs)}
        self._told: dict[str, Demand] = {}
        self._failing: set[str] = set()
        self._stops = False
        """Whether the machine is to stop, because a function has failed."""

    @property
    def idle(self) -> list[str]:
        """The outputs that no function drives."""
        return [name for name in self._link.outputs if name not in self._outputs]

    def prepare(self, machine: Machine) -> None:
        """Begin, with a machine that has just been made: every output is told to rest."""
        for name, function in self._requests.items():
            machine.on_request(name, self._hook(name, function))
        self._tell_outputs(machine)

    def watch(self, now_ms: int, machine: Machine) -> None:
        """After every tick: tell outputs what is new, read sensors."""
        self._tell_outputs(machine)
        for name, function in self._sensors.items():
            machine.sense(now_ms, **{name: self._called(f"sensor {name}", function)})
        if self._stops:
            self._tell_outputs(machine)

    def _tell_outputs(self, machine: Machine) -> None:
        """Tell each output what is demanded of it, if that is new. Where some function has failed the machine
        stops, and all are told so at once, that one too."""
        for _ in range(2):
            if self._stops:
                self._stops = False
                machine.stop()
            for name, function in self._outputs.items():
                demand = machine.demands[self._places[name]]
                if self._told.get(name) != demand:
                    self._told[name] = demand
                    self._called(f"output {name}", function, demand)
            if not self._stops:
                return

    def _called(self, what: str, function: Callable[..., Any], *arguments: Any) -> Any:
        """What a function gives; None where it fails."""
        try:
            with at_most(LONGEST_MS):
                given = function(*arguments)
        except Exception as error:
            self._fail(what, error)
            return None
        self._failing.discard(what)
        return given

    def _fail(self, what: str, error: Exception) -> None:
        self._stops = True
        if what not in self._failing:
            self._failing.add(what)
            self._warn(f"{what}: {_reason(error)}; the machine has stopped")

    def _hook(self, name: str, function: Callable[..., Any]) -> Hook:
        """A request's function, watched over."""

        def hook(**arguments: int | str) -> Any:
            try:
                with at_most(LONGEST_MS):
                    given = function(**arguments)
            except RequestRefused:
                raise
            except Exception as error:
                self._fail(f"request {name}", error)
                raise
            self._failing.discard(f"request {name}")
            return self._steps(name, given) if isinstance(given, Generator) else given

        return hook

    def _steps(
        self, name: str, steps: Generator[Mapping[str, float], None, int | None]
    ) -> Generator[Mapping[str, float], None, int | None]:
        try:
            while True:
                try:
                    with at_most(LONGEST_MS):
                        step = next(steps)
                except StopIteration as over:
                    return over.value if isinstance(over.value, int) else None
                except Exception as error:
                    self._fail(f"request {name}", error)
                    raise
                yield step
        finally:
            steps.close()


def _check(table: str, functions: Functions, known: list[str], what: str) -> None:
    if not isinstance(functions, Mapping):
        raise OwnCodeError(f"{table} is no table of functions by name")
    for name, function in functions.items():
        if name not in known:
            raise OwnCodeError(f'{table}: there is no {what} "{name}": {suggestion(str(name), known)}')
        if not callable(function):
            raise OwnCodeError(f"{table}: what stands for {name} is no function")


def load_own_code(link: Link, file: Path, warn: Callable[[str], None]) -> OwnCode:
    """The functions in a file of Python. OwnCodeError if it cannot be run, or names what there is not."""
    try:
        names = runpy.run_path(str(file))
    except FileNotFoundError:
        raise OwnCodeError(f"{file}: there is no such file") from None
    except Exception as error:
        raise OwnCodeError(f"{file}: {_reason(error)}") from None
    outputs, sensors, requests = (names.get(name, {}) for name in ("OUTPUTS", "SENSORS", "REQUESTS"))
    if not (outputs or sensors or requests):
        raise OwnCodeError(f"{file}: has none of OUTPUTS, SENSORS and REQUESTS, tables of functions by name")
    try:
        return OwnCode(link, outputs, sensors, requests, warn)
    except OwnCodeError as error:
        raise OwnCodeError(f"{file}: {error}") from None


def _reason(error: Exception) -> str:
    """What a function raised, and where in it."""
    steps = traceback.extract_tb(error.__traceback__)
    where = next((f" ({Path(s.filename).name}, line {s.lineno})" for s in reversed(steps) if s.filename), "")
    if isinstance(error, TookTooLong):
        ours = [step for step in steps if step.filename != __file__]
        where = f" ({Path(ours[-1].filename).name}, line {ours[-1].lineno})" if ours else ""
        return f"took longer than {LONGEST_MS} ms{where}"
    return f"{type(error).__name__}: {error}{where}"


@contextmanager
def at_most(limit_ms: int) -> Iterator[None]:
    """Raise TookTooLong inside what runs for longer. Where the system cannot (no SIGALRM, or not in the main
    thread), afterwards."""
    here = threading.current_thread() is threading.main_thread() and hasattr(signal, "setitimer")
    start = time.monotonic()
    if not here:
        yield
        if (time.monotonic() - start) * 1000 > limit_ms:
            raise TookTooLong
        return

    def ring(number: int, frame: FrameType | None) -> None:
        raise TookTooLong

    before = signal.signal(signal.SIGALRM, ring)
    signal.setitimer(signal.ITIMER_REAL, limit_ms / 1000)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
