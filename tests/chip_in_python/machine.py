"""A stand-in for MicroPython's ``machine``: pins, PWM, converters, a line, a timer and a watchdog that say
what is done to them and when, on the interpreter for Unix.

``NUVRIK_PINS`` names a file for what is written, CSV ``t_us,what,pin,value``; without it nothing is noted and
nothing allocated. ``NUVRIK_LINE`` names the device of the line. With ``NUVRIK_SCRIPT``, a file of what
happens from outside, time is the script's own: it goes on only while the program idles (see ``time.py``
here), so that what comes of it does not depend on how fast anything is. ``-`` is a script that is told piece
by piece: events, a line each, and ``go US``; whoever tells it reads ``@`` when that time has come."""

import builtins
import os
import select
import sys

_script = os.getenv("NUVRIK_SCRIPT")
_pins = os.getenv("NUVRIK_PINS")
_note = open(_pins, "w") if _pins else None

PWRON_RESET, HARD_RESET, WDT_RESET = 1, 2, 3
_cause = int(os.getenv("NUVRIK_CAUSE") or PWRON_RESET)


class Clock:
    """Virtual microseconds."""

    us = 0
    until = 0
    events = []

    @staticmethod
    def hear(line):
        words = line.split()
        if words[0] == "go":
            Clock.until = int(words[1])
            return True
        Clock.events.append((int(words[0]), words[1], words[2:]))
        return False

    @staticmethod
    def wait():
        print("@")
        while not Clock.hear(sys.stdin.readline() or "0 end\ngo 1"):
            pass


if _script == "-":
    Clock.wait()
elif _script:
    with open(_script) as file:
        for _line in file:
            Clock.hear(_line)
if _script:

    def ticks_us():
        return Clock.us & 0x3FFFFFFF

    def ticks_ms():
        return Clock.us // 1000 & 0x3FFFFFFF
else:
    from time import sleep_us, ticks_us

_began = ticks_us()


def note(what, pin, value):
    """Say what has been done."""
    if _note is not None:
        _note.write("%d,%s,%d,%d\n" % (ticks_us() - _began & 0x3FFFFFFF, what, pin, value))
        _note.flush()


def reset_cause():
    return _cause


def idle():
    """In virtual time, go on to whatever comes next; in real time, give the machine to others."""
    if not _script:
        sleep_us(100)
        Timer.look()
        return
    if _script == "-" and Clock.us >= Clock.until:
        Clock.wait()
    until = Clock.us + 250
    while Clock.events and Clock.events[0][0] <= until:
        at, what, words = Clock.events.pop(0)
        Clock.us = at if at > Clock.us else Clock.us
        happen(what, words)
    Clock.us = until
    Timer.look()


def happen(what, words):
    """Something from outside."""
    if what == "line":
        UART.came += bytes(int(words[0][k : k + 2], 16) for k in range(0, len(words[0]), 2))
    elif what == "pin":
        Pin.outside(int(words[0]), int(words[1]))
    elif what == "volts":
        ADC.values[int(words[0])] = int(words[1])
    elif what == "air" and SPI.chip is not None:
        SPI.arrives(bytes(int(words[0][k : k + 2], 16) for k in range(0, len(words[0]), 2)))
    elif what == "radio":
        # Its chip is gone, as these bytes have it; or there again, as when power comes.
        SPI.chip.absent = int(words[0]) if words else None
        SPI.chip.power(ticks_us())
    elif what == "air":
        Radio.came.append(bytes(int(words[0][k : k + 2], 16) for k in range(0, len(words[0]), 2)))
    elif what == "wlan":
        from network import WLAN

        WLAN.up = words[0] == "1"
    elif what == "end":
        sys.exit(0)


class Radio:
    """Packets that have come through the air, and a note of those that go there; for a test's
    ``radio.py``."""

    came = []

    @staticmethod
    def give(packet, count):
        note_bytes("air", packet, count)


def note_bytes(what, data, count):
    """Say what has been sent."""
    if _note is not None:
        sent = "".join("%02x" % one for one in data[:count])
        _note.write("%d,%s,0,%s\n" % (ticks_us() - _began & 0x3FFFFFFF, what, sent))
        _note.flush()


class Pin:
    IN, OUT, PULL_UP, IRQ_RISING, IRQ_FALLING = 0, 1, 2, 1, 2
    every = {}

    def __init__(self, number, mode=IN, pull=0, value=None):
        self.number, self.at, self.handler = number, 1 if pull else 0, None
        before = Pin.every.get(number)
        if before is not None:
            self.at = before.at
        Pin.every[number] = self
        if value is not None:
            self.value(value)

    def value(self, to=None):
        if to is None:
            if SPI.chip is not None and self.number == SPI.pins[2]:
                return SPI.chip.irq(ticks_us())
            return self.at
        if SPI.chip is not None and self.number in SPI.pins[:2]:
            (SPI.chip.csn if self.number == SPI.pins[0] else SPI.chip.ce)(bool(to), ticks_us())
            return None
        self.set(to)
        return None

    def set(self, to):
        if self.at != to or _note is not None:
            self.at = 1 if to else 0
            note("pin", self.number, self.at)

    def irq(self, handler, trigger):
        self.handler = handler

    @staticmethod
    def outside(number, level):
        one = Pin.every.get(number)
        if one is None:
            one = Pin(number)
        if one.at != level:
            one.at = level
            if one.handler is not None:
                one.handler(one)


class PWM:
    def __init__(self, pin, freq, duty_u16):
        self.pin, self.on = pin, 0
        note("freq", pin.number, freq)
        self.duty_u16(duty_u16)

    def duty_u16(self, on):
        self.on = on
        Pin.every[self.pin.number].at = 1 if on else 0
        note("duty", self.pin.number, on)

    def duty_ns(self, ns):
        self.on = ns
        Pin.every[self.pin.number].at = 1 if ns else 0
        note("pulse", self.pin.number, ns // 1000)


class ADC:
    values = {}

    def __init__(self, pin):
        self.number = pin.number

    def read_u16(self):
        return ADC.values.get(self.number, 0)


class UART:
    came = b""

    def __init__(self, number, baudrate, timeout, rxbuf, txbuf, tx=None, rx=None):
        self.kept = bytearray(1)
        self.device = None
        name = os.getenv("NUVRIK_LINE")
        if name and not _script:
            self.device = builtins.open(name, "r+b")
            self.poll = select.poll()
            self.poll.register(self.device, select.POLLIN)

    def readinto(self, into):
        if _script:
            count = min(len(into), len(UART.came))
            for i in range(count):
                into[i] = UART.came[i]
            UART.came = UART.came[count:] if count else UART.came
            return count or None
        count = 0
        while self.device is not None and count < len(into):
            ready = False
            for _ in self.poll.ipoll(0):
                ready = True
            if not ready or not self.device.readinto(self.kept):
                break
            into[count] = self.kept[0]
            count += 1
        if count:
            note("heard", 0, count)
        return count or None

    def write(self, frame, count):
        frame = memoryview(frame)
        if _script:
            note_bytes("line", frame, count)
        elif self.device is not None:
            self.device.write(frame, count)

    def txdone(self):
        return True


class SPI:
    """The bus, and a radio chip on it where ``NUVRIK_RADIO`` names its pins: select, enable, news."""

    chip = None
    pins = ()

    def __init__(self, number, baudrate, polarity, phase, sck=None, mosi=None, miso=None):
        pass

    def write_readinto(self, given, into):
        at = ticks_us()
        for k, byte in enumerate(bytes(memoryview(given))):
            into[k] = SPI.chip.exchange(byte, at)

    @staticmethod
    def arrives(payload):
        """A packet for it ends now, if it could hear it."""
        chip, us = SPI.chip, ticks_us()
        chip.irq(us)
        sent = _radio.Sent(None, us - 1000, us, chip.how + (chip.hears_at[1],), payload)  # noqa: RUF005
        if chip.could_hear(sent):
            chip.arrive(sent)


if os.getenv("NUVRIK_RADIO"):
    import radio_chip as _radio

    class _Air(_radio.Ether):
        def _deliver(self, sent):
            note_bytes("air", sent.payload, len(sent.payload))

    SPI.pins = tuple(int(one) for one in os.getenv("NUVRIK_RADIO").split(","))
    SPI.chip = _radio.RadioChip(_Air())


class Timer:
    every = []

    def __init__(self, number):
        self.number, self.callback, self.due, self.us = number, None, 0, 0

    PERIODIC = 1

    def init(self, freq=0, callback=None, period=0, mode=1):
        self.callback, self.us, self.due = callback, 1000 * period or 1000000 // freq, ticks_us()
        Timer.every.append(self)

    def deinit(self):
        Timer.every.remove(self)

    @staticmethod
    def look():
        for one in Timer.every:
            while ticks_us() - one.due >= one.us:
                one.due += one.us
                one.callback(one)


class WDT:
    def __init__(self, timeout):
        note("watchdog", 0, timeout)

    def feed(self):
        note("alive", 0, 1)
