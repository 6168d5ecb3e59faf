"""Are these the files that were exported together? Damage, and files of two exports, are found here."""

import os
from binascii import crc32

import nuvrik

AGAIN = ": copy the whole folder nuvrik again"

HERE = nuvrik.__file__[: -len("/__init__.py")]


def wrong():
    """Look through all of them: what is wrong with which, and what to do; "" for nothing."""
    try:
        with open(HERE + "/files.txt") as listed:
            tags = listed.readline().strip()
            for line in listed:
                if line == "end\n":
                    return ""
                if not line.endswith("\n"):
                    break
                wanted, name = line.split()
                said = wrong_with(name, wanted, tags)
                if said:
                    return said
    except (OSError, ValueError):
        pass
    return "files.txt is missing or damaged" + AGAIN


def wrong_with(name, wanted, tags):
    """What is wrong with one of them."""
    if name.endswith(".mpy") and there(name[:-3] + "py"):
        return name[:-3] + "py is of another export, and stands before " + name + ": remove it"
    if not there(name):
        return name + " is missing" + AGAIN
    if sum_of(name) != wanted:
        return why(name, tags) + AGAIN
    return ""


def there(name):
    """Whether there is such a file."""
    try:
        os.stat(HERE + "/" + name)
        return True
    except OSError:
        return False


def sum_of(name):
    """The sum of a file."""
    total = 0
    kept = bytearray(256)
    with open(HERE + "/" + name, "rb") as file:
        while True:
            count = file.readinto(kept)
            if not count:
                return "%08x" % total
            total = crc32(memoryview(kept)[:count], total) & 0xFFFFFFFF


def why(name, tags):
    """Of another export, if its first line says so; or damaged."""
    if name.endswith(".mpy"):
        return name + " is damaged, or of another export"
    with open(HERE + "/" + name, "rb") as file:
        first = file.read(160).split(b"\n")[0]
    if first.startswith(b"# build tags") and bytes(tags, "utf-8") not in first:
        return (
            name + " is of another export: its first line says " + str(first[2:], "utf-8") + ", not " + tags
        )
    return name + " is damaged"
