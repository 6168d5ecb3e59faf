"""What firmware is asked for: which end of which link, on which board, and what that comes to."""

from typing import NamedTuple

from nuvrik.core.widths import Table
from nuvrik.export import boards
from nuvrik.export.chips import CHIPS, Chip
from nuvrik.plan.form.media import (
    InfraredMedium,
    OnOffMedium,
    PulsesMedium,
    RadioPins,
    UdpMedium,
    chip_of,
)
from nuvrik.plan.form.models import Link
from nuvrik.plan.form.requests import AnyRequest, CallRequest
from nuvrik.plan.tables.ends import end_table, one_way
from nuvrik.plan.tables.handset_end import bridge_table, handset_end_table
from nuvrik.plan.tables.infrared import keys_of, receiver_table, remote_table


class Wanted(NamedTuple):
    """What firmware is asked for. ``packets``: frames go to a radio module's driver as packets;
    ``answers``: there is a way back from the machine."""

    link: Link
    file: str
    board: str
    packets: bool = False
    end: str = boards.MACHINE
    answers: bool = True

    @property
    def glue(self) -> str:
        """Which file of C turns its loop."""
        if isinstance(self.link.medium, InfraredMedium):
            return {boards.MACHINE: "receiver", boards.HANDSET: "remote"}.get(self.end, self.end)
        return self.end

    @property
    def driver(self) -> RadioPins | None:
        """The pins of its radio chip, where it has one that core drives."""
        medium = chip_of(self.link.medium)
        return medium.pins_of(self.end) if medium and self.packets and self.board != "posix" else None

    @property
    def chip(self) -> Chip | None:
        """The chip that it is written for, where that is known."""
        return CHIPS.get(self.board) or (
            boards.sketch_chip(self.link) if self.board == boards.SKETCH else None
        )

    @property
    def has_key(self) -> bool:
        """Whether it works out tags: what only hands frames on has no key."""
        return self.link.authenticated and self.end in (boards.MACHINE, boards.HANDSET)

    @property
    def counts(self) -> bool:
        """Whether its board counts its starts, for a key that random numbers would serve elsewhere."""
        return self.has_key and self.board in CHIPS

    @property
    def by_wlan(self) -> bool:
        """Whether a board that runs MicroPython goes through its own WLAN."""
        medium = self.link.medium
        return isinstance(medium, UdpMedium) and medium.driver == "wlan" and self.board != "posix"

    @property
    def through_own(self) -> bool:
        """Whether packets go through a driver of the builder's own."""
        return self.packets and self.driver is None and not self.by_wlan

    @property
    def keyed(self) -> bool:
        """Whether its frames go out and come in by a pin that is switched on and off."""
        timed = (boards.MACHINE, boards.HANDSET)
        return isinstance(self.link.medium, OnOffMedium) and self.end in timed and not self.packets

    @property
    def on_the_line(self) -> bool:
        """Whether the link itself goes over the board's serial line, or is a listener's text."""
        timed = self.keyed or isinstance(self.link.medium, PulsesMedium | InfraredMedium)
        return self.end == boards.LISTENER or not (self.packets or timed)

    @property
    def host_line(self) -> bool:
        """Whether a host has a line of its own beside the link's."""
        return self.on_the_line and boards.second_line(self.link, self.board, self.end)

    @property
    def tells_raw(self) -> bool:
        """Whether a handset tells raw readings to a host that asks."""
        has_host = self.host_line or not self.on_the_line
        return self.glue == boards.HANDSET and has_host and bool(self.read)

    @property
    def talks(self) -> bool:
        """Whether its machine answers, and has a way to."""
        if isinstance(self.link.medium, PulsesMedium | InfraredMedium):
            return False
        if self.keyed and self.end == boards.MACHINE:
            return self.answers and any(use.role == boards.EMIT for use in self.timed)
        return self.answers

    @property
    def end_table(self) -> Table | None:
        """What its end of the link comes to; a listener has none."""
        link, stream = self.link, not (self.packets or self.keyed)
        if self.end == boards.LISTENER or self.end in boards.RADIO_BENCHES:
            return None
        if self.end == boards.BRIDGE:
            return bridge_table(link)
        if isinstance(link.medium, InfraredMedium):
            made = receiver_table if self.end == boards.MACHINE else remote_table
            return made(link, link.medium)
        if self.end == boards.HANDSET:
            return handset_end_table(link, stream=stream)
        table = end_table(link, stream=stream)
        return table if self.talks else one_way(table)

    @property
    def inputs(self) -> list[boards.Use]:
        """The pins that the board reads by itself."""
        return boards.uses_of_inputs(self.link, self.end)

    @property
    def outputs(self) -> list[boards.Use]:
        """The pins that the board sets."""
        return boards.uses_of_outputs(self.link) if self.end == boards.MACHINE else []

    @property
    def timed(self) -> list[boards.Use]:
        """The pins that carry the link itself, level by level."""
        return [] if self.packets else boards.uses_of_medium(self.link, self.end)

    @property
    def air(self) -> list[boards.Use]:
        """The pins of its radio chip."""
        return boards.uses_of_radio(self.link, self.end) if self.driver is not None else []

    @property
    def read(self) -> list[boards.Use]:
        """The pins that a handset reads one by one; the contacts of a knob are looked at together."""
        knobs = {use.of for use in self.inputs if use.key.endswith(".pin_b")}
        return [use for use in self.inputs if use.of not in knobs] if self.end == boards.HANDSET else []

    @property
    def controls(self) -> list[str]:
        """The controls of its link, in the order in which its end numbers them."""
        return list(keys_of(self.link) if self.glue == "remote" else self.link.controls)

    @property
    def calls(self) -> list[str]:
        """The requests that the builder's own code carries out."""
        requests = self.link.requests.items() if self.glue == boards.MACHINE else ()
        return [name for name, one in requests if isinstance(one, CallRequest)]


def arguments_of(request: AnyRequest) -> list[str]:
    """The arguments that the builder's own code is given, in words: a text is several of them."""
    said: list[str] = []
    at = 0
    for name, argument in request.arguments.items():
        count = len(argument.widths)
        said.append(
            name
            if argument.bytes is None
            else f"{name} (a text of {argument.bytes} bytes from number {at} on)"
        )
        at += count
    return said
