"""A fast path, held to the stream decoder by tests/test_inspect.py. Whole captures at once: the same frames
as the stream decoder finds, worked out column by column.

Only for packed frames on a stream of bytes; the few that are not ordinary commands go through the ordinary
reader. Feed pieces of any size; memory is bounded by the piece."""

from binascii import crc_hqx
from collections import Counter
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from nuvrik.levels import FULL
from nuvrik.plan.form.frame_base import MAX_BODY
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import layout_tag
from nuvrik.wire.cobs import unstuff
from nuvrik.wire.codes import decode_table
from nuvrik.wire.events import Frame, RefusedFrame
from nuvrik.wire.kinds import ALL_KINDS, COMMAND, HELLO, STOP
from nuvrik.wire.messages import from_the_machine, only_asks
from nuvrik.wire.packing import Field, Packer
from nuvrik.wire.sealed import SHORTEST_BODY, VERSION, SealedReader

Bytes = NDArray[np.uint8]
BLOCK = 1 << 15
"""Frames worked on together: few enough that their columns stay in the processor's cache."""

FIRST_FIELD_BIT = 32
"""Behind kind and version, pair, layout and sequence, a byte each."""


class Bulk(NamedTuple):
    """The commands in a piece of a stream: ``at`` is the offset of each, ``seq`` its sequence number, and
    ``values`` a column a channel: fractions of full scale with NaN for *no reading*, whole numbers for
    flags, choices and counts. ``kinds`` and ``refused`` count everything that was heard."""

    at: NDArray[np.int64]
    seq: Bytes
    values: dict[str, NDArray[np.float64]]
    kinds: Counter[int]
    refused: Counter[str]
    lost: int


class BulkDecoder:
    """Takes a capture in pieces. Raises ValueError for a link whose frames are no stream of packed ones."""

    def __init__(self, link: Link) -> None:
        if link.frame.style != "packed":
            raise ValueError(f"style {link.frame.style} cannot be decoded in bulk; packed can")
        if link.authenticated:
            raise ValueError("frames with a key are looked at one by one, and cannot be decoded in bulk")
        packer = Packer(link)
        self._fields = packer.fields
        self._padding = (FIRST_FIELD_BIT + packer.bits, 8 * packer.size - packer.bits)
        self._length = SHORTEST_BODY + packer.size
        tag = layout_tag(link)
        self._head = (VERSION << 4 | COMMAND, link.frame.pair, tag & 0xFF)
        self._reader = SealedReader(link, ALL_KINDS)
        self._crc = _crc_tables(self._length)
        self._crc_of_zeros = crc_hqx(bytes(self._length), tag)
        self._tables = [_value_table(field) for field in self._fields]
        self._held = b""
        self._at = 0
        self._last: int | None = None
        self._last_answer: int | None = None
        self._skipping = False

    def feed(self, data: bytes) -> Bulk:
        """The commands in the next piece."""
        data = self._held + data
        raw = np.frombuffer(data, np.uint8)
        ends = np.flatnonzero(raw == 0)
        kept = int(ends[-1]) + 1 if len(ends) else 0
        starts = np.concatenate(([0], ends[:-1] + 1)) if len(ends) else np.zeros(0, np.int64)
        lengths = ends - starts
        if self._skipping and len(ends):
            lengths[0], self._skipping = 0, False  # the rest of what was said to be too long
        refused: Counter[str] = Counter()
        ordinary = starts[lengths == self._length + 1]
        seqs, values, sound = self._commands(raw, ordinary)
        rest = np.flatnonzero((lengths > 0) & (lengths != self._length + 1))
        others = [(int(starts[i]), data[starts[i] : ends[i]]) for i in rest]
        others += [(int(at), data[at : at + self._length + 1]) for at in ordinary[~sound]]
        others.sort()
        found, frames = self._one_by_one(others, refused)
        bulk = self._in_order(ordinary[sound], seqs, values, found, frames, refused)
        self._hold(data[kept:], refused)
        self._at += len(data) - len(self._held)
        return bulk

    def _hold(self, rest: bytes, refused: Counter[str]) -> None:
        if len(rest) > MAX_BODY + 1:
            refused["too_long"] += not self._skipping
            self._skipping, rest = True, b""
        self._held = rest if not self._skipping else b""

    def _commands(
        self, raw: Bytes, starts: NDArray[np.int64]
    ) -> tuple[Bytes, list[NDArray[np.float64]], NDArray[np.bool_]]:
        """Sequence numbers and values of the sound ones among frames of the ordinary length."""
        sound = np.zeros(len(starts), bool)
        seqs: list[Bytes] = []
        columns: list[list[NDArray[np.float64]]] = [[] for _ in self._fields]
        reach = np.arange(self._length + 1)
        for first in range(0, len(starts), BLOCK):
            block = starts[first : first + BLOCK]
            # One row a byte of the frame, so that every step below runs along memory.
            rows = np.ascontiguousarray(raw[block[:, None] + reach].T)
            good = self._unstuffed(rows)
            body = rows[1:]
            check = np.full(len(block), self._crc_of_zeros, np.uint16)
            for place, table in enumerate(self._crc):
                check ^= table[body[place]]
            good &= check == 0
            for place, wanted in enumerate(self._head):
                good &= body[place] == wanted
            good &= self._possible(body)
            sound[first : first + BLOCK] = good
            body = body[:, good]
            seqs.append(body[3])
            for column, field, meanings in zip(columns, self._fields, self._tables, strict=True):
                column.append(meanings[_bits(body, FIRST_FIELD_BIT + field.offset, field.bits)])
        joined = [np.concatenate(column) if column else np.zeros(0) for column in columns]
        return np.concatenate(seqs) if seqs else np.zeros(0, np.uint8), joined, sound

    def _unstuffed(self, rows: Bytes) -> NDArray[np.bool_]:
        """Put the zeros back where the codes say; False where the codes do not add up."""
        place = rows[0].astype(np.int64)
        end = len(rows)
        under_way = np.flatnonzero(place < end)
        while len(under_way):
            here = place[under_way]
            step = rows[here, under_way].astype(np.int64)
            rows[here, under_way] = 0
            place[under_way] = here + step
            under_way = under_way[place[under_way] < end]
        whole: NDArray[np.bool_] = place == end
        return whole

    def _possible(self, body: Bytes) -> NDArray[np.bool_]:
        start, bits = self._padding
        possible = np.ones(body.shape[1], bool)
        if bits:
            possible &= _bits(body, start, bits) == 0
        for field in self._fields:
            if field.options and len(field.options) < 1 << field.bits:
                possible &= _bits(body, FIRST_FIELD_BIT + field.offset, field.bits) < len(field.options)
        return possible

    def _one_by_one(
        self, pieces: list[tuple[int, bytes]], refused: Counter[str]
    ) -> tuple[list[int], list[Frame]]:
        """What is no sound ordinary command, by the ordinary reader, without regard to sequence."""
        places, frames = [], []
        for at, piece in pieces:
            self._reader.forget()
            if len(piece) > MAX_BODY + 1:
                refused["too_long"] += 1
                continue
            body = unstuff(piece)
            event = (
                RefusedFrame(at, "stuffing", piece) if body is None else self._reader.judge(body, piece, at)
            )
            if isinstance(event, RefusedFrame):
                refused[event.reason] += 1
            else:
                places.append(at)
                frames.append(event)
        return places, frames

    def _in_order(
        self,
        starts: NDArray[np.int64],
        seqs: Bytes,
        values: list[NDArray[np.float64]],
        places: list[int],
        frames: list[Frame],
        refused: Counter[str],
    ) -> Bulk:
        """Sequence numbers last: of everything that each end sent, in the order in which it came."""
        sent: list[tuple[int, Frame]] = []
        kinds: Counter[int] = Counter()
        for at, frame in zip(places, frames, strict=True):
            if only_asks(frame.values):
                kinds[HELLO] += 1
            elif not from_the_machine(frame.kind, frame.values):
                sent.append((at, frame))
            elif self._next(frame, self._last_answer, kinds, refused):
                self._last_answer = frame.seq
        first = self._last if self._last is not None else int(seqs[0]) - 1 if len(seqs) else 0
        steps = np.concatenate(([first], seqs[:-1])).astype(np.int64)[: len(seqs)]
        steps = (seqs - steps) & 0xFF
        if sent or (len(steps) and ((steps == 0) | (steps >= 128)).any()):
            keep, lost = self._one_after_another(starts, seqs, sent, kinds, refused)
        else:
            keep = np.ones(len(seqs), bool)
            lost = int(steps.sum() - len(steps)) if len(steps) else 0
            self._last = int(seqs[-1]) if len(seqs) else self._last
        kinds[COMMAND] = int(keep.sum())
        columns = {
            field.name: column if keep.all() else column[keep]
            for field, column in zip(self._fields, values, strict=True)
        }
        return Bulk(starts[keep] + self._at, seqs[keep], columns, +kinds, refused, lost)

    def _next(self, frame: Frame, last: int | None, kinds: Counter[int], refused: Counter[str]) -> int:
        """How far ahead of the last of its sender a frame is; 0 if it is not, or is a stop out of order."""
        ahead = 1 if last is None else ((frame.seq or 0) - last) & 0xFF
        newer = 0 < ahead < 128
        if newer or frame.kind == STOP:
            kinds[frame.kind] += 1
        else:
            refused["out_of_order" if ahead else "repeated"] += 1
        return ahead if newer else 0

    def _one_after_another(
        self,
        starts: NDArray[np.int64],
        seqs: Bytes,
        sent: list[tuple[int, Frame]],
        kinds: Counter[int],
        refused: Counter[str],
    ) -> tuple[NDArray[np.bool_], int]:
        keep = np.zeros(len(seqs), bool)
        order: list[tuple[int, int, Frame]] = [(at, -1, frame) for at, frame in sent]
        order += [
            (int(at), place, Frame(int(at), COMMAND, int(seq), (), b""))
            for place, (at, seq) in enumerate(zip(starts, seqs, strict=True))
        ]
        lost = 0
        for _, place, frame in sorted(order):
            ahead = self._next(frame, self._last, kinds, refused)
            if not ahead:
                continue
            self._last, lost = frame.seq, lost + ahead - 1
            if place >= 0:
                keep[place] = True
        return keep, lost


def _bits(body: Bytes, start: int, bits: int) -> NDArray[np.int32]:
    """A field of at most 16 bits out of rows of bytes."""
    byte, shift = divmod(start, 8)
    number = body[byte].astype(np.int32)
    for more in range(1, (shift + bits + 7) // 8):
        number |= body[byte + more].astype(np.int32) << (8 * more)
    wanted: NDArray[np.int32] = number >> shift & ((1 << bits) - 1)
    return wanted


def _crc_tables(length: int) -> list[NDArray[np.uint16]]:
    """What each byte at each place adds to the CRC of a frame. The CRC is linear: that of the whole is the
    exclusive or of these and of the CRC of so many zeros."""
    return [
        np.array([crc_hqx(bytes((byte,)) + bytes(length - 1 - place), 0) for byte in range(256)], np.uint16)
        for place in range(length)
    ]


def _value_table(field: Field) -> NDArray[np.float64]:
    """What each code of a field means."""
    if field.scaled:
        meanings = decode_table(field.kind, field.bits)
        return np.array([np.nan if value is None else value / FULL for value in meanings])
    return np.arange(1 << field.bits, dtype=np.float64)
