"""Both ends in one loop: move a stick, see the screws turn, pull the cable, see them stop."""

import nuvrik
from nuvrik.plan.starters import starter_text

link = nuvrik.parse(starter_text("tug"))  # or nuvrik.load("tug.toml")
handset, machine = nuvrik.Handset(link), nuvrik.Machine(link)

said = None
for now_ms in range(0, 4000, 5):
    handset.read(
        now_ms,
        left_stick=900 if now_ms > 1000 else 508,  # at rest for a second, then forward
        right_stick=515,
        arm_button=600 < now_ms < 700,  # one press
        stop_button=0,
    )
    wire = handset.send(now_ms)  # b"" most of the time: a frame is due every 20 ms
    if wire and now_ms < 2500:  # the cable comes off after two and a half seconds
        machine.feed(wire, now_ms)
    if now_ms % link.tick_ms == 0:
        demands = machine.tick(now_ms)
        if (machine.state, machine.safe) != said:
            said = (machine.state, machine.safe)
            duties = "  ".join(f"{demand.output} {demand.signed:+4d}" for demand in demands)
            print(f"{now_ms:5} ms  {machine.state:8}  {duties}  {machine.why}")
