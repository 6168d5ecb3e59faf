"""``infrared read`` and ``learn`` on a port with a listener: codes as they come, and Ctrl-C keeps them."""

import signal
import time
from pathlib import Path

import pytest
from links import write
from terminals import cable, ended, start

import nuvrik
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.codes import press

pytestmark = pytest.mark.live


def heard(durations: list[int], silence_us: int) -> bytes:
    """A press as a listener writes it: the silence before it first, and a line that ends at the next one."""
    *frame, _ = durations
    lines, text = [], f"-{silence_us} "
    for length in frame:
        text += f"{length:+d} "
        if length < -30_000:
            head, _, last = text.rstrip().rpartition(" ")
            lines.append(f"{head} \n")
            text = f"{last} "
    return ("".join(lines) + text + "\n").encode()


def read_until(process, marks: list[str]) -> list[str]:
    """Lines of its output, until each of some texts has been in one."""
    lines: list[str] = []
    while not all(any(mark in line for line in lines) for mark in marks):
        lines.append(process.stdout.readline())
        assert lines[-1], process.stderr.read()
    return lines


def test_codes_are_said_as_they_come_and_are_kept_at_the_end() -> None:
    with cable() as line:
        process = start("infrared", "read", "--port", line.ports[0])
        assert "Ctrl-C ends" in process.stderr.readline()
        with Path(line.ports[1]).open("wb", buffering=0) as listener:
            # The rest of a line that began before anybody listened.
            listener.write(b"56 +560 \n")
            for command in (16, 17, 300 & 0xFF):
                text = heard(press("nec", 28, command, 1), 500_000)
                for at in range(0, len(text), 50):
                    listener.write(text[at : at + 50])
                    time.sleep(0.002)
                said = read_until(process, [f"command {command:3}"])
                assert "nec" in said[-1] and "address  28" in said[-1]
        code, errors = ended(process, signal.SIGINT)
        assert code == 0, errors


def test_keys_are_learned_from_a_listener_and_written(tmp_path: Path) -> None:
    file = write(tmp_path, "curtain.toml", starter_text("curtain"))
    with cable() as line:
        process = start("infrared", "learn", "--port", line.ports[0], "--names", "up,down", "--write", file)
        assert "Ctrl-C ends" in process.stderr.readline()
        with Path(line.ports[1]).open("wb", buffering=0) as listener:
            listener.write(b"\n")
            for command in (0x51, 0x52):
                for _ in range(3):
                    listener.write(heard(press("nec", 9, command, 2), 700_000))
                    time.sleep(0.02)
        time.sleep(0.5)
        code, errors = ended(process, signal.SIGINT)
        assert code == 0, errors
    link = nuvrik.load(file)
    assert (
        link.medium.address == 9 and link.controls["up"].code == 0x51 and link.controls["down"].code == 0x52
    )
