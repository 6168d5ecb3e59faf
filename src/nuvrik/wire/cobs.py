"""Consistent Overhead Byte Stuffing: no zero inside a frame, so that a zero can end it.

Source: S. Cheshire and M. Baker, "Consistent Overhead Byte Stuffing", IEEE/ACM Transactions on
Networking 7(2), 1999. Bodies here are at most 200 bytes, so the code 0xFF, which stands for a run
of 254 bytes with no zero after it, never occurs and is refused.
"""

LONGEST_BODY = 253
"""A body of this length, should it hold no zero, still needs no more than one code."""

CODES = [bytes((length + 1,)) for length in range(LONGEST_BODY + 1)]
"""The code in front of a run of so many bytes without a zero."""


def stuff(body: bytes) -> bytes:
    """The body with each zero replaced by the distance to the next; one byte longer.

    Raises ValueError for a body of more than 253 bytes.
    """
    if len(body) > LONGEST_BODY:
        raise ValueError(f"a body of {len(body)} bytes is too long; the most is {LONGEST_BODY}")
    # A zero is put in front; then each zero becomes one more than the length of what follows it.
    return b"".join([CODES[len(run)] + run for run in body.split(b"\0")])


def unstuff(stuffed: bytes) -> bytearray | None:
    """The body of a stuffed frame (which holds no zero); None where the distances do not add up."""
    body = bytearray(stuffed)
    place, end = 0, len(body)
    # Walk from code to code, putting back the zero that each stands for.
    # A distance of zero cannot be: a stuffed frame holds no zero, so this always goes on.
    while place < end:
        distance = body[place]
        body[place] = 0
        place += distance
    if place != end or not end:
        return None
    del body[0]
    return body
