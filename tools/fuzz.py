"""Coverage-guided fuzzing of every decoder, for a bounded time: `make fuzz`.

Whatever bytes arrive, cut however they are: nothing raises, memory stays bounded, the cut makes no
difference, an encoder's own frame gives itself back, and no motor turns.
"""

import sys
import tempfile
from pathlib import Path

import atheris

with atheris.instrument_imports(include=["nuvrik"]):
    import nuvrik
    from nuvrik.inspection.bulk import BulkDecoder
    from nuvrik.inspection.describe import event_record, event_text
    from nuvrik.inspection.diagnosis import diagnose
    from nuvrik.plan.starters import starter_text
    from nuvrik.pulses.on_off_keyed import OnOffDecoder
    from nuvrik.wire.events import Frame
    from nuvrik.wire.kinds import ALL_KINDS, COMMAND, TO_HANDSET
    from nuvrik.wire.styles import style_of

PANEL = starter_text("panel")
NO = 'accept = ["no_sequence", "no_pair", "no_layout"'
FRAMES = {
    "packed": 'style = "packed"\npair = 61',
    "slip": 'style = "slip"\npair = 61',
    "line": f'style = "line"\ntag = "M,"\ncheck = "crc8"\nmissing = "no_reading"\n{NO}]',
    "spaced": f'style = "line"\nseparator = ";"\nspaces = "ignore"\nend = "\\r\\n"\n{NO}, "no_check"]',
    "columns": f'style = "columns"\ncheck = "xor8"\n{NO}]',
}
LINKS = [nuvrik.parse(PANEL.replace('style = "packed"\npair = 61', frame)) for frame in FRAMES.values()]


def one_input(data: bytes) -> None:
    """One stream, chosen by its first byte, cut by its second."""
    if len(data) < 3:
        return
    link, cut, stream = LINKS[data[0] % len(LINKS)], 1 + data[1] % 61, data[2:]
    for kinds in (ALL_KINDS, TO_HANDSET)[: 1 + data[1] % 2]:
        whole = nuvrik.Decoder(link, kinds).feed(stream)
        decoder, events = nuvrik.Decoder(link, kinds), []
        for start in range(0, len(stream), cut):
            events += decoder.feed(stream[start : start + cut])
            assert len(decoder._held) <= decoder._most + 4
        assert events == whole
        for event in events:
            event_record(event, link), event_text(event, link), style_of(link).marks(event)
    if link.frame.style == "packed":
        bulk = BulkDecoder(link).feed(stream)
        commands = [e for e in nuvrik.Decoder(link, ALL_KINDS).feed(stream) if isinstance(e, Frame)]
        assert len(bulk.seq) == sum(event.kind == COMMAND for event in commands)
    machine, handset = nuvrik.Machine(link, boot=1), nuvrik.Handset(link)
    for start in range(0, len(stream), cut):
        machine.feed(stream[start : start + cut], start)
        handset.feed(stream[start : start + cut], start)
        machine.send(start)
        assert not any(demand.driven for demand in machine.tick(start))
    OnOffDecoder(2000).feed(((-1) ** n * (1 + byte * 8) for n, byte in enumerate(stream)))
    if data[1] == 64:  # slow: it tries every speed there is
        diagnose(link, stream[:100])


def seeds(folder: Path) -> None:
    """Sound frames of every kind and style to begin with: a fuzzer alone does not hit upon a CRC."""
    for place, link in enumerate(LINKS):
        encoder, machine = nuvrik.Encoder(link), nuvrik.Machine(link, boot=7)
        handset = nuvrik.Handset(link, session=5)
        handset.request("beep", times=3)
        handset.echo(0)
        there = back = b""
        for now in range(0, 1200, 20):
            wire = handset.send(now)
            machine.feed(wire, now)
            machine.sense(now, supply=700, knob=3, distance=None, tilt=(1, -2, 3), door=1, fan_shaft=now)
            machine.tick(now)
            answer = machine.send(now)
            handset.feed(answer, now)
            there, back = there + wire, back + answer
        stop = encoder.on_wire(encoder.stop(3))
        for number, stream in enumerate((there[:500], back[:500], back[-500:], stop + there[-300:])):
            (folder / f"{place}_{number}").write_bytes(bytes((place, 17 * number)) + stream)


def main() -> None:
    with tempfile.TemporaryDirectory() as corpus:
        seeds(Path(corpus))
        atheris.Setup([*sys.argv, corpus], one_input)
        atheris.Fuzz()


if __name__ == "__main__":
    main()
