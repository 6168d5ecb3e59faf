"""Builds wheel and source distribution, and tries what a user does with each in an environment of its own.

The environments see nothing of this checkout; packages come from wherever pip is set up to take them.
"""

import subprocess
import sys
import tempfile
import venv
from pathlib import Path

ROOT = Path(__file__).parents[1]


def tried(package: Path, folder: Path) -> None:
    """Install a distribution and run the demo, a check, a rehearsal and the typed API with it."""
    venv.create(folder / "env", with_pip=True)
    folder_of = "Scripts" if sys.platform == "win32" else "bin"
    python, nuvrik = (folder / "env" / folder_of / name for name in ("python", "nuvrik"))
    run = [python, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", package]
    subprocess.run(run, check=True)
    for words in (
        ["demo"],
        ["new", "mine.toml", "--like", "rover"],
        ["check", "mine.toml"],
        ["rehearse", "mine.toml", "--fault", "cable_pulled"],
        ["hello", "mine.toml", "--port", "sim"],
    ):
        subprocess.run([nuvrik, *words], cwd=folder, check=True, stdout=subprocess.DEVNULL)
    there = "import nuvrik, pathlib; print((pathlib.Path(nuvrik.__file__).parent / 'py.typed').exists())"
    said = subprocess.run([python, "-c", there], cwd=folder, check=True, capture_output=True, text=True)
    assert said.stdout.strip() == "True", "py.typed is not in it"


def main() -> int:
    with tempfile.TemporaryDirectory(prefix="nuvrik wheel ") as name:
        out = Path(name)
        run = [sys.executable, "-m", "build", "--outdir", out, ROOT]
        subprocess.run(run, check=True, stdout=subprocess.DEVNULL)
        packages = sorted(out.glob("*.whl")) + sorted(out.glob("*.tar.gz"))
        for number, package in enumerate(packages):
            tried(package, out / str(number))
            print(f"{package.name}: {package.stat().st_size // 1024} KiB, installed and tried")
    return 0 if len(packages) == 2 else 1


if __name__ == "__main__":
    sys.exit(main())
