"""Who gets into a panel, and what becomes of those who say too much, too late, or nothing at all."""

import asyncio
import contextlib
import json
import socket
from pathlib import Path
from typing import Any

import aiohttp
import pytest
from links import write
from panels import Panel, Slow, ahead, driven, page_stand, panel, port_screw, proof_of, state_of
from typed import nuvrik_command

from nuvrik.panel.doors import ALONE, HEADERS, Doors
from nuvrik.panel.messages import VERSION
from nuvrik.plan.starters import starter_text

pytestmark = pytest.mark.live


@pytest.fixture(scope="module")
def tug(tmp_path_factory: pytest.TempPathFactory) -> Any:
    with panel(tmp_path_factory.mktemp("panel"), "tug") as made:
        yield made


def raw(made: Panel, text: str, end: bytes | None = None) -> bytes:
    """Bytes to the port as they are, and all that comes back: until it is closed, or until ``end``."""
    name, _, port = made.host.partition(":")
    with socket.create_connection((name, int(port)), timeout=20) as line:
        line.sendall(text.encode())
        answer = b""
        while (end is None or end not in answer) and (more := line.recv(65536)):
            answer += more
        return answer


def request(made: Panel, line: str = "GET / HTTP/1.1", host: str | None = None) -> tuple[int, bytes]:
    """One request, and the status and the whole of its answer."""
    given = [line, f"Host: {host or made.host}", "Connection: close", "", ""]
    answer = raw(made, "\r\n".join(given))
    return int(answer.split()[1]), answer


def test_files_are_there_and_nothing_else_is_and_every_answer_has_its_headers(tug: Panel) -> None:
    for line, status in (
        ("GET / HTTP/1.1", 200),
        ("GET /main.js HTTP/1.1", 200),
        ("HEAD /panel.css HTTP/1.1", 200),
        ("GET /favicon.ico HTTP/1.1", 404),
        ("GET /../room.py HTTP/1.1", 404),
        ("GET /live HTTP/1.1", 403),
        ("POST / HTTP/1.1", 405),
        ("DELETE /main.js HTTP/1.1", 405),
    ):
        found, answer = request(tug, line)
        assert found == status, (line, answer)
        head = answer.partition(b"\r\n\r\n")[0].decode().lower()
        for name, value in (HEADERS | ALONE).items():
            assert f"{name.lower()}: {value.lower()}" in head, (line, name)
        assert "access-control" not in head and "set-cookie" not in head and "\r\nserver:" not in head
    body = request(tug)[1].partition(b"\r\n\r\n")[2]
    assert b"tug" not in body.lower(), "nothing of a link is served over HTTP"


@pytest.mark.parametrize(
    "host", ["evil.example", "evil.example:80", "127.0.0.1", "127.0.0.1:1", "localhost.evil"]
)
def test_a_name_that_somebody_lets_point_here_is_refused_without_a_word(tug: Panel, host: str) -> None:
    status, answer = request(tug, host=host)
    assert status == 421 and answer.partition(b"\r\n\r\n")[2] == b""
    assert request(tug, "GET /live HTTP/1.1", host)[0] == 421
    port = tug.host.partition(":")[2]
    assert request(tug, host=f"LOCALHOST:{port}")[0] == 200 and request(tug, host=f"[::1]:{port}")[0] == 200


UPGRADE = (
    "Upgrade: websocket",
    "Connection: Upgrade",
    "Sec-WebSocket-Version: 13",
    "Sec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==",
)


def test_an_upgrade_from_any_other_page_is_refused(tug: Panel) -> None:
    port = tug.host.partition(":")[2]
    for origin in (
        None,
        "http://evil.example",
        f"https://{tug.host}",
        f"http://localhost:{port}",
        "null",
        "http://127.0.0.1",
    ):
        given = [f"Origin: {origin}"] if origin else []
        lines = ["GET /live HTTP/1.1", f"Host: {tug.host}", *UPGRADE, *given, "", ""]
        assert b" 403 " in raw(tug, "\r\n".join(lines), b"\r\n\r\n").splitlines()[0], origin


def test_who_has_not_the_token_of_this_start_is_not_let_in(tug: Panel) -> None:
    async def tries(answer_of: Any) -> int | None:
        async with (
            aiohttp.ClientSession() as session,
            session.ws_connect(f"{tug.base}/live", headers={"Origin": tug.base}) as line,
        ):
            challenge = json.loads((await line.receive()).data)["challenge"]
            text = answer_of(challenge)
            if text is not None:
                await line.send_str(text)
            message = await line.receive(timeout=10)
            assert message.type is aiohttp.WSMsgType.CLOSE, message
            return line.close_code

    def answer(made: Any) -> str:
        return json.dumps({"v": VERSION, "answer": made})

    other = "0" * 32
    for make in (
        lambda challenge: answer(proof_of(other, challenge)),
        lambda challenge: answer(proof_of(tug.token, other)),
        lambda challenge: answer(tug.token),
        lambda challenge: answer(7),
        lambda challenge: json.dumps({"take": True, "hand": 0}),
        lambda challenge: "x",
        lambda challenge: None,
    ):
        assert asyncio.run(tries(make)) == 4401


def test_a_browser_leaves_out_the_number_of_its_schemes_own_port() -> None:
    for port, tls in ((80, False), (443, True)):
        doors = Doors(port, ["boat.local", "fe80::7", "[fe80::8]"], tls=tls)
        scheme = "https" if tls else "http"
        for host in ("localhost", "boat.local", "[fe80::7]", "[fe80::8]", "[::1]", f"boat.local:{port}"):
            assert doors.knows(host) and doors.same_origin(f"{scheme}://{host}", host), host
        assert not doors.knows("fe80::7") and not doors.knows("boat.local:81")
    assert not Doors(8080, ["boat.local"]).knows("boat.local")
    assert not Doors(443, ["boat.local"]).knows("boat.local")


@pytest.mark.parametrize(
    "name", ["192.168.4.", "192.168.4.300", "http://boat", "boat.local:80", "boat local", "-x", ""]
)
def test_what_is_no_name_to_listen_by_is_refused(name: str, tmp_path: Path) -> None:
    file = write(tmp_path, "tug.toml", starter_text("tug"))
    said = nuvrik_command("panel", file, "--port", "sim", "--listen", name, "--no-open", code=2)
    assert "neither an address nor a name of this computer" in " ".join(said.split())


def test_connections_that_have_asked_once_keep_nobody_out_and_no_page_is_thrown_out_for_them(
    tug: Panel,
) -> None:
    async def all_of_it() -> None:
        async with page_stand(tug) as page:
            name, _, port = tug.host.partition(":")
            lines = []
            for _ in range(40):
                line = socket.create_connection((name, int(port)), timeout=15)
                line.sendall(f"GET /start.js HTTP/1.1\r\nHost: {tug.host}\r\n\r\n".encode())
                lines.append(line)
            await page.run(1.0)
            assert not page.socket.closed
            closed = 0
            for line in lines:
                line.settimeout(0.05)
                with contextlib.suppress(TimeoutError):
                    while line.recv(65536):
                        pass
                    closed += 1
            assert closed >= 8, closed
            assert request(tug)[0] == 200
            for line in lines:
                line.close()

    asyncio.run(all_of_it())


def test_a_page_joins_over_a_round_trip_of_three_seconds(tug: Panel) -> None:
    async def slowly() -> None:
        async with (
            aiohttp.ClientSession() as session,
            session.ws_connect(f"{tug.base}/live", headers={"Origin": tug.base}) as line,
        ):
            challenge = json.loads((await line.receive()).data)["challenge"]
            await asyncio.sleep(3.2)
            await line.send_str(json.dumps({"v": VERSION, "answer": proof_of(tug.token, challenge)}))
            assert json.loads((await line.receive(timeout=10)).data)["page"]

    asyncio.run(slowly())


def test_a_page_that_floods_is_thrown_out(tug: Panel) -> None:
    async def flood() -> None:
        async with page_stand(tug) as page:
            await page.tick()
            for _ in range(4000):
                if page.socket.closed:
                    break
                await page.say(tick=page.last["tick"], hand=0, seq=0, readings=None)
            while (await page.socket.receive(timeout=10)).type is aiohttp.WSMsgType.TEXT:
                pass
            assert page.socket.close_code in (1008, 1006)

    asyncio.run(flood())


def test_connections_that_ask_for_nothing_are_closed_and_many_keep_nobody_out(tug: Panel) -> None:
    name, _, port = tug.host.partition(":")
    lines = [socket.create_connection((name, int(port)), timeout=15) for _ in range(60)]
    assert request(tug)[0] == 200
    for line in lines:
        assert line.recv(10) == b"", "closed by the other side"
        line.close()


def test_too_long_too_much_and_nonsense_are_thrown_out_but_a_stop_among_it_counts(tmp_path: Path) -> None:
    async def all_of_it(made: Panel) -> None:
        async with page_stand(made) as watching:
            async with page_stand(made) as page:
                await page.tick()
                await page.socket.send_str(" " * 5000)
                while (message := await page.socket.receive(timeout=10)).type is aiohttp.WSMsgType.TEXT:
                    pass
                assert page.socket.close_code == 1009, message
            async with page_stand(made) as page:
                await page.tick()
                for _ in range(400):
                    await page.say(tick=page.last["tick"], hand=0, seq=0, readings=None)
                said = await page.until(lambda said: said["dropped"] > 100)
                assert said["dropped"] < 420
            before = watching.last.get("stops", False)
            async with page_stand(made) as page:
                for _ in range(10):
                    await page.say(nonsense=True)
                await page.say(stop=True)
                while (message := await page.socket.receive(timeout=10)).type is aiohttp.WSMsgType.TEXT:
                    pass
                assert page.socket.close_code == 1008, message
            assert not before
            await watching.until(lambda said: any("pressed stop" in news for news in watching.news))

    with panel(tmp_path, "tug") as made:
        asyncio.run(all_of_it(made))


def test_of_two_that_take_at_once_one_drives_and_the_other_is_told(tmp_path: Path) -> None:
    async def both(made: Panel) -> None:
        async with page_stand(made) as one, page_stand(made) as two:
            hand = (await one.until(lambda said: "hand" in said))["hand"]
            await two.until(lambda said: said["hand"] == hand)
            await one.say(take=True, hand=hand)
            await two.say(take=True, hand=hand)
            await one.until(lambda said: said["driver"] != 0)
            first, second = (one, two) if one.last["driver"] == one.number else (two, one)
            await second.until(lambda said: "somebody else has just taken it" in second.news)
            # And the other may take it from the one that drives; who had it moves nothing any more.
            tasks = [asyncio.create_task(ahead(first)), asyncio.create_task(second.run(4))]
            await asyncio.gather(*tasks)
            await second.say(take=True, hand=second.last["hand"])
            await second.until(lambda said: said["driver"] == second.number and state_of(said) != "ARMED")
            background = asyncio.create_task(first.run(3))
            await second.run(2.5)
            assert not driven(second.last) and state_of(second.last) == "STANDBY"
            await background

    with panel(tmp_path, "tug") as made:
        asyncio.run(both(made))


@pytest.mark.parametrize("how", ["closed", "killed", "hangs", "null", "watches"])
def test_a_page_that_goes_or_hangs_stops_the_motors_within_the_bound(tmp_path: Path, how: str) -> None:
    async def drive(made: Panel) -> None:
        async with page_stand(made) as watching, page_stand(made) as page:
            task = asyncio.create_task(watching.run(600))
            await ahead(page)
            if how == "closed":
                await page.socket.close()
            elif how == "killed":
                page.socket._response.connection.transport.abort()  # type: ignore[union-attr]
            elif how == "hangs":
                page.answers = False
            elif how == "null":
                page.readings = None
                await page.run(0.2)
            else:
                await page.say(give=True)
            loop = asyncio.get_running_loop()
            gone = loop.time()
            while driven(watching.last) and loop.time() < gone + 20:
                await asyncio.sleep(0.005)
            assert not driven(watching.last)
            await asyncio.sleep(1.0)
            assert not driven(watching.last)
            # By the clock of the run; how much later a machine that stood still may be is not what is tried.
            last = [one["at_ms"] for one in watching.states if port_screw(one)[0] > 900][-1]
            still = next(
                one["at_ms"] for one in watching.states if one["at_ms"] > last and not port_screw(one)[2]
            )
            assert still - last < page.link["stale_ms"] + page.link["timeout_ms"] + 10_000
            task.cancel()

    with panel(tmp_path, "tug") as made:
        asyncio.run(drive(made))


def test_what_was_held_back_for_seconds_moves_nothing_when_it_comes(tmp_path: Path) -> None:
    """In order, both ways, for longer than the page is waited for at all, and for a little less."""

    async def drive(made: Panel, held_s: float) -> None:
        async with Slow(made.host) as slow, page_stand(made) as watching:
            task = asyncio.create_task(watching.run(600))
            async with page_stand(made, through=slow.url) as page:
                await ahead(page)
                slow.passes.clear()
                await asyncio.sleep(held_s)
                assert not driven(watching.last) and state_of(watching.last) != "ARMED"
                start = len(watching.states)
                slow.passes.set()
                end = asyncio.get_running_loop().time() + 3
                while asyncio.get_running_loop().time() < end:
                    try:
                        await page.tick()
                    except (AssertionError, aiohttp.ClientError, ConnectionError):
                        await asyncio.sleep(0.02)
                moved = [one for one in watching.states[start:] if port_screw(one)[2]]
                assert not moved
            task.cancel()

    for held_s in (2.0, 5.5):
        with panel(tmp_path, "tug") as made:
            asyncio.run(drive(made, held_s))
