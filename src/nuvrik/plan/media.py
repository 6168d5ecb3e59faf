"""``[medium]``: what carries frames from one end to the other."""

from typing import Annotated, Literal

from pydantic import Field

from nuvrik.plan.base import Millis, Section


class SerialMedium(Section):
    """``[medium] kind = "serial"``: a wire that carries a stream of bytes."""

    kind: Literal["serial"]
    baud: int = Field(default=115200, ge=50, le=4_000_000, description="bits a second on the wire")
    delay_ms: Millis = Field(
        default=0, description="delay beyond the airtime, in ms (a USB adapter adds 1 to 16)"
    )
    jitter_ms: Millis = Field(default=0, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Whether frames arrive whole and separate (True) or as a stream of bytes (False)."""
        return False

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds that ``wire_bytes`` occupy the line: a start bit, 8 data bits, a stop bit each."""
        return -(-wire_bytes * 10_000_000 // self.baud)


class RadioMedium(Section):
    """``[medium] kind = "radio"``: a module that carries whole packets."""

    kind: Literal["radio"]
    payload_max: int = Field(
        default=32, ge=6, le=200, description="bytes the module carries in one packet, 6 to 200"
    )
    bitrate: int = Field(default=250_000, ge=300, le=10_000_000, description="bits a second on the air")
    overhead_bytes: int = Field(
        default=9, ge=0, le=64, description="bytes the module adds to each packet: preamble, address, check"
    )
    delay_ms: Millis = Field(default=1, description="delay beyond the airtime, in ms")
    jitter_ms: Millis = Field(default=3, description="the most that the delay varies upwards, in ms")

    @property
    def datagrams(self) -> bool:
        """Whether frames arrive whole and separate (True) or as a stream of bytes (False)."""
        return True

    def airtime_us(self, wire_bytes: int) -> int:
        """Microseconds that a packet of ``wire_bytes`` is on the air, the module's own bytes included."""
        return -(-(wire_bytes + self.overhead_bytes) * 8_000_000 // self.bitrate)


class OnOffMedium(Section):
    """``[medium] kind = "on_off_keyed"``: a radio module that knows only carrier on and carrier off."""

    kind: Literal["on_off_keyed"]
    bitrate: int = Field(default=2000, ge=100, le=100_000, description="bits a second on the air")
    training_bits: int = Field(
        default=24, ge=12, le=200, description="bits sent first, from which the receiver learns the clock"
    )
    payload_max: int = Field(default=60, ge=6, le=200, description="bytes in one frame, 6 to 200")
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


SYNC_AND_LENGTH_BITS = 24
UDP_HEADERS = 28

AnyMedium = SerialMedium | RadioMedium | OnOffMedium | UdpMedium
Packets = RadioMedium | OnOffMedium | UdpMedium
"""Media that carry frames whole and separate, up to ``payload_max`` bytes."""

Medium = Annotated[AnyMedium, Field(discriminator="kind")]
