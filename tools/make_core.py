"""Writes the C that core is translated to; with --check, only says whether it is up to date."""

import sys

from nuvrik.export.native import C
from nuvrik.export.program import Program
from nuvrik.export.to_c import Translation


def main() -> int:
    made = Translation(Program())
    files = {
        C / "nuvrik_core.h": made.header,
        C / "nuvrik_reads.h": made.reads,
        C / "nuvrik_core.c": made.source,
    }
    stale = [file for file, text in files.items() if not file.exists() or file.read_text("utf-8") != text]
    for file in stale:
        if "--check" in sys.argv[1:]:
            print(f"{file} is not what core comes to: run `make docs`", file=sys.stderr)
        else:
            file.write_text(files[file], "utf-8")
            print(f"{file} written")
    return 1 if stale and "--check" in sys.argv[1:] else 0


if __name__ == "__main__":
    sys.exit(main())
