"""A figure at another commit, for `bench.py --against COMMIT`."""

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path


def then(commit: str, name: str) -> dict[str, float]:
    """A figure as it was at another commit, measured by its own benchmark right behind ours: machines differ
    by more than targets leave room for, and a comparison in one run does not."""
    here = Path(__file__).parents[1]
    with tempfile.TemporaryDirectory() as folder:
        kept = subprocess.run(["git", "archive", commit], cwd=here, check=True, capture_output=True).stdout
        subprocess.run(["tar", "-x"], cwd=folder, input=kept, check=True)
        words = [sys.executable, "benchmarks/bench.py", name]
        subprocess.run(
            words,
            cwd=folder,
            env={**os.environ, "PYTHONPATH": f"{folder}/src"},
            check=False,
            capture_output=True,
        )
        figures: dict[str, float] = json.loads((Path(folder) / "benchmarks/latest.json").read_text())[
            "figures"
        ]
    return figures[name]  # type: ignore[return-value]
