"""A battery cut-off and a bumper, on a board that runs MicroPython.

nuvrik new tug.toml --like tug
nuvrik export tug.toml --to micropython --board rp2040 --out board
cp tug_own_code.py board/main.py
# and copy the folder board onto the board
"""

from machine import ADC, Pin

import nuvrik

link = nuvrik.start()
from nuvrik import own  # noqa: E402

BATTERY_LOW = 40000
"""Of 65535, behind the divider."""

BUMPER_TOUCHED = 7
"""What `nuvrik hello` and the handset show."""

battery = ADC(Pin(26))
bumper = Pin(14, Pin.IN, Pin.PULL_UP)


def before_outputs():
    """Once a tick, when everything is decided and before a pin is written."""
    most = own.FULL // 2 if battery.read_u16() < BATTERY_LOW else own.FULL
    own.limit("port_screw", most)
    own.limit("starboard_screw", most)
    if bumper.value():
        # The contact opens when it is touched, so a broken wire stops too.
        own.stop(BUMPER_TOUCHED)


link.before_outputs = before_outputs
link.run()
