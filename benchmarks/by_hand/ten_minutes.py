"""Ten minutes of both live ends at twelve times the usual rate: what is lost, and whether memory grows.

    .venv/bin/python benchmarks/by_hand/ten_minutes.py [SECONDS]

A program writes 600 rows a second into `drive --from -`, which sends 500 frames a second, the most that a
link file may say, over pseudo-terminals to `machine`. Memory is what the system says is resident, after a
tenth of the time and at the end.
"""

import contextlib
import os
import pty
import subprocess
import sys
import tempfile
import threading
import time
import tty
from pathlib import Path
from select import select

sys.path.insert(0, str(Path(__file__).parents[1]))
from live import LINK

ROWS_A_SECOND = 600


def resident_kb(process: subprocess.Popen[bytes]) -> int:
    """How much memory a program has in use."""
    status = Path(f"/proc/{process.pid}/status").read_text()
    return next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmRSS"))


def carry(one: int, other: int) -> None:
    """A cable."""
    with contextlib.suppress(OSError):
        while True:
            for source, target in ((one, other), (other, one)):
                if select([source], [], [], 0.001)[0]:
                    os.write(target, os.read(source, 4096))


def main() -> None:
    """Run it, and say what came of it."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 600.0
    (ours, our_end), (theirs, their_end) = pty.openpty(), pty.openpty()
    for end in (our_end, their_end):
        tty.setraw(end)
    threading.Thread(target=carry, args=(ours, theirs), daemon=True).start()
    with tempfile.TemporaryDirectory() as name:
        link = Path(name) / "link.toml"
        quick = LINK.replace("rate_hz = 100", "rate_hz = 500").replace("timeout_ms = 300", "timeout_ms = 200")
        link.write_text(quick)
        command = [sys.executable, "-m", "nuvrik"]
        machine = subprocess.Popen(
            [*command, "machine", link, "--port", os.ttyname(their_end), "--log", Path(name) / "log.csv"],
            stderr=subprocess.PIPE,
        )
        drive = subprocess.Popen(
            [*command, "drive", link, "--port", os.ttyname(our_end), "--from", "-", "--headless"],
            stdin=subprocess.PIPE,
            stderr=subprocess.PIPE,
        )
        assert drive.stdin is not None
        began = time.monotonic()
        early: list[int] = []
        for row in range(round(seconds * ROWS_A_SECOND)):
            t_s = row / ROWS_A_SECOND
            time.sleep(max(0.0, began + t_s - time.monotonic()))
            stick = 512 if t_s < 4 else 512 + row % 400
            drive.stdin.write(f"stick,{stick}\narm_button,{int(t_s > 3)}\n".encode())
            drive.stdin.flush()
            if not early and t_s > seconds / 10:
                early = [resident_kb(drive), resident_kb(machine)]
        late = [resident_kb(drive), resident_kb(machine)]
        _, drove = drive.communicate(timeout=60)
        machine.terminate()
        _, heard = machine.communicate(timeout=60)
    print(f"{seconds:g} s; drive {early[0]} -> {late[0]} kB, machine {early[1]} -> {late[1]} kB")
    print(drove.decode()[-300:].strip(), heard.decode()[-300:].strip(), sep="\n")


if __name__ == "__main__":
    main()
