"""Gamepads, through SDL (pygame-ce, an extra: ``pip install 'nuvrik[pads]'``).

A pad is there or it is not, and while it is there its readings hold: most pads tell only what changes, so a
stick that is held still says nothing. One that is unplugged, or falls asleep, has no readings; when it comes
back it has the place it had, and no other pad has moved up into it meanwhile.
"""

import contextlib
import os
from collections.abc import Collection
from functools import cache
from typing import Any

from nuvrik.ports.sources.layouts import LAYOUTS, from_sdl
from nuvrik.ports.sources.source import Items, Plain, SourceError

FULL_AXIS = 32768
"""What SDL's axes go up to; its readings are whole numbers from -32768 to 32767."""


class Pad:
    """One pad: what it is, and its joystick while it is there."""

    def __init__(self, stick: Any, names: dict[str, str]) -> None:
        self.guid, self.title = stick.get_guid(), stick.get_name()
        self.stick: Any = stick
        self.names = names
        self.items = self._items()

    def _items(self) -> list[str]:
        stick = self.stick
        numbered = [f"axis_{n}" for n in range(stick.get_numaxes())]
        numbered += [f"button_{n}" for n in range(stick.get_numbuttons())]
        numbered += [f"hat_{n}_{way}" for n in range(stick.get_numhats()) for way in "xy"]
        return [*self.names, *numbered]

    def reading(self, item: str) -> int | None:
        """What an item reads now; None for one that there is not, and while the pad is away."""
        if self.stick is None:
            return None
        kind, _, where = self.names.get(item, item).partition("_")
        try:
            if kind == "axis":
                place = round(float(self.stick.get_axis(int(where))) * FULL_AXIS)
                return max(-FULL_AXIS, min(FULL_AXIS - 1, place))
            if kind == "button":
                return int(self.stick.get_button(int(where)))
            if kind == "hat":
                number, _, way = where.partition("_")
                value: int = self.stick.get_hat(int(number))[way[0] == "y"]
                return value if len(way) == 1 else int(value == (1 if way[1] == "+" else -1))
        except Exception:  # an item that this pad has not, or a pad that has just gone: SDL raises its own
            return None
        return None


class Pads:
    """All pads of this computer, each in a place of its own, counted from 0 in the order they came."""

    def __init__(self, sdl: Any) -> None:
        self._sdl = sdl
        self.places: list[Pad] = []
        self.look()

    def look(self) -> None:
        """See what has come and gone."""
        sdl = self._sdl
        for event in sdl.event.get([sdl.JOYDEVICEADDED, sdl.JOYDEVICEREMOVED]):
            if event.type == sdl.JOYDEVICEADDED:
                self._came(event.device_index)
            else:
                self._went(event.instance_id)

    def _came(self, index: int) -> None:
        try:
            stick = self._sdl.joystick.Joystick(index)
        except self._sdl.error:
            return  # gone again already
        here = [pad.stick.get_instance_id() for pad in self.places if pad.stick is not None]
        if stick.get_instance_id() in here:
            return
        for pad in self.places:
            if pad.stick is None and pad.guid == stick.get_guid():
                pad.stick = stick
                return
        self.places.append(Pad(stick, self._names(stick, index)))

    def _went(self, instance: int) -> None:
        for pad in self.places:
            if pad.stick is not None and pad.stick.get_instance_id() == instance:
                pad.stick = None

    def _names(self, stick: Any, index: int) -> dict[str, str]:
        with contextlib.suppress(Exception):  # an old SDL, or a pad that its table does not know
            from pygame._sdl2 import controller

            controller.init()
            if controller.is_controller(index):
                return from_sdl(controller.Controller(index).get_mapping())
        layout = LAYOUTS.get((stick.get_numaxes(), stick.get_numbuttons(), stick.get_numhats()))
        return layout.names if layout else {}


@cache
def all_pads() -> Pads:
    """The pads of this process: SDL has one list of them, and one queue of what happens to them."""
    # No window is wanted, and pads are to be heard although none is in front.
    os.environ.setdefault("PYGAME_HIDE_SUPPORT_PROMPT", "1")
    os.environ.setdefault("SDL_JOYSTICK_ALLOW_BACKGROUND_EVENTS", "1")
    try:
        import pygame
    except ImportError:
        raise SourceError("gamepads need pygame-ce: pip install 'nuvrik[pads]'") from None
    if not pygame.display.get_init():
        os.environ.setdefault("SDL_VIDEODRIVER", "dummy")
        pygame.display.init()
        # What is read by looking need not queue up as well.
        pygame.event.set_blocked([pygame.JOYAXISMOTION, pygame.JOYBUTTONDOWN, pygame.JOYBUTTONUP])
    pygame.joystick.init()
    return Pads(pygame)


class PadSource(Plain):
    """The pad in one place as a source."""

    comes_and_goes = True

    def __init__(self, name: str, place: int) -> None:
        super().__init__(name)
        self._pads, self._place = all_pads(), place
        self._look()

    def _look(self) -> Pad | None:
        self._pads.look()
        places = self._pads.places
        pad = places[self._place] if self._place < len(places) else None
        if pad is None:
            self.why = f"{self.name}: no gamepad is there; plug it in, or press a button to wake it"
        elif pad.stick is None:
            self.why = f"{self.name} is asleep or unplugged"
        else:
            self.why = ""
        return pad

    @property
    def items(self) -> Collection[str]:
        """Its axes, buttons and hats, by place and by number."""
        pad = self._look()
        return pad.items if pad else ()

    def read(self, now_ms: int, wanted: Collection[str]) -> Items:
        """All that is wanted of it, for as long as it is there."""
        pad = self._look()
        return {item: pad.reading(item) if pad else None for item in wanted}
