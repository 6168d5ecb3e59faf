"""Lines that are flooded, and lines of every kind that there is: the loop keeps its time."""

import os
import pty
import shutil
import socket
import subprocess
import sys
import threading
import time
import tty
from collections.abc import Callable
from pathlib import Path

import pytest
from links import THOROUGH, WIRED_TEXT, write
from terminals import RUNNING, ended, start, wait_for

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.machine.states import State
from nuvrik.ports.live import run_machine
from nuvrik.ports.open import open_port
from nuvrik.wire.frames import Encoder
from nuvrik.wire.kinds import HELLO
from nuvrik.wire.messages import Query, pack_hello

pytestmark = pytest.mark.live

FLOOD_S = float(os.environ.get("NUVRIK_FLOOD_S", "1"))
"""How long each flood lasts; 5 in CI, 60 once for the figure of a minute."""

LEAD_S = 2.0
"""Good frames only at first: that gives the rate to hold the flood against, and a motor that turns."""

FLOODER = """
import os, socket, sys, time
kind, where, flood, good, seconds, lead = sys.argv[1:]
LEAD = float(lead)
flood = [bytes.fromhex(one) for one in open(flood)]
good = [bytes.fromhex(one) for one in open(good)]
if kind == "pty":
    line = os.open(where, os.O_WRONLY | os.O_NOCTTY)
    put = lambda data: os.write(line, data)
elif kind == "socket":
    with socket.create_server(("127.0.0.1", int(where))) as server:
        line, _ = server.accept()
    line.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, 8192)
    put = line.sendall
else:
    line = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    line.connect(("127.0.0.1", int(where)))
    def put(data):
        try:
            line.send(data)
        except ConnectionRefusedError:
            pass
began = due = time.monotonic()
number = 0
try:
    while time.monotonic() - began < float(seconds):
        if good and time.monotonic() >= due:
            put(good.pop(0))
            due += 0.02
        if time.monotonic() - began > LEAD:
            put(flood[number % len(flood)])
            number += 1
        else:
            time.sleep(0.002)
except OSError:
    pass
"""

LINK = nuvrik.parse(WIRED_TEXT)
PACKETS = nuvrik.parse(WIRED_TEXT.replace('kind = "serial"', 'kind = "udp"').replace("baud =", "# baud ="))


def floods(encoder: Encoder, other: Encoder) -> dict[str, list[bytes]]:
    question = [encoder.on_wire(encoder.sealed(HELLO, n, pack_hello(Query(0)))) for n in range(1, 40)]
    return {
        "random bytes": [os.urandom(700) for _ in range(20)],
        "another pair": [other.on_wire(other.command([9000, 0, 1], n)) for n in range(40)],
        "hellos": question,
        "stops": [encoder.on_wire(encoder.stop(n)) for n in range(40)],
    }


def free_port(kind: int) -> int:
    with socket.socket(socket.AF_INET, kind) as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


FLOODED = [
    (kind, what)
    for place, kind in enumerate(["pty", "socket", "udp"])
    for number, what in enumerate(["random bytes", "another pair", "hellos", "stops"])
    # All of them in CI; else each line with one flood and each flood on one line, and one more.
    if THOROUGH or number == place or (number, place) == (3, 0)
]


@pytest.mark.parametrize(("kind", "what"), FLOODED, ids=[f"{kind}, {what}" for kind, what in FLOODED])
def test_ticks_keep_their_rate_under_a_flood(tmp_path: Path, kind: str, what: str) -> None:
    link = PACKETS if kind == "udp" else LINK
    encoder = Encoder(link)
    frame = link.frame.model_copy(update={"pair": link.frame.pair % 255 + 1})
    flood = floods(encoder, Encoder(link.model_copy(update={"frame": frame})))[what]
    if kind != "udp":  # in pieces of about a write, as a line brings them
        flood = [b"".join(flood)]
    count = 100 + round(25 * FLOOD_S)
    drive = [encoder.command([16384 if n > 45 else 0, 0, int(n > 25)], n & 0xFF) for n in range(count)]
    good = [encoder.on_wire(body) for body in drive]
    files = [
        write(tmp_path, name, "\n".join(one.hex() for one in pieces))
        for name, pieces in (("flood", flood), ("good", good))
    ]
    if kind == "pty":
        master, slave = pty.openpty()
        tty.setraw(slave)
        # The program floods the one end, and the machine is at the other.
        where, name = os.ttyname(slave), None
        line = _Master(master)
    else:
        where = str(free_port(socket.SOCK_DGRAM if kind == "udp" else socket.SOCK_STREAM))
        name = f"udp://:{where}" if kind == "udp" else f"socket://127.0.0.1:{where}"
        line = None
    words = [kind, where, *map(str, files), str(LEAD_S + FLOOD_S + 1), str(LEAD_S)]
    flooder = subprocess.Popen([sys.executable, "-c", FLOODER, *words])
    RUNNING.append(flooder)
    line = line or _opened(link, name)
    ticks: list[float] = []
    states: list[tuple[float, State, bool]] = []
    memory: list[int] = []

    def watch(t_ms: int, machine: nuvrik.Machine) -> None:
        ticks.append(time.monotonic())
        states.append((ticks[-1], machine.state, machine.safe))
        if len(ticks) % 50 == 0:
            memory.append(int(Path("/proc/self/statm").read_text().split()[1]) * 4)

    heard: list[float] = []

    def note(now_ms: int, event: object) -> None:
        if isinstance(event, nuvrik.Frame) and event.kind == 0:
            heard.append(time.monotonic())

    began = time.monotonic()
    run_machine(link, line, watch, int(1000 * (LEAD_S + FLOOD_S)), heard=note)
    flooder.kill()
    line.close()
    quiet = [at for at in ticks if at - began < LEAD_S]
    flooded = [at for at in ticks if LEAD_S + 0.3 < at - began < LEAD_S + FLOOD_S]
    rate, quiet_rate = ((len(t) - 1) / (t[-1] - t[0]) for t in (flooded, quiet))
    print(f"\n{kind:7} {what:13} {100 * rate / quiet_rate:5.1f} % of {quiet_rate:.1f} ticks a second")
    assert rate >= 0.9 * quiet_rate, (rate, quiet_rate)
    assert memory[-1] - memory[0] < 4000, "memory stays flat"
    driven = [at for at, _, safe in states if not safe]
    assert driven, "it was driven when the flood began"
    bound_s = (stop_bound(link).worst_ms + link.tick_ms) / 1000
    stopped = [at for at, state, _ in states if state is State.STOPPED]
    if what == "stops":
        assert stopped and driven[-1] < stopped[0], "a stop is accepted at once"
    else:
        assert driven[-1] - heard[-1] <= bound_s, "and it stopped within the bound"


class _Master:
    """The other end of a pseudo-terminal, read as a port reads a device."""

    stream = True

    def __init__(self, master: int) -> None:
        from nuvrik.ports.port import Port

        os.set_blocking(master, False)
        self._port = Port.__new__(Port)
        self._port.name, self._port._wait_s = "pty", 0.002
        self._port._file = self._port._out = self
        self._port._line = self
        self._master = master
        self.accepted, self.another = self._port.accepted, self._port.another
        self.write = lambda data: True

    def fileno(self) -> int:
        return self._master

    def read(self, size: int | None = None) -> bytes:
        return os.read(self._master, size) if size else self._port.read()

    def close(self) -> None:
        os.close(self._master)


def _opened(link: nuvrik.Link, name: str | None, seconds: float = 10.0):
    end = time.monotonic() + seconds
    while True:
        try:
            return open_port(link, str(name))
        except Exception:
            if time.monotonic() > end:
                raise
            time.sleep(0.02)


# ---- writes that nobody reads --------------------------------------------------------------


def test_a_line_whose_reader_never_reads_keeps_nobody_waiting() -> None:
    master, slave = pty.openpty()
    tty.setraw(slave)
    port = open_port(LINK, os.ttyname(slave))
    took, dropped = [], 0
    for _ in range(2000):
        began = time.monotonic()
        dropped += not port.write(b"\0" + b"x" * 20 + b"\0")
        took.append(time.monotonic() - began)
    assert dropped and sorted(took)[1900] < 0.005, "95 of 100 writes take no time at all"
    port.close()
    os.close(master)


# ---- every kind of port --------------------------------------------------------------------


def served(command: list[str]) -> subprocess.Popen:
    nothing = subprocess.DEVNULL
    process = subprocess.Popen(command, stdin=nothing, stdout=nothing, stderr=nothing)
    RUNNING.append(process)
    return process


def exchanges(port, other: Callable[[], bytes]) -> None:
    """Bytes go out, and what comes back is read."""
    end, back, seen = time.monotonic() + 15, b"", b""
    while (b"pong" not in back or b"ping" not in seen) and time.monotonic() < end:
        port.write(b"ping")
        back += port.read()
        seen += other()
        time.sleep(0.01)
    assert b"ping" in seen and b"pong" in back, (seen, back)


def echoing(master: int) -> Callable[[], bytes]:
    """The device's side: says pong, and gives what it has heard."""
    os.set_blocking(master, False)

    def turn() -> bytes:
        try:
            os.write(master, b"pong")
            return os.read(master, 4096)
        except BlockingIOError:
            return b""

    return turn


needs = pytest.mark.skipif(
    not (shutil.which("socat") and shutil.which("ser2net")), reason="socat and ser2net: make toolchain"
)


@needs
@pytest.mark.parametrize("form", ["socat", "ser2net raw", "ser2net rfc2217", "alt", "spy", "socket"])
def test_every_form_of_port_works_through_real_servers(tmp_path: Path, form: str) -> None:
    master, slave = pty.openpty()
    tty.setraw(slave)
    device, number = os.ttyname(slave), free_port(socket.SOCK_STREAM)
    server = None
    if form == "socat":
        linked = tmp_path / "line"
        server = served(["socat", f"PTY,link={linked},raw,echo=0", f"FILE:{device},raw,echo=0"])
        name = str(linked)
    elif form.startswith("ser2net"):
        kind = "telnet(rfc2217)" if form.endswith("2217") else "tcp"
        text = f"connection: &one\n  accepter: {kind + ',' if '2217' in kind else ''}tcp,localhost,{number}\n"
        text += f"  connector: serialdev,{device},115200n81,local\n"
        config = write(tmp_path, "ser2net.yaml", text)
        server = served(["ser2net", "-n", "-c", str(config), "-P", str(tmp_path / "pid")])
        # A pseudo-terminal has no modem lines to be set.
        name = f"socket://localhost:{number}"
        if "2217" in kind:
            name = f"rfc2217://localhost:{number}?ign_set_control"
    elif form == "socket":
        server = served(["socat", f"TCP-LISTEN:{number},reuseaddr", f"FILE:{device},raw,echo=0"])
        name = f"socket://localhost:{number}"
    else:
        name = (
            f"alt://{device}?class=PosixPollSerial"
            if form == "alt"
            else f"spy://{device}?file={tmp_path}/spy"
        )
    port = _opened(LINK, name)
    exchanges(port, echoing(master))
    port.close()
    if server is not None:
        server.kill()
    os.close(master)


@pytest.mark.parametrize(
    "name", ["hwgrep://nothing_of_the_kind", "rfc2217://127.0.0.1:1", "alt:///dev/null?class=No"]
)
def test_a_port_that_cannot_be_had_is_refused_in_a_line(tmp_path: Path, name: str) -> None:
    link_file = write(tmp_path, "link.toml", WIRED_TEXT)
    code, said = ended(start("machine", link_file, "--port", name))
    assert code == 2 and "cannot be opened" in said and len(said.splitlines()) == 1, said


def test_a_stray_packet_does_not_draw_the_answers_away(tmp_path: Path) -> None:
    number = free_port(socket.SOCK_DGRAM)
    text = WIRED_TEXT.replace('kind = "serial"', 'kind = "udp"').replace("baud =", "# baud =")
    link_file = write(tmp_path, "link.toml", text)
    log = tmp_path / "log.csv"
    machine = start("machine", link_file, "--port", f"udp://:{number}", "--log", log)
    wait_for(log, lambda row: row["state"] == "WAITING")
    encoder = Encoder(PACKETS)
    ours, stray = (socket.socket(socket.AF_INET, socket.SOCK_DGRAM) for _ in range(2))
    for one in (ours, stray):
        one.connect(("127.0.0.1", number))
        one.settimeout(5)
    done = threading.Event()

    def bother() -> None:
        while not done.is_set():
            stray.send(b"nothing that anybody would accept")
            time.sleep(0.001)

    thread = threading.Thread(target=bother)
    thread.start()
    for n in range(1, 6):
        ours.send(encoder.sealed(HELLO, n, pack_hello(Query(n))))
        assert len(ours.recv(100)) > 20
        time.sleep(0.05)
    done.set()
    thread.join()
    stray.settimeout(0.2)
    with pytest.raises(TimeoutError):
        stray.recv(100)
    machine.kill()
