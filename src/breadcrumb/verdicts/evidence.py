"""Evidence: copies of the few seconds of a trace that a figure and an explanation need."""

from dataclasses import dataclass

from breadcrumb.algebra.angles import PlanAxis

Number = float | None
"""A value, or None where it is missing."""


@dataclass(frozen=True, slots=True)
class Mark:
    """An event near what was judged."""

    frame: int
    time: float
    name: str
    who: str
    """The id of its subject, or an empty text."""
    count: int = 1
    """How many of them there were on that frame."""


@dataclass(frozen=True, slots=True)
class Stay:
    """One lifetime near what was judged, cut to the stretch shown."""

    object: str
    first: float
    """The time of its first frame, in seconds."""
    last: float
    """The time of its last frame, in seconds."""


@dataclass(frozen=True, slots=True)
class OperandExcerpt:
    """An operand of a condition around one moment, on the same frames as the excerpt that it belongs to."""

    name: str
    unit: str
    values: tuple[Number | str, ...]
    """Numbers, or in words: true and false, texts in quotes, vectors in brackets."""
    low: tuple[Number, ...]
    """The lowest value that the condition allows on each frame; empty if there is none."""
    high: tuple[Number, ...]
    """The highest value that the condition allows on each frame; empty if there is none."""


@dataclass(frozen=True, slots=True)
class Excerpt:
    """The judged signal around one moment, with what was allowed."""

    object: str
    frame: int
    """The frame that this is about."""
    begin: float
    """The time at which the excerpt begins."""
    end: float
    """The time at which it ends."""
    name: str
    """What the values are."""
    unit: str
    frames: tuple[int, ...]
    times: tuple[float, ...]
    values: tuple[Number, ...]
    """The judged signal; empty if what was judged has no course over time."""
    low: tuple[Number, ...]
    """The lowest allowed value on each frame; empty if there is none."""
    high: tuple[Number, ...]
    """The highest allowed value on each frame; empty if there is none."""
    broken: tuple[int, ...]
    """The frames of this stretch on which the object broke the rule."""
    path: tuple[tuple[float, float], ...]
    """Where the object was in plan on each frame; empty if it has no position."""
    path_frames: tuple[int, ...]
    """The frame of each point of the path."""
    path_axes: tuple[PlanAxis, PlanAxis] | None
    """What the two axes of the path are called, and which way they go."""
    outlines: tuple[tuple[tuple[float, float], ...], ...]
    """The border of the region it was judged against."""
    belongs_inside: bool
    """Whether the region is where it belongs, or where it does not."""
    marks: tuple[Mark, ...]
    """Events within the stretch, of this object and without a subject first."""
    stays: tuple[Stay, ...]
    """Lifetimes within the stretch, where the rule is about lifetimes."""
    operands: tuple[OperandExcerpt, ...] = ()
    """What a condition compares."""
    lines: tuple[tuple[tuple[float, float], ...], ...] = ()
    """Lines in plan that it was judged by at that moment, such as a barrier or a ray; each ends in a mark."""


@dataclass(frozen=True, slots=True)
class Evidence:
    """What is kept of the trace: around the first and the worst breach, or around the tightest pass."""

    first: Excerpt | None = None
    worst: Excerpt | None = None
    tightest: Excerpt | None = None
