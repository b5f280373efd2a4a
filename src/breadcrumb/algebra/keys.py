"""Keys: what identifies the source of a value over time, whatever it is called in messages."""

from typing import NamedTuple


class Key(NamedTuple):
    """The source that a value was taken from; what is derived keeps the key of its first source.

    Example:
        >>> Key("lamp", "lamp").then("position").then("x").text
        'lamp.position.x'
    """

    text: str = ""
    """A kind, an id or an event, and behind it the property and the part, each after a dot."""
    kind: str = ""
    """The kind of the objects, if it is about objects."""

    def then(self, part: str) -> "Key":
        """Return the key of a part of this source."""
        return Key(f"{self.text}.{part}" if self.text else part, self.kind)


NO_KEY = Key()
