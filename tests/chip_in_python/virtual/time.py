"""Time that goes on only while the program idles; see ``machine.py`` beside this folder."""

from machine import Clock, ticks_ms, ticks_us  # noqa: F401


def ticks_diff(now, before):
    return (now - before + 0x20000000 & 0x3FFFFFFF) - 0x20000000


def ticks_add(one, more):
    return one + more & 0x3FFFFFFF


def sleep_us(us):
    Clock.us += us


def sleep_ms(ms):
    Clock.us += 1000 * ms
