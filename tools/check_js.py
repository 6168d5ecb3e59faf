"""The types of the page's JavaScript, checked by a compiler that writes nothing; `make lint` runs it where
there is node. The page itself needs no such step."""

import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
START = ROOT / "src" / "nuvrik" / "panel" / "static" / "start.js"
KEPT = ROOT / "build" / "node"
COMPILER = "typescript@5.9.3"

HOW = (
    *("--allowJs", "--checkJs", "--noEmit", "--target", "es2023", "--module", "es2022"),
    *("--moduleResolution", "bundler", "--lib", "es2023,dom,dom.iterable"),
)


def main() -> int:
    """0 where nothing is wrong, or nothing could be checked: a line says so."""
    if not (shutil.which("node") and shutil.which("npm")):
        print("the page's JavaScript is not checked: there is no node")
        return 0
    compiler = KEPT / "node_modules" / "typescript" / "bin" / "tsc"
    if not compiler.exists():
        KEPT.mkdir(parents=True, exist_ok=True)
        words = ["npm", "install", "--silent", "--no-audit", "--no-fund", "--prefix", str(KEPT), COMPILER]
        if subprocess.run(words, check=False, stdout=subprocess.DEVNULL).returncode:
            print(f"the page's JavaScript is not checked: {COMPILER} cannot be installed here")
            return 0
    return subprocess.run(["node", str(compiler), *HOW, str(START)], check=False).returncode


if __name__ == "__main__":
    sys.exit(main())
