"""A servo pulse and a PWM wave, with what they mean."""

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from nuvrik.budget.clocks import Setting
from nuvrik.figures.style import FIELD_COLOURS, GREY, INK, SERIES, pyplot, save
from nuvrik.pulses.waves import pwm, servo_angle

FRAME_US = 20_000


def draw_waves(
    path: Path, pulse_us: Sequence[int], degrees: float, able: Sequence[Setting] | None, volts: float
) -> None:
    """Draw the pulses of a servo at its ends and centre; and PWM at a quarter, a half and nine tenths."""
    plt = pyplot()
    figure, axes = plt.subplots(3, 2, figsize=(12.8, 7), layout="constrained", sharex="col")
    ends = (-degrees / 2, degrees / 2)
    for axis, pulse, place in zip(axes[:, 0], pulse_us, ("one end", "centred", "the other end"), strict=True):
        _level(axis, [(0, pulse), (FRAME_US, pulse)], FRAME_US * 1.15)
        angle = servo_angle(pulse, pulse_us, ends)
        axis.set_title(f"servo, {place}: {pulse} us high, again every 20 ms, is {angle:.0f} degrees")
        axis.annotate(f"{pulse} us", (pulse, 0.5), (pulse + 700, 0.5), color=INK, va="center", fontsize=9)
        axis.axvspan(0, pulse, color=FIELD_COLOURS[0], linewidth=0)
    setting = able[0] if able else None
    frequency, steps = (setting.actual_hz, setting.steps) if setting else (1000.0, 256)
    for axis, share in zip(axes[:, 1], (0.25, 0.5, 0.9), strict=True):
        counts = round(share * steps)
        wave = pwm(counts, steps, frequency, volts)
        period = wave.on_us + wave.off_us
        _level(axis, [(n * period, wave.on_us) for n in range(3)], 3 * period)
        axis.hlines(wave.duty, 0, 3 * period, color=SERIES[1], linestyle="--", linewidth=1.2)
        mean = f"{wave.mean_volts:.2f} V"
        axis.text(3.03 * period, wave.duty, mean, color=SERIES[1], va="center", fontsize=9)
        axis.set_title(
            f"PWM at {frequency:.5g} Hz: {counts} of {steps} counts, on {wave.on_us:.0f} us of {period:.0f}"
        )
    for axis in axes[:, 0]:
        axis.set(yticks=[0, 1], yticklabels=["low", "high"])
    for axis in axes[:, 1]:
        axis.set(yticks=[0, 1], yticklabels=["0 V", f"{volts:g} V"])
    axes[-1, 0].set_xlabel("us")
    axes[-1, 1].set_xlabel("us; dashed: the mean that a motor sees")
    save(figure, path)
    plt.close(figure)


def _level(axis: Any, pulses: Sequence[tuple[float, float]], until: float) -> None:
    times, levels = [0.0], [0]
    for start, length in pulses:
        times += [start, start, start + length, start + length]
        levels += [0, 1, 1, 0]
    axis.plot([*times, until], [*levels, 0], color=SERIES[0], linewidth=1.4)
    axis.set(ylim=(-0.15, 1.2), xlim=(-until * 0.02, until * 1.1))
    axis.tick_params(colors=GREY)
