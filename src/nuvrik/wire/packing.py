"""A fast path, held to core by tests/test_traces.py. A set of channel values to a payload, and back: declared
order, least significant bit first.

Packing runs once for every frame, so a ``Packer`` writes, once, the two expressions that a person would write
by hand for exactly these channels, and compiles them. Only integers and the names of local look-ups go into
that text, never anything from the link file."""

from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from types import CodeType
from typing import Any, NamedTuple

from nuvrik.plan.form.channels import SCALED, Channel, ChoiceChannel
from nuvrik.plan.form.models import Link
from nuvrik.wire.bits import put, whole_bytes
from nuvrik.wire.codes import Value, decode_table, encode, encode_table, value_range

Values = tuple[Value, ...]
"""One value a channel, in declared order."""


class Field(NamedTuple):
    """Where one channel sits in the payload: ``offset`` is its lowest bit."""

    name: str
    kind: str
    bits: int
    offset: int
    options: tuple[str, ...] = ()

    @property
    def scaled(self) -> bool:
        """Whether its value is a part of full scale."""
        return self.kind in SCALED

    @property
    def looked_up(self) -> bool:
        """Whether a table says what its codes mean: one of them says that there is none."""
        return self.scaled or self.kind == "choice"


def fields_of(channels: Mapping[str, Channel], offset: int = 0) -> tuple[Field, ...]:
    """The place of every channel, in declared order; ``offset`` is the first one's."""
    fields = []
    for name, channel in channels.items():
        options = tuple(channel.options) if isinstance(channel, ChoiceChannel) else ()
        fields.append(Field(name, channel.kind, channel.bits, offset, options))
        offset += channel.bits
    return tuple(fields)


class Packer:
    """Packs and unpacks the command payload of one link.

    ``pack(values)`` takes one value a channel in declared order and gives the payload, ``size``
    bytes; it raises ValueError for a value out of range. ``unpack(number)`` does the opposite on a
    whole body read as one little-endian number; it gives None where padding is not zero or a choice
    is impossible. Where a delay guard takes the first byte, that is left 0 and not looked at.
    """

    SHIFT = 32
    """The payload's first bit in such a number: it follows the 4 bytes of the head."""

    def __init__(self, link: Link) -> None:
        guard_bits = 8 * link.guard_bytes
        self.fields = fields_of(link.channels, guard_bits)
        self.bits = guard_bits + sum(field.bits for field in self.fields)
        self.size = whole_bytes(self.bits)
        self.pack: Callable[[Sequence[Value]], bytes] = self._compiled_pack()
        self.unpack: Callable[[int], Values | None] = self._compiled_unpack()

    def _compiled_pack(self) -> Callable[[Sequence[Value]], bytes]:
        names: dict[str, Any] = {"slowly": self._pack_slowly}
        limbs, sound, flags = [], [], []
        for start, members in self._limbs():
            codes = []
            for index in members:
                field, code = self.fields[index], f"v{index}"
                if field.kind == "count":
                    code = f"(v{index} & {(1 << field.bits) - 1})"
                elif field.kind == "flag":
                    flags.append(code)
                else:
                    least, most = value_range(field.kind, len(field.options) or 2)
                    sound.append(f"{least} <= v{index} <= {most}")
                if field.scaled:
                    names[f"t{index}"] = encode_table(field.kind, field.bits)
                    code = f"t{index}[v{index}]"
                codes.append(f"{code} << {field.offset - start}" if field.offset > start else code)
            limbs.append((start, f"({' | '.join(codes)})"))
        if flags:  # all at once: each is 0 or 1 exactly if their union is
            sound.append(f"0 <= {' | '.join(flags)} <= 1")
        values = "".join(f"v{index}, " for index in range(len(self.fields)))
        packed = _joined(limbs) if not limbs[0][0] else f"({_joined(limbs)} << {limbs[0][0]})"
        # A None fails the comparison; a fraction the look-up, the shift or to_bytes: all end in the slow way.
        source = f"""def pack(values, {_as_locals(names)}):
            {values}= values
            try:
                if {" and ".join(sound) or True}: return {packed}.to_bytes({self.size}, "little")
            except (TypeError, AttributeError):
                pass
            return slowly(values)"""
        pack: Callable[[Sequence[Value]], bytes] = _compile(source, names)
        return pack

    def _pack_slowly(self, values: Sequence[Value]) -> bytes:
        """The same, value by value: for no readings, and to say which value is out of range."""
        spare = [(0, self.fields[0].offset)]
        coded = zip(self.fields, values, strict=True)
        return put([*spare, *((_encode_value(field, value), field.bits) for field, value in coded)])

    def _compiled_unpack(self) -> Callable[[int], Values | None]:
        names: dict[str, Any] = {}
        lines, parts, refused = [], [], []
        for limb, (start, members) in enumerate(self._limbs()):
            lines.append(f" w{limb} = number >> {self.SHIFT + start} & {(1 << LIMB_BITS) - 1}\n")
            for index in members:
                field = self.fields[index]
                mask = (1 << field.bits) - 1
                code = f"w{limb} >> {field.offset - start} & {mask}"
                if field.looked_up:
                    names[f"t{index}"] = decode_table(field.kind, field.bits)
                    parts.append(f"t{index}[{code}]")
                else:
                    parts.append(code)
                if field.options and len(field.options) < mask:
                    refused.append(f"{len(field.options)} <= ({code}) < {mask}")
        # Padding has to be zero: what is not is not ours, whatever its check says.
        padding = self.size * 8 - self.bits
        if padding:
            refused.append(f"number >> {self.SHIFT + self.bits} & {(1 << padding) - 1}")
        refusal = f" if {' or '.join(refused)}: return None\n" if refused else ""
        values = "".join(f"{part}, " for part in parts)
        source = f"def unpack(number, {_as_locals(names)}):\n{''.join(lines)}{refusal} return ({values})"
        unpack: Callable[[int], Values | None] = _compile(source, names)
        return unpack

    def _limbs(self) -> list[tuple[int, list[int]]]:
        """The fields in groups that span at most LIMB_BITS: the first bit, and the fields' indices.
        Python's integers are several times faster while they fit in one internal digit."""
        limbs: list[tuple[int, list[int]]] = []
        for index, field in enumerate(self.fields):
            if not limbs or field.offset + field.bits - limbs[-1][0] > LIMB_BITS:
                limbs.append((field.offset, []))
            limbs[-1][1].append(index)
        return limbs


LIMB_BITS = 30
"""What one internal digit of a Python integer holds."""


def _joined(limbs: list[tuple[int, str]]) -> str:
    """One expression for limbs at their first bits: halves of halves, so that few steps are long."""
    if len(limbs) == 1:
        return limbs[0][1]
    half = (len(limbs) + 1) // 2
    apart = limbs[half][0] - limbs[0][0]
    return f"({_joined(limbs[:half])} | {_joined(limbs[half:])} << {apart})"


def _encode_value(field: Field, value: Value) -> int:
    try:
        return encode(value, field.kind, field.bits, len(field.options) or 2)
    except ValueError as error:
        raise ValueError(f"{field.name}: {error}") from None


def _as_locals(names: dict[str, Any]) -> str:
    """Parameters that nobody passes: look-ups of locals are the quickest there are."""
    return ", ".join(f"{name}={name}" for name in names)


@lru_cache(maxsize=32)
def _code(source: str) -> CodeType:
    """Every end of one link has the same; a rehearsal makes thousands of ends."""
    return compile(source, "<packing>", "exec")


def _compile(source: str, names: dict[str, Any]) -> Any:
    scope = dict(names)
    exec(_code(source), scope)
    return scope[source.split("(")[0].removeprefix("def ")]


def quantised(value: Value, field: Field) -> Value:
    """What the other end reads when ``value`` is sent through ``field``."""
    code = _encode_value(field, value)
    return decode_table(field.kind, field.bits)[code] if field.looked_up else code
