"""Five motors and three servos on a small computer: what drives them, for `nuvrik machine`.

    nuvrik machine barge.toml --port /dev/ttyS0 --code barge.py      # on the barge
    nuvrik drive barge.toml --port /dev/ttyUSB0 --from pad           # on the shore

A motor board that is asked over some bus stands where `Board` does; here it only says what it is told. A
function that raises, or takes longer than 250 ms, stops the whole machine and is named.
"""

import sys


class Board:
    """A stand-in for a motor board: sixteen channels, told a number each."""

    def tell(self, channel: int, value: int) -> None:
        print(f"channel {channel:2}: {value:+5}", file=sys.stderr)


board = Board()
MOTORS = ["left_bow", "left_stern", "right_bow", "right_stern", "capstan"]


def motor(channel: int):
    """What drives one motor: signed duty, 0 to 255 either way, 0 for rest."""
    return lambda demand: board.tell(channel, demand.signed)


def servo(channel: int):
    """What holds one servo: a pulse in microseconds, 0 for no pulses."""
    return lambda demand: board.tell(channel, demand.value)


OUTPUTS = {name: motor(channel) for channel, name in enumerate(MOTORS)}
OUTPUTS |= {"crane": servo(13), "jib": servo(14), "lamp": servo(15)}
