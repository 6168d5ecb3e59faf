"""The frame styles, one object in one file each; ``style`` says what every one of them can do."""

from collections.abc import Callable

from nuvrik.plan.form.models import Link
from nuvrik.wire.styles.columns import Columns
from nuvrik.wire.styles.keys import KeysStyle
from nuvrik.wire.styles.line import Line
from nuvrik.wire.styles.packed import Packed
from nuvrik.wire.styles.slip import Slip
from nuvrik.wire.styles.style import Style
from nuvrik.wire.styles.train import Train

STYLES: dict[str, Callable[[Link], Style]] = {
    "packed": Packed,
    "slip": Slip,
    "line": Line,
    "columns": Columns,
    "keys": KeysStyle,
    "train": Train,
}


def style_of(link: Link) -> Style:
    """The style that a link's frames are in."""
    return STYLES[link.frame.style](link)
