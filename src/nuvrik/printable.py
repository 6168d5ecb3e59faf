"""Text from elsewhere (a board's name, a file's cells), made safe to show.

A terminal obeys control characters, and a reader is misled by characters that turn the direction of writing.
So they are shown as what they are, escaped, wherever text is printed, drawn or sent to a page. This is the
one place that does it.
"""


def printable(text: str, *, lines: bool = False) -> str:
    r"""The text with every control, format and direction character escaped, and line breaks too, unless
    ``lines``.

    >>> printable("tug\x1b[2J\u202e")
    'tug\\x1b[2J\\u202e'
    """
    if text.isascii() and text.isprintable():
        return text
    return "".join(_shown(character, lines) for character in text)


def _shown(character: str, lines: bool) -> str:
    if character.isprintable() or (lines and character == "\n"):
        return character
    return character.encode("unicode_escape").decode("ascii")
