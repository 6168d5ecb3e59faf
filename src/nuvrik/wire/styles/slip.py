"""Style ``slip``: the same bodies as packed, kept apart as RFC 1055 says (``wire.slip``)."""

from nuvrik.plan.form.frame_base import MAX_BODY
from nuvrik.plan.form.frame_headed import SlipFrame
from nuvrik.plan.form.models import Link
from nuvrik.wire.events import Event
from nuvrik.wire.sealed import Framing
from nuvrik.wire.slip import END, escape, unescape
from nuvrik.wire.styles.headed import HeadedStyle
from nuvrik.wire.styles.style import Mark


class Slip(HeadedStyle):
    """Bodies between ENDs."""

    end = END
    framing = Framing(end, 2 * MAX_BODY, unescape)

    def __init__(self, link: Link) -> None:
        super().__init__(link)
        assert isinstance(link.frame, SlipFrame)
        self._lead = END if link.frame.lead_in else b""

    def wrapped(self, body: bytes) -> bytes:
        return self._lead + escape(body) + END

    def stream_marks(self, event: Event, raw: bytes) -> list[Mark]:
        body = unescape(raw)
        if body is None:
            return [Mark(raw, "an escape before a byte that needs none")]
        return [*self.body_marks(event, body), Mark(END, "end of frame")]
