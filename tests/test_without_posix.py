"""Most builders use Windows: everything but exclusive devices works without a POSIX module, signal or call,
in folders whose names have spaces and accents."""

import json
import socket
import subprocess
import sys
from pathlib import Path

import pytest
from links import write

from nuvrik.plan.starters import starter_text

RUNNER = Path(__file__).with_name("without_posix.py")
NAME = "Schlüssel & Räder, täglich"


def start(folder: Path, *words: object) -> subprocess.Popen[str]:
    command = [sys.executable, str(RUNNER), *map(str, words)]
    return subprocess.Popen(
        command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, encoding="utf-8"
    )


def ran(folder: Path, *words: object, code: int = 0) -> str:
    process = start(folder, *words)
    said, errors = process.communicate(timeout=240)
    assert process.returncode == code and "Traceback" not in errors, said + errors
    return said


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    made = tmp_path / NAME
    made.mkdir()
    return made


def test_what_is_blocked_is_blocked() -> None:
    code = f"import runpy; runpy.run_path({str(RUNNER)!r}); import signal, os"
    code += "; assert not hasattr(signal, 'SIGHUP') and not hasattr(os, 'O_NONBLOCK')\nimport fcntl"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode == 1 and "fcntl" in done.stderr.splitlines()[-1]


@pytest.mark.slow
def test_demo_check_and_rehearsal(folder: Path) -> None:
    assert "across the harbour" in ran(folder, "demo") or (folder / "marram-demo/session.png").exists()
    ran(folder, "new", "mein Boot.toml", "--like", "rover")
    ran(folder, "check", "mein Boot.toml", "--sheet", "Blatt für mich.png")
    assert (folder / "Blatt für mich.png").read_bytes().startswith(b"\x89PNG")
    rows = ran(folder, "rehearse", "mein Boot.toml", "--fault", "cable_pulled", "--runs", 2, "--json")
    assert [json.loads(row)["verdict"] for row in rows.splitlines()] == ["pass", "pass"]
    recording = folder / "marram-demo/sweep.csv"
    ran(folder, "calibrate", folder / "marram-demo/tug.toml", recording, "--write")
    assert "frames" in ran(folder, "hello", "mein Boot.toml", "--port", "sim")


@pytest.mark.live
def test_a_live_link_over_udp(folder: Path) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    file = write(folder, "Röhre.toml", starter_text("tug"))
    rows = ["t_ms,left_stick,right_stick,arm_button,stop_button"]
    for t in range(0, 4001, 20):
        rows.append(f"{t},{900 if t > 2500 else 508},515,{int(1200 < t < 1400)},0")
    recording = write(folder, "Übung 1.csv", "\n".join(rows) + "\n")
    machine = start(folder, "machine", file, "--port", f"udp://:{port}", "--log", "Weg.csv", "--for-s", 9)
    driver = start(
        folder, "drive", file, "--port", f"udp://127.0.0.1:{port}", "--from", recording, "--headless"
    )
    for process in (driver, machine):
        said, errors = process.communicate(timeout=120)
        assert process.returncode == 0 and "Traceback" not in errors, said + errors
    log = (folder / "Weg.csv").read_text("utf-8")
    last = log.splitlines()[-1]
    assert ",ARMED," in log and ("STANDBY" in last or "WAITING" in last)
    assert last.endswith(",0,0"), "at rest in the end"
