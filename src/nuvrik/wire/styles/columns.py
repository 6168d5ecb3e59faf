"""Style ``columns``: text in columns of fixed width."""

from itertools import accumulate, pairwise

from nuvrik.plan.form.frame_texts import ColumnsFrame
from nuvrik.plan.form.models import Link
from nuvrik.wire.styles.text import TextStyle


class Columns(TextStyle):
    """Fields by their places."""

    def __init__(self, link: Link) -> None:
        assert isinstance(link.frame, ColumnsFrame)
        super().__init__(link, link.frame)
        self._cuts = [0, *accumulate(form.longest for form in link.frame.forms(link.channels))]

    def split(self, text: bytes) -> list[bytes]:
        # Of another length nothing can be said about where its columns are.
        cuts = self._cuts
        return [text[start:end] for start, end in pairwise(cuts)] if len(text) == cuts[-1] else []
