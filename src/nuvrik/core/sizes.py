"""How many of each there may be. A link's own tables may say fewer, so that a small chip keeps room for no
more."""

MOST_CHANNELS = 64

MOST_OPTIONAL = 64

MOST_ITEMS = 32

MOST_CODES = 96

MOST_PLACES = 64

MOST_ARGUMENTS = 8

MOST_NOTES = 18
"""How many pieces of a delay guard's time are noted, and two that are being left and begun."""

MOST_KEPT = 200
"""How much of a body is kept: as much as the longest frame of the link has."""

MOST_BODY = 202
"""Two more, so that codes may be read by threes of bytes."""

MOST_SENT = 202
"""The same, of what an end sends."""

MOST_WAITING = 4
"""Answers that wait to be sent, a power of two; more questions than that are not worth answering late."""

MOST_ECHO = 16
"""How much of an echo is kept."""

MOST_PIECE = 424
"""The longest line of text, and what ends it."""

MOST_SLOTS = 16

MOST_WIRE = 422

MOST_CONTROLS = 32

MOST_MOVED = 32

MOST_BUTTONS = 32

MOST_KEYS = 64

MOST_ROCKERS = 32

MOST_NUDGES = 32

MOST_SELECTORS = 32

MOST_KNOBS = 32

MOST_SEEN = 64

MOST_TRIGGERS = 16

MOST_SOURCES = 64

MOST_READY = 64

MOST_OUTPUTS = 32

MOST_PINS = 32

MOST_MOTORS = 32

MOST_SERVOS = 32

MOST_STEPPERS = 32

MOST_SWITCHES = 32

MOST_LIMITS = 32

MOST_EXTRA = 64

MOST_STAYS = 64

MOST_LENGTHS = 80
"""Lengths in the longest infrared burst looked at: nec has 67; the rest is room for what lies before a
frame."""

MOST_TAIL = 131
"""Lengths of the longest learned frame."""

MOST_CODES_SENT = 64

MOST_HEARD = 64

MOST_PACKET = 255
"""The longest packet that the medium carries."""

MOST_RAW_NAMES = 600
"""The first line of raw readings, or the longest of the others."""
