"""A rehearsal whose frames go through the driver of a radio chip at each end, register by register, and
through the air between. The drivers are core's own; the chips are stand-ins."""

from collections import deque
from typing import Any

from nuvrik.core.loops.packet_radio import PacketRadio, PacketRadioTable
from nuvrik.ends.handset import Handset
from nuvrik.plan.form.media import RadioPins
from nuvrik.plan.form.models import Link
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.radio import radio_table
from nuvrik.plant.radio_chip import Ether, RadioChip
from nuvrik.rehearsal.world import World

TURN_US = 1000
"""The loops of both ends turn a thousand times a second: about as often as a small chip's do."""

KEPT = {"machine": 8, "handset": 1}
"""So many packets wait at most until the chip is free: answers for the handset's silence; of commands the
newest counts."""

PINS = RadioPins(csn=0, ce=1)


class End:
    """One end's radio: its driver, and its chip. It is the driver's board too."""

    def __init__(self, link: Link, end: str, ether: Ether, us: float, pins: RadioPins = PINS) -> None:
        medium = link.medium.model_copy(update={end: pins})
        table = radio_table(link.model_copy(update={"medium": medium}), end)
        self.us = us
        self.chip = RadioChip(ether, now_us=us)
        self.radio = PacketRadio(table, self)  # type: ignore[arg-type]
        self.radio.begin()
        self.waiting: deque[bytes] = deque(maxlen=KEPT[end])
        self._into = [0] * 200

    def spi(self, box: list[int], count: int) -> None:
        """Exchange bytes with the chip."""
        for at in range(count):
            box[at] = self.chip.exchange(box[at], self.us)

    def pin(self, pin: int, high: bool) -> None:
        """Select it, or let it work."""
        (self.chip.csn if pin == PINS.csn else self.chip.ce)(bool(high), self.us)

    def input(self, pin: int, what: int) -> int:
        """The chip's own wire, where it has one."""
        return int(self.chip.irq(self.us))

    def turn(self, us: float) -> list[bytes]:
        """One turn: what has come."""
        self.us, radio, came = us, self.radio, []
        radio.pass_time(TURN_US // 1000)
        radio.tend()
        while count := radio.packet(self._into):
            came.append(bytes(self._into[:count]))
        if self.waiting and radio.free():
            packet = self.waiting.popleft()
            radio.give(list(packet), len(packet))
        return came

    def retold(self, **fields: Any) -> None:
        """From now on its driver goes by another table."""
        self.radio.table = made(PacketRadioTable, **vars(self.radio.table) | fields)


class _Way:
    """One direction, as a world has it: what is given to it arrives through the air, if at all."""

    def __init__(self, air: "Air", end: End) -> None:
        self.cut = False
        self._air, self._end = air, end

    def send(self, wire: bytes, t_us: int) -> None:
        """Whatever becomes of it, the air says so itself."""
        if not self.cut:
            self._air.sent_us[wire] = t_us
            self._end.waiting.append(wire)


class Air:
    """The air of a world, with both ends' radios in it, and perhaps somebody else's."""

    def __init__(self, world: World) -> None:
        self.world = world
        rng, loss = world.rng, world.conditions.loss
        self.ether = Ether(lambda us: rng.random() < loss)
        self.machine = End(world.link, "machine", self.ether, world.t_us)
        self.handset = End(world.link, "handset", self.ether, world.t_us)
        self.sent_us: dict[bytes, int] = {}
        self.other: tuple[Handset, End] | None = None
        self.dips = False
        world.medium = _Way(self, self.handset)  # type: ignore[assignment]
        if world.back is not None:
            world.back = _Way(self, self.machine)  # type: ignore[assignment]
        world.at(world.t_us + rng.randrange(TURN_US), self._turn)

    def _turn(self, _: object) -> None:
        world = self.world
        world.at(world.t_us + TURN_US, self._turn)
        # A board without power does nothing; its module has none either.
        if world.machine_on:
            for packet in self.machine.turn(world.t_us):
                world._arrive((packet, self.sent_us.get(packet)))
        for packet in self.handset.turn(world.t_us):
            world._come_back(packet)
        if self.other is not None:
            handset, end = self.other
            now_ms = world.t_us // 1000
            world.recording.play_into(handset, now_ms, now_ms & 0xFFFF)
            if wire := handset.send(now_ms & 0xFFFF):
                end.waiting.append(wire)
            end.turn(world.t_us)

    def comes(self, link: Link) -> None:
        """Somebody with another link of the same channel begins to drive."""
        self.other = Handset(link), End(link, "handset", self.ether, self.world.t_us)
