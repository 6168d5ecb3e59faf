"""Style ``line``: text fields with a separator between them."""

from nuvrik.plan.form.frame_texts import LineFrame
from nuvrik.plan.form.models import Link
from nuvrik.wire.styles.text import TextStyle


class Line(TextStyle):
    """Fields between separators."""

    def __init__(self, link: Link) -> None:
        assert isinstance(link.frame, LineFrame)
        super().__init__(link, link.frame)
        self._separator = link.frame.separator.encode()

    def split(self, text: bytes) -> list[bytes]:
        return text.split(self._separator)
