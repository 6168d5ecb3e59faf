"""What follows from a link, worked out once for each."""

import functools
import weakref
from collections.abc import Callable
from typing import TypeVar

from nuvrik.plan.form.models import Link

Made = TypeVar("Made")


def per_link(make: Callable[[Link], Made]) -> Callable[[Link], Made]:
    """Keep what ``make`` makes of a link for as long as the link is there: a rehearsal makes thousands of
    ends of one."""
    kept: dict[int, tuple[weakref.ref[Link], Made]] = {}

    @functools.wraps(make)
    def kept_or_made(link: Link) -> Made:
        key = id(link)
        known = kept.get(key)
        if known is not None and known[0]() is link:
            return known[1]
        new = make(link)
        kept[key] = weakref.ref(link, lambda _: kept.pop(key, None)), new
        return new

    return kept_or_made
