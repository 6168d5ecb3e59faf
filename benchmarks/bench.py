"""The figures that matter, each a ratio to a bare floor measured in the same run.

Machines are noisy and differ, so figures are medians of many short pairs: floor, ours, floor, ours.
The results go to benchmarks/latest.json and to the screen; the exit code is 1 if a target is missed.
"""

import json
import platform
import random
import statistics
import struct
import subprocess
import sys
import time
from binascii import crc_hqx
from collections.abc import Callable
from pathlib import Path

import nuvrik
from nuvrik.levels import FULL
from nuvrik.plan.starters import starter_text
from nuvrik.rehearsal.medium import Conditions
from nuvrik.rehearsal.pilot import practice
from nuvrik.rehearsal.world import World

ROUNDS = 15
FRAMES = 100_000
BATCHES = 10
CHUNK = 64

# Marram with everything on it: six levels and three switches, 75 bits of payload, 16-byte bodies.
BENCH_LINK = """
[link]
name = "bench"
rate_hz = 50
[medium]
kind = "serial"
[frame]
style = "packed"
pair = 90
[failsafe]
arm = "arm"
timeout_ms = 400
""" + "".join(
    f'[channels.{name}]\nkind = "{kind}"\n{f"bits = {bits}" if bits else ""}\n'
    for name, kind, bits in [
        *((name, "level", 12) for name in ("throttle", "turn", "thruster", "winch", "hook", "searchlight")),
        *((name, "flag", 0) for name in ("arm", "horn", "creep")),
    ]
)


Batch = Callable[[int], object]
"""One batch of the work, by its number."""


def paired(floor: Batch, ours: Batch, batches: int) -> dict[str, float]:
    """Median seconds for all batches of each, and the median of the ratios batch by batch.

    A noisy machine changes pace within a second; two batches of some milliseconds, one right after the
    other, still see the same pace.
    """
    floors, times, ratios = [], [], []
    for _ in range(ROUNDS):
        spent = [0.0, 0.0]
        for batch in range(batches):
            took = []
            for timed in (floor, ours):
                start = time.perf_counter()
                timed(batch)
                took.append(time.perf_counter() - start)
            ratios.append(took[1] / took[0])
            spent = [total + seconds for total, seconds in zip(spent, took, strict=True)]
        floors.append(spent[0])
        times.append(spent[1])
    return {
        "floor_s": statistics.median(floors),
        "ours_s": statistics.median(times),
        "ratio": statistics.median(ratios),
    }


def some_values(link: nuvrik.Link, rng: random.Random) -> list[int]:
    """One value a channel, as a handset in use would send them."""
    low = {"level": -FULL, "share": 0, "flag": 0}
    high = {"level": FULL, "share": FULL, "flag": 1}
    return [rng.randint(low[channel.kind], high[channel.kind]) for channel in link.channels.values()]


def stream_decode() -> dict[str, float]:
    """A stream of frames in 64-byte pieces to events with their channels unpacked."""
    link, rng = nuvrik.parse(BENCH_LINK), random.Random(1)
    encoder = nuvrik.Encoder(link)
    stream = b"".join(
        encoder.on_wire(encoder.command(some_values(link, rng), i & 0xFF)) for i in range(FRAMES)
    )
    chunks = [stream[i : i + CHUNK] for i in range(0, len(stream), CHUNK)]
    shape = struct.Struct("<4B5hH")
    assert len(encoder.command(some_values(link, rng), 0)) == shape.size == 16

    def floor(_: int) -> None:
        # What no decoder can do without: find the ends, run the check, take the fields apart.
        unpack, tail, seen = shape.unpack_from, b"", []
        for chunk in chunks:
            pieces = (tail + chunk).split(b"\0")
            tail = pieces.pop()
            for piece in pieces:
                if piece:
                    crc_hqx(piece, 0xFFFF)
                    seen.append(unpack(piece))
        assert len(seen) == FRAMES

    def ours(_: int) -> None:
        decoder, seen = nuvrik.Decoder(link), []
        for chunk in chunks:
            seen += decoder.feed(chunk)
        assert len(seen) == FRAMES and type(seen[-1]) is nuvrik.Frame and len(seen[-1].values) == 9

    return paired(floor, ours, 1) | {"most": 6.0, "reach": 4.0}


def encode() -> dict[str, float]:
    """Values to bytes on the wire."""
    link, rng = nuvrik.parse(BENCH_LINK), random.Random(2)
    encoder = nuvrik.Encoder(link)
    per_batch = FRAMES // BATCHES
    sets = [some_values(link, rng) for _ in range(1000)] * (per_batch // 1000)
    shape = struct.Struct("<4B5h")
    fields = [(16, 90, 1, i & 0xFF, *(rng.randint(-32768, 32767) for _ in range(5))) for i in range(1000)]
    fields *= per_batch // 1000

    def floor(_: int) -> None:
        pack, sent = shape.pack, 0
        for row in fields:
            covered = pack(*row)
            sent += len(b"\0" + covered + crc_hqx(covered, 0xFFFF).to_bytes(2, "big") + b"\0")
        assert sent == per_batch * 18

    def ours(_: int) -> None:
        command_on_wire, sent = encoder.command_on_wire, 0
        for seq, values in enumerate(sets):
            sent += len(command_on_wire(values, seq & 0xFF))
        assert sent == per_batch * 19

    return paired(floor, ours, BATCHES) | {"most": 4.0}


def rehearsal() -> dict[str, float]:
    """Simulated seconds of Marram at 50 frames a second for each second on the wall."""
    link = nuvrik.parse(starter_text("tug"))
    recording = practice(link, seed=3, duration_ms=60_000)
    rates = []
    for seed in range(4 * ROUNDS):  # no floor to pair it with, so longer than any one disturbance
        start = time.perf_counter()
        World(link, recording, Conditions(loss=0.05), seed=seed).run()
        rates.append(60 / (time.perf_counter() - start))
    return {"simulated_s_per_s": statistics.median(rates), "least": 500.0}


def tick() -> dict[str, float]:
    """Machine.feed and tick for Marram in full, a frame each, against as many bare dict stores."""
    link, rng = nuvrik.parse(starter_text("marram")), random.Random(4)
    encoder, names = nuvrik.Encoder(link), [*link.channels, *link.outputs]
    arm = list(link.channels).index("arm")
    frames = []
    for i in range(2_000):
        values: list[int | None] = [0] * len(link.channels) if i < 10 else list(some_values(link, rng))
        values[arm] = int(i > 6)
        frames.append(encoder.command(values, i & 0xFF))

    def floor(_: int) -> None:
        for _ in frames:
            seen = {}
            for name in names:
                seen[name] = 0

    def ours(_: int) -> None:
        machine, now_ms = nuvrik.Machine(link), 0
        for frame in frames:
            now_ms += 20
            machine.feed(frame, now_ms)
            machine.tick(now_ms)
        assert machine.state is nuvrik.State.ARMED and machine.counts["frames"] == len(frames)

    figure = paired(floor, ours, 1)
    per_frame = {name: 1e6 * figure[f"{name}_s"] / len(frames) for name in ("floor", "ours")}
    return figure | {f"{name}_us_a_frame": us for name, us in per_frame.items()} | {"most_us": 60.0}


def help_start() -> dict[str, float]:
    """How much longer `nuvrik --help` takes than Python takes to start."""
    floor = [sys.executable, "-c", "pass"]
    ours = [str(Path(sys.executable).with_name("nuvrik")), "--help"]
    extra = []
    for _ in range(2 * ROUNDS):
        took = []
        for command in (floor, ours):
            start = time.perf_counter()
            subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
            took.append(time.perf_counter() - start)
        extra.append(1000 * (took[1] - took[0]))
    return {"extra_ms": statistics.median(extra), "most_ms": 150.0}


def met(figure: dict[str, float]) -> bool:
    """Whether a figure reaches its target."""
    if "least" in figure:
        return figure["simulated_s_per_s"] >= figure["least"]
    if "most_us" in figure:
        return figure["ours_us_a_frame"] <= figure["most_us"]
    if "most_ms" in figure:
        return figure["extra_ms"] <= figure["most_ms"]
    return figure["ratio"] <= figure["most"]


def main() -> int:
    results: dict[str, dict[str, float | bool]] = {}
    for measure in (stream_decode, encode, tick, rehearsal, help_start):
        print(f"{measure.__name__}: {measure.__doc__}", flush=True)
        figure = measure()
        results[measure.__name__] = {**{k: round(v, 4) for k, v in figure.items()}, "met": met(figure)}
        print("   " + ", ".join(f"{key} {value}" for key, value in results[measure.__name__].items()))
    out = Path(__file__).with_name("latest.json")
    machine = {
        "python": platform.python_version(),
        "system": platform.system(),
        "machine": platform.machine(),
    }
    out.write_text(json.dumps({"run_on": machine, "figures": results}, indent=2) + "\n")
    print(f"written to {out}")
    return 0 if all(figure["met"] for figure in results.values()) else 1


if __name__ == "__main__":
    sys.exit(main())
