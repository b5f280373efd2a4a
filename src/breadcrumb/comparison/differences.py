"""Differences between two sessions, as data."""

from dataclasses import dataclass
from typing import Literal, TypeAlias

PLAYERS = ("player",)
"""Who acts at will in events, unless others are named."""
What: TypeAlias = Literal["convention", "parameter", "event", "lifetime", "property"]
RANK: dict[What, int] = {"convention": 0, "parameter": 1, "event": 2, "lifetime": 3, "property": 4}
"""What comes first of what begins on one frame: an event is more often the cause than what it changes."""


@dataclass(frozen=True, slots=True)
class Difference:
    """Something in which two sessions differ, from its first frame on."""

    what: What
    name: str
    """The event, the kind, or the property as `skiff.speed`."""
    object: str
    """Whose it is; empty of nobody's."""
    frame: int
    time: float
    words: str
    """How it differs, as part of a sentence: `missing`, `2 frames late`, `0.4 m/s higher`."""
    reference: str
    """What it is in the reference, with its unit."""
    candidate: str
    """What it is in the candidate."""
    times: int = 1
    """On how many frames, or how often, it differs."""
    last: int = 0
    """The last frame on which it differs."""
    largest: float | None = None
    """The largest difference, if it is a number."""
    unit: str = ""
    others: tuple[str, ...] = ()
    """Which other objects it is linked to: the participants of an event, a parent, ids in a text."""

    @property
    def called(self) -> str:
        """What it is of, in words: `speed of heron`, `flare.thrown of heron`, `flare flare-2`."""
        if self.what == "property":
            return f"{self.name.partition('.')[2]} of {self.object}" if self.object else self.name
        if self.what == "lifetime":
            return f"{self.name} {self.object}"
        return f"{self.name} of {self.object}" if self.object else self.name

    @property
    def called_without_object(self) -> str:
        """What it is of, where the object is told besides: `speed`, `flare.thrown`, `flare`."""
        return self.name.partition(".")[2] if self.what == "property" and self.object else self.name

    @property
    def symptom(self) -> tuple[str, str]:
        """What others may have as well."""
        return self.what, self.name


@dataclass(frozen=True, slots=True)
class Group:
    """A difference, and those that follow from it."""

    first: Difference
    followed: tuple[Difference, ...] = ()


@dataclass(frozen=True, slots=True)
class Comparison:
    """What a candidate does otherwise than the reference."""

    reference: str
    candidate: str
    """The names of the sessions."""
    groups: tuple[Group, ...]
    """In order of time; what follows from a difference is in its group."""
    compared: int
    """How many values, events and lifetimes were compared."""
    notes: tuple[str, ...] = ()
    """What to know of the sessions: that they have other seeds, or were cut."""
    references: int = 1
    """How many references there are. With several, groups are in order of how sure the first difference is."""

    @property
    def first(self) -> Difference | None:
        """The first difference."""
        return self.groups[0].first if self.groups else None

    @property
    def alike(self) -> bool:
        """Whether nothing differs."""
        return not self.groups
