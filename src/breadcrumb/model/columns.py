"""Names of columns: a property may have any name, and a column's name still tells property and part apart.

A column is called like its property, and behind a dot the part: `position.x`. In the property's name, each `%` and each
dot stand as `%25` and `%2E`; one that would be called like a column of ours begins with a letter written that way.
"""

import re
from urllib.parse import unquote

OURS = ("id", "lifetime", "frame", "t")
"""What the library's own columns are called, in tables and files."""
_ESCAPED = {"%": "%25", ".": "%2E"}


def column_name(prop: str, part: str = "") -> str:
    """Return the name of a property's column, or of one of its parts.

    Example:
        >>> column_name("position", "x"), column_name("hull.left"), column_name("frame")
        ('position.x', 'hull%2Eleft', '%66rame')
    """
    name = re.sub(r"[%.]", lambda match: _ESCAPED[match[0]], prop)
    if prop in OURS:
        name = f"%{ord(name[0]):02X}{name[1:]}"
    return f"{name}.{part}" if part else name


def property_and_part(column: str) -> tuple[str, str]:
    """Return the property that a column belongs to, and its part; the opposite of `column_name`.

    Example:
        >>> property_and_part("position.x"), property_and_part("hull%2Eleft")
        (('position', 'x'), ('hull.left', ''))
    """
    name, _, part = column.partition(".")
    return unquote(name), part


def property_of(column: str) -> str:
    """Return the property that a column belongs to."""
    return property_and_part(column)[0]
