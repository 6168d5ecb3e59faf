"""Rules about a radio chip that is driven from core: what it can be told, and what the band allows."""

from collections.abc import Iterator, Mapping
from itertools import combinations

from nuvrik.plan.form.media import MOST_ON_AIR, RadioMedium
from nuvrik.plan.form.models import Link
from nuvrik.plan.problems import Problem, listing
from nuvrik.plan.rules.draft import Draft
from nuvrik.plan.tables.radio import RATES, imitated

BAND_KHZ = 2_400_000, 2_483_500
"""The band that most countries leave to everybody (ITU Radio Regulations, 2.4 GHz)."""

WIDTH_KHZ = {250_000: 1000, 1_000_000: 1000, 2_000_000: 2000}
"""How wide a signal is, about, at each speed."""

BESIDE_WLAN = 76, 80

OURS = ("machine", "handset", "bridge", "length", "power_dbm")
DECIDED = ("group", "overhead_bytes", "retries", "retry_us")

ALL_ONES = 0xFFFF_FFFF


def radio(draft: Draft) -> Iterator[Problem]:
    """Everything that the chip could not do as it is told."""
    medium = draft.medium
    if not isinstance(medium, RadioMedium):
        return
    given = medium.model_fields_set
    if not medium.driven:
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


def side_by_side(links: Mapping[str, Link]) -> Iterator[Problem]:
    """What is wrong with several links in one place, by the names of their files: on one air they must differ
    in pair and, by radio, in channel."""
    for (name, one), (other, two) in combinations(links.items(), 2):
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
