"""``infrared read`` and ``learn`` on a port with a listener: codes as they come, and Ctrl-C keeps them."""

import os
import signal
import struct
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


def words_of(durations: list[int]) -> bytes:
    """Durations as the operating system hands them out: 32 bits each, a mark's top byte is 1."""
    return b"".join(struct.pack("<I", (us > 0) << 24 | abs(us)) for us in durations)


@pytest.mark.parametrize("how", ["text", "raw"])
def test_timings_from_a_pipe_are_read_as_they_come_and_kept_when_interrupted(
    tmp_path: Path, how: str
) -> None:
    """Text of another program on standard input; and words of the system's own receiver, cut anywhere."""
    pipe = tmp_path / "receiver"
    os.mkfifo(pipe)
    process = (
        start("infrared", "read", "-")
        if how == "text"
        else start("infrared", "read", "--port", f"raw:{pipe}")
    )
    out = process.stdin.buffer if how == "text" else pipe.open("wb", buffering=0)
    for command in (16, 17, 45):
        durations = press("nec", 28, command, 0)
        # The receiver says in between how long it has waited so far, so that two spaces stand in a row.
        data = (" ".join(f"{us:+d}" for us in [*durations, -50_000, -20_000]) + "\n").encode()
        if how == "raw":
            data = words_of([*durations, -50_000, -20_000])
        for at in range(0, len(data), 37):
            out.write(data[at : at + 37])
            out.flush()
            time.sleep(0.001)
        assert f"command {command:3}" in read_until(process, [f"command {command:3}"])[-1]
    process.send_signal(signal.SIGINT)
    assert "3 codes" in process.stdout.read() and process.wait(20) == 0
