"""Rules about a radio chip that is driven from core: what it can be told, and what the band allows."""

from collections.abc import Iterator, Mapping
from itertools import combinations

from nuvrik.plan.form.media import MOST_ON_AIR, RadioMedium, SerialMedium, chip_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import Problem, listing
from nuvrik.plan.rules.draft import Draft, longest_on_wire
from nuvrik.plan.tables.radio import RATES, imitated

BAND_KHZ = 2_400_000, 2_483_500
"""The band that most countries leave to everybody (ITU Radio Regulations, 2.4 GHz)."""

WIDTH_KHZ = {250_000: 1000, 1_000_000: 1000, 2_000_000: 2000}
"""How wide a signal is, about, at each speed."""

BESIDE_WLAN = 76, 80

OURS = ("machine", "handset", "bridge", "length", "power_dbm")
DECIDED = ("group", "overhead_bytes", "retries", "retry_us")

ALL_ONES = 0xFFFF_FFFF

OF_MODULES = ("air_bitrate", "packet_bytes", "overhead_bytes", "pause_ms", "buffer_bytes")

BUSY = 0.5
"""How much of the air may be taken: beyond it a frame often finds the one before still waiting."""


def radio(draft: Draft) -> Iterator[Problem]:
    """Everything that the chip could not do as it is told."""
    medium = draft.medium
    if not isinstance(medium, RadioMedium):
        return
    given = medium.model_fields_set
    if chip_of(medium) is None:
        for key in OURS:
            if key in given:
                what = 'is for a driver of ours, and driver is "yours"'
                yield Problem("error", f"medium.{key}", what, 'say driver = "nrf24l01", or take it out')
        return
    for key in DECIDED:
        if key in given:
            what = f"is decided by the driver of the {medium.driver}"
            yield Problem("error", f"medium.{key}", what, "take it out")
    if medium.bitrate not in RATES:
        what = f"is {medium.bitrate}, and the {medium.driver} knows {listing(map(str, RATES))}"
        yield Problem("error", "medium.bitrate", what, "use one of them at both ends")
    most = MOST_ON_AIR - (medium.length == "fixed")
    if medium.payload_max > most:
        where, kind = "medium.payload_max", f"packets of {medium.length} length"
        yield Problem("error", where, f"is {medium.payload_max}; {kind} carry {most}", f"use {most} at most")
    yield from _channel(medium)
    yield from _address(medium)


def _channel(medium: RadioMedium) -> Iterator[Problem]:
    """Inside of the band, and a word on who else is there."""
    half = WIDTH_KHZ.get(medium.bitrate, 1000) // 2
    low, high = BAND_KHZ
    fits = [one for one in range(126) if low + half <= low + 1000 * one <= high - half]
    if medium.channel not in fits:
        where, at = "medium.channel", f"is {medium.channel}: {2400 + medium.channel} MHz"
        what = f"{at} is outside of the band from 2400 to 2483.5 MHz that most countries leave to everybody"
        yield Problem("error", where, what, f"use {fits[0]} to {fits[-1]}")
    elif not BESIDE_WLAN[0] <= medium.channel <= BESIDE_WLAN[1]:
        what = f"is {medium.channel}, which lies among the channels of WLAN"
        do = f"where frames are lost, try {BESIDE_WLAN[0]} to {BESIDE_WLAN[1]}, which mostly lie beside them"
        yield Problem("note", "medium.channel", what, do)


def _address(medium: RadioMedium) -> Iterator[Problem]:
    """One that noise does not imitate."""
    if medium.address == ALL_ONES or imitated(medium.address):
        what = f"is {medium.address:#x}, " + (
            "which is what memory holds that nobody has written"
            if medium.address == ALL_ONES
            else "which on the air looks too much like noise"
        )
        yield Problem(
            "error", "medium.address", what, "choose another, or leave it out: the pair is used then"
        )


def serial_module(draft: Draft) -> Iterator[Problem]:
    """Modules that hand bytes on cut them as they like, and keep what they could not send yet."""
    medium, link, wire = draft.medium, draft.link, longest_on_wire(draft)
    if not isinstance(medium, SerialMedium):
        return
    if medium.driver == "none":
        for key in OF_MODULES:
            if key in medium.model_fields_set:
                what = "is for modules that hand bytes on, and driver names none"
                yield Problem("error", f"medium.{key}", what, 'say driver = "serial_module", or take it out')
        return
    if not wire or link is None:
        return
    if medium.packets(wire) > 1:
        what = f"is {medium.packet_bytes}, and a frame is {wire} bytes: it is lost if either part is"
        do = "use fewer bits in the channels, or let the modules make longer packets"
        yield Problem("warning", "medium.packet_bytes", what, do)
    rests_ms = link.period_ms - medium.line_us(wire) / 1000
    if rests_ms <= medium.pause_ms:
        what = f"is {medium.pause_ms}, and between two frames the line rests for {max(0, rests_ms):.1f} ms"
        do = "lower the rate, or raise baud: without that pause a module cuts frames anywhere"
        yield Problem("error", "medium.pause_ms", what, do)
    air_ms = medium.air_us(wire) / 1000
    if BUSY * link.period_ms < air_ms < link.period_ms:
        kept = medium.buffer_bytes // wire
        old_ms = kept * air_ms
        what = f"is {link.rate_hz}: a frame is {air_ms:.1f} of its {link.period_ms} ms on the modules' air"
        grows = f"; where some are sent again, {kept} wait in a module, the last {old_ms:.0f} ms old"
        do = f"use {max(1, int(BUSY * 1000 / air_ms))} at most, or a delay guard, which refuses what is old"
        yield Problem("warning", "link.rate_hz", what + grows, do)
    if draft.telemetry or draft.requests:
        what = "has one air for both ways, as modules of this kind do: what both ends say at once is lost"
        yield Problem("note", "medium.driver", what, "tell seldom what the machine tells")


def side_by_side(links: Mapping[str, Link]) -> Iterator[Problem]:
    """What is wrong with several links in one place, by the names of their files: on one air they must differ
    in pair and, by radio, in channel."""
    for (name, one), (other, two) in combinations(links.items(), 2):
        if one.authenticated and two.authenticated and one.key == two.key:
            what = f"is the key of {name} too: whoever has one of the machines can drive the other"
            yield Problem("error", f"{other}: frame.key_file", what, "write a key for each machine")
        if one.medium.kind != two.medium.kind or one.medium.kind not in ("radio", "on_off_keyed", "udp"):
            continue
        if one.frame.pair == two.frame.pair:
            what = f"is {two.frame.pair}, as in {name}: only their layouts tell the two apart"
            yield Problem("error", f"{other}: frame.pair", what, "give each a pair of its own")
        if not isinstance(one.medium, RadioMedium) or not isinstance(two.medium, RadioMedium):
            continue
        needs = max(WIDTH_KHZ.get(medium.bitrate, 1000) for medium in (one.medium, two.medium)) // 1000
        if abs(one.medium.channel - two.medium.channel) < needs:
            media = (one.medium, one.period_ms), (two.medium, two.period_ms)
            busy = sum(each.airtime_us(each.payload_max) / every_ms / 10 for each, every_ms in media)
            beside = f"is {two.medium.channel}, beside {one.medium.channel} of {name}"
            do = f"choose channels {needs} apart at least: what is on the air together is lost"
            what = f"{beside}: together they fill {busy:.0f} % of one air"
            yield Problem("warning", f"{other}: medium.channel", what, do)
