"""What comes back: telemetry, cues, hello, statistics; and a host program that drives by value."""

import json
import math
import random
import socket
import threading
import time
from itertools import pairwise
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from links import many, write
from payloads import pack_telemetry, taken
from serial.tools.list_ports import comports
from terminals import cable, ended, rows_of, start, wait_for
from typed import nuvrik_command

import nuvrik
from nuvrik.core.frames.bits import level_code
from nuvrik.core.machine.telling import Telling
from nuvrik.ends.cues import Beeper
from nuvrik.ends.sensors import Readings
from nuvrik.inspection.statistics import LinkStats
from nuvrik.levels import level_of
from nuvrik.plan.starters import starter_text
from nuvrik.plan.tables.ends import telling_table
from nuvrik.plan.telemetry import Cue
from nuvrik.wire.events import Frame, RefusedFrame
from nuvrik.wire.kinds import ECHO, HELLO, REPLY, REQUEST, TELEMETRY
from nuvrik.wire.messages import Telemetry

PANEL_TEXT = starter_text("panel")
PANEL = nuvrik.parse(PANEL_TEXT)
ITEMS = PANEL.telemetry


@given(st.binary(max_size=40))
def test_no_payload_whatever_raises(payload: bytes) -> None:
    telemetry = taken(PANEL, TELEMETRY, payload)
    # Where no command is followed, its number says nothing.
    said = (
        payload if telemetry is None or telemetry.accepted is not None else payload[:1] + b"\0" + payload[2:]
    )
    assert telemetry is None or pack_telemetry(PANEL, telemetry) == said
    for kind in (REQUEST, REPLY, HELLO, ECHO):
        taken(PANEL, kind, payload)


def code_of(name: str, raw: object) -> tuple[int, ...]:
    """The codes that the machine sends for a reading."""
    telling, place, item = Telling(telling_table(PANEL)), list(ITEMS).index(name), ITEMS[name]
    numbers = item.numbers(raw)  # type: ignore[arg-type]
    for axis, number in enumerate(numbers):
        if len(numbers) > 1:
            telling.take_axis(place, axis, number)
        else:
            telling.take(place, number)
    first = telling.table.items[place].first
    return tuple(code & ((1 << item.bits) - 1) for code in telling.codes[first : first + len(numbers)])


@given(st.integers(-100, 1200), st.integers(0, 5000), st.tuples(*[st.integers(-600, 600)] * 3))
def test_a_reading_comes_back_as_what_it_measured(adc: int, mm: int, axes: tuple[int, int, int]) -> None:
    volts, _ = ITEMS["supply"].value(code_of("supply", adc))
    assert volts == pytest.approx(12.75 * min(max(adc, 0), 1023) / 1023, abs=12.75 / 254 / 2 + 0.01)
    metres, unit = ITEMS["distance"].value(code_of("distance", mm))
    assert metres == pytest.approx(min(max(mm, 20), 4000) / 1000, abs=0.001) and unit == "m"
    tilt, _ = ITEMS["tilt"].value(code_of("tilt", axes))
    assert tilt == pytest.approx([min(max(axis, -512), 512) / 512 for axis in axes], abs=0.003)
    assert ITEMS["distance"].value(code_of("distance", None)) == (None, "m"), "nothing there"
    assert ITEMS["door"].value(code_of("door", 0)) == (True, ""), "active low"
    for item, wrong in (("tilt", 3), ("tilt", (1, 2)), ("supply", 1.5), ("supply", "x")):
        with pytest.raises(TypeError):
            code_of(item, wrong)


@given(st.lists(st.integers(-32000, 32000), min_size=2, max_size=40), st.integers(-(10**6), 10**6))
def test_a_shaft_counter_that_goes_round_is_followed(moves: list[int], start_count: int) -> None:
    readings, count, now = Readings(PANEL), start_count, 0
    first = None
    for moved in [0, *moves]:
        count, now = count + moved, now + 100
        readings.take(Telemetry(2, None, {"fan_shaft": code_of("fan_shaft", count)}), now)
        reading = readings.latest["fan_shaft"]
        first = reading.value if first is None else first
        assert reading.value - first == (count - start_count) / 2 and not reading.commanded
    assert reading.speed == pytest.approx(moves[-1] / 2 / 0.1)


def test_each_item_has_its_own_interval_and_a_stale_one_is_not_sent() -> None:
    machine, handset, heard = nuvrik.Machine(PANEL), nuvrik.Handset(PANEL), []
    decoder = nuvrik.Decoder(PANEL, (1,))
    for now in range(0, 4000, 10):
        if now < 2000:
            machine.sense(now, supply=900, knob=512, distance=None)
        machine.tick(now)
        wire = machine.send(now)
        handset.feed(wire, now)
        heard += [(now, event.values.items) for event in decoder.feed(wire)]
    times = {name: [now for now, items in heard if name in items] for name in ITEMS}
    assert len(times["supply"]) in (6, 7) and 28 <= len(times["knob"]) <= 32, "until they went stale"
    assert max(times["knob"]) <= 3000 and max(times["flap"]) > 3400
    assert set(handset.telemetry) == {"supply", "knob", "distance", "turntable", "flap"}
    assert handset.telemetry["flap"].commanded and handset.telemetry["turntable"].commanded
    assert handset.telemetry["distance"].value is None and handset.machine_state == "WAITING"
    assert handset.age_ms("knob") >= 900 and handset.age_ms("door") is None
    with pytest.raises(KeyError, match="no telemetry is called dor"):
        machine.sense(0, dor=1)
    start, end = PANEL_TEXT.index("[requests.move]"), PANEL_TEXT.index("[failsafe]")
    unasked = PANEL_TEXT[:start] + PANEL_TEXT[end:]
    small = nuvrik.parse(unasked.replace('kind = "serial"\nbaud = 57600', 'kind = "radio"\npayload_max = 16'))
    assert all(len(nuvrik.Machine(small).send(t)) <= 16 for t in range(0, 2000, 10))


def test_cues_beep_faster_the_nearer_and_never_for_nothing() -> None:
    cue = Beeper(Cue.model_validate({"from": "distance", "fast_at": 0.1, "slow_at": 1.0}))
    assert cue.interval_ms(0.05) == 100 and cue.interval_ms(0.999) == 999 and cue.interval_ms(0.55) == 550
    assert [cue.interval_ms(value) for value in (1.0, 1.01, None, True, "x")] == [None] * 5
    machine, handset, beeps = nuvrik.Machine(PANEL), nuvrik.Handset(PANEL), []
    for now in range(0, 9000, 10):
        place = 1500 if now < 2000 else 1000 - (now - 2000) // 6 if now < 6000 else None
        if now < 7000:
            machine.sense(now, distance=place)
        machine.tick(now)
        handset.feed(machine.send(now), now)
        beeps += [now] * len(handset.cues(now))
    gaps = [b - a for a, b in pairwise(beeps)]
    assert min(beeps) >= 2000 and max(beeps) < 6200 and gaps[0] > 2 * gaps[-1], gaps


def test_statistics_of_a_link() -> None:
    rng, stats, now = random.Random(3), LinkStats(20), 0.0
    seq, sent = 250, 0
    for _ in range(600):
        seq, now, sent = (seq + 1) & 0xFF, now + 20, sent + 1
        if rng.random() > 0.1:
            stats.take(Frame(0, 0, seq, (), b""), now)
        if sent % 100 == 0:
            stats.take(RefusedFrame(0, "repeated", b"", seq), now)
    assert stats.accepted + stats.lost in (sent, sent - 1, sent - 2) and stats.repeated == 6
    assert 0.84 < stats.quality < 0.96 and stats.longest_silence_ms >= 40 and stats.age_ms(now + 5) < 100
    assert stats.gaps[1] > stats.gaps[2] > stats.gaps[3] and sum(stats.gaps) == stats.accepted - 1
    assert [notice.what for notice in stats.notices] == ["sequence numbers have gone round"] * 3
    # A second handset with the same pair number, its frames between ours.
    for other in range(6):
        seq = (seq + 1) & 0xFF
        stats.take(Frame(0, 0, seq, (), b""), now)
        stats.take(RefusedFrame(0, "out_of_order", b"", (seq - 90 + other) & 0xFF), now)
    assert stats.notices[-1].what == "a second sender with the same pair number"
    # The same one after a restart: nothing else comes any more.
    for other in range(4):
        stats.take(RefusedFrame(0, "out_of_order", b"", (seq - 40 + other) & 0xFF), now)
    assert stats.notices[-1].what.startswith("restarted")
    assert json.dumps(stats.record())
    lines = LinkStats(20)
    for seq in (3, None, None, 40, 41, None):
        lines.take(Frame(0, 0, seq, (), b""))
    assert lines.accepted == 6 and lines.lost == 0, "commands in text are not numbered"


def eventually(true, seconds: float = 10.0) -> None:
    """Wait until something is so: these tests run on busy machines."""
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end
        time.sleep(0.01)


# ---- a host program ------------------------------------------------------------------------


@pytest.mark.live
def test_a_program_drives_by_value() -> None:
    with nuvrik.connect(PANEL, "sim") as panel:
        assert panel.state is not None and panel.hello().name == "panel" and panel.round_trip_ms() < 200
        machine = panel._driver._line.machine  # type: ignore[attr-defined]
        machine.on_request("routine", lambda number: number * 7)
        panel.set(fan=0.4)
        time.sleep(0.3)
        assert machine.safe, "arm is never implied"
        with pytest.raises(nuvrik.LinkError, match="did not arm within"):
            panel.arm(wait_s=1.2)
        panel.set(fan=0)
        panel.arm()
        panel.set(fan=0.4, lamp=True, flap=-0.5, for_s=1.5)
        eventually(lambda: machine.demands[0].value == 1 and machine.demands[1].value > 0)
        eventually(lambda: {"flap", "fan_shaft"} <= panel.telemetry.keys())
        assert panel.telemetry["flap"].commanded and not panel.telemetry["fan_shaft"].commanded
        eventually(lambda: machine.demands[0].value == 0 and machine.safe)  # what was set is withdrawn
        assert machine.demands[2].level < -8000, "but a place stays"
        assert (panel._for_ms("fan", None), panel._for_ms("flap", None)) == (5000, None)
        assert panel._for_ms("fan", math.inf) is None and panel._for_ms("lamp", None) is None
        assert panel.request("routine", number=3).value == 21
        with pytest.raises(nuvrik.RequestFailed, match="refused") as caught:
            panel.request("beep", times=2)
        assert caught.value.asked.state == "refused"
        assert panel.request("move", steps=40, wait=False).state in ("waiting", "asked")
        for wrong in ({"fan": 1.5}, {"fan": "x"}):
            with pytest.raises(ValueError, match="must be from -1"):
                panel.set(**wrong)  # type: ignore[arg-type]
        with pytest.raises(KeyError, match="no channel fann"):
            panel.set(fann=0.1)
        panel.set(fan=0.4)
        eventually(lambda: not machine.safe)
    assert machine.state == "STANDBY"
    machine.tick(60_000)
    with pytest.raises(nuvrik.LinkError, match="closed"):
        panel.set(fan=0.1)


@pytest.mark.live
def test_a_program_that_fails_leaves_the_machine_disarmed() -> None:
    with pytest.raises(ZeroDivisionError), nuvrik.connect(PANEL, "sim") as panel:
        panel.arm()
        panel.set(fan=0.9)
        machine = panel._driver._line.machine  # type: ignore[attr-defined]
        eventually(lambda: not machine.safe)
        _ = 1 / 0
    assert machine.state == "STANDBY"


@pytest.mark.live
def test_a_port_where_nobody_or_somebody_else_answers(tmp_path: Path) -> None:
    with pytest.raises(nuvrik.LinkError, match="nobody answered hello"):
        nuvrik.connect(PANEL, "loop://", hello_s=0.5)
    file = write(tmp_path, "panel.toml", PANEL_TEXT)
    older = write(tmp_path, "older.toml", PANEL_TEXT.replace("bits = 9", "bits = 8"))
    other = write(
        tmp_path, "other.toml", PANEL_TEXT.replace("bits = 9", "bits = 8").replace("pair = 61", "pair = 62")
    )
    with cable() as line:
        log = tmp_path / "log.csv"
        machine = start("machine", older, "--port", line.ports[1], "--log", log)
        wait_for(log, lambda row: row["state"] == "WAITING")
        with pytest.raises(nuvrik.LinkError, match="built from another link file"):
            nuvrik.connect(file, line.ports[0])
        said = nuvrik_command("hello", file, "--port", line.ports[0], code=1)
        assert "built from another file" in said and "panel, pair number 61" in said
        assert "not this machine" in nuvrik_command("hello", other, "--port", line.ports[0], code=1)
        assert "panel, pair number 61" in nuvrik_command("hello", "--port", line.ports[0])
        said = nuvrik_command("hello", older, "--port", line.ports[0])
        assert "built from this file; there and back" in said
        record = json.loads(nuvrik_command("hello", older, "--port", line.ports[0], "--json"))
        assert record["this_file"] and record["name"] == "panel" and record["round_trip_ms"] < 500
        edited = write(tmp_path, "edited.toml", older.read_text().replace("timeout_ms = ", "timeout_ms = 1"))
        said = nuvrik_command("hello", edited, "--port", line.ports[0], code=1)
        assert "the same layout, but built from another [link]" in said
        with pytest.warns(UserWarning, match=r"built from another \[link\]"):
            nuvrik.connect(edited, line.ports[0]).close()
        with nuvrik.connect(older, line.ports[0], hello_s=30.0) as panel:
            panel.arm()
            panel.set(lamp=1, fan=0.5)
            wait_for(log, lambda row: row["lamp"] == "1" and row["fan"] not in ("0", ""))
            assert abs(panel.request("move", steps=25).value - 25) <= 1
        wait_for(
            log, lambda row: row["state"] == "STANDBY" and row["fan"] == "0" and row["why"] == "arm is off"
        )
        machine.terminate()
        _, errors = machine.communicate(timeout=10)
    assert "Traceback" not in errors
    ports = sorted(port.device for port in comports())
    listed = nuvrik_command("hello", "--json", code=0 if ports else 1)
    assert [json.loads(line)["port"] for line in listed.splitlines()] == ports
    assert "needs a link file" in nuvrik_command("hello", "--port", "sim", code=2)
    assert "built from this file" in nuvrik_command("hello", file, "--port", "sim")


@pytest.mark.live
def test_over_udp(tmp_path: Path) -> None:
    text = PANEL_TEXT.replace('kind = "serial"\nbaud = 57600', 'kind = "udp"')
    file, log = write(tmp_path, "panel.toml", text), tmp_path / "log.csv"
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as unused:
        unused.bind(("127.0.0.1", 0))
        number = unused.getsockname()[1]
    machine = start("machine", file, "--port", f"udp://:{number}", "--log", log)
    wait_for(log, lambda row: row["state"] == "WAITING")
    with nuvrik.connect(file, f"udp://127.0.0.1:{number}") as panel:
        panel.arm()
        panel.set(fan=0.5)
        wait_for(log, lambda row: row["fan"] not in ("0", ""))
        # Whoever asks meanwhile is told so, and changes nothing.
        asked = ("ask", file, "move", "steps=25", "--port", f"udp://127.0.0.1:{number}")
        code, said = ended(start(*asked))
        assert code == 1 and "another handset" in said
        assert panel.state == "ARMED" and rows_of(log)[-1]["turntable"] == "0"
    # Two at once: the second waits for the first, and each is carried out once.
    both = [start(*asked) for _ in range(2)]
    assert [ended(one)[0] for one in both] == [0, 0]
    turned = [row["turntable"] != "0" for row in rows_of(log)]
    assert sum(moves and not before for before, moves in pairwise(turned)) == 2
    machine.terminate()
    assert machine.wait(timeout=10) == 0
    for wrong in ("udp://", "udp://x:y", "udp://127.0.0.1:0"):
        assert "cannot be opened" in nuvrik_command("machine", file, "--port", wrong, code=2)


@pytest.mark.live
def test_a_board_that_resets_when_its_port_opens_is_waited_for() -> None:
    """Its boot loader is silent for a second; connect goes on as soon as it says hello, and no later."""
    with socket.create_server(("127.0.0.1", 0)) as server:

        def board() -> None:
            peer, _ = server.accept()
            peer.settimeout(0.01)
            begun = time.monotonic()
            machine = None
            while time.monotonic() - begun < 4:
                try:
                    data = peer.recv(4096)
                except TimeoutError:
                    data = b""
                except OSError:
                    return
                now = int(1000 * (time.monotonic() - begun))
                if now < 1000:
                    continue
                machine = machine or nuvrik.Machine(PANEL, boot=5)
                machine.feed(data, now)
                machine.tick(now)
                try:
                    peer.sendall(machine.send(now))
                except OSError:
                    return

        thread = threading.Thread(target=board, daemon=True)
        thread.start()
        begun = time.monotonic()
        with nuvrik.connect(PANEL, f"socket://127.0.0.1:{server.getsockname()[1]}"):
            took = time.monotonic() - begun
        assert 1.0 <= took < 2.0
        thread.join(timeout=6)


@settings(max_examples=many(30))
@given(st.data())
def test_the_machine_sends_no_more_than_it_is_asked_and_answers_first(data: st.DataObject) -> None:
    machine, asker = nuvrik.Machine(PANEL, boot=1), nuvrik.Encoder(PANEL)
    hello = asker.on_wire(asker.sealed(4, 1, b"\0\1\0\0"))
    for _ in range(data.draw(st.integers(1, 30))):
        machine.feed(hello, 0)
        machine._decoder.forget()
    kinds = [
        event.kind
        for event in nuvrik.Decoder(PANEL, (1, 4)).feed(b"".join(machine.send(9) for _ in range(9)))
    ]
    assert kinds[: kinds.count(4)] == [4] * kinds.count(4) and kinds.count(4) <= 4


def test_sensors_refuse_what_they_do_not_know() -> None:
    with pytest.raises(KeyError, match="this link has: supply"):
        nuvrik.Machine(PANEL).sense(0, suply=3)


@settings(max_examples=many(40))
@given(st.floats(-1, 1), st.integers(-3000, 3000), st.floats(1, 300))
def test_what_comes_back_is_in_the_units_that_the_file_says(level: float, counts: int, most: float) -> None:
    """A demand between the numbers at its two ends, a shaft in degrees; and the words say the unit."""
    text = (
        starter_text("panel")
        .replace("[telemetry.flap]\n", f'[telemetry.flap]\nrange = [{-most}, {most}]\nunit = "degrees"\n')
        .replace("[telemetry.fan_shaft]\n", '[telemetry.fan_shaft]\nunit = "degrees"\n')
    )
    link = nuvrik.parse(text)
    flap, shaft = link.telemetry["flap"], link.telemetry["fan_shaft"]
    readings = Readings(link)
    code = level_code(level_of(level), flap.bits)
    for now_ms, count in ((0, 0), (1000, counts)):
        items = {"flap": (code,), "fan_shaft": (count & (1 << shaft.bits) - 1,)}
        readings.take(Telemetry(2, None, items), now_ms)
    told, turned = readings.latest["flap"], readings.latest["fan_shaft"]
    assert told.value == pytest.approx(level * most, abs=1.1 * most / 2 ** (flap.bits - 1) + 0.001)
    assert told.words.endswith(" degrees (commanded)")
    assert turned.value == pytest.approx(360 * counts / shaft.counts_per_rev) and turned.unit == "degrees"
    assert turned.speed == pytest.approx(360 * counts / shaft.counts_per_rev)
