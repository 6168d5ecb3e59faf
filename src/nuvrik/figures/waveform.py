"""Marks and spaces drawn, with what each of them is under it."""

from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any

from nuvrik.figures.style import FIELD_COLOURS, GREY, INK, SERIES, pyplot, save
from nuvrik.pulses.codes import Code
from nuvrik.pulses.infrared import InfraredReader
from nuvrik.pulses.shape import Shape

Part = tuple[float, float, str, str]
"""From where to where in a frame, in units of its own clock; the bit; and what it belongs to."""


def draw_waveform(durations: Sequence[int], path: Path, shape: Shape | None = None) -> None:
    """Draw the first code of a capture with its bits marked; where there is none, the beginning of it."""
    plt = pyplot()
    figure, axis = plt.subplots(figsize=(12.8, 5), layout="constrained")
    reader = InfraredReader(shape)
    codes = [c for c in [*reader.feed(durations), *reader.end()] if c.command is not None]
    start_us = codes[0].at_us if codes else 0
    stretch = _stretch(durations, start_us)
    _draw_levels(axis, stretch)
    if codes:
        bits = _bits(codes[0], [abs(d) for d in stretch], shape)
        _draw_bits(axis, bits)
        axis.set_title(_title(codes[0], len(stretch)))
    else:
        axis.set_title(f"the first {len(stretch)} durations: no code is in them")
    axis.set(xlabel="ms", yticks=[0, 1], yticklabels=["space", "mark"], ylim=(-0.7, 1.2))
    save(figure, path)
    plt.close(figure)


def _title(code: Code, count: int) -> str:
    where = "" if code.address is None else f"address {code.address}, "
    toggle = "" if code.toggle is None else f", toggle {code.toggle}"
    return f"{code.protocol}: {where}command {code.command}{toggle}; {code.bits} bits in {count} durations"


def _stretch(durations: Sequence[int], start_us: int) -> list[int]:
    """The durations from a time up to the next long silence, first mark to last."""
    at, kept = 0, list[int]()
    for duration in durations:
        if at >= start_us - 1 and (kept or duration > 0):
            if duration < -10_000:
                break
            kept.append(duration)
        at += abs(duration)
        if len(kept) >= 200:
            break
    return kept


def _draw_levels(axis: Any, durations: Sequence[int]) -> None:
    at, times, levels = 0.0, [0.0], [0]
    for duration in durations:
        level = int(duration > 0)
        times += [at, at + abs(duration) / 1000]
        levels += [level, level]
        at += abs(duration) / 1000
    axis.plot([*times, at, at + 1], [*levels, 0, 0], color=SERIES[0], linewidth=1.2)


def _bits(code: Code, lengths: Sequence[int], shape: Shape | None) -> list[Part]:
    """Where each bit of a frame is, in us, what it is, and which field it belongs to."""
    edges = [0]
    for length in lengths:
        edges.append(edges[-1] + length)
    protocol = code.protocol
    if protocol in ("rc5", "rc6"):
        return _bi_phase(code, edges[-1])
    if protocol.startswith("sirc"):
        spans = list(zip(edges[1::2], edges[3::2], strict=False))[: code.bits]
        fields = ["command"] * 7 + ["address"] * (code.bits - 7)
        value = (code.address or 0) << 7 | (code.command or 0)
        bits = [value >> n & 1 for n in range(code.bits)]
    elif protocol.startswith("nec"):
        spans = list(zip(edges[2::2], edges[4::2], strict=False))[:32]
        extended = protocol == "nec_extended"
        fields = ["address"] * 8 + (["address"] if extended else ["its complement"]) * 8
        fields += ["command"] * 8 + ["its complement"] * 8
        address, command = code.address or 0, code.command or 0
        high = address >> 8 if extended else ~address & 0xFF
        whole = (address & 0xFF) | high << 8 | command << 16 | (~command & 0xFF) << 24
        bits = [whole >> n & 1 for n in range(32)]
    else:
        first = 2 if shape and shape.header[0] else 0
        spans = list(zip(edges[first::2], [*edges[first + 2 :: 2], edges[-1]], strict=False))[: code.bits]
        fields = ["code"] * code.bits
        bits = [(code.command or 0) >> n & 1 for n in range(code.bits - 1, -1, -1)]
    parts = [
        (start, end, f"{bit}", field) for (start, end), bit, field in zip(spans, bits, fields, strict=True)
    ]
    lead = [(0, parts[0][0], "", "leader")] if parts[0][0] else []
    return [*lead, *parts]


def _bi_phase(code: Code, length: int) -> list[Part]:
    address, command, toggle = code.address or 0, code.command or 0, code.toggle or 0
    if code.protocol == "rc5":
        named = [(1, "start"), (command >> 6 ^ 1, "field"), (toggle, "toggle")]
        named += [(address >> n & 1, "address") for n in range(4, -1, -1)]
        named += [(command >> n & 1, "command") for n in range(5, -1, -1)]
        unit = length / (27 if named[-1][0] else 26)
        return [((2 * n - 1) * unit, (2 * n + 1) * unit, f"{b}", f) for n, (b, f) in enumerate(named)]
    named = [(1, "start"), (0, "mode"), (0, "mode"), (0, "mode"), (toggle, "toggle")]
    named += [(address >> n & 1, "address") for n in range(7, -1, -1)]
    named += [(command >> n & 1, "command") for n in range(7, -1, -1)]
    unit = length / (51 if named[-1][0] else 52)
    parts: list[Part] = [(0, 8 * unit, "", "leader")]
    at = 8.0
    for bit, field in named:
        wide = 4 if field == "toggle" else 2
        parts.append((at * unit, (at + wide) * unit, f"{bit}", field))
        at += wide
    return parts


def _draw_bits(axis: Any, parts: Sequence[Part]) -> None:
    names = list(dict.fromkeys(part[3] for part in parts))
    groups: list[list[Part]] = [[parts[0]]]
    for before, part in pairwise(parts):
        groups.append([part]) if part[3] != before[3] or len(groups[-1]) == 8 else groups[-1].append(part)
    for group in groups:
        name, left, right = group[0][3], group[0][0] / 1000, group[-1][1] / 1000
        colour = FIELD_COLOURS[names.index(name) % len(FIELD_COLOURS)]
        axis.axvspan(left, right, ymin=0, ymax=0.34, color=colour, linewidth=0)
        narrow = right - left < 3
        axis.text(
            (left + right) / 2,
            -0.42,
            name,
            ha="center",
            va="top",
            color=INK,
            fontsize=8,
            rotation=90 * narrow,
        )
    for start, end, bit, _ in parts:
        axis.text((start + end) / 2000, -0.22, bit, ha="center", va="center", color=INK, fontsize=8)
        axis.vlines(start / 1000, -0.32, -0.08, color=GREY, linewidth=0.5)
