"""The command line: ``nuvrik COMMAND``.

This file only says what the commands are; what they do is imported when one is called, so that
``nuvrik --help`` answers at once.
"""

import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from nuvrik.cli.infrared_words import infrared
from nuvrik.cli.live_words import ask, drive, jog, machine, panel, record
from nuvrik.cli.options import Board, Commands, Json, LinkFile, drawn, page
from nuvrik.cli.words import COULD_NOT, flush_all, leave, prepare_streams, speaks_plainly
from nuvrik.version import VERSION_WORDS

app = typer.Typer(
    name="nuvrik",
    cls=Commands,
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["--help", "-h"]},
)

From = Annotated[Path | None, typer.Option("--from", metavar="RECORDING", help="A pilot's recording, CSV.")]
Loss = Annotated[float, typer.Option("--loss", help="Share of frames lost one by one, 0 to 1.")]
Burst = Annotated[float, typer.Option("--burst-loss", help="Share of frames lost in bursts, 0 to 0.95.")]
BurstFrames = Annotated[float, typer.Option("--burst-frames", help="Mean length of a burst, in frames.")]
BitErrors = Annotated[float, typer.Option("--bit-errors", help="Share of bits inverted, 0 to 1.")]


def _say_version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"nuvrik {VERSION_WORDS}")
        raise typer.Exit


@app.callback()
def nuvrik(
    version: Annotated[
        bool, typer.Option("--version", callback=_say_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """One link file, both ends: from a stick to a motor, and a stop when frames stop."""


@app.command()
@speaks_plainly
def demo(
    out: Annotated[
        Path,
        typer.Option("--out", metavar="FOLDER", help="For the link file, the recording and the figures."),
    ] = Path("marram-demo"),
    seed: Annotated[
        int, typer.Option("--seed", help="Another number is another run of bad luck on the radio.")
    ] = 4,
) -> int:
    """Show the whole thing on a model tug, with no hardware."""
    from nuvrik.cli.demo import run

    return run(out, seed)


@app.command()
@speaks_plainly
def new(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="The link file to write.")],
    like: Annotated[str, typer.Option("--like", metavar="NAME", help="The starter to copy.")] = "tug",
) -> int:
    """Write a commented link file to start from.

    It gets a pair number of its own, so that two links made from one starter stay apart.
    """
    from nuvrik.cli.check import write_new

    return write_new(file, like)


@app.command()
@speaks_plainly
def check(
    link: LinkFile,
    sheet: Annotated[
        Path | None,
        drawn("--sheet", "Write the driver's sheet as a picture."),
    ] = None,
    wiring: Annotated[
        Path | None,
        drawn("--wiring", "Write the builder's sheet, every pin and its wire, as a picture."),
    ] = None,
    end: Annotated[
        str, typer.Option("--end", metavar="END", help="Whose wires: machine or handset.")
    ] = "machine",
    tables: Annotated[
        bool, typer.Option("--tables", help="Print the whole numbers that the machine runs on instead.")
    ] = False,
    as_json: Json = False,
) -> int:
    """Say what a link file means, and what is wrong with it."""
    if tables:
        from nuvrik.cli.tables import run_tables

        return run_tables(link, as_json)
    from nuvrik.cli.check import run

    return run(link, sheet, wiring, end, as_json)


@app.command()
@speaks_plainly
def encode(
    link: LinkFile,
    values: Annotated[
        list[str] | None,
        typer.Argument(metavar="NAME=VALUE...", help="Levels -1 to 1, flags 0 or 1; none is no reading."),
    ] = None,
    seq: Annotated[int, typer.Option("--seq", min=0, max=255, help="The sequence number.")] = 0,
    as_json: Json = False,
) -> int:
    """Turn channel values into the bytes of a frame, in hex."""
    from nuvrik.cli.encode import run_encode

    return run_encode(link, values or [], seq, as_json)


@app.command()
@speaks_plainly
def inspect(
    link: LinkFile,
    file: Annotated[
        Path | None,
        typer.Argument(metavar="[FILE]", help="A capture: raw bytes, hex, or CSV t_ms,hex; - is stdin."),
    ] = None,
    hex_text: Annotated[
        str | None, typer.Option("--hex", metavar="HEX", help="Bytes to look at, in hex.")
    ] = None,
    port: Annotated[
        str | None, typer.Option("--port", metavar="PORT", help="Listen on a port instead.")
    ] = None,
    for_s: Annotated[float, typer.Option("--for-s", min=0, help="How many seconds to listen.")] = 10.0,
    each_byte: Annotated[bool, typer.Option("--each-byte", help="Say what every byte is.")] = False,
    summary: Annotated[
        bool, typer.Option("--summary", help="Print only counts, and not each frame.")
    ] = False,
    figure: Annotated[
        Path | None,
        drawn("--figure", "Write a picture of a frame, and of the gaps between frames."),
    ] = None,
    against: Annotated[
        Path | None,
        typer.Option("--against", metavar="FILE", help="Lay the log of the other end beside FILE."),
    ] = None,
    as_json: Json = False,
) -> int:
    """Turn bytes into values, and say of every refused frame why.

    If nothing decodes, it says what is probably the matter: another speed, an inverted line, another file.
    """
    from nuvrik.cli.inspect import Options, run_inspect

    options = Options(as_json, each_byte, summary, figure, against)
    return run_inspect(link, file, hex_text, port, for_s, options)


@app.command()
@speaks_plainly
def calibrate(
    link: LinkFile,
    recording: Annotated[
        list[Path], typer.Argument(metavar="RECORDING...", help="A sweep of all controls; or a motor's logs.")
    ],
    output: Annotated[
        str | None, typer.Option("--output", metavar="NAME", help="This motor, from a log t_ms,duty,speed.")
    ] = None,
    write: Annotated[bool, typer.Option("--write", help="Put what was found into the link file.")] = False,
    figure: Annotated[Path | None, drawn("--figure", "Write a picture of what was seen.")] = None,
    as_json: Json = False,
) -> int:
    """Find ranges, rests and dead zones in a recording.

    Move every control to all its ends, then let go and keep recording for two seconds. With --output,
    find a motor's start duty and duty curve in a log of duty against speed.
    """
    from nuvrik.cli.calibrate import run

    return run(link, recording, output, write, figure, as_json)


@app.command()
@speaks_plainly
def rehearse(
    link: LinkFile,
    fault: Annotated[
        list[str] | None,
        typer.Option("--fault", metavar="NAME", help="Rehearse only this fault; may be given several times."),
    ] = None,
    seed: Annotated[int, typer.Option("--seed", help="The first seed.")] = 0,
    runs: Annotated[
        int, typer.Option("--runs", min=1, max=10000, help="How many seeds to try for each fault.")
    ] = 5,
    jobs: Annotated[
        int, typer.Option("--jobs", min=1, max=64, help="How many processes share the work.")
    ] = 1,
    recording: From = None,
    loss: Loss = 0.0,
    burst_loss: Burst = 0.0,
    burst_frames: BurstFrames = 5.0,
    bit_errors: BitErrors = 0.0,
    jitter: Annotated[
        float, typer.Option("--jitter", help="Pulses: edge jitter, as a share of a unit.")
    ] = 0.0,
    mark_stretch_us: Annotated[
        float, typer.Option("--mark-stretch-us", help="Pulses: marks longer by so much.")
    ] = 0.0,
    lamp: Annotated[float, typer.Option("--lamp-per-s", help="Infrared: pulses a second from a lamp.")] = 0.0,
    figure: Annotated[
        Path | None,
        drawn("--figure", "Write a picture of the one --fault on a time axis."),
    ] = None,
    report: Annotated[
        Path | None,
        typer.Option(
            "--report", metavar="HTML", callback=page, help="Write verdicts, figures and sums as one page."
        ),
    ] = None,
    soak: Annotated[
        float | None,
        typer.Option(
            "--soak", metavar="HOURS", min=0.01, help="Drive for so many virtual hours, with random faults."
        ),
    ] = None,
    every_state: Annotated[
        bool, typer.Option("--every-state", help="Try every event in every state instead of faults.")
    ] = False,
    on: Annotated[
        str,
        typer.Option(
            "--on", metavar="PLACES", help="Where the machine runs: python, c, micropython, avr, arm."
        ),
    ] = "python",
    most_states: Annotated[
        int, typer.Option("--most-states", min=1, help="With --every-state: look at no more than these.")
    ] = 20_000,
    as_json: Json = False,
) -> int:
    """Run the link against faults: verdicts and stop times.

    Both ends run in virtual time; the stop time is from the last frame that was accepted. With
    --every-state the machine alone is searched: every event in every state that can be reached.
    """
    medium = {
        "loss": loss,
        "burst_loss": burst_loss,
        "burst_frames": burst_frames,
        "bit_errors": bit_errors,
        "jitter": jitter,
        "mark_stretch_us": mark_stretch_us,
        "lamp_per_s": lamp,
    }
    from nuvrik.cli.inputs.elsewhere import places

    machines = places(on)
    if every_state:
        from nuvrik.cli.search import run_search

        return run_search(link, most_states, as_json, machines)
    if soak is not None:
        from nuvrik.cli.soak import run_soak

        return run_soak(link, medium, soak, seed, as_json)
    from nuvrik.cli.rehearse import Options, run

    seeds = range(seed, seed + runs)
    options = Options(fault or [], seeds, recording, jobs, figure, report, as_json, machines)
    return run(link, medium, options)


for _command in (drive, panel, record, machine, ask, jog):
    app.command()(_command)


@app.command()
@speaks_plainly
def export(
    link: LinkFile,
    to: Annotated[str, typer.Option("--to", metavar="LANGUAGE", help="c or micropython.")] = "c",
    end: Annotated[
        str, typer.Option("--end", metavar="END", help="machine, handset, bridge or listener.")
    ] = "machine",
    board: Board = "",
    out: Annotated[Path | None, typer.Option("--out", metavar="DIR", help="Write firmware there.")] = None,
    packets: Annotated[
        bool, typer.Option("--packets", help="Frames go to a radio module's driver, of your own, as packets.")
    ] = False,
    one_way: Annotated[
        bool, typer.Option("--one-way", help="The machine only listens: no answers, and less room taken.")
    ] = False,
    readable: Annotated[
        bool,
        typer.Option("--readable", help="MicroPython: core as it is, with its comments; takes more room."),
    ] = False,
    precompiled: Annotated[
        bool, typer.Option("--precompiled", help="MicroPython: as byte code, which takes the least room.")
    ] = False,
    verify: Annotated[
        Path | None,
        typer.Option("--verify", metavar="DIR", help="Is what was written there still what the link means?"),
    ] = None,
    vectors: Annotated[
        Path | None,
        typer.Option("--vectors", metavar="FILE", help="Write a random life of the machine as JSON lines."),
    ] = None,
    seed: Annotated[int, typer.Option("--seed", help="Which life.")] = 0,
    steps: Annotated[int, typer.Option("--steps", min=1, max=1_000_000, help="How long it is.")] = 5000,
) -> int:
    """Write firmware for either end, in C or in MicroPython.

    What is generated says so, and is made anew each time; main.c or main.py is yours, and is written once.
    """
    from nuvrik.cli.export import Options, run_export

    how = to, end, board, out, packets, one_way, readable, precompiled
    return run_export(link, Options(*how, verify, vectors, seed, steps))


@app.command()
@speaks_plainly
def hello(
    link: Annotated[Path | None, typer.Argument(metavar="[LINK]", help="The link file.")] = None,
    port: Annotated[
        str | None,
        typer.Option("--port", metavar="PORT", help="A device, a URL, or sim; without it, ports are listed."),
    ] = None,
    for_s: Annotated[float, typer.Option("--for-s", min=0.1, max=60, help="How many seconds to ask.")] = 5.0,
    as_json: Json = False,
) -> int:
    """Ask the other end who it is and what it was built from.

    No motor is told anything. Without a port, list the ports there are.
    """
    from nuvrik.cli.hello import run

    return run(link, port, for_s, as_json)


@app.command()
@speaks_plainly
def budget(
    link: LinkFile,
    compare: Annotated[
        bool, typer.Option("--compare", help="Show the same channels in every frame style.")
    ] = False,
    capture: Annotated[
        Path | None, typer.Option("--from", metavar="CAPTURE", help="Take loss and bursts from a capture.")
    ] = None,
    loss: Loss = 0.0,
    burst_loss: Burst = 0.0,
    burst_frames: BurstFrames = 5.0,
    figure: Annotated[
        Path | None,
        drawn("--figure", "Write a picture of the odds of a false trip; with --compare, of the styles."),
    ] = None,
    board: Annotated[
        str | None,
        typer.Option("--board", metavar="BOARD", help="Estimate whether a tick fits on this chip."),
    ] = None,
    page: Annotated[bool, typer.Option("--panel", help="A page drives: its part of the stop too.")] = False,
    as_json: Json = False,
) -> int:
    """Do the sums of a link.

    It prints bytes, airtime, latency, the worst stop, and the odds of a false trip.
    """
    from nuvrik.cli.budget import Options, run

    medium = {"loss": loss, "burst_loss": burst_loss, "burst_frames": burst_frames}
    return run(link, medium, Options(capture, compare, figure, as_json, board, page))


@app.command()
@speaks_plainly
def clock(
    hz: Annotated[int, typer.Option("--hz", min=1, max=10**10, help="The clock, in Hz.")],
    uart: Annotated[
        int | None, typer.Option("--uart", metavar="BAUD", min=1, help="Divisors for this baud rate.")
    ] = None,
    pwm: Annotated[
        float | None, typer.Option("--pwm", metavar="HZ", min=0.001, help="Timer settings for this PWM.")
    ] = None,
    servo: Annotated[
        float | None, typer.Option("--servo", metavar="HZ", min=1, help="Servo pulses at this frame rate.")
    ] = None,
    divide_by: Annotated[
        str, typer.Option("--divide-by", metavar="A,B,...", help="How the UART divides: samples, or 16ths.")
    ] = "16,8,4,64,16ths",
    bits: Annotated[int, typer.Option("--bits", min=2, max=32, help="Bits of the period register.")] = 8,
    prescalers: Annotated[
        str, typer.Option("--prescalers", metavar="A,B,...", help="The prescalers that the timer has.")
    ] = "1,8,64,256,1024",
    clocks_per_count: Annotated[
        int, typer.Option("--clocks-per-count", min=1, max=64, help="4 on chips that count every fourth.")
    ] = 1,
    pulse_us: Annotated[
        str, typer.Option("--pulse-us", metavar="A,B,C", help="A servo's pulses: end, centre, end.")
    ] = "1000,1500,2000",
    degrees: Annotated[float, typer.Option("--degrees", min=1, max=720, help="A servo's travel.")] = 90.0,
    volts: Annotated[float, typer.Option("--volts", min=0.1, help="The supply behind the PWM.")] = 5.0,
    other_hz: Annotated[
        int | None, typer.Option("--other-hz", min=1, help="The other end's clock, for --uart.")
    ] = None,
    instead_hz: Annotated[
        int | None, typer.Option("--instead-hz", min=1, help="Show what changes with another clock.")
    ] = None,
    figure: Annotated[
        Path | None, drawn("--figure", "Write a picture of the servo pulses and the PWM.")
    ] = None,
    as_json: Json = False,
) -> int:
    """Say what a microcontroller's clock can do.

    --uart finds divisors for a baud rate, --pwm timer settings, --servo servo pulses.
    """
    from nuvrik.budget.clocks import Timer
    from nuvrik.cli.clock import Wanted, numbers, run, ways

    pulses = numbers(pulse_us, "--pulse-us")
    timer = Timer(bits, numbers(prescalers, "--prescalers"), clocks_per_count)
    divided = ways(divide_by)
    wanted = Wanted(hz, uart, pwm, servo, timer, divided, pulses, degrees, other_hz, volts)
    return run(wanted, instead_hz, figure, as_json)


app.add_typer(infrared, name="infrared")


def main() -> Any:
    """The ``nuvrik`` command."""
    prepare_streams()
    try:
        app()
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else int(end.code is not None)
        sys.exit(flush_all(code))
    except OSError as error:  # a help that could not be written
        leave(f"output: {(error.strerror or str(error)).lower()}", COULD_NOT)
