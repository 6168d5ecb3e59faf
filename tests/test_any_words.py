"""Whatever is typed, a command does it, says no, or says why it could not: never a traceback."""

import importlib
import random
from pathlib import Path
from typing import Any

import pytest
import typer
from links import THOROUGH, TUG, write
from typed import nuvrik_command
from typer.testing import CliRunner

from nuvrik.cli import COMMANDS, app
from nuvrik.cli.words import SHOW_FAULTS
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.recordings.pilot import practice

pytestmark = pytest.mark.slow

VALUES = [
    "0",
    "1",
    "-1",
    "0.5",
    "nan",
    "inf",
    "1e9",
    "abc",
    "50",
    "16000000",
    "9600",
    "16",
    "8,64",
    "none",
    "throttle=1",
    "throttle=none",
    "turn=-1",
    "arm=1",
    "x=1",
    "105ad5",
    "zz",
    "cable_pulled",
    "jam",
    "lamp",
    "port_screw",
    "winch",
    "sim",
    "nec",
    "rc5",
    "out.png",
    "out.svg",
    "new.toml",
    "out.html",
    "tug",
]
SHORT = {
    "soak": ["0.01", "0", "x"],
    "runs": ["1", "2", "0"],
    "jobs": ["1", "0"],
    "for_s": ["0.2"],
    "port": ["sim", "sim:winch", "sim:x", "/dev/none", "", "udp://", "nonsense://"],
}
"""What would take long otherwise."""

ENDLESS = {"machine", "panel", "demo"}
"""What runs until somebody ends it, and what takes no words worth trying."""


def commands(command: Any, path: tuple[str, ...] = ()) -> list[tuple[tuple[str, ...], Any]]:
    """Every command there is, with its own parameters: a new one is tried without being named here."""
    if not hasattr(command, "list_commands"):
        return [] if ENDLESS & set(path) else [(path, command)]
    inner = ((name, command.get_command(None, name)) for name in command.list_commands(None))
    return [found for name, one in inner for found in commands(one, (*path, name))]


def files(folder: Path) -> list[str]:
    """Good ones, and everything that can be mistaken for one."""
    for name in starter_names():
        write(folder, f"{name}.toml", starter_text(name))
    write(folder, "broken.toml", "a = [")
    write(folder, "odd.toml", "controls = 3\nmedium = 4\n" + starter_text("tug").split("[medium]")[0])
    write(folder, "empty.toml", "")
    (folder / "binary.toml").write_bytes(b"\xff\xfe\0")
    write(folder, "drive.csv", "\n".join(practice(TUG, 1, 2000).csv_lines()))
    write(folder, "times.txt", nuvrik_command("infrared", "make", "nec", "--address", 30, "--command", 1))
    write(folder, "capture.txt", "105ad5079a06407e0e\n00\nzz\n")
    return [*sorted(path.name for path in folder.iterdir()), "none.toml", "."]


def words(path: tuple[str, ...], command: Any, names: list[str], rng: random.Random) -> list[str]:
    """A command with any of its options and arguments, likely ones and others."""
    typed = list(path)
    for one in command.params:
        argument = one.param_type_name == "argument"
        if not (argument or one.required or rng.random() < 0.25):
            continue
        likely = names if rng.random() < (0.8 if argument else 0.3) else ["", *VALUES]
        value = rng.choice(SHORT.get(one.name, likely))
        if argument:
            typed += [value, *([rng.choice(VALUES)] if one.nargs == -1 else [])]
        else:
            typed += [one.opts[0]] if one.is_flag else [one.opts[0], value]
    return typed


@pytest.mark.parametrize("seed", range(4 if THOROUGH else 2))
def test_any_words_end_in_an_exit_code_and_plain_words(seed: int, tmp_path: Path) -> None:
    rng, names = random.Random(seed), files(tmp_path)
    kept = {path: path.read_bytes() for path in tmp_path.iterdir()}
    able = commands(typer.main.get_command(app))
    for _ in range(70):
        typed = words(*rng.choice(able), names, rng)
        with pytest.MonkeyPatch.context() as patch:
            patch.chdir(tmp_path)
            done = CliRunner().invoke(app, typed, input="y\nn\n", prog_name="nuvrik", env={SHOW_FAULTS: "1"})
        assert done.exception is None or isinstance(done.exception, SystemExit), (typed, done.exception)
        assert done.exit_code in (0, 1, 2) and "Traceback" not in done.output, typed
        assert done.exit_code != 2 or done.stderr.strip(), (typed, "says why it could not")
        for path, before in kept.items():
            path.write_bytes(before)


def test_the_help_of_all_says_of_each_what_that_says_of_itself() -> None:
    group = typer.main.get_command(app)
    for name, said in COMMANDS.items():
        assert (group.get_command(None, name).help or "").split("\n")[0] == said  # type: ignore[attr-defined]


def test_a_fault_of_its_own_is_said_as_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def fault(*_: object) -> None:
        raise RuntimeError("on purpose")

    monkeypatch.setattr(importlib.import_module("nuvrik.cli.new"), "write_new", fault)
    done = CliRunner().invoke(app, ["new", str(tmp_path / "new.toml")], prog_name="nuvrik")
    assert done.exit_code == 2 and "Traceback" not in done.output
    assert (
        "internal error; please report it: RuntimeError: on purpose" in done.stderr
        and SHOW_FAULTS in done.stderr
    )
