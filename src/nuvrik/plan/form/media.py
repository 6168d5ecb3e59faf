"""``[medium]``: what carries frames from one end to the other."""

from typing import Annotated, Any, Literal, NamedTuple

from pydantic import Field, model_validator

from nuvrik.plan.form.base import Millis, Pin, Section
from nuvrik.plan.form.frame_base import Lack


class SerialMedium(Section):
    """``[medium] kind = "serial"``: a wire that carries a stream of bytes."""

    kind: Literal["serial"]
    driver: Literal["none", "serial_module"] = Field(
        default="none",
        description='what carries the bytes on: "none" but the wire, or a "serial_module" at each end, which '
        "cuts them into packets of its own and sends those",
    )
    baud: int = Field(default=57600, ge=50, le=4_000_000, description="bits a second on the wire")
    air_bitrate: int = Field(
        default=9600, ge=300, le=10_000_000, description="bits a second of the modules on the air"
    )
    packet_bytes: int = Field(
        default=58, ge=1, le=1024, description="the most that a module puts in a packet"
    )
    overhead_bytes: int = Field(
        default=12,
        ge=0,
        le=64,
        description="bytes that a module adds to each packet: preamble, address, check",
    )
    pause_ms: Millis = Field(
        default=3, description="how long the line rests until a module ends a packet and sends it, in ms"
    )
    buffer_bytes: int = Field(
        default=256, ge=1, le=65536, description="what a module keeps of what it could not send yet"
    )
    delay_ms: Millis = Field(
        default=0, description="delay beyond the airtime, in ms (a USB adapter adds 1 to 16)"
    )
    jitter_ms: Millis = Field(default=0, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Whether frames arrive whole and separate (True) or as a stream of bytes (False)."""
        return False

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds that ``wire_bytes`` occupy what is slowest on their way: the line, with a start bit, 8
        data bits and a stop bit each, or the modules' air."""
        return max(self.line_us(wire_bytes), self.air_us(wire_bytes))

    def line_us(self, wire_bytes: int) -> int:
        """On the line."""
        return -(-wire_bytes * 10_000_000 // self.baud)

    def packets(self, wire_bytes: int) -> int:
        """In how many packets of the modules they go."""
        return -(-wire_bytes // self.packet_bytes)

    def air_us(self, wire_bytes: int) -> int:
        """On the modules' air, 0 for none."""
        if self.driver == "none":
            return 0
        sent = wire_bytes + self.packets(wire_bytes) * self.overhead_bytes
        return -(-sent * 8_000_000 // self.air_bitrate)

    def relayed_us(self, wire_bytes: int) -> int:
        """What a module at each end adds: it waits until a packet is whole, and until the line rests."""
        if self.driver == "none":
            return 0
        stages = 2 * self.line_us(wire_bytes) + 1000 * self.pause_ms + self.air_us(wire_bytes)
        return stages - self.airtime_us(wire_bytes)


class RadioPins(Section):
    """Which pins of a board its radio chip hangs on, beside those of the board's SPI bus."""

    csn: Pin = Field(description="the pin that selects the chip, low while it is spoken to")
    ce: Pin = Field(description="the pin that lets the chip hear and send")
    irq: Pin | None = Field(
        default=None, description="the chip's own wire, low when it has news: less time is spent looking"
    )
    lamp: Pin | None = Field(
        default=None,
        description="a lamp: steady while something comes; flashes in two seconds, 1 the chip is absent, "
        "2 forgot, 3 changed, 4 refuses, 5 hangs",
    )


class RadioMedium(Section):
    """``[medium] kind = "radio"``: a module that carries whole packets."""

    kind: Literal["radio"]
    driver: Literal["yours", "nrf24l01"] = Field(
        default="yours",
        description='who speaks to the module: a driver of "yours", or ours for the packet radio chip '
        '"nrf24l01" on a board\'s SPI bus',
    )
    machine: RadioPins | None = Field(default=None, description="the pins of the machine's chip")
    handset: RadioPins | None = Field(default=None, description="the pins of the handset's chip")
    bridge: RadioPins | None = Field(default=None, description="the pins of a bridge's chip")
    length: Literal["fixed", "varying"] = Field(
        default="fixed",
        description="whether every packet is as long as the longest, which works between all makes of chips, "
        "or each as long as its frame",
    )
    power_dbm: Literal[-18, -12, -6, 0] = Field(default=0, description="how strongly the chip sends, in dBm")
    payload_max: int = Field(
        default=32,
        ge=6,
        le=200,
        description="bytes the module carries in one packet, 6 to 200; with driver nrf24l01 32 at most, "
        "and 31 where length is fixed, for one says how many count",
    )
    channel: int = Field(
        default=40, ge=0, le=125, description="the channel the module works on, 0 to 125, at both ends"
    )
    group: int = Field(
        default=0, ge=0, le=255, description="the group of modules that hear each other, where it has such"
    )
    address: int = Field(
        default=0, ge=0, le=0xFFFF_FFFF, description="the address the module sends to and listens at"
    )
    bitrate: int = Field(default=250_000, ge=300, le=10_000_000, description="bits a second on the air")
    overhead_bytes: int = Field(
        default=9, ge=0, le=64, description="bytes the module adds to each packet: preamble, address, check"
    )
    retries: int = Field(
        default=0,
        ge=0,
        le=15,
        description="how often the module sends a packet again that nobody acknowledged",
    )
    retry_us: int = Field(
        default=500, ge=100, le=10_000, description="from the end of a packet to its next try, in us"
    )
    delay_ms: Millis = Field(default=1, description="delay beyond the airtime, in ms")
    jitter_ms: Millis = Field(default=3, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Whether frames arrive whole and separate (True) or as a stream of bytes (False)."""
        return True

    @model_validator(mode="before")
    @classmethod
    def _room(cls, given: Any) -> Any:
        """Where a byte says how many count, a packet of the chip's carries one less."""
        if isinstance(given, dict) and given.get("driver") == "nrf24l01" and given.get("length") != "varying":
            return {"payload_max": MOST_ON_AIR - 1} | given
        return given

    @property
    def packet_bytes(self) -> int:
        """How long each packet of the chip's is, the byte that says how much of it counts included; 0 where
        lengths vary."""
        return self.payload_max + 1 if self.length == "fixed" else 0

    def pins_of(self, end: str) -> RadioPins | None:
        """The pins of an end's chip."""
        return getattr(self, self.key_of(end), None)

    def key_of(self, end: str) -> str:
        """The key that names them; a bench tries a chip out on an end's own."""
        if end == "radio-bench-handset":
            return "handset" if self.handset or not self.bridge else "bridge"
        return "machine" if end == "radio-bench" else end

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds that a packet of ``wire_bytes`` is on the air, the module's own bytes included."""
        if self.driver != "yours":
            # A preamble, five bytes of address, the payload and a check of two; nine bits more where lengths
            # vary. The chip needs SETTLES_US before it hears or sends.
            bits = 8 * (1 + 5 + (self.packet_bytes or wire_bytes) + 2) + (0 if self.packet_bytes else 9)
            return SETTLES_US - (-bits * 1_000_000 // self.bitrate)
        return -(-(wire_bytes + self.overhead_bytes) * 8_000_000 // self.bitrate)


def chip_of(medium: object) -> RadioMedium | None:
    """A medium whose radio chip core itself drives; None for any other."""
    return medium if isinstance(medium, RadioMedium) and medium.driver != "yours" else None


class WayPins(Section):
    """The pins of a medium that is switched and timed, level by level, with nothing between but a
    transistor or a module that knows on and off."""

    handset_out: Pin | None = Field(default=None, description="the handset's pin that sends")
    machine_in: Pin | None = Field(default=None, description="the machine's pin that it comes in on")


class BothWaysPins(WayPins):
    """The same, where the machine may answer."""

    machine_out: Pin | None = Field(default=None, description="the machine's pin that answers, if it does")
    handset_in: Pin | None = Field(default=None, description="the handset's pin that answers come in on")


class OnOffMedium(Section):
    """``[medium] kind = "on_off_keyed"``: a radio module that knows only carrier on and carrier off."""

    kind: Literal["on_off_keyed"]
    bitrate: int = Field(default=2000, ge=100, le=100_000, description="bits a second on the air")
    training_bits: int = Field(
        default=24, ge=12, le=200, description="bits sent first, from which the receiver learns the clock"
    )
    payload_max: int = Field(default=60, ge=6, le=200, description="bytes in one frame, 6 to 200")
    pins: BothWaysPins | None = Field(default=None, description="the pins of both ends' modules")
    delay_ms: Millis = Field(default=1, description="delay beyond the airtime, in ms")
    jitter_ms: Millis = Field(default=1, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Frames arrive whole and separate."""
        return True

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds that a frame of ``wire_bytes`` is on the air: training, sync word and length too."""
        bits = self.training_bits + SYNC_AND_LENGTH_BITS + 8 * wire_bytes
        return -(-bits * 1_000_000 // self.bitrate)


class UdpMedium(Section):
    """``[medium] kind = "udp"``: packets over a network."""

    kind: Literal["udp"]
    driver: Literal["yours", "wlan"] = Field(
        default="yours",
        description='who speaks to the network on a board with MicroPython: a driver of "yours", or ours '
        'through the board\'s own "wlan"',
    )
    wlan: Literal["machine", "other"] = Field(
        default="machine",
        description="who opens the WLAN: the machine's board, or another that both ends join; its name and "
        "password stand in link_wlan.py on the boards",
    )
    port: int = Field(default=5005, ge=1, le=65535, description="the UDP port of both ends")
    machine_host: str = Field(
        default="192.168.4.1",
        pattern=r"^\d{1,3}(\.\d{1,3}){3}$",
        description="where a handset on a board finds the machine, in numbers, for a name would have to be "
        "asked for",
    )
    payload_max: int = Field(default=200, ge=6, le=200, description="bytes in one packet, 6 to 200")
    bitrate: int = Field(
        default=1_000_000, ge=1000, le=1_000_000_000, description="bits a second of its slowest part"
    )
    delay_ms: Millis = Field(default=5, description="delay beyond the airtime, in ms")
    jitter_ms: Millis = Field(default=20, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Frames arrive whole and separate."""
        return True

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds for a packet of ``wire_bytes`` and the headers of IP (RFC 791) and UDP (RFC 768)."""
        return -(-(wire_bytes + UDP_HEADERS) * 8_000_000 // self.bitrate)


def transit_us(medium: "AnyMedium", wire_bytes: int) -> int:
    """Microseconds from a frame's first byte handed over to its last one there, at its first try, without
    what varies."""
    relayed_us = medium.relayed_us(wire_bytes) if isinstance(medium, SerialMedium) else 0
    return medium.airtime_us(wire_bytes) + relayed_us + 1000 * medium.delay_ms


class Retries(NamedTuple):
    """How often a medium tries again what did not arrive, and how much later each try comes."""

    most: int = 0
    each_us: int = 0

    @property
    def longest_ms(self) -> float:
        """By how much the last try is later than the first."""
        return self.most * self.each_us / 1000

    @property
    def words(self) -> str:
        """For people to read, after a frame's airtime; nothing where there are none."""
        return (
            f", tried up to {self.most} times more, {self.each_us / 1000:.2f} ms apart" if self.most else ""
        )


def retries_of(medium: object, wire_bytes: int) -> Retries:
    """The retries of a medium, for frames of so many bytes."""
    if not isinstance(medium, RadioMedium) or not medium.retries:
        return Retries()
    return Retries(medium.retries, medium.airtime_us(wire_bytes) + medium.retry_us)


SETTLES_US = 130
MOST_ON_AIR = 32
SYNC_AND_LENGTH_BITS = 24
UDP_HEADERS = 28

InfraredCode = Literal["nec", "nec_extended", "rc5", "rc6", "sirc12", "sirc15", "sirc20", "learned"]


class CodeForm(NamedTuple):
    """What a published infrared code can say: bits for the address and for the command; how often it comes
    while a key is held; and whether anything in it tells that it was damaged."""

    address_bits: int
    command_bits: int
    period_us: int
    checked: bool


CODE_FORMS: dict[InfraredCode, CodeForm] = {
    "nec": CodeForm(8, 8, 108_000, True),
    "nec_extended": CodeForm(16, 8, 108_000, True),
    "rc5": CodeForm(5, 7, 113_778, False),
    "rc6": CodeForm(8, 8, 106_667, False),
    "sirc12": CodeForm(5, 7, 45_000, False),
    "sirc15": CodeForm(8, 7, 45_000, False),
    "sirc20": CodeForm(13, 7, 45_000, False),
}

MarkAndSpace = Annotated[list[Annotated[int, Field(ge=0, le=60_000)]], Field(min_length=2, max_length=2)]


class LearnedShape(Section):
    """``medium.shape``: a code that nobody published, as ``infrared learn`` finds it."""

    header: MarkAndSpace = Field(default=[0, 0], description="mark and space it begins with; [0, 0] for none")
    zero: MarkAndSpace = Field(description="mark and space of a bit that is 0")
    one: MarkAndSpace = Field(description="mark and space of a bit that is 1")
    bits: int = Field(ge=8, le=48, description="how many bits, 8 to 48")
    period_us: int = Field(
        ge=5_000, le=500_000, description="from the start of one to the start of the next while a key is held"
    )


class InfraredMedium(Section):
    """``[medium] kind = "infrared"``: a remote control. Its keys come as codes; the machine's own end shapes
    them into channels, and the frames of this file never leave it."""

    kind: Literal["infrared"]
    protocol: InfraredCode = Field(description="the code its keys are sent in")
    address: int = Field(
        default=0, ge=0, le=65535, description="the address its remote sends; others are not accepted"
    )
    shape: LearnedShape | None = Field(
        default=None, description='what a code of protocol "learned" looks like'
    )
    disarm_after_ms: int = Field(
        default=10_000,
        ge=500,
        le=30_000,
        description="arm goes off after this long without a code from this remote, in ms",
    )
    pins: WayPins | None = Field(
        default=None, description="the pins of the receiver and of a remote's own lamp"
    )
    accept: list[Lack] = Field(
        default_factory=list,
        max_length=4,
        description='what codes cannot give and is done without, by name, e.g. ["no_sequence"]',
    )
    delay_ms: Millis = Field(default=0, description="delay of the receiver, in ms")
    jitter_ms: Millis = Field(default=1, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Inside the receiver, frames are handed over whole."""
        return True

    @property
    def payload_max(self) -> int:
        """Inside the receiver, any frame fits."""
        return 200

    @property
    def period_us(self) -> int:
        """How often a code comes while its key is held, in microseconds."""
        if self.protocol == "learned":
            return self.shape.period_us if self.shape else 0
        return CODE_FORMS[self.protocol].period_us

    @property
    def lacks(self) -> list[Lack]:
        """What a code cannot give."""
        always: list[Lack] = ["no_sequence", "no_pair", "no_layout"]
        form = CODE_FORMS.get(self.protocol)
        return always if form and form.checked else [*always, "no_check"]

    def airtime_us(self, wire_bytes: int) -> int:
        """None: frames stay inside the receiver; what travels are codes."""
        return 0


class PulsesMedium(Section):
    """``[medium] kind = "pulses"``: one wire with a train of pulses, a channel each."""

    kind: Literal["pulses"]
    frame_us: int = Field(
        default=22_500, ge=6_000, le=60_000, description="from the start of one train to the next, in us"
    )
    pulse_us: int = Field(default=300, ge=50, le=700, description="how long each pulse is, in us")
    sync_us: int = Field(
        default=3_000,
        ge=2_300,
        le=20_000,
        description="a gap at least this long, in us, is between two trains",
    )
    active: Literal["high", "low"] = Field(default="high", description="the level of the pulses")
    pins: WayPins | None = Field(default=None, description="the pins of both ends")
    delay_ms: Millis = Field(default=0, description="delay beyond the train itself, in ms")
    jitter_ms: Millis = Field(default=0, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """A train arrives whole."""
        return True

    @property
    def payload_max(self) -> int:
        """As many bytes as the slots of the longest train: two each."""
        return 2 * MOST_SLOTS

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds of a train and the gap behind it."""
        return self.frame_us


FEWEST_SLOTS, MOST_SLOTS = 4, 16

AnyMedium = SerialMedium | RadioMedium | OnOffMedium | UdpMedium | InfraredMedium | PulsesMedium
Packets = RadioMedium | OnOffMedium | UdpMedium | InfraredMedium | PulsesMedium
"""Media that carry frames whole and separate, up to ``payload_max`` bytes."""

Medium = Annotated[AnyMedium, Field(discriminator="kind")]
