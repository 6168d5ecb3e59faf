"""What an output is told, and what the failsafe lets it do."""

from nuvrik.core.widths import level, sign, u16

FOLLOW = 0
SAFE = 1
LOST = 2
HELD = 3


class Demand:
    """What one output is told to do right now. at: the level where it stands; value: in the units of its
    driver; way: which way the driver is set, 0 for off; driven: whether power makes it turn; braked: whether
    both sides of a motor are joined, or coils at rest keep their current."""

    def __init__(self) -> None:
        self.at: level = 0
        self.value: u16 = 0
        self.way: sign = 0
        self.driven: bool = False
        self.braked: bool = False

    def put(self, at: level, value: u16, way: sign, driven: bool, braked: bool) -> None:
        """Be told something else."""
        self.at = at
        self.value = value
        self.way = way
        self.driven = driven
        self.braked = braked
