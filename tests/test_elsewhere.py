"""The same rules in other places: as C and in MicroPython, printed as tables, written as vectors."""

import json
import shutil
from pathlib import Path

import pytest
from links import THOROUGH, TUG, problem_in, write
from typed import nuvrik_command

import nuvrik
from nuvrik.core.loops.machine_end import MachineEnd
from nuvrik.export.elsewhere import InC
from nuvrik.export.fitted_c import life_shape
from nuvrik.export.native import build, fitted_source
from nuvrik.export.traces.seen import carry_out, seen
from nuvrik.plan.starters import starter_text
from nuvrik.plan.tables.ends import end_table
from nuvrik.rehearsal.faults import FAULTS
from nuvrik.rehearsal.verdict import rehearse

needs_gcc = pytest.mark.skipif(not shutil.which("gcc"), reason="a C compiler: make toolchain")


@needs_gcc
def test_a_rehearsal_comes_to_the_same_in_every_place(tmp_path: Path) -> None:
    file = write(tmp_path, "panel.toml", starter_text("panel"))
    places = "python,c,micropython"
    for fault, style in (("cable_pulled", "pass"), ("stuck_frame", "pass"))[: 2 if THOROUGH else 1]:
        said = nuvrik_command("rehearse", file, "--fault", fault, "--runs", 2, "--on", places)
        for place in ("c", "micropython"):
            assert (
                f"On {place} each of 2 rehearsals came to the same verdict and stop time as on python" in said
            )
        assert style in said
    words = ("rehearse", file, "--fault", "cable_pulled", "--runs", 1, "--on", "c,python", "--json")
    runs = [json.loads(line) for line in nuvrik_command(*words).splitlines()]
    assert [run.pop("on") for run in runs] == ["c", "python"] and runs[0] == runs[1]
    words = ("rehearse", file, "--every-state", "--most-states", 60, "--on", "c", "--json")
    found = json.loads(nuvrik_command(*words))
    assert found["on"] == "c" and found["states"] > 20 and found["wrong"] == []


def test_what_cannot_be_run_elsewhere_is_said(tmp_path: Path) -> None:
    file, remote = (write(tmp_path, f"{name}.toml", starter_text(name)) for name in ("tug", "curtain"))
    assert "use python, c, micropython, avr or arm" in nuvrik_command(
        "rehearse", file, "--on", "moon", code=2
    )
    assert "remote control" in nuvrik_command("rehearse", remote, "--on", "c", code=2)
    words = ("rehearse", file, "--every-state", "--on", "micropython")
    assert "only python and c" in nuvrik_command(*words, code=2)
    said = nuvrik_command("export", file, code=2)
    assert "--vectors FILE" in said and "--out DIR" in said
    for link, end in ((remote, "bridge"), (file, "listener")):
        assert "remote control" in nuvrik_command(
            "export", link, "--end", end, "--out", tmp_path / "f", code=2
        )
    assert "remote control" in nuvrik_command("export", remote, "--vectors", tmp_path / "v", code=2)


@needs_gcc
@pytest.mark.parametrize(
    ("old", "new"),
    [
        (
            "nuvrik_end.machine.watch.driven_ms < NUVRIK_WATCH_TIMEOUT_MS",
            "nuvrik_end.machine.watch.driven_ms < 60000U",
        ),
        ("(asked && mode == NUVRIK_FOLLOW) ? target : 0", "asked ? target : 0"),
    ],
    ids=["it never falls silent", "it goes on when it is lost"],
)
def test_a_fault_of_the_c_alone_fails_its_rehearsal(old: str, new: str, tmp_path: Path) -> None:
    source = fitted_source(life_shape(TUG, stream=not TUG.medium.datagrams))
    assert source.count(old) == 1
    changed = source.replace(old, new)
    make = InC(tmp_path)
    build(make.built(stream=False), changed, flags=("-Wno-error",))
    fault = FAULTS["cable_pulled"]
    assert rehearse(TUG, fault, 1).verdict == "pass" and rehearse(TUG, fault, 1, make=make).verdict == "fail"


def test_tables_are_printed_by_name(tmp_path: Path) -> None:
    file = write(tmp_path, "tug.toml", starter_text("tug"))
    tables = json.loads(nuvrik_command("check", file, "--tables", "--json"))
    assert tables["machine"]["watch"]["timeout_ms"] == 400 and len(tables["machine"]["watch"]["cells"]) == 40
    assert tables["sealed"]["tag"] == nuvrik.Encoder(TUG).tag
    said = nuvrik_command("check", file, "--tables")
    assert "timeout_ms=400" in said and "end.machine.outputs.motors[1]" in said


def test_a_file_of_vectors_is_a_life_that_can_be_lived_again(tmp_path: Path) -> None:
    file, vectors = write(tmp_path, "panel.toml", starter_text("panel")), tmp_path / "panel.jsonl"
    said = nuvrik_command("export", file, "--vectors", vectors, "--steps", 800, "--seed", 4)
    assert "800 steps" in said
    head, *lines = map(json.loads, vectors.read_text().splitlines())
    assert (head["link"], head["seed"], head["stream"], len(lines)) == ("panel", 4, True, 800)
    table = end_table(nuvrik.load(file), stream=True)
    end = MachineEnd(table)
    for line in lines:
        if line["step"][0] == "begin":
            end = MachineEnd(table)
        assert (carry_out(end, line["step"]), seen(end, head["outputs"])) == (line["back"], line["seen"])
    words = {line["step"][0] for line in lines}
    assert {"begin", "stream", "turn", "send", "reading"} <= words
    again = tmp_path / "again.jsonl"
    nuvrik_command("export", file, "--vectors", again, "--steps", 800, "--seed", 4)
    assert again.read_bytes() == vectors.read_bytes(), "a seed stands for one life"


def test_a_link_too_large_for_its_tables_is_refused_by_name() -> None:
    many = "".join(f'[channels.c{n}]\nkind = "flag"\n' for n in range(251))
    text = starter_text("tug").replace("[channels.throttle]", many + "[channels.throttle]", 1)
    problem = problem_in(text.replace("payload_max = 32", "payload_max = 200"), "channels")
    assert "places for 250" in problem.what
