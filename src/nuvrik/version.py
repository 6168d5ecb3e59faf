"""Which version this is: what `hello` says, and what the package is called."""

VERSION = (0, 1, 0)
VERSION_WORDS = ".".join(map(str, VERSION))
