"""What a check found, as plain data."""

from dataclasses import dataclass, field
from typing import NamedTuple

from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.rules import Rule

OBJECTS_KEPT = 500
"""How many objects a verdict tells of by themselves."""
STRETCHES_KEPT = 200


@dataclass(frozen=True, slots=True)
class Margin:
    """How far from breaking it was where it was closest; negative when broken."""

    value: float
    unit: str
    allowed: float | None = None
    """What the value is a share of, such as the width of the allowed band."""

    @property
    def share(self) -> float | None:
        """The value as a share of what is allowed, to compare margins of different units."""
        return self.value / self.allowed if self.allowed else None


@dataclass(frozen=True, slots=True)
class Breach:
    """One occasion on which the rule was broken."""

    object: str
    lifetime: int
    """Which lifetime of the object, counted from 1; 0 if it has none."""
    frame: int
    time: float
    measured: str
    """What was found, with its unit."""
    allowed: str
    """What was allowed, with its unit."""
    words: str
    """What is wrong, as part of a sentence: `0.43 m too far`."""
    excess: float | None = None
    """By how much, if that is a number."""
    episode: int = 0
    """In which episode, counted from 1; 0 of a session without restarts."""


@dataclass(frozen=True, slots=True)
class Stretch:
    """Consecutive samples of one object that broke the rule."""

    object: str
    first_frame: int
    last_frame: int


class Tally(NamedTuple):
    """One object's part in a verdict; there are hundreds in each, so they are made as cheaply as can be."""

    object: str
    tested: int
    breaches: int
    first_frame: int | None
    """The frame of its first breach."""
    worst: float | None
    """Its smallest distance to breaking; negative when broken, None where that is no number."""


@dataclass(frozen=True, slots=True)
class Finding:
    """What a check found: its outcome, how close it was, and why."""

    rule: Rule
    """What was judged."""
    outcome: Outcome
    session: str = ""
    """The trace's name."""
    margin: Margin | None = None
    """None for exact rules, flags and texts."""
    tested: int = 0
    """How many occasions were judged."""
    of: str = "samples"
    """What the occasions are: samples, moments, lifetimes."""
    undecided: int = 0
    """Occasions that the end of the trace, a gap or a missing value leaves open."""
    missing: int = 0
    """Occasions without a recorded value."""
    why_untested: str = ""
    breach_count: int = 0
    first: Breach | None = None
    worst: Breach | None = None
    stretches: tuple[Stretch, ...] = ()
    """Where the rule was broken; the first two hundred."""
    tallies: tuple[Tally, ...] = ()
    evidence: Evidence = field(default_factory=Evidence)
    parts: tuple["Finding", ...] = ()
    """The findings that `all_of` or `any_of` joined."""
    matched: tuple[str, ...] = ()
    """What was matched with what is judged where there was a choice: `safe by time`."""
    details: tuple[str, ...] = ()
    """Lines about a breach that has no frame, such as that of a plain assert."""
    cut: int = 0
    """Occasions that a restart cut, so that they were not judged."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "outcome", Outcome(self.outcome))

    @property
    def sentence(self) -> str:
        """The rule in words."""
        return self.rule.sentence
