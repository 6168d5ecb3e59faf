"""A handset's commands as one table: in every style, on a stream or in packets."""

from nuvrik.core.frames.keys import ChooserTable
from nuvrik.core.frames.writer import WriterTable
from nuvrik.core.levels import FULL, NOBODY
from nuvrik.levels import level_of
from nuvrik.plan.form.models import Link
from nuvrik.plan.per_link import per_link
from nuvrik.plan.tables.ends import sender_table
from nuvrik.plan.tables.made import made
from nuvrik.plan.tables.styles import channel_tables, keys_table, text_table, train_table
from nuvrik.plan.wiring import staying_channels


def writer_table(link: Link, *, stream: bool) -> WriterTable:
    """How commands are written."""
    stay = staying_channels(link)
    return made(
        WriterTable,
        sender=sender_table(link, stream=stream),
        channels=channel_tables(link),
        text=text_table(link),
        keys=chooser_table(link),
        train=train_table(link),
        stays=[name in stay for name in link.channels],
        way_out=link.frame.way_out,
        guarded=bool(link.guard_bytes),
    )


@per_link
def chooser_table(link: Link) -> ChooserTable:
    """How a key is chosen. A flag that is wrong weighs as much as a level that is wrong by full."""
    arm = link.arm_channel
    weights = [1 if one.scaled else FULL // max(1, one.most) for one in link.channels.values()]
    return made(
        ChooserTable,
        keys=keys_table(link),
        weights=weights,
        arm=list(link.channels).index(arm) if arm else NOBODY,
        trembles=level_of(link.failsafe.rest_band),
    )
