"""Builds the documents into one searchable place, build/site, and looks that nothing in it needs a network.

The pages are the ones that stand in the repository; here they are only put side by side, and an API page is
made of the public names. A link that leads nowhere stops the build.
"""

import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

import nuvrik

ROOT = Path(__file__).parents[1]
PAGES, SITE = ROOT / "build/docs", ROOT / "build/site"
BESIDE = {"README.md": "index.md"} | {
    name: name for name in ("CONTRIBUTING.md", "SECURITY.md", "CHANGELOG.md")
}
"""Pages that stand beside docs/, and what they are called among the others."""

ELSEWHERE = re.compile(r"<(?:script|link|img|iframe)[^>]*(?:src|href)=\"?(?:https?:)?//", re.IGNORECASE)


def gather() -> None:
    """All pages into one folder, with their links as they are there."""
    shutil.rmtree(PAGES, ignore_errors=True)
    shutil.copytree(ROOT / "docs", PAGES)
    for name, there in BESIDE.items():
        text = (ROOT / name).read_text("utf-8").replace("](docs/", "](")
        (PAGES / there).write_text(as_in_one_folder(text), "utf-8")
    for page in (ROOT / "docs").glob("*.md"):
        (PAGES / page.name).write_text(
            as_in_one_folder(page.read_text("utf-8").replace("](../", "](")), "utf-8"
        )
    for folder in ("examples", "benchmarks"):
        shutil.copytree(ROOT / folder, PAGES / folder, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "LICENSE", PAGES / "LICENSE")
    (PAGES / "api.md").write_text(api_page(), "utf-8")


def as_in_one_folder(text: str) -> str:
    """Links to README.md are links to the first page there."""
    return text.replace("](README.md", "](index.md")


def api_page() -> str:
    """Every public name, by where it is."""
    lines = [
        "# API",
        "",
        "Every public name of `nuvrik`. Anything else may move (see [versions](versions.md)).",
        "",
    ]
    for name in sorted(nuvrik.__all__, key=str.lower):
        lines += [f"::: {nuvrik.MODULES.get(name) or f'{nuvrik.HOMES[name]}.{name}'}", ""]
    return "\n".join(lines)


def search_without_a_server() -> None:
    """The index goes into the script that searches it."""
    folder = SITE / "search"
    pages = json.loads((folder / "search_index.json").read_text("utf-8"))["docs"]
    parts = [(folder / "lunr.js").read_text("utf-8"), f"const PAGES = {json.dumps(pages)};"]
    own = (ROOT / "tools/site_search.js").read_text("utf-8")
    (folder / "main.js").write_text("\n".join([*parts, own]), "utf-8")
    for name in ("lunr.js", "worker.js", "search_index.json"):
        (folder / name).unlink()


def needs_a_network() -> list[str]:
    """Pages that load something from elsewhere."""
    return [str(page) for page in SITE.rglob("*.html") if ELSEWHERE.search(page.read_text("utf-8"))]


def main() -> int:
    gather()
    mkdocs = Path(sys.executable).with_name("mkdocs")
    done = subprocess.run([mkdocs, "build", "--strict", "--quiet", "--clean"], cwd=ROOT, check=False)
    if done.returncode:
        return done.returncode
    search_without_a_server()
    elsewhere = needs_a_network()
    for page in elsewhere:
        print(f"{page} loads something from elsewhere", file=sys.stderr)
    print(f"{SITE / 'index.html'}: {len(list(SITE.rglob('*.html')))} pages")
    return 1 if elsewhere else 0


if __name__ == "__main__":
    sys.exit(main())
