"""The failsafe table in words, for people to read."""

from nuvrik.core.machine.states import ARMED, TABLE, Goal, Happening, State

FOLLOWED = {
    Happening.DRIVE_REST: "follow",
    Happening.DRIVE_MOVED: "follow",
    Happening.BARE_ON: "motors to rest; silence runs on",
}


def cell_words(event: Happening, state: State) -> str:
    """What an event does in a state."""
    cell = TABLE[event][state]
    words = []
    if cell.to is not None:
        words.append(f"to {cell.to}")
    if cell.edge_to is not None:
        words.append(f"if off_seen: to {cell.edge_to}")
    if cell.counts_to is not None:
        goal = "as `recover` says" if isinstance(cell.counts_to, Goal) else f"to {cell.counts_to}"
        words.append(f"run = {cell.run}" if cell.run is not None else "run + 1")
        words.append(f"at n: {goal}")
    elif cell.run is not None and cell.to is None:
        words.append(f"run = {cell.run}")
    if cell.off_seen is not None and (cell.to is None or cell.off_seen):
        words.append(f"off_seen = {cell.off_seen}")
    if not words and state is ARMED and event in FOLLOWED:
        words.append(FOLLOWED[event])
    return "; ".join(words) or "-"
