"""Names as they can be shown, and names of files: no two alike, and none that leads out of its folder."""

import hashlib
import re
from collections import Counter
from collections.abc import Mapping
from pathlib import PurePath
from typing import TypeAlias

_STEERS = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069\ud800-\udfff]")
"""Control characters but for tab and line end, marks that turn the direction of text, and lone surrogates."""
Titles: TypeAlias = Mapping[str, str]
"""What each session of a run is called, by the path of its trace."""

_LONGEST = 80
_DIGITS = 8


def file_name(text: str) -> str:
    """Return a file name for any text; what is left out of it is made up for by a digest, so that no two are alike.

    Example:
        >>> file_name("lamps-tilt.1"), file_name("../up") == file_name(".._up"), len(file_name("x" * 300))
        ('lamps-tilt.1', False, 89)
    """
    name = re.sub(r"[^A-Za-z0-9_.-]+", "_", text).strip(".")[:_LONGEST]
    return name if name == text and name else f"{name}-{digest(text)}".lstrip("-")


def digest(text: str) -> str:
    """Return a few letters that stand for a text."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:_DIGITS]


def titles_of(labels: Mapping[str, str]) -> Titles:
    """Return what each session is called, by the path of its trace; those of one name have folders before it.

    Args:
        labels: the names of the sessions, by the paths of their traces.

    Example:
        >>> list(titles_of({"mon/a.crumbs": "a", "mon/b.crumbs": "b", "tue/a.crumbs": "a"}).values())
        ['mon/a', 'b', 'tue/a']
    """
    titles: dict[str, str] = {}
    left, depth = labels, 0
    while left:
        told = {trace: _with_folders(trace, label, depth) for trace, label in left.items()}
        several = Counter(told.values())
        titles |= {trace: title for trace, title in told.items() if several[title] == 1}
        left, depth = {trace: label for trace, label in left.items() if trace not in titles}, depth + 1
    return {trace: titles[trace] for trace in labels}


def _with_folders(trace: str, label: str, depth: int) -> str:
    """Return a name with so many of the last folders of its path; with more than there are, the whole path."""
    folders = PurePath(trace).parent.parts
    return "/".join((*folders[len(folders) - depth :], label)) if depth <= len(folders) else trace


def visible(text: str) -> str:
    r"""Return a text in which what would steer a terminal, or cannot be written, is shown as its escape sequence.

    Example:
        >>> visible("\x1b[31mred"), visible("\udcff\u202e")
        ('\\x1b[31mred', '\\udcff\\u202e')
    """
    return _STEERS.sub(lambda match: match[0].encode("unicode_escape").decode(), text)
