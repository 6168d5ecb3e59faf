"""Where a machine's rules run: in Python, as C, in MicroPython, or on an emulated chip."""

import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from nuvrik.cli.words import Trouble
from nuvrik.ends.machine import Machine
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import suggestion
from nuvrik.rehearsal.world import MakeMachine

PYTHON, C, MICROPYTHON, AVR, ARM = "python", "c", "micropython", "avr", "arm"
PLACES = (PYTHON, C, MICROPYTHON, AVR, ARM)

COMPILERS = ("gcc", "clang", "cc")


def places(text: str) -> tuple[str, ...]:
    """A list of places out of an option. Trouble for one that there is not."""
    wanted = tuple(dict.fromkeys(part.strip() for part in text.split(",")))
    for place in wanted:
        if place not in PLACES:
            raise Trouble(f'--on: there is no "{place}": {suggestion(place, PLACES)}')
    return wanted


def makers(link: Link, wanted: tuple[str, ...]) -> Iterator[tuple[str, MakeMachine]]:
    """What makes a machine in each place. Trouble where this computer has not what it takes."""
    if wanted != (PYTHON,) and isinstance(link.medium, InfraredMedium):
        raise Trouble(f"--on: {link.name} is a remote control's link, whose receiver runs in Python only")
    for place in wanted:
        if place == C:
            with tempfile.TemporaryDirectory() as folder:
                yield place, _in_c(link, Path(folder))
        elif place == MICROPYTHON:
            yield place, _in_micropython()
        elif place == AVR:
            with tempfile.TemporaryDirectory() as folder:
                yield place, _on_avr(link, Path(folder))
        elif place == ARM:
            with tempfile.TemporaryDirectory() as folder:
                yield place, _on_arm(link, Path(folder))
        else:
            yield place, Machine


def _in_c(link: Link, folder: Path) -> MakeMachine:
    from nuvrik.export.elsewhere import in_c_on_the_spot

    compiler = next((name for name in COMPILERS if shutil.which(name)), None)
    if compiler is None:
        raise Trouble(f"--on c: there is no C compiler here; install one of {', '.join(COMPILERS)}")
    try:
        return in_c_on_the_spot(link, folder, compiler)
    except subprocess.CalledProcessError as error:
        raise Trouble(
            f"--on c: {compiler} could not build it: {(error.stderr or '').strip()[-300:]}"
        ) from None


def _on_avr(link: Link, folder: Path) -> MakeMachine:
    from nuvrik.export.on_avr import NotHere, on_avr

    try:
        return on_avr(link, folder)
    except NotHere as error:
        raise Trouble(f"--on avr: {error}") from None
    except subprocess.CalledProcessError as error:
        said = (error.stderr or "").strip()[-300:]
        raise Trouble(f"--on avr: {error.cmd[0]} could not build it: {said}") from None


def _on_arm(link: Link, folder: Path) -> MakeMachine:
    from nuvrik.export.on_arm import on_arm

    try:
        return on_arm(link, folder)
    except FileNotFoundError as error:
        raise Trouble(f"--on arm: {error}") from None
    except subprocess.CalledProcessError as error:
        raise Trouble(f"--on arm: {error.cmd[0]}: {(error.stderr or '').strip()[-300:]}") from None


def _in_micropython() -> MakeMachine:
    from nuvrik.export.elsewhere import InMicroPython

    beside = str(Path(sys.executable).parent)
    found = shutil.which("micropython") or shutil.which("micropython", path=beside)
    if found is None:
        raise Trouble(
            "--on micropython: there is no MicroPython interpreter here; install the Unix one of it"
        )
    return InMicroPython(found)
