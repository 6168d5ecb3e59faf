"""Commands as a user types them, in this process: quick, and every way they can end is looked at."""

import contextlib
from pathlib import Path

from typer.testing import CliRunner

from nuvrik.cli import app


def nuvrik_command(
    *words: object, code: int | None = 0, given: bytes | None = None, cwd: Path | None = None
) -> str:
    """What ``nuvrik WORDS`` says: on stdout, or on stderr where it could not run. ``code`` None: with any
    answer, but not a failure to run."""
    with contextlib.chdir(cwd or Path.cwd()):
        done = CliRunner().invoke(app, [*map(str, words)], input=given, prog_name="nuvrik")
    said = done.stdout + done.stderr
    assert done.exception is None or isinstance(done.exception, SystemExit), (words, done.exception)
    assert "Traceback" not in said and "internal error" not in said, said
    assert done.exit_code == code if code is not None else done.exit_code in (0, 1), (words, said)
    return done.stderr if done.exit_code == 2 else said if code is None else done.stdout
