"""What the machine makes of good bytes, damaged bytes and somebody else's bytes."""

import nuvrik
from nuvrik.inspection.describe import event_text
from nuvrik.plan.starters import starter_text

text = starter_text("tug")
link = nuvrik.parse(text)
encoder, decoder = nuvrik.Encoder(link), nuvrik.Decoder(link)

good = encoder.command(nuvrik.to_wire(link, throttle=0.5, turn=-0.25, arm=True), seq=1)
damaged = bytes([good[0], good[1], good[2], good[3], good[4] ^ 0x10, *good[5:]])
neighbour = nuvrik.Encoder(nuvrik.parse(text.replace("pair = 90", "pair = 91")))
older = nuvrik.Encoder(nuvrik.parse(text.replace("bits = 11", "bits = 10", 1)))
packets = [
    good,
    good,  # sent twice by an eager module
    damaged,
    neighbour.command(nuvrik.to_wire(link, arm=True), seq=2),
    older.command(nuvrik.to_wire(link, arm=True), seq=3),
    encoder.stop(seq=4),
]
for packet in packets:
    for event in decoder.feed_datagram(packet):
        print(f"{packet.hex():20}  {event_text(event, link)}")
