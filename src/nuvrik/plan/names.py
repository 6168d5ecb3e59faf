"""What counts as a name."""

import re

from nuvrik.plan.base import NAME_PATTERN

_NAME = re.compile(NAME_PATTERN)


def is_name(text: str) -> bool:
    """Whether ``text`` may name a control, a channel or an output."""
    return _NAME.fullmatch(text) is not None and "\n" not in text
