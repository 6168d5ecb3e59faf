"""The builder's own functions at a machine that runs in Python: what drives each output, what reads each
sensor, what carries out each request.

A file of them has up to three tables, by the names of the link file::

    OUTPUTS = {"port_screw": drive_port}        # drive_port(demand), whenever something else is demanded
    SENSORS = {"battery": read_battery}         # read_battery() -> a raw reading, or None; at every tick
    REQUESTS = {"honk": honk}                   # honk(times=3) -> a number or nothing; or a generator

Any of them may call ``limit`` and ``stop``: they lessen and stop, and start nothing.

Nothing else runs while one of them does. So one that raises, whatever it raises, or takes longer than it may
(``own_code_ms`` of the link file, else LONGEST_MS), stops the machine as a stop frame does, and is named;
every output is told to rest, that one too: ten times a second, until it works. One that ends the
program (``sys.exit``) ends it after that. One that cannot be ended at all is left to a second thread, which
tells every other output to rest and ends the process: see ``Alarm``."""

import os
import runpy
import signal
import sys
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
from nuvrik.openfile import noted
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import CallRequest
from nuvrik.plan.outputs.demand import Demand
from nuvrik.plan.problems import suggestion

LONGEST_MS = 250
"""Longer than any motor board takes to be told, and shorter than a person takes to notice."""

AGAIN_S = 0.05
"""How soon a function that has swallowed an interruption is interrupted again."""

RETRIES_MS = 100
"""How often an output whose function has failed is told once more what is demanded of it."""

CANNOT_BE_ENDED = 2
"""The exit code of a machine whose function cannot be ended: it could not run."""

Functions = Mapping[str, Callable[..., Any]]

_running: list[Machine] = []
"""The machine whose functions these are, once it runs."""


class OwnCodeError(Exception):
    """A file of functions that cannot be used, or that has ended the program, and why; in plain words."""


class TookTooLong(BaseException):
    """Raised inside a function that keeps the loop for longer than it may. No ``except Exception`` of its
    catches it."""


def limit(output: str, most: float) -> None:
    """From a file of ``nuvrik machine --code``: leave an output that turns no more than ``most`` of full
    scale either way, 0 to 1, from the next tick on and until it is said again; of several that are said
    between two ticks the least counts. Once 0 has been left, and then more, the output counts again when its
    channels have rested. A hold is left alone. KeyError for an output that there is not, ValueError for one
    that stands in a place and for a number that is no such part::

        def read_battery():
            volts = adc.read()
            nuvrik.limit("port_screw", 0.5 if volts < 620 else 1)
            return volts
    """
    _machine("limit").limit(output, most)


def stop(why: int) -> None:
    """From a file of ``nuvrik machine --code``: stop as a stop frame does, at once and until the machine is
    armed again. ``why`` is a number of your own, 1 to 15, which ``nuvrik hello`` and the handset show.
    ValueError for any other::

        def read_bumper():
            pressed = bumper.value()
            if pressed:
                nuvrik.stop(3)
            return pressed
    """
    _machine("stop").own_stop(why)


def _machine(what: str) -> Machine:
    if not _running:
        raise RuntimeError(f"nuvrik.{what} is for the functions of `nuvrik machine --code`, while it runs")
    return _running[-1]


class Alarm:
    """What ends a function of the builder's own that takes too long.

    It is interrupted by an exception, and again every AGAIN_S until it ends; only code of the builder's own
    is ever interrupted, never what stands around it. Where that is of no use (the system has no such signal,
    the function swallows every exception, or is held up where Python does not look), a second thread calls
    ``last`` after twice the time, which tells the other outputs to rest, and ends the process."""

    def __init__(self, limit_ms: int, last: Callable[[], None]) -> None:
        self.limit_s = limit_ms / 1000
        self.spent_s = 0.0
        """How much of its time this turn has used: several functions share it."""
        self._last = last
        self._since: float | None = None
        self._watching = False

    @contextmanager
    def around(self) -> Iterator[None]:
        """Around one call. Where nothing can interrupt it, TookTooLong afterwards."""
        if not self._watching:
            self._watching = True
            threading.Thread(target=self._watch, daemon=True, name="nuvrik alarm").start()
        here = threading.current_thread() is threading.main_thread() and hasattr(signal, "setitimer")
        left_s = max(self.limit_s - self.spent_s, AGAIN_S)
        before = signal.signal(signal.SIGALRM, self._ring) if here else None
        self._since = start = time.monotonic()
        if here:
            signal.setitimer(signal.ITIMER_REAL, left_s, AGAIN_S)
        try:
            yield
        finally:
            self._since = None
            if here:
                signal.setitimer(signal.ITIMER_REAL, 0)
                signal.signal(signal.SIGALRM, before)
            self.spent_s += time.monotonic() - start
        if not here and time.monotonic() - start > left_s:
            raise TookTooLong

    def _ring(self, number: int, frame: FrameType | None) -> None:
        if self._since is not None and frame is not None and not _ours(frame):
            raise TookTooLong

    def _watch(self) -> None:
        while True:
            time.sleep(AGAIN_S)
            since = self._since
            if since is not None and time.monotonic() - since > 2 * self.limit_s:
                self._last()
                os._exit(CANNOT_BE_ENDED)


def _ours(frame: FrameType) -> bool:
    """Whether it is no code of the builder's own that is being run."""
    name = frame.f_code.co_filename
    return name == __file__ or name.endswith("contextlib.py")


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
        read = [name for name, item in link.telemetry.items() if item.measured]
        calls = [name for name, request in link.requests.items() if isinstance(request, CallRequest)]
        _check("OUTPUTS", outputs, list(link.outputs), "output")
        _check("SENSORS", sensors, read, "sensor in [telemetry]")
        _check("REQUESTS", requests, calls, "request of kind call")
        self._outputs, self._sensors, self._requests = outputs, sensors, requests
        self._places = {name: place for place, name in enumerate(link.outputs)}
        self._told: dict[str, Demand] = {}
        self._at_power_up: dict[str, Demand] = {}
        self._failing: set[str] = set()
        self._retried_ms = 0
        self._stops = False
        """Whether the machine is to stop, because a function has failed."""
        self._ended = ""
        """What has ended the program; "" for nothing."""
        self._running = ""
        self._process = os.getpid()
        self.longest_ms = link.own_code_ms or LONGEST_MS
        self._alarm = Alarm(self.longest_ms, self._tell_the_others)

    @property
    def idle(self) -> list[str]:
        """The outputs that no function drives."""
        return [name for name in self._link.outputs if name not in self._outputs]

    @property
    def there(self) -> bool:
        """Whether there is any function at all."""
        return bool(self._outputs or self._sensors or self._requests)

    def prepare(self, machine: Machine) -> None:
        """Begin, with a machine that has just been made: every output is told to rest."""
        _running[:] = [machine]
        self._at_power_up = {name: machine.demands[place] for name, place in self._places.items()}
        for name, function in self._requests.items():
            machine.on_request(name, self._hook(name, function))
        self._tell_outputs(machine)

    def watch(self, now_ms: int, machine: Machine) -> None:
        """After every tick: tell outputs what is new, read sensors. OwnCodeError, once all that moves has
        been told to rest, if a function has ended the program."""
        self._alarm.spent_s = 0.0
        retries = now_ms - self._retried_ms >= RETRIES_MS
        self._retried_ms = now_ms if retries else self._retried_ms
        self._tell_outputs(machine, retries=retries)
        for name, function in self._sensors.items():
            self._sense(now_ms, machine, name, self._called(f"sensor {name}", function))
        if self._stops:
            self._tell_outputs(machine)
        if self._ended and machine.safe:
            raise OwnCodeError(self._ended)

    def _sense(self, now_ms: int, machine: Machine, name: str, reading: Any) -> None:
        what = f"what sensor {name} gives"
        try:
            machine.sense(now_ms, **{name: reading})
        except (TypeError, ValueError) as error:
            self._fail(what, error)
        else:
            self._failing.discard(what)

    def _tell_outputs(self, machine: Machine, *, retries: bool = False) -> None:
        """Tell each output what is demanded of it, if that is new; with ``retries`` also where its function
        has failed. Where some function has failed the machine stops, and all are told so at once, that one
        too."""
        for _ in range(2):
            if self._stops:
                self._stops = False
                machine.stop()
            for name, function in self._outputs.items():
                demand = machine.demands[self._places[name]]
                failed = retries and f"output {name}" in self._failing
                if failed or self._told.get(name) != demand:
                    self._told[name] = demand
                    self._called(f"output {name}", function, demand)
            if not self._stops:
                return

    def _tell_the_others(self) -> None:
        """From a second thread, because a function cannot be ended: every other output that turns, or is on,
        is told what it was told at power-up."""
        sys.stderr.write(
            f"{self._running} cannot be ended: every other output is told to rest, and this machine ends\n"
        )
        telling = [
            threading.Thread(target=function, args=(self._at_power_up[name],), daemon=True)
            for name, function in self._outputs.items()
            if f"output {name}" != self._running and not self._link.outputs[name].stands
        ]
        for one in telling:
            one.start()
        end = time.monotonic() + self._alarm.limit_s
        for one in telling:
            one.join(max(0.0, end - time.monotonic()))
        sys.stderr.flush()

    @contextmanager
    def _guarding(self, what: str) -> Iterator[None]:
        """Around one call of a function. A process that it has begun by a fork ends here: one machine is
        enough."""
        self._running = what
        try:
            with self._alarm.around():
                yield
        finally:
            if os.getpid() != self._process:
                os._exit(0)

    def _called(self, what: str, function: Callable[..., Any], *arguments: Any) -> Any:
        """What a function gives; None where it fails, whatever it raises."""
        try:
            with self._guarding(what):
                given = function(*arguments)
        except BaseException as error:
            self._fail(what, error)
            return None
        self._failing.discard(what)
        return given

    def _fail(self, what: str, error: BaseException) -> None:
        self._stops = True
        ends = isinstance(error, SystemExit | KeyboardInterrupt)
        said = f"{what}: {_reason(error, self.longest_ms)}; the machine has stopped"
        if ends and not self._ended:
            self._ended = said
        if what not in self._failing:
            self._failing.add(what)
            if not ends:
                self._warn(said)

    def _hook(self, name: str, function: Callable[..., Any]) -> Hook:
        """A request's function, watched over."""

        def hook(**arguments: int | str) -> Any:
            try:
                with self._guarding(f"request {name}"):
                    given = function(**arguments)
            except RequestRefused:
                raise
            except BaseException as error:
                self._fail(f"request {name}", error)
                raise RuntimeError(f"request {name} has failed") from error
            self._failing.discard(f"request {name}")
            return self._steps(name, given) if isinstance(given, Generator) else given

        return hook

    def _steps(
        self, name: str, steps: Generator[Mapping[str, float], None, int | None]
    ) -> Generator[Mapping[str, float], None, int | None]:
        what = f"request {name}"
        try:
            while True:
                try:
                    with self._guarding(what):
                        step = next(steps)
                except StopIteration as over:
                    return over.value if isinstance(over.value, int) else None
                except BaseException as error:
                    self._fail(what, error)
                    raise RuntimeError(f"{what} has failed") from error
                yield step
        finally:
            self._called(f"{what}, as it is closed,", steps.close)


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
        names = runpy.run_path(str(noted(file)))
    except FileNotFoundError:
        raise OwnCodeError(f"{file}: there is no such file") from None
    except IsADirectoryError:
        raise OwnCodeError(f"{file}: is a folder, not a file") from None
    except KeyboardInterrupt:
        raise
    except BaseException as error:
        raise OwnCodeError(f"{file}: {_reason(error, LONGEST_MS)}") from None
    outputs, sensors, requests = (names.get(name, {}) for name in ("OUTPUTS", "SENSORS", "REQUESTS"))
    if not (outputs or sensors or requests):
        raise OwnCodeError(f"{file}: has none of OUTPUTS, SENSORS and REQUESTS, tables of functions by name")
    try:
        return OwnCode(link, outputs, sensors, requests, warn)
    except OwnCodeError as error:
        raise OwnCodeError(f"{file}: {error}") from None


def _reason(error: BaseException, longest_ms: int) -> str:
    """What a function raised, and where in it."""
    steps = [step for step in traceback.extract_tb(error.__traceback__) if step.filename != __file__]
    steps = [step for step in steps if not step.filename.endswith(("contextlib.py", "runpy.py>"))]
    where = f" ({Path(steps[-1].filename).name}, line {steps[-1].lineno})" if steps else ""
    if isinstance(error, TookTooLong):
        return f"took longer than {longest_ms} ms{where}"
    if isinstance(error, SystemExit):
        code = "" if error.code is None else f": {str(error.code)[:200]}"
        return f"has ended the program{code}{where}"
    return f"{type(error).__name__}: {error}{where}"
