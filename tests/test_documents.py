"""What the documents say is what happens: their programs run, their numbers are worked out again."""

import doctest
import importlib
import re
from pathlib import Path

import pytest
from links import write

import nuvrik
from nuvrik.core.frames.bits import level_code
from nuvrik.core.hand.controls import bent_level
from nuvrik.plan.outputs.motor import Motor
from nuvrik.plan.outputs.pins import Pins
from nuvrik.plan.starters import starter_names, starter_text

ROOT = Path(__file__).parents[1]
BLOCK = re.compile(r"```python\n(.*?)```", re.DOTALL)


@pytest.mark.live
def test_the_programs_of_the_python_page_run(capsys: pytest.CaptureFixture[str]) -> None:
    scope: dict[str, object] = {}
    blocks = BLOCK.findall((ROOT / "docs/python.md").read_text("utf-8"))
    assert len(blocks) >= 5
    for block in blocks:
        exec(compile(block, "docs/python.md", "exec"), scope)
    said = capsys.readouterr().out
    assert "ARMED" in said and "'throttle': 0.5004" in said and "0.25" in said
    assert "45 " in said, "the turntable turned as far as it was asked"


SOURCE = ROOT / "src"
EXAMPLES = [
    ".".join(file.relative_to(SOURCE).with_suffix("").parts)
    for file in sorted((SOURCE / "nuvrik").rglob("*.py"))
    if "firmware" not in file.parts and ">>> " in file.read_text("utf-8")
]


def test_the_examples_in_docstrings_do_what_they_say(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for starter in starter_names():
        write(tmp_path, f"{starter}.toml", starter_text(starter))
    monkeypatch.chdir(tmp_path)
    done = [
        doctest.testmod(importlib.import_module(name), extraglobs={"nuvrik": nuvrik}) for name in EXAMPLES
    ]
    assert sum(one.failed for one in done) == 0 and sum(one.attempted for one in done) > 35


def test_one_value_from_stick_to_pin_is_as_the_architecture_page_says() -> None:
    text = (ROOT / "docs/architecture.md").read_text("utf-8")
    link = nuvrik.parse(starter_text("tug"))
    handset, machine, wire, events = nuvrik.Handset(link), nuvrik.Machine(link), b"", []
    for now in range(0, 1960, 20):
        stick = 700 if now >= 760 else 508
        handset.read(now, left_stick=stick, right_stick=515, arm_button=700 < now < 800, stop_button=0)
        wire = handset.send(now)
        events = machine.feed(wire, now)
        machine.tick(now)
    level = bent_level(link.controls["left_stick"].table({}), 700)
    sent, heard = handset.wire_values, events[0].values
    rules = Motor("port_screw", link.outputs["port_screw"]).core.table
    writes = [(role, value) for place, role, value in Pins(link).follow(machine.demands) if place == 0]
    for words in (
        f"level {level}, which is {nuvrik.fraction_of(level):.3f} of full scale",
        f"throttle {sent['throttle']}, turn {sent['turn']}, arm {sent['arm']}",
        f"| {level_code(level, link.channels['throttle'].bits)} |",
        f"payload `{wire[4:7].hex(' ')}`",
        f"sequence {events[0].seq}; CRC-16 behind | `{wire.hex(' ')}`",
        f"throttle {heard[0]}, turn {heard[1]}, arm {heard[2]}",
        f"state {machine.state}",
        f"level {machine.demands[0].level} for the port screw",
        f"start duty {rules.start}, limit {rules.top}, of 255 | duty {machine.demands[0].value}, forward",
        f"pin 7 high, then pin 5 at {machine.demands[0].value} of 255",
    ):
        assert words in text, words
    assert writes == [("forward", 1), ("pwm", machine.demands[0].value)]


def test_every_promise_of_the_readme_names_a_test_that_is_there() -> None:
    text = (ROOT / "README.md").read_text("utf-8")
    promises = text[text.index("## Three promises") : text.index("## Start here")]
    named = re.findall(r"`(tests/test_\w+\.py)::(test_\w+)`", promises)
    assert len(named) >= 3
    for file, test in named:
        assert f"def {test}(" in (ROOT / file).read_text("utf-8"), test


def test_every_link_in_the_documents_leads_somewhere() -> None:
    pages = [ROOT / name for name in ("README.md", "CONTRIBUTING.md", "CHANGELOG.md", "SECURITY.md")]
    for page in [*pages, *(ROOT / "docs").glob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+)(?:#[^)]*)?\)", page.read_text("utf-8")):
            if not target.startswith("http"):
                there = (page.parent / target).exists() or target in MADE_FOR_THE_SITE
                assert there, f"{page.name}: {target}"


MADE_FOR_THE_SITE = {"api.md"}
"""Pages that `make site` writes."""
