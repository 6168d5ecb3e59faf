"""The panel on a real port, beside other hands, over TLS, and for a while."""

import asyncio
import os
import shutil
import ssl
import subprocess
import sys
from pathlib import Path

import aiohttp
import pytest
from browser import ONE_BROWSER, tools
from links import write
from panels import Panel, driven, page_stand, panel, port_screw, state_of
from terminals import cable, rows_of, start, wait_for
from test_sources import until

import nuvrik
from nuvrik.plan.starters import starter_text
from nuvrik.recordings.recording import parse_recording

pytestmark = pytest.mark.live

SAYS_AGAIN = """
import sys, time
while True:
    print(open(sys.argv[1]).read(), end="", flush=True)
    time.sleep(0.02)
"""


def test_on_a_real_port_the_machine_follows_and_stops_when_the_program_is_killed(tmp_path: Path) -> None:
    """What each output is told is worked out beside the real machine, and is what that does."""
    link_file, log = write(tmp_path, "boat.toml", starter_text("marram")), tmp_path / "log.csv"

    async def drive(made: Panel) -> None:
        async with page_stand(made) as page:
            await page.take()
            await page.until(lambda said: said["state"]["state"] == "STANDBY")
            assert not page.last["state"]["machine"]["simulated"]
            await page.arm()
            page.set("grip", "high")
            page.set("left_stick", "high")
            said = await page.until(lambda said: port_screw(said["state"])[0] > 850)
            assert said["state"]["state"] == "ARMED"
            await page.run(2.5)
            assert int(rows_of(log)[-1]["port_screw"]) == port_screw(page.last["state"])[1] != 0
            made.process.kill()

    with cable() as line:
        machine = start("machine", link_file, "--port", line.ports[1], "--log", log)
        until(log.exists)
        made = Panel(link_file, "--log", str(tmp_path / "hand.csv"), port=line.ports[0])
        asyncio.run(drive(made))
        wait_for(log, lambda row: row["state"] == "FAILSAFE" and row["port_screw"] == "0")
        machine.terminate()
        machine.wait(20)
    # What was logged until then, but for the last second, is a recording: it drives again.
    assert "sent.hex" in rows_of(tmp_path / "hand.csv")[0]
    assert driven_by(tmp_path / "hand.csv", link_file) == "ARMED"


def driven_by(file: Path, link_file: Path) -> str:
    """What a machine comes to that a recording drives; ARMED only once its screw turns."""
    link = nuvrik.load(link_file)
    with file.open() as lines:
        recording = parse_recording(lines, link, str(file))
    handset, machine = nuvrik.Handset(link, without=recording.missing(link)), nuvrik.Machine(link)
    came = "WAITING"
    for now_ms in range(0, recording.duration_ms, 10):
        recording.play_into(handset, now_ms, now_ms)
        machine.feed(handset.send(now_ms), now_ms)
        demands = dict(zip(link.outputs, machine.tick(now_ms), strict=True))
        if machine.state != "ARMED" or demands["port_screw"].driven:
            came = str(machine.state)
    return came


def test_what_is_done_on_a_page_is_recorded_and_drives_again(tmp_path: Path) -> None:
    link_file, out = write(tmp_path, "boat.toml", starter_text("marram")), tmp_path / "page.csv"

    async def record(made: Panel, *, stops: bool) -> None:
        async with page_stand(made) as page:
            assert page.link["records"] and page.link["faults"] == []
            await page.take()
            page.set("arm_button", "high")
            await page.run(0.3)
            page.set("arm_button", "rest")
            await page.run(0.8)
            page.set("grip", "high")
            page.set("left_stick", "high")
            await page.run(1.0)
            if stops:
                await page.say(stop=True)
                await page.run(0.2)
                await page.say(stop=False)
            await page.run(1.5)

    for stops, came in ((False, "ARMED"), (True, "STANDBY")):
        made = Panel(link_file, words=["record", str(link_file), "--from", "page", "--out", str(out)])
        asyncio.run(record(made, stops=stops))
        made.end()
        assert driven_by(out, link_file) == came


def test_a_page_and_another_program_drive_together_each_what_is_its_own(tmp_path: Path) -> None:
    """The program at the host moves the stick; the page has everything else, and arms."""
    text = starter_text("tug").replace(
        "[controls.left_stick]", '[controls.left_stick]\nsource = "hand.left_stick"', 1
    )

    said = write(tmp_path, "said.csv", "left_stick,508\n")

    async def drive(made: Panel) -> None:
        async with page_stand(made) as page:
            mine = {one["name"] for one in page.link["controls"] if not one["by_host"]}
            assert "left_stick" not in mine and "right_stick" in mine
            page.readings = {name: at for name, at in (page.readings or {}).items() if name in mine}
            await page.take()
            await page.arm()
            assert not driven(page.last)
            said.write_text("left_stick,1023\n")
            await page.until(lambda said: port_screw(said["state"])[0] > 850)
            await page.say(stop=True)
            await page.until(lambda said: state_of(said) == "STOPPED")

    link = write(tmp_path, "tug.toml", text)
    script = write(tmp_path, "hand.py", SAYS_AGAIN)
    hand = subprocess.Popen([sys.executable, script, said], stdout=subprocess.PIPE)
    try:
        made = Panel(link, "--from", "hand=-", stdin=hand.stdout)
        asyncio.run(drive(made))
        made.end()
    finally:
        hand.kill()
        hand.wait()


def test_each_output_of_a_side_is_jogged_in_its_turn_and_only_by_who_drives(tmp_path: Path) -> None:
    async def jog(made: Panel) -> None:
        async with page_stand(made) as page, page_stand(made) as other:
            task = asyncio.create_task(other.run(600))
            await page.take()
            await page.arm()
            await other.say(jog=["left_front"], hand=page.last["hand"], per_cent=30)
            await page.run(0.5)
            assert not driven(page.last)
            side = page.link["sides"]["left"]
            await page.say(jog=side, hand=page.last["hand"], per_cent=30)
            await page.run(2.5)
            told = [state["machine"]["outputs"].items() for state in page.states]
            moved = [name for outputs in told for name, one in outputs if one[2]]
            assert list(dict.fromkeys(moved)) == side and len(side) > 1
            task.cancel()

    with panel(tmp_path, "rover") as made:
        asyncio.run(jog(made))


@pytest.mark.skipif(shutil.which("openssl") is None, reason="needs openssl to make a certificate")
def test_over_tls_by_a_name_that_was_given(tmp_path: Path) -> None:
    pem = tmp_path / "both.pem"
    words = "req -x509 -newkey rsa:2048 -nodes -days 2 -subj /CN=localhost -keyout key.pem -out cert.pem"
    subprocess.run(["openssl", *words.split()], cwd=tmp_path, check=True, capture_output=True)
    pem.write_text((tmp_path / "key.pem").read_text() + (tmp_path / "cert.pem").read_text())

    async def joins(made: Panel) -> int:
        context = ssl.create_default_context(cafile=tmp_path / "cert.pem")
        context.check_hostname = False
        async with aiohttp.ClientSession() as session, session.get(made.base, ssl=context) as answer:
            return answer.status

    with panel(tmp_path, "tug", "--cert", str(pem), "--listen", "127.0.0.1") as made:
        assert made.scheme == "https" and asyncio.run(joins(made)) == 200
        assert not any("warning" in line for line in made.errors)


def test_what_is_wrong_is_said_before_anything_is_served(tmp_path: Path) -> None:
    link = write(tmp_path, "tug.toml", starter_text("tug"))
    with panel(tmp_path, "marram", "--qr") as made:
        until(lambda: "█" in "".join(made.errors) or "▀" in "".join(made.errors))
        port = made.host.partition(":")[2]
        for words, said in (
            (("--at", port), f"port {port}: address already in use"),
            (("--cert", str(link)), "cannot be used"),
            (("--key", str(link)), "--key is given without --cert"),
            (("--from", "nothing.csv"), "there is no such file"),
        ):
            process = start("panel", link, "--port", "sim", "--no-open", *words)
            _, errors = process.communicate(timeout=60)
            assert process.returncode == 2 and said in errors and "Traceback" not in errors, (words, errors)


@ONE_BROWSER
def test_for_a_while_with_pages_that_come_and_go_memory_stays_flat(tmp_path: Path) -> None:
    async def soak(made: Panel) -> list[tuple[int, int]]:
        sizes = []
        async with tools(made.url) as shown:
            for turn in range(14):
                async with page_stand(made) as page:
                    await page.take()
                    for share in ("high", "rest"):
                        page.set("left_stick", share)
                        await page.run(0.25)
                if turn in (4, 13):
                    sizes.append((made.resident_kb(), await shown.heap_kb()))
        return sizes

    with panel(tmp_path, "marram") as made:
        early, late = asyncio.run(soak(made))
    # An allocator keeps some, and a page the last minute; a leak with each page or tick would be far more.
    assert late[0] - early[0] < 1500 and late[1] - early[1] < 400, (early, late)


def test_the_token_is_on_no_command_line_and_in_a_file_that_is_ours_alone(tmp_path: Path) -> None:
    seen = tmp_path / "seen.txt"
    browser = write(
        tmp_path,
        "browser.sh",
        f'#!/bin/sh\nfile="${{1#file://}}"\nls -l "$file" > {seen}.part\n'
        f'cat "$file" >> {seen}.part\necho "$@" >> {seen}.part\nmv {seen}.part {seen}\n',
    )
    browser.chmod(0o755)
    environment = {**os.environ, "DISPLAY": ":77", "BROWSER": f"{browser} %s"}
    link = write(tmp_path, "tug.toml", starter_text("tug"))
    words = [sys.executable, "-m", "nuvrik", "panel", str(link), "--port", "sim"]
    process = subprocess.Popen(words, env=environment, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    token = process.stdout.readline().rpartition("#")[2].strip()
    until(seen.exists)
    listed, page, words_given = seen.read_text().splitlines()
    assert listed.startswith("-rw-------") and token in page and token not in words_given
    process.terminate()
    assert process.wait(20) == 0 and not Path(words_given.removeprefix("file://")).exists()
