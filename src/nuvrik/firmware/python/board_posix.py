"""A process as a machine or a handset: its clock, its line, and an end to whatever the builder's own code
does for too long. It runs in CPython with nothing installed.

A function that takes too long is interrupted, and again every AGAIN_S until it ends. One that swallows all of
these, or is held up where Python does not look, cannot be ended: then a second thread tells every other
output to rest and ends the process."""

import os
import select
import signal
import sys
import threading
import time
import traceback

from nuvrik.datagrams import Datagrams

AT_ONCE = 64
"""So many bytes are read together."""

MOST_MS = 1
"""How long a turn waits for something to come."""

AGAIN_S = 0.05
"""How soon a function that has swallowed an interruption is interrupted again."""

OUR_FILES = ("guard.py", "board_posix.py", "calls.py")
"""What is never interrupted: what calls the builder's own code, and clears up behind it."""

_waits_for = []
_asked = []
_longest_s = 0.25
_calling_since = [None]
_rest = []
"""What is called by the second thread: a function for each output, and what it is to be told."""


def now_ms():
    """Milliseconds since some moment."""
    return time.monotonic_ns() // 1000000


def since(now, before):
    """How many have gone by."""
    return now - before


def idle():
    """Until something comes, or a millisecond."""
    try:
        ready = select.select(_waits_for, [], [], MOST_MS / 1000)[0]
    except (OSError, ValueError):
        ready = _waits_for
    if ready and Computer.gone:
        # A port that has hung up is always ready.
        time.sleep(MOST_MS / 1000)


def start():
    """Power has come; and a number that was not there at any earlier start, in two halves."""
    return 1, int.from_bytes(os.urandom(2), "little"), int.from_bytes(os.urandom(2), "little")


def guard(after_ms):
    """No function of the builder's own may take longer than that."""
    global _longest_s
    _longest_s = after_ms / 1000
    signal.signal(signal.SIGALRM, _too_long)
    threading.Thread(target=_look_after, daemon=True).start()
    for one in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(one, lambda number, frame: _asked.append(number))


class TooLong(BaseException):
    """A function of the builder's own holds up the loop. No ``except Exception`` of its catches it."""


def _too_long(number, frame):
    if _calling_since[0] is not None and not frame.f_code.co_filename.endswith(OUR_FILES):
        raise TooLong(
            f"it took longer than {1000 * _longest_s:.0f} ms, while nothing is heard and nothing can stop"
        )


def watch(calling):
    """The builder's own code begins or ends."""
    _calling_since[0] = time.monotonic() if calling else None
    signal.setitimer(signal.ITIMER_REAL, _longest_s if calling else 0, AGAIN_S if calling else 0)


def _look_after():
    """The second thread."""
    while True:
        time.sleep(AGAIN_S)
        since = _calling_since[0]
        if since is None or time.monotonic() - since < 2 * _longest_s:
            continue
        print("a function of your own cannot be ended: every other output is told to rest", file=sys.stderr)
        telling = [threading.Thread(target=one, args=(told,), daemon=True) for one, told in _rest]
        for one in telling:
            one.start()
        until = time.monotonic() + _longest_s
        for one in telling:
            one.join(max(0.0, until - time.monotonic()))
        sys.stderr.flush()
        os._exit(2)


def feed_while(off):
    """A process has no watchdog but that of its system."""


def alive():
    """A process has no watchdog but that of its system."""


def tell(error):
    """Say what has gone wrong in the builder's own code."""
    traceback.print_exception(type(error), error, error.__traceback__)


def leaves():
    """Whether somebody has asked it to end, or its line has gone."""
    return bool(_asked) or Computer.gone


def port_named():
    """The port that stands behind ``--port``."""
    words = sys.argv[1:]
    if len(words) == 2 and words[0] == "--port":
        return words[1]
    sys.exit(f"{sys.argv[0]}: say --port and a device, such as /dev/ttyUSB0, or udp://:PORT to listen")


class Computer:
    """What core asks of a small computer, which has no pins: nothing of it is ever on."""

    gone = False

    def looks_off(self):
        """Nobody feeds anything here."""
        return True

    def put_off(self):
        """All has been told that there is."""


class Serial(Computer):
    """A serial port. What it does not take is kept, so that a frame is never cut."""

    def open(self, name, baud):
        """Make it ready."""
        import termios

        speed = getattr(termios, f"B{baud}", None)
        if speed is None:
            sys.exit(f"{name}: this system knows no speed of {baud} baud")
        try:
            self.port = os.open(name, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
            how = [0, 0, termios.CS8 | termios.CREAD | termios.CLOCAL, 0, speed, speed]
            control = termios.tcgetattr(self.port)[6]
            control[termios.VMIN] = control[termios.VTIME] = 0
            termios.tcsetattr(self.port, termios.TCSANOW, [*how, control])
            termios.tcflush(self.port, termios.TCIOFLUSH)
        except OSError as error:
            sys.exit(f"{name}: {error.strerror}")
        except termios.error:
            sys.exit(f"{name}: is no serial port")
        self.waiting = self.heard = b""
        self.at = 0
        _waits_for.append(self.port)

    def take(self, line):
        """The next byte, -1 for none."""
        if self.at == len(self.heard):
            self.at, self.heard = 0, self.read()
            if not self.heard:
                return -1
        self.at += 1
        return self.heard[self.at - 1]

    def read(self):
        """What has come."""
        try:
            return os.read(self.port, AT_ONCE)
        except (BlockingIOError, InterruptedError):
            return b""
        except OSError as error:
            if not Computer.gone:
                print(f"the port has gone: {error.strerror}", file=sys.stderr)
            Computer.gone = True
            return b""

    def free(self):
        """Whether the frame before has gone."""
        if self.waiting:
            try:
                self.waiting = self.waiting[os.write(self.port, self.waiting) :]
            except OSError:
                pass
        return not self.waiting

    def give(self, line, frame, count):
        """Send so many bytes, or say whether it would take any."""
        if not self.free() or not count:
            return not self.waiting
        self.waiting = bytes(frame[:count])
        self.free()
        return True


class Udp(Datagrams, Computer):
    """``udp://:PORT`` listens, ``udp://HOST:PORT`` speaks first."""

    def open(self, name, timeout_ms):
        """Make it ready."""
        import socket

        host, _, port = name[len("udp://") :].rpartition(":")
        if not name.startswith("udp://") or not port.isdigit():
            sys.exit(f"{name}: say udp://:PORT to listen, or udp://HOST:PORT")
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.setblocking(False)
        self.begin_with((host, int(port)) if host else None, timeout_ms, now_ms, since)
        self.receive = self.socket.recvfrom_into
        if not host:
            try:
                self.socket.bind(("", int(port)))
            except OSError as error:
                sys.exit(f"{name}: {error.strerror}")
        _waits_for.append(self.socket)


class Rest:
    """What an output that turns, or is off or on, is told at rest: as it was at power-up."""

    def __init__(self, end, at):
        told = end.machine.outputs.told(at)
        self.at, self.value, self.way, self.driven, self.braked = 0, told.value, told.way, False, told.braked


def turns(link, at):
    """Whether an output stands in no place."""
    servos = link.end.machine.outputs.servos
    return not any(one.demand is link.end.machine.outputs.told(at) for one in servos)


class Functions:
    """The outputs of a machine, each with a function of the builder's own, which is called whenever something
    else is told to it. One that raises, or takes too long, is told, stops the machine, and is called again
    until it does better."""

    def __init__(self, link, functions):
        self.link, self.functions = link, functions
        self.told = [None] * len(functions)
        _rest[:] = [
            (function, Rest(link.end, at)) for at, function in enumerate(functions) if turns(link, at)
        ]

    def write(self):
        """Tell each what it is told now, if that is something else than before. Where one fails the machine
        stops, and comes back here to tell all of them so."""
        for at, function in enumerate(self.functions):
            one = self.link.end.machine.outputs.told(at)
            now = one.value, one.way, one.braked
            if now != self.told[at]:
                self.told[at] = now
                self.link.guarded(function, one)
                if function in self.link.failing:
                    self.told[at] = None
