"""Channels to bytes and back.

``codes`` turns one value into the bits that travel, ``packing`` a set of values into a payload,
``frames`` adds head and check, ``cobs`` makes a frame fit for a stream, and ``decoder`` undoes it
all for whatever arrives, saying of every byte sequence it refuses why. docs/wire-format.md is the
same in prose.
"""
