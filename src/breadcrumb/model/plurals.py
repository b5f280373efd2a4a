"""Numbers of things in words."""


def counted(count: int, plural: str) -> str:
    """Return how many there are of something.

    Example:
        >>> counted(2, "moments"), counted(1, "moments"), counted(1, "touches and events")
        ('2 moments', '1 moment', '1 touch or event')
    """
    return f"{count} {_ONE.get(plural, plural.removesuffix('s')) if count == 1 else plural}"


_ONE = {
    "properties": "property", "touches and events": "touch or event", "stays outside": "stay outside",
    "sets of draws": "set of draws", "stretches": "stretch", "changes of speed": "change of speed",
}  # fmt: skip
"""What one of several is called, if it takes more than leaving out the last letter."""
