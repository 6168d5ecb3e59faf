"""Link files to start from, each for an everyday shape of machine."""

from importlib.resources import files


def starter_names() -> list[str]:
    """The starters there are, in alphabetical order."""
    return sorted(
        entry.name.removesuffix(".toml")
        for entry in files(__name__).iterdir()
        if entry.name.endswith(".toml")
    )


def starter_text(name: str) -> str:
    """The text of a starter; KeyError if there is none of that name."""
    if name not in starter_names():
        raise KeyError(name)
    return (files(__name__) / f"{name}.toml").read_text("utf-8")
