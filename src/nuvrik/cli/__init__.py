"""The command line: ``nuvrik COMMAND``.

This file only says which commands there are. Each is declared in the module of its name, where it runs, and
that is read when it is called, so that ``nuvrik --help`` answers at once.
"""

import sys
from importlib import import_module
from typing import Annotated, Any

import typer
from typer.core import TyperGroup

from nuvrik.cli.options import refuse_old_options
from nuvrik.cli.words import COULD_NOT, flush_all, leave, prepare_streams
from nuvrik.version import VERSION_WORDS

COMMANDS = {
    "demo": "Show the whole thing on a model tug, with no hardware.",
    "new": "Write a commented link file to start from.",
    "check": "Say what a link file means, and what is wrong with it.",
    "encode": "Turn channel values into the bytes of a frame, in hex.",
    "inspect": "Turn bytes into values, and say of every refused frame why.",
    "calibrate": "Find ranges, rests and dead zones in a recording.",
    "rehearse": "Run the link against faults: verdicts and stop times.",
    "drive": "Be the handset, from whatever hands there are.",
    "panel": "Be the handset from a page in a browser.",
    "record": "Record raw readings of any source, ready for calibrate.",
    "machine": "Be the machine: log what each output is told to do.",
    "ask": "Make one request, or set channels for a while.",
    "jog": "Move an output or a side a little: which way does it turn?",
    "export": "Write firmware for either end, in C or in MicroPython.",
    "hello": "Ask the other end who it is and what it was built from.",
    "budget": "Do the sums of a link.",
    "clock": "Say what a microcontroller's clock can do.",
    "infrared": "Read, learn and make the codes of remote controls.",
}
"""Every command, and the first sentence that it says of itself."""

HELP = {"help_option_names": ["--help", "-h"]}


class Commands(TyperGroup):
    """All commands; what is typed is first looked through for options of before."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        refuse_old_options(args)
        return super().parse_args(ctx, args)

    def list_commands(self, ctx: Any) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        if cmd_name not in COMMANDS:
            return None
        declared = import_module(f"nuvrik.cli.{cmd_name}").command
        if isinstance(declared, typer.Typer):
            made: Any = typer.main.get_group(declared)
        else:
            one = typer.Typer(add_completion=False, rich_markup_mode=None, context_settings=HELP)
            one.command()(declared)
            made = typer.main.get_command(one)
        made.name = cmd_name
        return made

    def format_commands(self, ctx: Any, formatter: Any) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


app = typer.Typer(
    name="nuvrik",
    cls=Commands,
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings=HELP,
)


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
