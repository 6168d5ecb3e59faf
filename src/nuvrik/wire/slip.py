"""Frames kept apart as in RFC 1055, "A Nonstandard for Transmission of IP Datagrams over Serial Lines".

END (0xC0) ends a frame; an END or an ESC (0xDB) inside is sent as ESC ESC_END (0xDC) or ESC ESC_ESC
(0xDD). The RFC tells what to do with any other byte behind an ESC as well (keep it); here such a frame
is refused, because it was not made by a sender that keeps to the RFC.
"""

END, ESC, ESC_END, ESC_ESC = b"\xc0", b"\xdb", b"\xdb\xdc", b"\xdb\xdd"


def escape(body: bytes) -> bytes:
    """The body with no END in it; up to twice as long."""
    return body.replace(ESC, ESC_ESC).replace(END, ESC_END)


def unescape(escaped: bytes) -> bytes | None:
    """The body of an escaped frame (which holds no END); None where an ESC stands before another byte."""
    # Most frames hold neither, and are as they are.
    if ESC not in escaped:
        return escaped
    first, *rest = escaped.split(ESC)
    parts = [first]
    for part in rest:
        if part[:1] == ESC_END[1:]:
            parts.append(END)
        elif part[:1] == ESC_ESC[1:]:
            parts.append(ESC)
        else:
            return None
        parts.append(part[1:])
    return b"".join(parts)
