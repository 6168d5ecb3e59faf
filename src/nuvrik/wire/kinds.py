"""The kinds of frame there are."""

COMMAND, TELEMETRY, REQUEST, REPLY, HELLO, STOP, ECHO = range(7)
KINDS = ("command", "telemetry", "request", "reply", "hello", "stop", "echo")

TO_MACHINE = (COMMAND, STOP, REQUEST, HELLO, ECHO)
"""What a machine takes."""

ALL_KINDS = tuple(range(len(KINDS)))
"""What a bystander takes."""

TO_HANDSET = (TELEMETRY, REPLY, HELLO, ECHO)
"""What a handset takes."""


def kind_name(kind: int) -> str:
    """The name of a frame kind, also of one that does not exist."""
    if 8 <= kind < 8 + len(KINDS):
        return f"{KINDS[kind - 8]}, authenticated"
    return KINDS[kind] if 0 <= kind < len(KINDS) else f"kind {kind}"
