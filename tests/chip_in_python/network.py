"""A stand-in for MicroPython's ``network``: a WLAN that comes and goes as a script has it, ``wlan 0`` and
``wlan 1``, and knows one word for its kind of password."""

from machine import note

AP_IF, STA_IF = 1, 0


class WLAN:
    AP_IF, STA_IF, PM_NONE = 1, 0, 0
    up = True
    asked = 0

    def __init__(self, interface=0):
        self.opens = interface == AP_IF

    def config(self, **given):
        if "authmode" in given:
            raise ValueError("unknown config param")
        if "security" in given:
            note("wlan", 0, len(given["password"]))

    def active(self, on):
        pass

    def connect(self, name, password):
        WLAN.asked += 1
        if WLAN.asked == 2:
            # It is still looking for one.
            raise OSError(16)
        note("joins", 0, WLAN.asked)

    def isconnected(self):
        return WLAN.up
