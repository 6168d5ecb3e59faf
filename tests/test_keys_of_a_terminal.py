"""Keys of a terminal as hands: a real pseudo-terminal, typed into."""

import contextlib
import os
import pty
import time
from pathlib import Path

import pytest
from links import write
from terminals import rows_of
from test_sources import command, until

KEYED = """
[link]
name = "keyed"
rate_hz = 50
[medium]
kind = "serial"
[frame]
style = "packed"
pair = 8
[controls.ahead]
kind = "key"
char = "w"
[controls.astern]
kind = "key"
char = "s"
[controls.arm_key]
kind = "key"
char = "e"
toggle = true
[controls.stop_key]
kind = "key"
char = " "
[controls.drive]
kind = "rocker"
plus = "ahead"
minus = "astern"
[channels.throttle]
kind = "level"
from = "drive"
[channels.arm]
kind = "flag"
from = "arm_key"
[outputs.motor]
kind = "motor"
driver = "pwm_1dir"
pins = { pwm = 9, dir = 8 }
mix = { throttle = 1.0 }
[telemetry.supply]
kind = "volts"
range = [0.0, 10.0]
every_ms = 100
[failsafe]
arm = "arm"
stop = "stop_key"
timeout_ms = 300
"""


@pytest.mark.live
def test_keys_of_a_terminal_drive_while_they_repeat_and_digits_make_faults(tmp_path: Path) -> None:
    link_file, log = write(tmp_path, "keyed.toml", KEYED), tmp_path / "keys.csv"
    ours, theirs = pty.openpty()
    words = ("drive", link_file, "--port", "sim", "--from", "keys", "--log", log)
    shown = bytearray()

    def typed(text: str, for_s: float) -> None:
        """A key that is held: it arrives again and again."""
        end = time.monotonic() + for_s
        while time.monotonic() < end:
            os.write(ours, text.encode())
            os.set_blocking(ours, False)
            with contextlib.suppress(BlockingIOError):
                shown.extend(os.read(ours, 65536))
            time.sleep(0.03)

    drive = command(*words, stdin=theirs, stderr=theirs, env=os.environ | {"TERM": "xterm", "COLUMNS": "60"})
    until(log.exists)
    typed("", 1.5)
    typed("e", 0.1)
    typed("", 1.0)
    typed("w", 1.0)
    typed("", 0.6)
    typed("1", 0.02)
    typed("", 1.0)
    typed("1", 0.02)
    typed(" ", 0.5)
    drive.terminate()
    typed("", 1.0)
    assert drive.wait(20) == 0
    rows = rows_of(log)
    ahead = [
        int(row["t_ms"]) for row in rows if row["channel.throttle"] == "1" and row["machine.state"] == "ARMED"
    ]
    assert ahead and ahead[-1] - ahead[0] > 500
    let_go = [row for row in rows if int(row["t_ms"]) > ahead[-1] + 50]
    assert let_go and all(row["channel.throttle"] == "0" for row in let_go), (
        "it is let go when it stops arriving"
    )
    assert any(row["machine.state"] == "" for row in let_go), "with the cable off nothing is heard"
    assert any("stop_key" in row["handset.why"] for row in rows)
    screen = shown.decode()
    assert "the cable comes off" in screen and "NOT HEARD" in screen and "1 cable pulled (on)" in screen
    os.close(ours)
    os.close(theirs)
