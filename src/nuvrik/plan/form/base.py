"""What every part of a link file has in common."""

import re
from typing import Annotated, Any, get_args

from pydantic import BaseModel, ConfigDict, Field

NAME_PATTERN = r"^[a-z][a-z0-9_]{0,31}$"
Name = Annotated[str, Field(pattern=NAME_PATTERN)]
Millis = Annotated[int, Field(ge=0, le=30000)]
Reading = Annotated[int, Field(ge=-65535, le=65535)]
Pin = Annotated[int, Field(ge=0, le=255)]
Weight = Annotated[float, Field(ge=-2, le=2)]
Number = Annotated[float, Field(ge=-1e6, le=1e6)]
Unit = Annotated[str, Field(min_length=1, max_length=12, pattern=r"^[^\x00-\x1f\x7f]+$")]

MAX_RAW_SPAN = 65535


def is_name(text: str) -> bool:
    """Whether ``text`` may name a control, a channel or an output."""
    return re.fullmatch(NAME_PATTERN, text) is not None and "\n" not in text


def kinds_of(union: Any, key: str = "kind") -> dict[str, Any]:
    """The models of a union by the names that they have in a link file."""
    return {get_args(one.model_fields[key].annotation)[0]: one for one in get_args(union)}


class Section(BaseModel):
    """Common to every part of a link file: unknown keys refused, no silent conversions."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)
