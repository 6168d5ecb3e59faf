"""Programs at either end: hands that read controls, asyncio, a question from a command line, and the
builder's own functions at the machine."""

import asyncio
import json
import socket
import subprocess
import sys
import time
from itertools import pairwise
from pathlib import Path

import pytest
from links import starter_text, write
from terminals import cable, rows_of, start, wait_for

import nuvrik
from nuvrik.ends.machine import Machine
from nuvrik.ports.own_code import LONGEST_MS, OwnCode, OwnCodeError, load_own_code

PANEL = nuvrik.parse(starter_text("panel"))
TUG = nuvrik.parse(starter_text("tug"))
REST = {"left_stick": 508, "right_stick": 515, "arm_button": 0, "stop_button": 0}


def said(*words: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "nuvrik", *map(str, words)], capture_output=True, text=True, check=False
    )


# ---- hands in a program --------------------------------------------------------------------


@pytest.mark.live
def test_a_program_that_reads_controls_has_ranges_toggles_and_a_stop() -> None:
    def hold(tug: nuvrik.Connection, seconds: float, **readings: int) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            tug.read(**REST | readings)
            time.sleep(0.01)

    with nuvrik.connect(TUG, "sim", controls=True) as tug:
        hold(tug, 0.6)
        hold(tug, 0.1, arm_button=1)
        hold(tug, 0.1)
        # Within the dead zone nothing; at the end all of it, bent as the file says.
        hold(tug, 0.2, left_stick=520)
        assert tug.values["throttle"] == 0 and tug.values["arm"] == 1
        hold(tug, 0.2, left_stick=0)
        assert tug.values["throttle"] == -1 and tug.why == ""
        hold(tug, 0.2, stop_button=1)
        assert "stop_button" in tug.why
        # A program that stops reading has let go of everything, its stop button too.
        hold(tug, 0.6)
        time.sleep(0.8)
        assert tug.values["throttle"] is None and "stop_button" in tug.why
        with pytest.raises(KeyError, match="no control is called rudder"):
            tug.read(rudder=1)


@pytest.mark.live
def test_the_same_with_asyncio_lets_other_tasks_run() -> None:
    async def both() -> tuple[int, int]:
        ticks = 0

        async def tick() -> None:
            nonlocal ticks
            while True:
                ticks += 1
                await asyncio.sleep(0.005)

        counting = asyncio.create_task(tick())
        async with nuvrik.aio.connect(PANEL, "sim") as panel:
            await panel.arm()
            before = ticks
            moved = await panel.request("move", steps=200)
            during = ticks - before
            panel.set(lamp=True)
            assert panel.state == "ARMED" and (await panel.hello()).name == PANEL.name
        counting.cancel()
        assert not panel._connection._driver.running, "the farewell has been sent"
        return moved.value, during

    turned, during = asyncio.run(both())
    assert turned == 200 and during > 3


@pytest.mark.live
def test_a_question_from_the_command_line_is_answered_and_what_is_wrong_with_it_said(tmp_path: Path) -> None:
    text = starter_text("panel") + '\n[requests.say]\nkind = "call"\n'
    text += 'args.tune = { kind = "choice", options = ["short", "long", "shrill"] }\n'
    text += 'args.loud = { kind = "flag" }\n'
    link_file = write(tmp_path, "panel.toml", text)
    heard = tmp_path / "said.txt"
    code = write(
        tmp_path,
        "own.py",
        f"def say(tune, loud):\n    open({str(heard)!r}, 'a').write(f'{{tune}} {{loud}};')\n    return 7\n"
        "REQUESTS = {'say': say}\n",
    )
    port = free_port()
    machine = start("machine", link_file, "--port", f"socket://:{port}", "--code", code)
    there = f"socket://127.0.0.1:{port}"
    end = time.monotonic() + 20
    words = ("ask", link_file, "say", "tune=shrill", "loud=on", "--port", there, "--json")
    while (asked := said(*words)).returncode == 2:
        assert time.monotonic() < end
    assert json.loads(asked.stdout) == {"request": "say", "state": "done", "why": "", "value": 7}
    assert heard.read_text() == "2 1;"
    machine.terminate()
    machine.wait(20)
    for words, why in {
        ("say", "tune=low", "loud=on"): "tune=short|long|shrill",
        ("say", "tune=long"): "say wants loud too: loud=VALUE, on or off",
        ("sey",): 'did you mean "say"?',
        ("move", "steps=1.5"): "a whole number, -32768 to 32767",
        ("lamp=7",): "lamp",
        ("lamp",): "there is no request",
        ("move", "steps=1", "steps=2"): "given twice",
    }.items():
        refused = said("ask", link_file, *words, "--port", "sim")
        assert refused.returncode == 2 and why in refused.stderr, refused.stderr
    moved = said("ask", link_file, "move", "steps=-40", "--port", "sim")
    assert (moved.returncode, moved.stdout) == (0, "move: done, -40\n")


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


# ---- functions at the machine --------------------------------------------------------------


class Bench:
    """A machine with functions, and a handset that holds its stick ahead, in a time of their own."""

    def __init__(self, own: OwnCode) -> None:
        self.machine, self.handset = Machine(TUG), nuvrik.Handset(TUG)
        self.own, self.now_ms = own, 0
        own.prepare(self.machine)

    def run(self, ms: int, **readings: int) -> None:
        for _ in range(ms // 20):
            self.now_ms += 20
            self.handset.read(self.now_ms, **REST | readings)
            self.machine.feed(self.handset.send(self.now_ms), self.now_ms)
            self.machine.tick(self.now_ms)
            self.own.watch(self.now_ms, self.machine)

    def drive(self) -> None:
        self.run(600)
        self.run(100, arm_button=1)
        self.run(100)
        self.run(500, left_stick=1023)


def test_every_output_is_told_rest_first_and_then_what_is_demanded() -> None:
    told: dict[str, list[int]] = {"port_screw": [], "starboard_screw": []}
    outputs = {name: lambda demand, n=name: told[n].append(demand.signed) for name in told}
    own = OwnCode(TUG, outputs, {}, {})
    bench = Bench(own)
    assert told == {"port_screw": [0], "starboard_screw": [0]}
    bench.drive()
    assert told["port_screw"][-1] == 230 and told["starboard_screw"][-1] == -230
    assert all(a != b for a, b in pairwise(told["port_screw"])), "only what is new"


@pytest.mark.parametrize("how", ["raises", "hangs"])
def test_a_function_that_fails_stops_all_motion_and_is_named(how: str) -> None:
    told: list[int] = []
    trouble: list[str] = []

    def port(demand) -> None:
        if demand.signed > 100 and not trouble:
            if how == "raises":
                raise RuntimeError("the motor board did not answer")
            time.sleep(30)

    outputs = {"port_screw": port, "starboard_screw": lambda demand: told.append(demand.signed)}
    own = OwnCode(TUG, outputs, {}, {}, trouble.append)
    bench = Bench(own)
    start_s = time.monotonic()
    bench.drive()
    assert bench.machine.state == "STOPPED" and told[-1] == 0 and min(told) < 0
    wanted = "RuntimeError: the motor board" if how == "raises" else f"took longer than {LONGEST_MS} ms"
    assert len(trouble) == 1 and trouble[0].startswith("output port_screw: ") and wanted in trouble[0]
    assert "test_programs.py, line" in trouble[0]
    assert time.monotonic() - start_s < 25, "it has not been waited for"
    # Disarmed and armed again, it is called again.
    bench.run(100, arm_button=1)
    bench.drive()
    assert bench.machine.state == "ARMED" and told[-1] == -230


def test_a_sensor_that_fails_has_no_reading_and_stops_motion() -> None:
    link = PANEL
    name = next(name for name, item in link.telemetry.items() if item.kind == "volts")
    trouble: list[str] = []

    def broken() -> int:
        raise OSError("no sensor")

    own = OwnCode(link, {}, {name: broken}, {}, trouble.append)
    machine = Machine(link)
    own.prepare(machine)
    machine.tick(0)
    own.watch(0, machine)
    assert machine.state == "STOPPED" and len(trouble) == 1
    assert trouble[0].startswith(f"sensor {name}: OSError: no sensor (test_programs.py, line")


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("OUTPUTS = {'port_screv': print}", 'did you mean "port_screw"?'),
        ("OUTPUTS = {'port_screw': 3}", "no function"),
        ("x = 1 / 0", "ZeroDivisionError"),
        ("x = 1", "has none of OUTPUTS"),
        ("REQUESTS = {'a': print}", "no request of kind call"),
    ],
)
def test_a_file_of_functions_that_cannot_be_used_is_refused_before_a_port_is_opened(
    tmp_path: Path, text: str, why: str
) -> None:
    with pytest.raises(OwnCodeError, match=r"own\.py: ") as refused:
        load_own_code(TUG, write(tmp_path, "own.py", text), print)
    assert why in str(refused.value)


@pytest.mark.live
def test_a_machine_with_motors_of_its_own_lives_through_a_function_that_hangs(tmp_path: Path) -> None:
    """And the log of its bytes, laid beside what was sent, says what arrived."""
    link_file = write(tmp_path, "tug.toml", starter_text("tug"))
    log, told, sent = tmp_path / "log.csv", tmp_path / "told.txt", tmp_path / "hand.csv"
    code = write(
        tmp_path,
        "motors.py",
        "import time\nhung = []\n"
        f"out = open({str(told)!r}, 'w', buffering=1)\n"
        "def port(demand):\n"
        "    print(demand.signed, file=out)\n"
        "    if demand.signed > 150 and not hung:\n"
        "        hung.append(1)\n        time.sleep(60)\n"
        "OUTPUTS = {'port_screw': port}\n",
    )
    from test_live import full_ahead

    recording = full_ahead(tmp_path, seconds=4)
    with cable() as line:
        words = ("machine", link_file, "--port", line.ports[1], "--log", log, "--bytes", "--code", code)
        machine = start(*words)
        end = time.monotonic() + 20
        while not log.exists() and time.monotonic() < end:
            time.sleep(0.02)
        hands = ("--from", recording, "--headless", "--log", sent)
        drive = start("drive", link_file, "--port", line.ports[0], *hands)
        wait_for(log, lambda row: row["state"] == "STOPPED")
        assert drive.wait(60) == 0
        machine.terminate()
        _, errors = machine.communicate(timeout=20)
    assert machine.returncode == 0
    assert "output port_screw: took longer than 250 ms (motors.py, line 8)" in errors
    assert told.read_text().split()[-1] == "0" and rows_of(log)[-1]["port_screw"] == "0"
    compared = said("inspect", link_file, log, "--against", sent, "--json")
    there = json.loads(compared.stdout)["there"]
    assert compared.returncode == 0 and there["sent"] > 100 and there["arrived"] >= 0.9 * there["sent"]


@pytest.mark.live
def test_another_program_asks_for_steps_and_a_direction_once_a_line(tmp_path: Path) -> None:
    """As spreadsheets and serial monitors send them: a number of steps and which way."""
    link_file = write(tmp_path, "vent.toml", starter_text("vent"))
    log = tmp_path / "hand.csv"
    words = ("--port", "sim", "--from", "-", "--headless", "--log", log)
    command = [sys.executable, "-m", "nuvrik", "drive", link_file, *words]
    drive = subprocess.Popen(command, stdin=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    assert drive.stdin is not None

    def rows(seconds: float, *more: str, arm: int = 1) -> None:
        for line in more:
            drive.stdin.write(f"{line}\n")
        for _ in range(round(seconds / 0.1)):
            drive.stdin.write(f"open_button,0\nclose_button,0\narm_switch,{arm}\n")
            drive.stdin.flush()
            time.sleep(0.1)

    def turned() -> float:
        shown = [row["item.shaft"] for row in rows_of(log) if row["item.shaft"]]
        return float(shown[-1].split()[0])

    rows(2.5, arm=0)
    rows(2.5)
    rows(6.0, "move,100,forward", "move,60,backward", "move,70000,forward", "moo,1,backward")
    first = turned()
    rows(4.0, "move,40,-")
    assert abs(first - 40 / 200) < 0.06 and abs(turned()) < 0.06
    drive.stdin.close()
    assert drive.wait(20) == 0
    assert drive.stderr is not None
    said = drive.stderr.read()
    assert "move: steps is 70000" in said and 'no request "moo"' in said
