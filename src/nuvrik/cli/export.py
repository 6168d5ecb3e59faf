"""``nuvrik export``: what a link comes to, for others to use."""

import json
from pathlib import Path

from nuvrik.cli.words import DONE, Trouble, say
from nuvrik.plan.form.media import InfraredMedium
from nuvrik.plan.load import load
from nuvrik.ports.files import write_file


def run_export(file: Path, vectors: Path | None, seed: int, steps: int) -> int:
    """Write a random life of the link's machine."""
    link = load(file)
    if vectors is None:
        raise Trouble("say what to write: --vectors FILE, a random life of its machine as JSON")
    if isinstance(link.medium, InfraredMedium):
        raise Trouble(
            f"{link.name} is a remote control's link; vectors are of frames, and its receiver sees codes"
        )
    from nuvrik.cli.tables import record
    from nuvrik.export.traces.driver import Life
    from nuvrik.export.traces.runners import lived

    life = Life(link, seed)
    head = {"link": link.name, "seed": seed, "stream": life.stream, "outputs": life.kinds}
    lines = [json.dumps(head | {"tables": record(life.table)})]
    lines += [json.dumps(one) for one in lived(life, steps)]
    write_file(vectors, "\n".join(lines) + "\n")
    say(f"{vectors}: written, {steps} steps of a life, one a line")
    return DONE
