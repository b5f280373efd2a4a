"""What senders of frame lines may not exceed."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Limits:
    """What lines and games may not exceed."""

    games: int = 64
    """How many games at once."""
    session_mib: int = 4096
    """How many MiB one session may send."""
    free_mib: int = 512
    """How many MiB must stay free on the disk."""
    first_line_seconds: float = 10.0
    """How long after it connects a game may take for its first line."""
