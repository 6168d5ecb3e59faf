"""A link by a radio chip: the driver in core, against a stand-in of the chip, register by register."""

import json
import random
from collections.abc import Callable
from pathlib import Path

import pytest
from links import write
from on_air import MARRAM, TUG, Bursts, Pair, by_radio
from typed import nuvrik_command

import nuvrik
from nuvrik.budget.stop import stop_bound
from nuvrik.core.loops import packet_radio as chip
from nuvrik.core.machine.watch import ARMED
from nuvrik.export.boards import misfits
from nuvrik.export.chips import CHIPS
from nuvrik.export.pace import pace
from nuvrik.export.radio_pace import radio_pace
from nuvrik.plan.form.media import RadioMedium
from nuvrik.plan.load import examine
from nuvrik.plan.starters import starter_names, starter_text
from nuvrik.plant.radio_chip import DEFAULTS, Ether, Sent
from nuvrik.recordings.pilot import practice
from nuvrik.rehearsal import faults_on_air
from nuvrik.rehearsal.verdict import rehearse

FROM_MS = 2000
"""By then it is armed, and drives."""


TOLD = (
    starter_text("tug")
    + """
[telemetry.leak]
kind = "digital"
every_ms = 100
"""
)
"""A tug that tells something, and so its state."""


class Pushed:
    """A hand that arms, and then pushes the stick for ever."""

    def at(self, ms: int) -> dict[str, int | None]:
        pushed = 1023 if ms > 1600 else 508
        return {
            "left_stick": pushed,
            "right_stick": 515,
            "arm_button": int(1000 < ms < 1200),
            "stop_button": 0,
        }


def driving(text: str = "", ether: Ether | None = None, more: str = "", **how: bool) -> Pair:
    """A tug that is armed and driving."""
    link = nuvrik.parse(by_radio(text or starter_text("tug"), more)) if text or more else TUG
    pair = Pair(link, Pushed(), ether or Ether(), **how)  # type: ignore[arg-type]
    pair.run(FROM_MS)
    return pair


FAULTS: dict[str, tuple[Callable[[Pair], None], Callable[[Pair], None], int]] = {
    "absent low": (
        lambda pair: setattr(pair.machine.chip, "absent", 0x00),
        lambda pair: setattr(pair.machine.chip, "absent", None),
        chip.RADIO_ABSENT,
    ),
    "absent high": (
        lambda pair: setattr(pair.machine.chip, "absent", 0xFF),
        lambda pair: setattr(pair.machine.chip, "absent", None),
        chip.RADIO_ABSENT,
    ),
    "forgets": (
        lambda pair: pair.machine.chip.power(pair.machine.us, 0),
        lambda pair: None,
        chip.RADIO_FORGOT,
    ),
    "changed": (
        lambda pair: pair.machine.chip.registers.update({5: 3}),
        lambda pair: None,
        chip.RADIO_CHANGED,
    ),
    "deaf": (
        lambda pair: setattr(pair.machine.chip, "deaf", True),
        lambda pair: setattr(pair.machine.chip, "deaf", False),
        chip.RADIO_WELL,
    ),
    "handset hangs": (
        lambda pair: setattr(pair.handset.chip, "hung", True),
        lambda pair: setattr(pair.handset.chip, "hung", False),
        chip.RADIO_WELL,
    ),
}


@pytest.mark.parametrize("fault", FAULTS)
def test_whatever_happens_to_a_chip_it_stops_says_what_was_wrong_and_comes_back(fault: str) -> None:
    pair = driving(TOLD)
    assert pair.driven and pair.machine.lamp
    strike, mend, trouble = FAULTS[fault]
    strike(pair)
    bound = stop_bound(pair.machine.link).worst_ms
    last_ms, accepted, driven_ms = pair.now_ms, pair.machine.loop.end.accepted, 0
    for _ in range(3000):
        pair.run(1)
        if pair.machine.loop.end.accepted != accepted:
            last_ms, accepted = pair.now_ms, pair.machine.loop.end.accepted
        if pair.driven:
            driven_ms = max(driven_ms, pair.now_ms - last_ms)
    assert driven_ms <= bound
    assert pair.machine.loop.line.radio.last == trouble
    if fault == "handset hangs":
        assert pair.handset.loop.line.radio.last == chip.RADIO_HANGS
    mend(pair)
    before = pair.machine.loop.end.accepted
    pair.run(600)
    assert pair.machine.loop.end.accepted > before + 10
    assert pair.machine.loop.line.radio.trouble == chip.RADIO_WELL and pair.machine.lamp
    # hello has it, and telemetry for a while: the machine's own end notes it once a tick.
    assert pair.machine.loop.end.noted >> 5 == trouble
    assert pair.handset.loop.end.hearing.radio == trouble
    pair.run(5000)
    assert pair.machine.loop.end.noted >> 5 == trouble
    assert pair.handset.loop.end.hearing.radio == 0


def test_what_is_wrong_with_a_chip_is_told_apart_by_the_lamp() -> None:
    for number, (at, value) in {1: (None, 0), 4: (6, 0)}.items():
        pair = driving()
        if at is None:
            pair.machine.chip.absent = value
        else:
            # It never keeps its rate, as a make that does not know it.
            pair.machine.chip.older = True
            pair.machine.chip.power(pair.machine.us)
        pair.run(1500)
        flashes, before = 0, pair.machine.lamp
        for _ in range(2048):
            pair.run(1)
            flashes += pair.machine.lamp and not before
            before = pair.machine.lamp
        assert flashes == number == pair.machine.loop.line.radio.trouble


@pytest.mark.parametrize("more", ["", 'length = "varying"', "bitrate = 1000000", "power_dbm = -12"])
def test_it_drives_on_through_losses_and_bursts(more: str) -> None:
    pair = driving(more=more, ether=Ether(Bursts(5, 0.1, 0.002, 40)))
    before = pair.machine.loop.end.accepted
    pair.run(8000)
    assert pair.machine.loop.end.accepted - before > 8000 / 20 * 0.7
    assert pair.machine.loop.end.refused == 0
    # Nothing was written while the chip would not have taken it, and nobody spoke to the other over.
    assert pair.machine.chip.refused == pair.handset.chip.refused == 0
    assert pair.ether.collided == 0


def test_an_older_chip_works_where_it_can() -> None:
    assert driving(more="bitrate = 1000000", older=True).driven
    assert driving(more='bitrate = 1000000\nlength = "varying"', older=True).driven
    pair = driving(older=True)
    assert not pair.driven and pair.machine.loop.line.radio.trouble == chip.RADIO_REFUSES


def test_a_wire_of_news_that_is_off_costs_time_and_no_packets() -> None:
    pair = driving()
    pair.machine.chip.irq = lambda us: True  # type: ignore[method-assign]
    before = pair.machine.loop.end.accepted
    pair.run(4000)
    assert pair.machine.loop.end.accepted - before >= 199
    assert pair.machine.spi_us < 0.02 * 1000 * pair.now_ms


@pytest.mark.parametrize("without", [False, True])
def test_answers_go_in_the_other_ends_silence(without: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    """And where they do not, the first half of this test fails: it was looked at."""
    if without:
        monkeypatch.setattr(chip.PacketRadio, "free", lambda self: self.state == chip.RADIO_LISTENS)
    collided = answers = 0
    for seed in range(4):
        ether = Ether(Bursts(seed, 0.1, 0.001, 100))
        pair = Pair(MARRAM, practice(MARRAM, seed, 6000), ether, fast=1.01 + seed / 100)
        pair.run(6000)
        collided += ether.collided
        answers += pair.handset.loop.end.hearing.seq != 0
    assert answers == 4
    assert (collided > 0) == without


def test_two_handsets_on_one_channel_drive_their_own_machines_only() -> None:
    other = nuvrik.parse(by_radio(starter_text("tug")).replace("pair = 90", "pair = 91"))
    ether = Ether()
    pairs = [Pair(one, Pushed(), ether, fast=fast) for one, fast in ((TUG, 1.002), (other, 0.997))]  # type: ignore[arg-type]
    for _ in range(6000):
        for pair in pairs:
            pair.run(1)
    for pair in pairs:
        machine = pair.machine.loop.end
        assert machine.refused == 0 and machine.accepted > 200
    assert pairs[0].ether.collided > 0


def test_no_life_of_a_chip_moves_anything_unasked() -> None:
    """Whatever happens, at random: driven only while armed, and within the bound of the last packet."""
    rng = random.Random(3)
    pair = driving(ether=Ether(Bursts(9, 0.05, 0.004, 200)))
    bound = stop_bound(TUG).worst_ms
    last_ms, accepted = pair.now_ms, pair.machine.loop.end.accepted
    for _ in range(20_000):
        pair.run(1)
        if pair.machine.loop.end.accepted != accepted:
            last_ms, accepted = pair.now_ms, pair.machine.loop.end.accepted
        assert not pair.driven or pair.now_ms - last_ms <= bound
        assert pair.driven or pair.state != ARMED or pair.now_ms - last_ms <= bound
        if rng.random() < 0.002:
            one = rng.choice((pair.machine.chip, pair.handset.chip))
            one.absent = rng.choice((None, None, 0, 255))
            one.deaf, one.hung = rng.random() < 0.2, rng.random() < 0.2
            if rng.random() < 0.3:
                one.power(1000.0 * pair.now_ms)
            if rng.random() < 0.3:
                one.registers[rng.choice(list(DEFAULTS))] = rng.randrange(64)
    for one in (pair.machine.chip, pair.handset.chip):
        one.absent, one.deaf, one.hung = None, False, False
    before = pair.machine.loop.end.accepted
    pair.run(2500)
    assert pair.machine.loop.end.accepted > before + 20


BAD = {
    "channel = 84": "band",
    "channel = 83\nbitrate = 2000000": "band",
    "channel = 0": "band",
    "address = 0xFFFFFFFF": "nobody has written",
    "address = 0x5B000000": "noise",
    "payload_max = 32": "carry 31",
    "bitrate = 500000": "250000",
    "retries = 3": "decided",
    "group = 3": "decided",
}


@pytest.mark.parametrize("more", BAD)
def test_what_a_chip_cannot_be_told_is_refused_with_the_key(more: str) -> None:
    text = by_radio(starter_text("tug"), more)
    found = [one for one in examine(text, "link.toml")[1] if one.level == "error"]
    assert [one.where for one in found] == [f"medium.{more.partition(' ')[0]}"]
    assert BAD[more] in found[0].line


def test_pins_and_keys_without_a_driver_are_refused() -> None:
    text = by_radio(starter_text("tug")).replace('driver = "nrf24l01"\n', "")
    assert {one.where for one in examine(text, "link.toml")[1] if one.level == "error"} == {
        "medium.machine",
        "medium.handset",
        "medium.bridge",
    }
    twice = by_radio(starter_text("tug"), pins="{ csn = 5, ce = 33 }")
    assert any(one.where == "medium.machine.csn" for one in examine(twice, "link.toml")[1])


def test_links_in_one_place_are_looked_at_together(tmp_path: Path) -> None:
    text = starter_text("tug")
    files = [
        write(tmp_path, "ours.toml", text),
        write(tmp_path, "beside.toml", text.replace("pair = 90", "pair = 17").replace("= 76", "= 78")),
        write(tmp_path, "twin.toml", text),
    ]
    assert "together: nothing wrong" in nuvrik_command("check", *files[:2])
    said = json.loads(nuvrik_command("check", *files, "--json", code=1))
    wrong = [(one["level"], one["where"].rpartition("/")[2]) for one in said["together"]]
    assert wrong == [("error", "twin.toml: frame.pair"), ("warning", "twin.toml: medium.channel")]


@pytest.mark.parametrize("more", ['length = "varying"\npayload_max = 16', "payload_max = 16"])
def test_a_packet_longer_than_ours_goes_no_further(more: str) -> None:
    """Somebody else's, to our address: there is no room for it, and nothing is written beyond the room."""
    pair = driving(more=more)
    machine, radio = pair.machine, pair.machine.chip
    into, before = [0] * 16, machine.loop.end.accepted
    for count in (0, 17, 32):
        head = [] if "varying" in more else [count]
        radio.arrive(Sent(pair.handset.chip, 0, 0, (), bytes([*head, *range(count)][:32])))
        machine.loop.line.radio.looked = False
        assert machine.loop.line.radio.packet(into) == 0
        assert into == [0] * 16
        radio.came = []
    pair.run(400)
    assert machine.loop.end.accepted > before and machine.loop.end.refused == 0


def test_ends_that_are_set_to_different_rates_hear_nothing_and_nothing_moves() -> None:
    pair = driving()
    pair.handset.chip.registers[6] = 0x06
    pair.handset.loop.line.radio.check = lambda: None
    pair.run(1500)
    assert not pair.driven and pair.machine.loop.line.radio.trouble == chip.RADIO_WELL


SEALED = [name for name in starter_names() if nuvrik.parse(starter_text(name)).frame.sealed]


@pytest.mark.parametrize("name", SEALED)
def test_every_starter_goes_by_radio_and_holds_through_its_faults(name: str) -> None:
    link = nuvrik.parse(by_radio(starter_text(name)))
    ether = Ether(Bursts(4, 0.05, 0.002, 40))
    pair = Pair(link, practice(link, 2, 3000), ether)
    pair.run(3000)
    end = pair.machine.loop.end
    assert end.accepted > 3000 / link.period_ms * 0.7 and end.refused == 0 and ether.collided == 0
    for fault in faults_on_air.FAULTS:
        if not fault.unfit(link):
            run = rehearse(link, fault, 1)
            assert run.verdict == "pass", (fault.name, run.why)


def test_the_radios_share_of_a_board_is_what_goes_over_its_bus() -> None:
    """A frame is a look, one at the queue, 33 bytes and a write; two registers are read back, and one look
    more taken, 62 times a second, one of the ten an address; without the chip's own wire it is looked at once
    a millisecond."""
    medium = TUG.medium
    assert isinstance(medium, RadioMedium) and medium.machine is not None
    for irq, looks in ((2, 50 + 1000 / 16), (None, 1050)):
        pins = medium.machine.model_copy(update={"irq": irq})
        a_second = radio_pace(TUG, medium.model_copy(update={"machine": pins}), 9)
        checks = 1000 / 16
        wanted = looks + 50 * (2 + 33 + 2) + checks * (2 + 2 + 4 / 10)
        assert a_second.bytes == pytest.approx(wanted, rel=0.05)
        assert a_second.exchanges == pytest.approx(looks + 50 * 3 + checks * 2, rel=0.1)
    varying = nuvrik.parse(by_radio(starter_text("tug"), 'length = "varying"'))
    by_board = [pace(one, "atmega328p").radio_ms for one in (TUG, varying)]
    assert 0 < by_board[1] < by_board[0] < 0.3
    assert pace(nuvrik.parse(starter_text("cable_rover")), "atmega328p").radio_ms == 0


def test_the_spis_own_pin_may_be_an_output_and_no_input() -> None:
    text = starter_text("tug").replace("= 10 }", "= 4 }").replace("= 9,", "= 3,").replace("= 8 }", "= 2 }")
    for pins, wrong in (
        ("{ csn = 10, ce = 9 }", []),
        ("{ csn = 9, ce = 8, irq = 10 }", ["medium.handset.irq"]),
    ):
        link = nuvrik.parse(by_radio(text, pins=pins))
        found = list(misfits(link, CHIPS["atmega328p"], "handset", packets=True))
        assert [one.where for one in found if "SPI" in one.what] == wrong
