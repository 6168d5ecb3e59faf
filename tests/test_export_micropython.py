"""What ``export --to micropython`` writes and refuses, and core as it is."""

import ast
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many, write
from python_chips import MICROPYTHON, needs_micropython
from test_traces import SEED
from typed import nuvrik_command

import nuvrik
from nuvrik.export.micropython import PYTHON
from nuvrik.export.program import Program
from nuvrik.export.python_chips import FAMILIES, misfits_of
from nuvrik.export.traces.driver import Life
from nuvrik.export.traces.runners import in_micropython
from nuvrik.export.wanted import Wanted
from nuvrik.plan.starters import starter_text
from nuvrik.ports.listener import SILENCE_US


@settings(deadline=None, max_examples=many(60))
@given(st.data())
def test_what_fits_on_a_board_has_pins_of_its_own_that_can_do_it(data: st.DataObject) -> None:
    """Whatever pins a file names: what passes uses none twice with the line's, none that is not there, sets
    none that can only be read, and no two waves that cannot be apart."""
    name = data.draw(st.sampled_from(["rp2040", "esp32", "esp32s3"]))
    family = FAMILIES[name]
    pins = data.draw(st.lists(st.integers(0, 50), min_size=7, max_size=7, unique=True))
    hz = data.draw(st.sampled_from([0, 500, 20_000]))
    link = nuvrik.parse(pinned(pins, hz))
    wanted = Wanted(link, "x.toml", name)
    found = [one for one in misfits_of(wanted) if one.level == "error"]
    powers, others = pins[:2], pins[2:]
    bad = [pin for pin in pins if pin not in family.pins or pin in family.kept or pin in family.only_read]
    bad += [pin for pin in pins if pin in family.line[1:]]
    if name == "rp2040":
        servo = pins[6]
        for pin in powers:
            same = pin % 16 == servo % 16 or pin % 16 // 2 == servo % 16 // 2
            bad += [pin] if same else []
        bad += [powers[0]] if powers[0] % 16 == powers[1] % 16 else []
    assert bool(found) == bool(bad), (found, bad, others)
    assert all(one.do for one in found)


def pinned(pins: list[int], hz: int) -> str:
    """Two motors and a servo on these pins."""
    wave = f", pwm_hz = {hz}" if hz else ""
    motors = "".join(
        f'm{at} = {{ kind = "motor", driver = "pwm_2dir"{wave}, mix = {{ go = 1.0 }}, pins = '
        f"{{ pwm = {pins[at]}, forward = {pins[2 + 2 * at]}, backward = {pins[3 + 2 * at]} }} }}\n"
        for at in range(2)
    )
    return (
        'link = { name = "x", rate_hz = 50 }\nmedium = { kind = "serial" }\n'
        'frame = { style = "packed", pair = 9 }\nfailsafe = { arm = "arm", timeout_ms = 400 }\n'
        '[channels]\ngo = { kind = "level" }\narm = { kind = "flag" }\n[outputs]\n'
        f'{motors}s = {{ kind = "servo", pin = {pins[6]}, mix = {{ go = 1.0 }} }}\n'
    )


@pytest.mark.slow
def test_the_command_writes_looks_through_and_refuses(tmp_path: Path) -> None:
    tug = write(tmp_path, "tug.toml", starter_text("tug"))
    out = tmp_path / "out"
    said = nuvrik_command("export", tug, "--to", "micropython", "--out", out)
    assert "main.py: yours, written this once" in said and "README.md" in said
    main = out / "main.py"
    main.write_text("mine\n")
    assert "file by file" in " ".join(nuvrik_command("export", tug, "--verify", out).split())
    edited = out / "nuvrik" / "core" / "machine" / "motor.py"
    edited.write_text(edited.read_text() + "# mine too\n")
    assert "edited" in nuvrik_command("export", tug, "--verify", out, code=1)
    said = nuvrik_command("export", tug, "--to", "micropython", "--out", out)
    assert "motor.py.edited1" in said and main.read_text() == "mine\n"
    other = write(tmp_path, "other.toml", starter_text("tug").replace("ramp_ms = 250", "ramp_ms = 300", 1))
    assert "ramp_ms was 250, and is 300" in nuvrik_command("export", other, "--verify", out, code=1)
    for words, says in (
        (("--board", "atmega328p"), "for micropython: use rp2040"),
        (("--board", "posix", "--precompiled"), "byte code is for chips"),
        (("--readable", "--precompiled"), "nobody can read it"),
    ):
        said = nuvrik_command("export", tug, "--to", "micropython", *words, "--out", tmp_path / "no", code=2)
        assert says in said and not (tmp_path / "no").exists()
    said = nuvrik_command("export", tug, "--readable", "--out", tmp_path / "no", code=2)
    assert "are for --to micropython" in said
    said = nuvrik_command(
        "export", tug, "--to", "micropython", "--board", "esp32", "--out", out / "x", code=1
    )
    assert "taken by the chip's own flash; free are 4, 13" in " ".join(said.split())
    assert not (out / "x").exists()
    said = nuvrik_command("budget", tug, "--board", "rp2040")
    assert "its radio   about" in said
    assert "rp2040 in MicroPython: about" in said and "as estimated" in said


@needs_micropython
@pytest.mark.slow
def test_core_as_it_is_does_the_same(tmp_path: Path) -> None:
    for name in ("tug", "vent"):
        life = Life(nuvrik.parse(starter_text(name)), SEED)
        folder = tmp_path / name
        assert in_micropython(MICROPYTHON, life, many(3000), folder, readable=True) == "", SEED
        core = (folder / "nuvrik" / "core" / "machine" / "motor.py").read_text("utf-8")
        assert core == (Path(nuvrik.__file__).parent / "core" / "machine" / "motor.py").read_text("utf-8")


def test_numbers_that_loops_take_from_core_are_cores() -> None:
    """Fitted core has no names for its numbers any more, so the loops have them again."""
    core, seen = Program().constants, set()
    for file in PYTHON.glob("*.py"):
        for node in ast.parse(file.read_text("utf-8")).body:
            if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name):
                name, value = node.targets[0].id, node.value
                if name in core:
                    seen.add(name)
                    assert eval(ast.unparse(value)) == core[name].value, (file.name, name)
                if name == "SILENCE_US":
                    assert ast.literal_eval(value) == SILENCE_US
    assert {"ARMED", "DONE", "REFUSED", "FAILED", "RUNNING", "NOTHING_THERE"} <= seen
