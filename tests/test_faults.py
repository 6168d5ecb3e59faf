"""Each fault would notice what it is there for: break the one thing it tests, and it must fail."""

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest
from links import TUG, write
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.conditions import Conditions
from nuvrik.core.hand.controls import Key
from nuvrik.core.hand.hands import Hands
from nuvrik.core.machine.states import ARMED, DRIVE_MOVED, FAILSAFE, STANDBY, TABLE, State, edge
from nuvrik.core.machine.watch import Watch
from nuvrik.core.ramp import Ramp, RampTable
from nuvrik.ends.handset import Handset
from nuvrik.ends.machine import Machine
from nuvrik.ends.remote import Receiver, Remote, frame_of, infrared
from nuvrik.plan.starters import starter_text
from nuvrik.pulses.codes import PROTOCOLS
from nuvrik.recordings.pilot import play, practice
from nuvrik.rehearsal.fault import Fault
from nuvrik.rehearsal.faults import FAULTS, faults_for
from nuvrik.rehearsal.verdict import jump, rehearse, unasked_motion, world_of
from nuvrik.rehearsal.world import World
from nuvrik.wire.events import Frame
from nuvrik.wire.kinds import COMMAND
from nuvrik.wire.sealed import SealedReader

pytestmark = pytest.mark.slow

CURTAIN = nuvrik.parse(starter_text("curtain"), "curtain.toml")
Patch = pytest.MonkeyPatch
_judge = SealedReader.judge


def _reader(change: Callable[[SealedReader, bytes], bytes | None]) -> Callable[[Patch], None]:
    """A reader that looks away from something: it is given the body as it would like to see it."""

    def patched(self: SealedReader, body: Any, raw: bytes, at: int) -> Any:
        other = change(self, bytes(body))
        return _judge(self, bytes(body) if other is None else other, raw, at)

    return lambda patch: patch.setattr(SealedReader, "judge", patched)


def _sealed_again(reader: SealedReader, body: bytes) -> bytes | None:
    """With a check that matches, whatever the body says."""
    from nuvrik.wire.sealed import check_bytes

    return None if len(body) < 6 else body[:-2] + check_bytes(body[:-2], reader._tag)


def _our_pair(reader: SealedReader, body: bytes) -> bytes | None:
    return None if len(body) < 6 else _sealed_again(reader, bytes((body[0], reader._pair)) + body[2:])


def _any_layout(reader: SealedReader, body: bytes) -> bytes | None:
    if len(body) != reader._command_bytes or body[0] & 15 != COMMAND:
        return None
    return _sealed_again(reader, body[:2] + bytes((reader._tag & 0xFF,)) + body[3:])


def _no_order(patch: Patch) -> None:
    def patched(self: SealedReader, body: Any, raw: bytes, at: int) -> Any:
        self.last = None
        return _judge(self, body, raw, at)

    patch.setattr(SealedReader, "judge", patched)


def _never_silent(patch: Patch) -> None:
    patch.setattr(Watch, "pass_time", lambda self, dt_ms: False)


def _never_stale(patch: Patch) -> None:
    """A handset that goes on believing its last readings, whether they are old or withdrawn."""
    patch.setattr(Hands, "withdraw", lambda self, control: None)


def _neutral_does_not_matter(patch: Patch) -> None:
    patch.setitem(TABLE[DRIVE_MOVED], STANDBY, edge(ARMED))


def _moves_again_at_once(patch: Patch) -> None:
    from nuvrik.core.machine.states import go

    patch.setitem(TABLE[DRIVE_MOVED], FAILSAFE, go(ARMED))


def _without_ramps(patch: Patch) -> None:
    made = Ramp.__init__

    def steep(self: Ramp, table: RampTable) -> None:
        made(self, RampTable(rate=10 * table.rate, dt_most=table.dt_most // 10, pause_ms=table.pause_ms))

    patch.setattr(Ramp, "__init__", steep)


BREAKS: list[tuple[str, str, Callable[[Patch], None]]] = [
    ("bits_flipped", "the check is not looked at", _reader(_sealed_again)),
    ("noise_over", "the check is not looked at", _reader(_sealed_again)),
    ("neighbour", "the pair is not looked at", _reader(_our_pair)),
    ("others_frames", "the layout is not looked at", _reader(_any_layout)),
    ("swapped", "the order is not looked at", _no_order),
    ("one_late", "the order is not looked at", _no_order),
    ("replayed", "the order is not looked at", _no_order),
    ("all_repeated", "the order is not looked at", _no_order),
    ("cable_pulled", "silence is not noticed", _never_silent),
    ("jam", "silence is not noticed", _never_silent),
    ("out_of_range", "silence is not noticed", _never_silent),
    ("older_link_file", "silence is not noticed", _never_silent),
    ("program_killed", "silence is not noticed", _never_silent),
    ("two_machines", "silence is not noticed", _never_silent),
    ("clocks_off", "silence is not noticed", _never_silent),
    ("loop_blocked", "silence is not noticed", _never_silent),
    ("stuck_frame", "silence is not noticed", _never_silent),
    ("program_hung", "readings never go stale", _never_stale),
    ("no_readings", "readings never go stale", _never_stale),
    ("stick_pushed_at_power_up", "a pushed stick may arm", _neutral_does_not_matter),
    ("wire_broken_at_power_up", "a pushed stick may arm", _neutral_does_not_matter),
    ("stick_never_centres", "a pushed stick moves again", _moves_again_at_once),
    ("jam", "outputs do not ramp", _without_ramps),
]


@pytest.mark.parametrize(("fault", "what", "broken"), BREAKS, ids=[f"{f}: {w}" for f, w, _ in BREAKS])
def test_a_fault_notices_what_it_is_there_for(
    fault: str, what: str, broken: Callable[[Patch], None], monkeypatch: Patch
) -> None:
    assert rehearse(TUG, FAULTS[fault], 1).verdict == "pass"
    broken(monkeypatch)
    link = TUG.model_copy()  # the tables of the other one have been made
    runs = [rehearse(link, FAULTS[fault], seed) for seed in range(1, 5)]
    assert any(run.verdict == "fail" for run in runs), f"{fault} did not notice that {what}"


def test_a_stranger_a_step_back_and_a_jump_are_told_apart() -> None:
    """The three things that must hold whatever the fault, each shown wrong by hand."""
    world = World(TUG, practice(TUG, 3, 6000), seed=3)
    encoder = nuvrik.Encoder(TUG)
    world.at(3_000_000, lambda _: world.inject(encoder.command([0, 0, 1], 200), world.t_us))
    trace = world.run()
    assert any("never sent" in what for _, what in trace.strangers)
    clean = World(TUG, practice(TUG, 3, 6000), seed=3).run()
    assert not clean.strangers and jump(TUG, clean) is None and unasked_motion(TUG, clean) is None
    torn = [m for m in clean.moments if not 0 < abs(m.demands[0].level) < 16000]
    clean.moments = [m._replace(t_ms=20.0 * n) for n, m in enumerate(torn)]
    assert "more than its ramp allows" in (jump(TUG, clean) or "")


def test_faults_say_what_they_are_and_fit_where_they_can() -> None:
    for name, fault in FAULTS.items():
        assert name == fault.name and len(fault.imitates) > 20 and fault.imitates[0].islower()
        assert fault.heal is not None or fault.lasts_ms is None, name
        assert fault.must in ("stop", "hold", "never")
        assert not (fault.unfit(TUG) and fault.unfit(CURTAIN)) or len(fault.unfit(TUG)) > 10
    keys = nuvrik.parse(
        starter_text("tug").replace(
            'style = "packed"\npair = 90',
            'style = "keys"\naccept = ["no_sequence", "no_pair", "no_layout", "no_check"]\nkeys = '
            '{ w = { set = { throttle = 1 } }, s = { set = { throttle = 0 } }, "1" = { set = { arm = 1 } }, '
            '"0" = { set = { arm = 0 } }, " " = { stop = true } }',
        )
    )
    assert "bits_flipped" in faults_for(TUG) and "bits_flipped" not in faults_for(keys)
    assert "replayed" not in faults_for(keys) and "cable_pulled" in faults_for(keys)
    assert set(faults_for(CURTAIN)) == {
        *("cable_pulled", "jam", "lamp", "beam_blocked", "second_remote"),
        *("handset_reset", "machine_brown_out", "program_killed", "remote_laid_down"),
    }


# ---- an infrared link ----------------------------------------------------------------------


@pytest.mark.parametrize("fault", sorted(faults_for(CURTAIN)))
def test_the_curtain_survives_what_can_happen_in_a_theatre(fault: str) -> None:
    """A bad receiver, and every fault there is for it; the worst stays within the bound."""
    conditions = Conditions(jitter=0.1, mark_stretch_us=90)
    runs = [rehearse(CURTAIN, FAULTS[fault], seed, conditions=conditions) for seed in range(4)]
    assert [run.why for run in runs if run.verdict == "fail"] == []


def test_without_a_hold_time_the_curtain_runs_on(monkeypatch: Patch) -> None:
    monkeypatch.setattr(Key, "withdraw", lambda self: None)
    runs = [rehearse(CURTAIN, FAULTS["cable_pulled"], seed) for seed in range(3)]
    assert any(run.verdict == "fail" for run in runs)


def test_a_lamp_hides_the_remote_but_never_makes_up_a_key() -> None:
    lit = world_of(CURTAIN, practice(CURTAIN, 2, 8000), Conditions(lamp_per_s=400), seed=2)
    trace = lit.run()
    assert not any(any(moment.efforts) for moment in trace.moments) and lit.receiver.counts["ours"] == 0
    still = play(CURTAIN, [], 20_000, seed=1)
    assert world_of(CURTAIN, still, Conditions(lamp_per_s=200), seed=4).run().accepted == []


@pytest.mark.parametrize("protocol", sorted(PROTOCOLS))
def test_a_remote_sends_what_its_code_says_and_a_press_is_sent_whole(protocol: str) -> None:
    accept = '"no_layout"]' if PROTOCOLS[protocol].form.checked else '"no_layout", "no_check"]'
    text = starter_text("curtain").replace('protocol = "nec"', f'protocol = "{protocol}"')
    link = nuvrik.parse(text.replace('"no_layout"]', accept))
    remote, sent = Remote(link), []
    remote.read(0, key_open=0, key_shut=0)
    for now in range(0, 1000, 5):
        if now == 100:
            remote.read(now, key_open=1)
        if durations := remote.send(now):
            sent.append((now, durations))
    about = PROTOCOLS[protocol]
    held = -(-150_000 // about.form.period_us)  # as long as an arrival keeps a finger down
    assert len(sent) == max(about.frames, held)
    assert sent[0] == (100, frame_of(infrared(link), 0x10, 1))
    gaps = {b - a for (a, _), (b, _) in pairwise(sent)}
    assert all(abs(1000 * gap - about.form.period_us) <= 6000 for gap in gaps)
    # The next press of another key: the toggle, where there is one, has changed.
    remote.read(1000, key_shut=1)
    assert remote.send(1000) == frame_of(infrared(link), 0x11, 0)
    with pytest.raises(KeyError, match="this remote has"):
        remote.read(1001, key_up=1)
    with pytest.raises(ValueError, match="not an infrared one"):
        Receiver(TUG)


# ---- the guard, on the wire ----------------------------------------------------------------


def test_a_guarded_command_carries_what_was_heard_last(tmp_path: Path) -> None:
    text = starter_text("marram").replace("timeout_ms = 400", "timeout_ms = 400\ndelay_guard_ms = 500")
    link, bare = nuvrik.parse(text), nuvrik.parse(starter_text("marram"))
    values = [700, -900, 0, 0, 0, 16384, 1, 0]
    plain, guarded = nuvrik.Encoder(bare), nuvrik.Encoder(link)
    guarded.echo = 0xAB
    body = guarded.command(values, 9)
    assert body[4] == 0xAB and body[5:-2] == plain.command(values, 9)[4:-2]
    assert len(body) == guarded.longest_body == plain.longest_body + 1 and guarded.tag != plain.tag
    (event,), (other,) = (
        nuvrik.Decoder(a).feed_datagram(b) for a, b in ((link, body), (bare, plain.command(values, 9)))
    )
    assert isinstance(event, Frame) and event.values == other.values
    file = write(tmp_path, "guarded.toml", text)
    said = nuvrik_command("inspect", file, "--hex", body.hex())
    assert "throttle +0.043" in said
    assert "the sequence of the telemetry heard last" in nuvrik_command("check", file)


def test_a_command_is_obeyed_as_long_as_what_it_answers_is_recent() -> None:
    text = starter_text("marram").replace("timeout_ms = 400", "timeout_ms = 400\ndelay_guard_ms = 300")
    link = nuvrik.parse(text)
    machine, encoder = Machine(link), nuvrik.Encoder(link)
    told: dict[int, int] = {}
    seq, outcomes = 0, set()
    for now in range(0, 40_000, 20):
        machine.tick(now)
        answer = machine.send(now)
        if answer:
            told[answer[3]] = now
        age = (now // 20) % 31 * 20
        known = [number for number, at in told.items() if now - at == age]
        if not known:
            continue
        encoder.echo, seq = known[-1], seq + 1
        (event,) = machine.feed(encoder.command([0] * 8, seq & 0xFF), now)
        accepted = isinstance(event, Frame)
        assert accepted == (age <= 300), (now, age)
        assert accepted or event.reason == "late"
        seq -= not accepted  # what is late does not count, so the next may have its number
        outcomes.add((age, accepted))
    assert {True, False} == {accepted for _, accepted in outcomes} and len(outcomes) > 10
    assert not any(now - at > 200 for at, now in pairwise(told.values()))


def test_a_handset_that_hears_nothing_says_nothing_on_a_guarded_link() -> None:
    text = starter_text("marram").replace("timeout_ms = 400", "timeout_ms = 400\ndelay_guard_ms = 300")
    link = nuvrik.parse(text)
    handset, machine = Handset(link, without={"stop_button"}), Machine(link)
    handset.read(0)
    assert not any(handset.send(now) for now in range(0, 1000, 5))
    machine.tick(1000)
    handset.feed(machine.send(1000), 1000)
    sent = [now for now in range(1000, 2000, 5) if handset.send(now)]
    assert sent and sent[0] <= 1020 and 1280 <= sent[-1] <= 1300


# ---- a watchdog, and buttons that only put off ---------------------------------------------


def test_off_by_puts_a_button_off_too_and_never_on() -> None:
    text = (
        starter_text("tug")
        .replace("[channels.throttle]", '[controls.off_button]\nkind = "button"\n\n[channels.throttle]', 1)
        .replace("toggle = true", 'toggle = true\noff_by = "off_button"', 1)
    )
    handset, now = Handset(nuvrik.parse(text)), 0

    def press(name: str) -> bool:
        nonlocal now
        for pressed in (0, 1, 0):
            for _ in range(8):
                now += 20
                handset.read(
                    now,
                    left_stick=508,
                    right_stick=515,
                    stop_button=0,
                    **{"arm_button": 0, "off_button": 0, name: pressed},
                )
                handset.send(now)
        return bool(handset.wire_values["arm"])

    now = 1000
    assert [press(n) for n in ("off_button", "arm_button", "off_button", "off_button", "arm_button")] == [
        False,
        True,
        False,
        False,
        True,
    ]
    assert STANDBY in State and isinstance(FAULTS["jam"], Fault)


def test_whole_captures_of_a_guarded_link_decode_in_bulk_as_frame_by_frame() -> None:
    """The guard byte shifts every channel by eight bits, in both decoders and in what is said of them."""
    from nuvrik.inspection.bulk import BulkDecoder

    text = starter_text("marram").replace('kind = "radio"', 'kind = "serial"')
    for key in ("payload_max", "bitrate"):
        text = text.replace(f"\n{key} = ", f"\n# {key} = ", 1)
    link = nuvrik.parse(text.replace("timeout_ms = 400", "timeout_ms = 400\ndelay_guard_ms = 500"))
    encoder, stream = nuvrik.Encoder(link), b""
    for n in range(600):
        encoder.echo = 3 * n & 0xFF
        values = [(37 * n) % 16384, -(91 * n) % 16384, 0, 16384 - n, -n, n, n % 2, n % 3 == 0]
        stream += encoder.command_on_wire([int(value) for value in values], n & 0xFF)
    events = nuvrik.Decoder(link).feed(stream)
    found = BulkDecoder(link).feed(stream)
    assert len(events) == len(found.seq) == 600 and not found.refused
    names = list(link.channels)
    for number in range(0, 600, 37):
        for place, name in enumerate(names):
            one = events[number].values[place]
            scale = 1 if link.channels[name].kind == "flag" else 16384
            assert found.values[name][number] == pytest.approx(one / scale)
    assert nuvrik.frames_table(link, stream)["throttle"].iloc[5] == pytest.approx(events[5].values[0] / 16384)
