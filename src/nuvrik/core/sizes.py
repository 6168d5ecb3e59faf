"""How many of each there may be. A link's own tables may say fewer, so that a small chip keeps room for no
more."""

MOST_CHANNELS = 64

MOST_OPTIONAL = 64

MOST_OUTPUTS = 32

MOST_MOTORS = 32

MOST_SERVOS = 32

MOST_STEPPERS = 32

MOST_SWITCHES = 32
