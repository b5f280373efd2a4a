"""The conventions of a world, as `about` tells them; a wrong one would make every check of the session wrong."""

from collections.abc import Mapping
from typing import Any

SPACES = ("world", "parent", "screen")
"""What the values of a property may be relative to: the world, the object's own parent, or the screen."""
CONVENTIONS = ("axes", "angles", "units", "spaces")


def wrong_convention(about: Mapping[str, Any]) -> str:
    """Return what is wrong with the conventions, in words; empty if nothing is.

    Example:
        >>> wrong_convention({"units": {"position": "m"}, "spaces": {"grip": "hand"}})
        "expected world, parent, screen at spaces.grip, found 'hand'"
    """
    for field in CONVENTIONS:
        told = about.get(field)
        if told is None:
            continue
        if not isinstance(told, Mapping):
            return f"expected texts by name at {field}, found {told!r}"
        for name, text in told.items():
            if not isinstance(text, str):
                return f"expected a text at {field}.{name}, found {text!r}"
            if field == "spaces" and text not in SPACES:
                return f"expected {', '.join(SPACES)} at {field}.{name}, found {text!r}"
    return ""
