"""Styles with head and check: ``packed`` and ``slip``."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import Field

from nuvrik.core.frames.incoming import IN_COBS, IN_SLIP
from nuvrik.core.frames.writer import OUT_SEALED
from nuvrik.plan.form.channels import AnyChannel
from nuvrik.plan.form.frame_base import Bound


class _SealedFrame(Bound):
    way_out: ClassVar[int] = OUT_SEALED
    pair: int = Field(
        ge=1, le=255, description="the number both ends share and no neighbour should, 1 to 255"
    )

    key_file: str | None = Field(
        default=None,
        min_length=1,
        max_length=200,
        description="a file with the link's key, beside this one: only ends that have it are obeyed",
    )

    @property
    def sealed(self) -> bool:
        """Yes."""
        return True

    @property
    def key_name(self) -> str | None:
        """The file that has its key."""
        return self.key_file

    @property
    def says_no_reading(self) -> bool:
        """Yes."""
        return True

    def command_bytes(self, channels: Mapping[str, AnyChannel], guard_bytes: int = 0) -> int:
        """Head, guard, payload, check."""
        bits = sum(channel.bits for channel in channels.values())
        return self.around_bytes + guard_bytes + (bits + 7) // 8


class PackedFrame(_SealedFrame):
    """``style = "packed"``: channels packed bit by bit, with head and check."""

    way_in: ClassVar[int] = IN_COBS
    style: Literal["packed"] = Field(description='"packed" is the frame style with every protection')
    lead_in: bool = Field(
        default=True,
        description="on a stream, a zero before each frame too: noise on an idle line spoils only itself",
    )

    def stream_bytes(self, body: int) -> int:
        """One code in front, as no body is longer than a run may be, and a zero behind."""
        return body + 2 + self.lead_in


class SlipFrame(_SealedFrame):
    """``style = "slip"``: the same frames as packed, kept apart as RFC 1055 says."""

    way_in: ClassVar[int] = IN_SLIP
    style: Literal["slip"] = Field(description='"slip" has every protection too, and RFC 1055 between frames')
    lead_in: bool = Field(
        default=True,
        description="an END before each frame too: noise on an idle line spoils only itself",
    )

    def stream_bytes(self, body: int) -> int:
        """Twice as many, if every byte has to be escaped."""
        return 2 * body + 1 + self.lead_in
