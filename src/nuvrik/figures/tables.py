"""Captures as pandas tables."""

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from nuvrik.inspection.bulk import BulkDecoder
from nuvrik.plan.form.models import Link

if TYPE_CHECKING:
    from pandas import DataFrame

PIECE = 1 << 22
"""Bytes read at a time, so that a capture of any length needs little memory."""


def frames_table(link: Link, capture: bytes | str | Path) -> "DataFrame":
    """The commands in a capture of raw bytes (or in the file of that name), a row each.

    Columns: ``at`` (byte offset) and ``seq``, then a column a channel: levels and shares as fractions of full
    scale with NaN for *no reading*, flags, choices and counts as whole numbers. ``attrs`` of the table holds
    ``refused`` (by reason), ``lost`` and ``kinds``. Raises ValueError for a style other than packed, OSError
    for a file that cannot be read.
    """
    import pandas as pd

    data = capture if isinstance(capture, bytes) else Path(capture).read_bytes()
    decoder = BulkDecoder(link)
    parts = [decoder.feed(data[start : start + PIECE]) for start in range(0, max(len(data), 1), PIECE)]
    columns: dict[str, object] = {
        "at": np.concatenate([part.at for part in parts]),
        "seq": np.concatenate([part.seq for part in parts]),
    }
    for name, channel in link.channels.items():
        column = np.concatenate([part.values[name] for part in parts])
        columns[name] = column if channel.scaled else column.astype(np.int32)
    table = pd.DataFrame(columns)
    table.attrs["refused"] = dict(sum((part.refused for part in parts), parts[0].refused.__class__()))
    table.attrs["kinds"] = dict(sum((part.kinds for part in parts), parts[0].kinds.__class__()))
    table.attrs["lost"] = sum(part.lost for part in parts)
    return table
