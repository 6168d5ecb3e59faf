"""What the axes and buttons of a gamepad are called, by where they lie.

The names are by place (south, east, ...), as the gamepad page of the Linux kernel's input documentation has
them, so that they hold whatever is printed on a button. The numbers are the order in which that kernel's two
common families of driver report a pad's axes and buttons, which SDL keeps. Every pad has the names by number
too: ``axis_0``, ``button_3``, ``hat_0_x``.
"""

from typing import NamedTuple

AXES = ("left_x", "left_y", "left_trigger", "right_x", "right_y", "right_trigger")
HAT = {"dpad_x": "hat_0_x", "dpad_y": "hat_0_y"}


class Layout(NamedTuple):
    """One order of axes and buttons; ``hats`` is how many direction pads are told apart from both."""

    axes: tuple[str, ...]
    buttons: tuple[str, ...]
    hats: int

    @property
    def names(self) -> dict[str, str]:
        """From the name by place to the name by number."""
        named = {name: f"axis_{number}" for number, name in enumerate(self.axes)}
        named |= {name: f"button_{number}" for number, name in enumerate(self.buttons)}
        return named | (HAT if self.hats else {})


ELEVEN = Layout(
    AXES,
    (
        *("south", "east", "west", "north", "left_shoulder", "right_shoulder"),
        *("select", "start", "mode", "left_thumb", "right_thumb"),
    ),
    1,
)
"""Triggers are axes only."""

THIRTEEN = Layout(
    AXES,
    (
        *("south", "east", "north", "west", "left_shoulder", "right_shoulder"),
        *("left_trigger_button", "right_trigger_button", "select", "start", "mode"),
        *("left_thumb", "right_thumb"),
    ),
    1,
)
"""Triggers are axes and buttons both."""

LAYOUTS = {(len(one.axes), len(one.buttons), one.hats): one for one in (ELEVEN, THIRTEEN)}
"""By how many axes, buttons and hats a pad has."""

PLACES = {
    **{"leftx": "left_x", "lefty": "left_y", "rightx": "right_x", "righty": "right_y"},
    **{"lefttrigger": "left_trigger", "righttrigger": "right_trigger"},
    **{"a": "south", "b": "east", "x": "west", "y": "north", "back": "select", "start": "start"},
    **{"guide": "mode", "leftstick": "left_thumb", "rightstick": "right_thumb"},
    **{"leftshoulder": "left_shoulder", "rightshoulder": "right_shoulder"},
    **{"dpup": "dpad_up", "dpdown": "dpad_down", "dpleft": "dpad_left", "dpright": "dpad_right"},
}
"""What SDL's own table of pads calls these places."""

_HAT_WAY = {"1": "y+", "2": "x+", "4": "y-", "8": "x-"}


def from_sdl(mapping: dict[str, str]) -> dict[str, str]:
    """Names by place from what SDL's own table says of a pad: ``a0`` an axis, ``b3`` a button, ``h0.1`` a
    way of a hat. What is mapped in another form (half an axis) has only its name by number."""
    names: dict[str, str] = {}
    for sdl_name, where in mapping.items():
        place = PLACES.get(sdl_name)
        if place is None:
            continue
        if where[:1] == "a" and where[1:].isdigit():
            names[place] = f"axis_{where[1:]}"
        elif where[:1] == "b" and where[1:].isdigit():
            names[place] = f"button_{where[1:]}"
        elif where[:1] == "h" and "." in where:
            hat, _, way = where[1:].partition(".")
            if way in _HAT_WAY:
                names[place] = f"hat_{hat}_{_HAT_WAY[way]}"
                names.setdefault("dpad_x", f"hat_{hat}_x")
                names.setdefault("dpad_y", f"hat_{hat}_y")
    return names
