"""What an authenticated link has to know of its frames, as a table. The key itself is in none."""

from functools import cache

from nuvrik.core.cmac import FOLDS, CipherTable
from nuvrik.core.loops.hearing import WHO_BYTES
from nuvrik.core.session import SessionTable
from nuvrik.plan.form.models import Link
from nuvrik.plan.layout import layout_tag, open_room
from nuvrik.plan.per_link import per_link
from nuvrik.plan.tables.made import made


@cache
def substitutes() -> tuple[int, ...]:
    """What AES puts in place of each byte (FIPS 197, section 5.1.1): its inverse in the field of 256
    elements, and then five turns of that and 63 in hex added up."""
    powers = [1]
    for _ in range(254):
        twice = powers[-1] << 1
        powers.append((twice & 0xFF ^ (FOLDS if twice > 0xFF else 0)) ^ powers[-1])
    logs = {power: at for at, power in enumerate(powers)}
    inverses = [0] + [powers[(255 - logs[byte]) % 255] for byte in range(1, 256)]
    return tuple(
        0x63 ^ one ^ _turned(one, 1) ^ _turned(one, 2) ^ _turned(one, 3) ^ _turned(one, 4) for one in inverses
    )


def _turned(byte: int, by: int) -> int:
    return (byte << by | byte >> 8 - by) & 0xFF


@per_link
def session_table(link: Link) -> SessionTable:
    """Of a link without a key there is nothing to know."""
    authenticated, rules = link.authenticated, link.failsafe
    return made(
        SessionTable,
        cipher=made(CipherTable, box=[*substitutes()] if authenticated else []),
        authenticated=authenticated,
        timeout_ms=rules.timeout_ms,
        guard_ms=rules.delay_guard_ms or 0,
        recent=min(255, -(-rules.timeout_ms // link.period_ms) + 1) if authenticated else 0,
        tag=layout_tag(link),
        opens=authenticated and open_room(link.medium, link.frame) >= WHO_BYTES,
    )
