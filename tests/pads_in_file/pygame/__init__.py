"""A stand-in for SDL's joysticks, where no input device exists: pads are lines of a file that a test writes.

The file is named by ``PADS_IN_FILE`` and is JSON: a list of pads, each with ``id``, ``guid``, ``axes``,
``buttons`` and ``hats``. One that is in the list is plugged in. Only the calls that ``pads.py`` makes are
here; as with SDL, an axis is a fraction of full scale.
"""

import json
import os
from pathlib import Path

JOYAXISMOTION, JOYBUTTONDOWN, JOYBUTTONUP, JOYDEVICEADDED, JOYDEVICEREMOVED = range(5)


class error(Exception):
    """What SDL raises."""


class _Event:
    def __init__(self, kind, **what):
        self.type = kind
        self.__dict__.update(what)


class _System:
    """What is plugged in, and what programs have been told of it."""

    def __init__(self):
        self.known = []
        self.last = []

    def now(self):
        return json.loads(Path(os.environ["PADS_IN_FILE"]).read_text())

    def events(self):
        pads = self.last = self.now()
        here = [pad["id"] for pad in pads]
        gone = [_Event(JOYDEVICEREMOVED, instance_id=one) for one in self.known if one not in here]
        new = [
            _Event(JOYDEVICEADDED, device_index=at) for at, one in enumerate(here) if one not in self.known
        ]
        self.known = here
        return [*gone, *new]


_system = _System()


class event:
    @staticmethod
    def get(kinds):
        return _system.events()

    @staticmethod
    def set_blocked(kinds):
        pass


class display:
    @staticmethod
    def get_init():
        return False

    @staticmethod
    def init():
        pass


class _Joystick:
    def __init__(self, index):
        try:
            self._id = _system.now()[index]["id"]
        except IndexError:
            raise error("no such joystick") from None

    def _pad(self):
        for pad in _system.last:
            if pad["id"] == self._id:
                return pad
        raise error("joystick is gone")

    def get_instance_id(self):
        return self._id

    def get_guid(self):
        return self._pad()["guid"]

    def get_name(self):
        return "a pad"

    def get_numaxes(self):
        return len(self._pad()["axes"])

    def get_numbuttons(self):
        return len(self._pad()["buttons"])

    def get_numhats(self):
        return len(self._pad()["hats"])

    def get_axis(self, number):
        return self._pad()["axes"][number]

    def get_button(self, number):
        return self._pad()["buttons"][number]

    def get_hat(self, number):
        return tuple(self._pad()["hats"][number])


class joystick:
    Joystick = _Joystick

    @staticmethod
    def init():
        pass
