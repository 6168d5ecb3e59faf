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
import tempfile
import time
from binascii import crc_hqx
from pathlib import Path

from against import then
from chip import CHIP_FIGURES
from live import LIVE_FIGURES
from pace import (
    MOST_FAULTS,
    MOST_HELP,
    MOST_INFRARED,
    MOST_MEMORY,
    MOST_REHEARSAL,
    MOST_TICK,
    ROUNDS,
    a_press,
    bare,
    met,
    paired,
    some_values,
)
from panel import PANEL_FIGURES
from python_chip import PYTHON_FIGURES
from scenes import BENCH_LINK, LINE_LINK, UNDETECTED_LINK, UNDETECTED_STYLES

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.budget.stop import stop_bound
from nuvrik.budget.trips import Way, mean_hours, simulated_hours
from nuvrik.inspection.undetected import measure
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.noise import frame_error_rate, lamp_noise, worn
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal.faults import FAULTS, faults_for
from nuvrik.rehearsal.soak import bulk_soak
from nuvrik.rehearsal.verdict import rehearse, rehearse_all
from nuvrik.rehearsal.world import World

FRAMES = 100_000
BATCHES = 10
CHUNK = 64


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
    """A minute of the tug at 50 frames a second, rehearsed, against as many turns of a bare loop."""
    link = nuvrik.parse(starter_text("tug"))
    recording = practice(link, seed=3, duration_ms=60_000)

    def ours(seed: int) -> None:
        World(link, recording, Conditions(loss=0.05), seed=seed).run()

    figure = paired(lambda _: bare(3000), ours, 4)
    return figure | {"simulated_s_per_s": 240 / figure["ours_s"], "most": MOST_REHEARSAL}


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
        assert machine.state is nuvrik.State.ARMED and machine.counts["accepted"] == len(frames)

    figure = paired(floor, ours, 1)
    per_frame = {name: 1e6 * figure[f"{name}_s"] / len(frames) for name in ("floor", "ours")}
    return figure | {f"{name}_us_a_frame": us for name, us in per_frame.items()} | {"most": MOST_TICK}


def bulk_decode() -> dict[str, float]:
    """A million frames at once into columns, against the bare per-frame floor of stream_decode."""
    from nuvrik.inspection.bulk import BulkDecoder

    link, rng = nuvrik.parse(BENCH_LINK), random.Random(5)
    encoder, shape = nuvrik.Encoder(link), struct.Struct("<4B5hH")
    sets = [some_values(link, rng) for _ in range(1000)]
    piece = b"".join(encoder.command_on_wire(sets[i % 1000], i & 0xFF) for i in range(256_000))
    stream = piece * 4  # 1,024,000 frames; 256,000 is a multiple of 256, so the sequence goes on

    def floor(_: int) -> None:
        seen = []
        for body in stream.split(b"\0"):
            if body:
                crc_hqx(body, 0xFFFF)
                seen.append(shape.unpack_from(body))
        assert len(seen) == 1_024_000

    def ours(_: int) -> None:
        decoder, seen = BulkDecoder(link), 0
        for start in range(0, len(stream), 1 << 21):
            seen += len(decoder.feed(stream[start : start + (1 << 21)]).seq)
        assert seen == 1_024_000

    return paired(floor, ours, 1, rounds=3) | {"most": 0.6}


def line_decode() -> dict[str, float]:
    """Lines of text to events with their values, against a bare split-and-int loop."""
    link, rng = nuvrik.parse(LINE_LINK), random.Random(6)
    encoder = nuvrik.Encoder(link)
    frames = FRAMES // BATCHES
    stream = b"".join(encoder.command_on_wire(some_values(link, rng), 0) for _ in range(frames))

    def floor(_: int) -> None:
        seen = []
        for line in stream.split(b"\n"):
            if line:
                seen.append([int(text) for text in line[2:].split(b",")])
        assert len(seen) == frames

    def ours(_: int) -> None:
        events = nuvrik.Decoder(link).feed(stream)
        assert len(events) == frames and len(events[-1].values) == 9

    return paired(floor, ours, BATCHES) | {"most": 3.0}


def inspect_memory() -> dict[str, float]:
    """Peak memory of `nuvrik inspect --summary` and of a plain `inspect` on a 200 MB capture, in MB."""
    link = nuvrik.parse(BENCH_LINK)
    encoder, rng = nuvrik.Encoder(link), random.Random(7)
    sets = [some_values(link, rng) for _ in range(256)]
    piece = b"".join(encoder.command_on_wire(values, i) for i, values in enumerate(sets)) * 100
    with tempfile.TemporaryDirectory() as made:
        file, capture = Path(made) / "bench.toml", Path(made) / "capture.bin"
        file.write_text(BENCH_LINK)
        with capture.open("wb") as out:
            while out.tell() < 200_000_000:
                out.write(piece)
        words = [sys.executable, "-c", PEAK, "inspect", str(file), str(capture), "--summary"]
        start = time.perf_counter()
        done = subprocess.run(words, check=True, capture_output=True, text=True)
        took = time.perf_counter() - start
    # The floor is a process that has only imported what it takes to decode column by column.
    idle = [sys.executable, "-c", PEAK.replace("from nuvrik.cli import main", "import numpy\nmain = int")]
    bare_kb = int(subprocess.run(idle, check=True, capture_output=True, text=True).stderr.split()[-1])
    peak_kb = int(done.stderr.split()[-1])
    figure = {"peak_mb": peak_kb / 1024, "floor_mb": bare_kb / 1024, "took_s": took}
    return figure | {"ratio": peak_kb / bare_kb, "most": MOST_MEMORY}


# Not what the kernel's accounting of the child says: that begins with what the parent held at the fork.
PEAK = """
import re, sys
from nuvrik.cli import main
try:
    main()
finally:
    peak = re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read())[1]
    print(peak, file=sys.stderr)
"""


def undetected() -> dict[str, float]:
    """Frames damaged in six ways and accepted all the same, in a million, by style and check."""
    found: dict[str, float] = {}
    for name, frame in UNDETECTED_STYLES.items():
        link = nuvrik.parse(UNDETECTED_LINK.replace("FRAME", frame))
        damages = measure(link, 3000, seed=8)
        for damage in damages:
            key = f"{name}: {damage.damage}"
            found[key] = damage.per_million
        found[f"{name}: all"] = 1e6 * sum(d.accepted for d in damages) / sum(d.tried for d in damages)
        print(f"   {name}: {found[f'{name}: all']:.0f} in a million; {nuvrik.Encoder(link).style.odds()}")
    # What the mathematics promises outright: nothing of up to three bits, and no short burst, past a CRC-16.
    return found | {"sure": sum(found[f"{name}: all"] for name in ("packed", "slip")), "sure_most": 100.0}


def on_off_keyed() -> dict[str, float]:
    """Share of frames lost by on-off keying, against jitter (of a half bit) and glitches a second."""
    rng = random.Random(9)
    found = {
        f"jitter {jitter:.2f}, {glitches} glitches": frame_error_rate(jitter, glitches, 300, rng)
        for jitter in (0.0, 0.05, 0.08, 0.10, 0.12, 0.15)
        for glitches in (0, 100)
    }
    return found | {"lost_share": found["jitter 0.08, 0 glitches"], "lost_most": 0.01}


def infrared_read() -> dict[str, float]:
    """An hour of presses of every code, and lamp noise between them: how many times real time it is read in;
    how many presses are recognised with every length off by up to 10 % and clocks of 0.85 to 1.15; codes in
    an hour of lamp."""
    rng = random.Random(10)
    pressed = [a_press(rng) for _ in range(1000)]
    worn_us = []
    for _, d in pressed:
        paced = worn(d, rng, clock=rng.uniform(0.85, 1.15))
        worn_us.append([round(length * rng.uniform(0.9, 1.1)) for length in paced])
    stretch = []
    for press_us in worn_us:
        stretch += (*press_us, -300_000, *lamp_noise(2, 200, rng), -99_000)
    stretch_s = sum(map(abs, stretch)) / 1e6
    rounds = -(-3600 // int(stretch_s))
    reader, seen = InfraredReader(), 0

    def floor(_: int) -> None:
        # A bare loop that only tells marks from spaces, and adds up how long they are.
        marks = spaces = 0
        for duration in stretch:
            if duration > 0:
                marks += duration
            else:
                spaces -= duration

    def ours(_: int) -> None:
        nonlocal seen
        seen += len(reader.feed(stretch))

    figure = paired(floor, ours, rounds, rounds=1)
    speed = rounds * stretch_s / figure["ours_s"]
    heard = 0
    for (code, _), durations in zip(pressed, worn_us, strict=True):
        alone = InfraredReader()
        found = [*alone.feed(durations), *alone.end()]
        heard += any(one[1:4] == code and not one.repeat for one in found)
    lamp, lit = InfraredReader(), 0
    for _ in range(60):
        lit += sum(one.protocol != "unknown" for one in lamp.feed(lamp_noise(60, 200, rng)))
    found = {"times_real_time": speed, "codes": seen, "recognised": heard / len(pressed), "lamp_codes": lit}
    return figure | found | {"most": MOST_INFRARED, "least_recognised": 0.995}


def all_faults() -> dict[str, float]:
    """Every fault that can strike Marram, with 20 seeds each, on one core: seconds, and how many failed."""
    link = nuvrik.parse(starter_text("marram"))
    jobs = [(fault, seed) for fault in faults_for(link).values() for seed in range(20)]
    batches = [jobs[place : place + 20] for place in range(0, len(jobs), 20)]
    failed = 0

    def ours(batch: int) -> None:
        nonlocal failed
        failed += sum(run.verdict == "fail" for run in rehearse_all(link, batches[batch]))

    # Eight seconds of driving a run, 50 frames each.
    figure = paired(lambda _: bare(20 * 400), ours, len(batches), rounds=1)
    return figure | {"runs": len(jobs), "failed": failed, "most": MOST_FAULTS}


def worst_stop() -> dict[str, float]:
    """The worst of 400 pulled cables against the budget's bound: never over it, and within a tick."""
    link = nuvrik.parse(starter_text("tug"))
    bound = stop_bound(link)
    worst = max(rehearse(link, FAULTS["cable_pulled"], seed).stop_ms or 0 for seed in range(400))
    return {
        "worst_ms": worst,
        "bound_ms": bound.worst_ms,
        "short_of_it_ms": bound.worst_ms - worst,
        "most_short_ms": bound.tick_ms,
    }


def soak_1000_hours() -> dict[str, float]:
    """A thousand virtual hours on a bad radio, the failsafe worked out for millions of frames at a time."""
    link = nuvrik.parse(starter_text("tug"))
    start = time.perf_counter()
    found = bulk_soak(link, 1000, Conditions(loss=0.1, burst_loss=0.1, burst_frames=15), seed=11)
    took = time.perf_counter() - start
    return {
        "took_s": took,
        "frames": found.frames,
        "trips": found.trips,
        "worst_ms": found.worst_ms,
        "bound_ms": found.bound_ms,
        "short_of_it_ms": found.bound_ms - found.worst_ms,
        "most_short_ms": link.tick_ms,
    }


def false_trips() -> dict[str, float]:
    """How far the predicted mean time between false trips is from the simulated, at worst over a grid of
    loss, bursts and timeouts, where at least 10,000 trips were simulated."""
    worst, cells = 0.0, 0
    for loss in (0.05, 0.1, 0.2, 0.4):
        for burst_loss, burst_frames in ((0.0, 5.0), (0.05, 4.0), (0.1, 10.0), (0.3, 20.0)):
            conditions = Conditions(loss=loss, burst_loss=burst_loss, burst_frames=burst_frames)
            for timeout in (50, 80, 120, 200, 400):
                tried, trips = simulated_hours(conditions, Way(20, 3), timeout, 8_000_000, seed=12)
                if trips >= 10_000:
                    worst = max(worst, abs(tried / mean_hours(conditions, Way(20, 3), timeout) - 1))
                    cells += 1
    return {"off_by": worst, "cells": cells, "most_off": 0.05}


def help_start() -> dict[str, float]:
    """`nuvrik --help`, against Python importing what any command line with this library needs."""
    floor = [sys.executable, "-c", "import typer"]
    ours = [str(Path(sys.executable).with_name("nuvrik")), "--help"]
    extra, ratios = [], []
    for _ in range(2 * ROUNDS):
        took = []
        for command in (floor, ours):
            start = time.perf_counter()
            subprocess.run(command, check=True, stdout=subprocess.DEVNULL)
            took.append(time.perf_counter() - start)
        extra.append(1000 * (took[1] - took[0]))
        ratios.append(took[1] / took[0])
    return {"extra_ms": statistics.median(extra), "ratio": statistics.median(ratios), "most": MOST_HELP}


FIGURES = (
    stream_decode,
    encode,
    line_decode,
    bulk_decode,
    inspect_memory,
    tick,
    rehearsal,
    undetected,
    on_off_keyed,
    infrared_read,
    all_faults,
    worst_stop,
    soak_1000_hours,
    false_trips,
    help_start,
    *LIVE_FIGURES,
    *PANEL_FIGURES,
    *CHIP_FIGURES,
    *PYTHON_FIGURES,
)


def main(names: list[str]) -> int:
    """All figures; or those that are named, the others left as they were measured last. ``--against COMMIT``
    says of each what it was there, and writes nothing down."""
    out = Path(__file__).with_name("latest.json")
    results: dict[str, dict[str, float | bool]] = {}
    commit = names[names.index("--against") + 1] if "--against" in names else ""
    names = [name for name in names if name not in ("--against", commit)]
    if names:
        results = json.loads(out.read_text())["figures"]
    for figure_of in FIGURES:
        name = figure_of.__name__
        if names and name not in names:
            continue
        print(f"{name}: {figure_of.__doc__}", flush=True)
        figure = figure_of()
        results[name] = {**{k: round(v, 4) for k, v in figure.items()}, "met": met(figure)}
        print("   " + ", ".join(f"{key} {value}" for key, value in results[name].items()))
        if commit:
            print(
                f"   at {commit}: " + ", ".join(f"{key} {value}" for key, value in then(commit, name).items())
            )
    if commit:
        return 0
    machine = {
        "python": platform.python_version(),
        "system": platform.system(),
        "machine": platform.machine(),
    }
    out.write_text(json.dumps({"run_on": machine, "figures": results}, indent=2) + "\n")
    print(f"written to {out}")
    return 0 if all(figure["met"] for figure in results.values()) else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
