"""What carries frames, as far as a board has to know it."""

from nuvrik.core.frames.on_off import OnOffTable
from nuvrik.core.widths import Table, amount, u8, u16


class MediumTable(Table):
    """Bits a second on the wire or on the air; the bytes of a packet, 0 where frames are a stream. channel,
    group and address: a radio module's own. A train of pulses: how long it is, how long each pulse is, and
    whether that is high. carrier: how it is
    switched, where that is all there is. pin_in and pin_out: where an end listens and sends level by level,
    NOBODY for nowhere; in_high: a mark comes in as high."""

    bitrate: amount
    payload_max: u8
    channel: u8
    group: u8
    address_low: u16
    address_high: u16
    frame_us: u16
    pulse_us: u16
    active_high: bool
    pin_in: u8
    pin_out: u8
    in_high: bool
    carrier: OnOffTable
