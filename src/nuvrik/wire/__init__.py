"""Channels to bytes and back, and everything else that travels.

``codes`` turns one value into the bits that travel, ``packing`` a set of values into a payload,
``messages`` and ``items`` what is no command; ``sealed`` puts head and check around a payload, ``cobs`` and
``slip`` make it fit for a stream, ``text`` and ``keys`` speak what a board already speaks. ``frames`` makes
frames in any style; ``decoder`` undoes it all for whatever arrives, and says of every byte sequence it
refuses why. ``bulk`` does so for whole captures, ``describe`` and ``diagnosis`` put it into words,
``statistics`` counts, ``undetected`` tries what damage does. docs/wire-format.md is the same in prose.
"""
