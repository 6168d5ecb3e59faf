"""Fits that were made before. A fit takes seconds and is the same whenever core, fitter and tables are: where
the environment names a folder in ``NUVRIK_FITS``, they are kept in it, for tests and for programs that make
the same firmware again and again. What stands there is trusted: let it be a folder of your own."""

import os
import pickle
import sys
import tempfile
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from hashlib import sha256
from pathlib import Path
from typing import Any

PACKAGE = Path(__file__).parents[2]

MAKERS = ("core/**/*.py", "export/fit/*.py", "export/program.py", "plan/tables/sizes.py")
"""Every text that a fit depends on."""


@cache
def _made_by() -> bytes:
    """What tells one state of those texts from another."""
    texts = [file.read_bytes() for pattern in MAKERS for file in sorted(PACKAGE.glob(pattern))]
    return sha256(b"\0".join([sys.version.encode(), *texts])).digest()


def kept(given: tuple[object, ...], make: Callable[[], Any]) -> Any:
    """What ``make`` makes of what is ``given``, or what it made of the same before."""
    folder = os.environ.get("NUVRIK_FITS")
    if not folder:
        return make()
    file = Path(folder) / sha256(_made_by() + pickle.dumps(given)).hexdigest()
    # A file that is broken may raise any of these; then it is made anew.
    with suppress(OSError, EOFError, pickle.UnpicklingError, AttributeError, IndexError, ValueError):
        made = pickle.loads(file.read_bytes())
        file.touch()
        return made
    made = make()
    file.parent.mkdir(parents=True, exist_ok=True)
    # Whole or not at all: others may look for it at the same time.
    with tempfile.NamedTemporaryFile(dir=folder, delete=False) as written:
        pickle.dump(made, written)
    Path(written.name).replace(file)
    return made
