"""The values that describe one recorded session."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.model.facts import CUT, LOSSES, PAUSED, Fact
from breadcrumb.model.freezing import frozen, read_only

if TYPE_CHECKING:
    from breadcrumb.model.episodes import Episodes

Ints: TypeAlias = NDArray[np.int64]
Floats: TypeAlias = NDArray[np.float64]
Bools: TypeAlias = NDArray[np.bool_]

NOBODY = -1
"""Stands for no object, no lifetime, or no clock index."""


ANGLES = ("yaw", "pitch", "roll", "heading", "bearing", "angle")
"""Properties of these names are angles, in the session's unit if they have none of their own."""

ERROR = "error"
"""The name of the event that a script error is recorded as."""


@dataclass(frozen=True, eq=False, repr=False)
class Clock:
    """Game time on every recorded frame; a *clock index* is an index into these arrays."""

    frames: Ints
    """Frame numbers, rising."""
    times: Floats
    """Seconds of game time, never falling."""
    wall: Floats | None = None
    """Seconds by a real clock, NaN where it was not told; None if it never was, as below."""
    steps: Floats | None = None
    """How many steps of fixed length were taken in each frame."""
    scale: Floats | None = None
    """How fast game time ran against real time."""
    paused: Bools | None = None
    """Whether the game was paused; False where it was not told."""

    def __post_init__(self) -> None:
        read_only(self.frames, self.times, self.wall, self.steps, self.scale, self.paused)

    @property
    def size(self) -> int:
        """The number of recorded frames."""
        return len(self.frames)

    def clock_index_at_or_after(self, frame: int) -> int:
        """Return the clock index of the first recorded frame that is not before this one."""
        return int(np.searchsorted(self.frames, frame))


@dataclass(frozen=True, eq=False, repr=False)
class Lifetimes:
    """Every lifetime, in the order of its number; arrays of equal length."""

    name: Ints
    """The object's id, as an index into the session's names."""
    kind: Ints
    """The object's kind, as an index into the session's kinds."""
    parent: Ints
    """The id of its parent, as an index into the session's names, or NOBODY."""
    appear: Ints
    """The clock index on which it was seen to appear; NOBODY if it was there before the recorder looked."""
    first: Ints
    """The clock index of its first sample, or NOBODY."""
    last: Ints
    """The clock index of its last sample, or NOBODY."""
    leave: Ints
    """The clock index on which it was gone; NOBODY if it was alive at the end."""
    numbered: Ints | None = None
    """Which lifetime of its object each is, where these are parts of a longer session."""

    def __post_init__(self) -> None:
        read_only(self.name, self.kind, self.parent, self.appear, self.first, self.last, self.leave, self.numbered)

    @property
    def size(self) -> int:
        """The number of lifetimes."""
        return len(self.name)

    @cached_property
    def ordinal(self) -> Ints:
        """Which lifetime of its object each is, counted from 1."""
        if self.numbered is not None:
            return self.numbered
        order = np.argsort(self.name, kind="stable")
        names = self.name[order]
        starts = np.flatnonzero(np.hstack((True, names[1:] != names[:-1]))) if self.size else np.zeros(0, np.int64)
        run = np.repeat(starts, np.diff(np.hstack((starts, self.size))))
        ordinal = np.empty(self.size, np.int64)
        ordinal[order] = np.arange(self.size) - run + 1
        return ordinal


@dataclass(frozen=True, eq=False, repr=False)
class Events:
    """Every event, by frame and by order within the frame; arrays of equal length."""

    clock_index: Ints
    """The clock index."""
    order: Ints
    """The index within the frame; NOBODY if the source gives none."""
    kind: Ints
    """Which event it is, as an index into `kinds`."""
    kinds: tuple[str, ...]
    """The names of events that occurred."""
    by: Ints
    """Who did it, as an index into the session's names, or NOBODY."""
    on: Ints
    """Whom it was done to, as an index into the session's names, or NOBODY."""
    data: Sequence[Mapping[str, Any]]
    """What else is known of each."""
    late: Bools
    """Whether it came after the last frame."""

    def __post_init__(self) -> None:
        read_only(self.clock_index, self.order, self.kind, self.by, self.on, self.late)
        if isinstance(self.data, tuple):
            object.__setattr__(self, "data", tuple(map(frozen, self.data)))

    def indices_of(self, name: str) -> Ints:
        """Return the indices of all events of a name, in order; none if it did not occur."""
        at = self._index.get(name)
        if at is None:
            return np.zeros(0, np.int64)
        order, bounds = self._by_name
        return order[bounds[at] : bounds[at + 1]]

    @cached_property
    def _index(self) -> dict[str, int]:
        return {name: index for index, name in enumerate(self.kinds)}

    @cached_property
    def _by_name(self) -> tuple[Ints, Ints]:
        order = np.argsort(self.kind, kind="stable")
        return order, np.searchsorted(self.kind[order], np.arange(len(self.kinds) + 1))


@dataclass(frozen=True, slots=True)
class Parameter:
    """A tuning constant, as recorded at one moment."""

    name: str
    clock_index: int
    value: Any
    """A number, a text or a flag."""
    unit: str


@dataclass(frozen=True, eq=False, repr=False)
class Session:
    """All that is known of a session besides the states of its objects."""

    label: str
    """The trace's name, for messages."""
    about: Mapping[str, Any]
    """Free metadata and the conventions of the world."""
    clock: Clock
    lifetimes: Lifetimes
    events: Events
    names: tuple[str, ...]
    """The ids of all objects, and whatever else events name."""
    kinds: tuple[str, ...]
    """The kinds of all objects."""
    parameters: tuple[Parameter, ...] = ()
    declared_events: tuple[str, ...] = ()
    declared_kinds: tuple[str, ...] = ()
    declared_restarts: tuple[str, ...] = ()
    """The events at which the game begins anew."""
    facts: tuple[Fact, ...] = ()
    """What a user should know of the recording: that it was cut, or could not be read in full."""
    participants: Mapping[str, tuple[tuple[str | None, str | None], ...]] = field(default_factory=dict)
    """Which kinds take part in each event, as pairs of by and on: a kind, an empty text for a named thing that is no
    object, None for nobody."""
    episodes: "Episodes | None" = None
    """How restarts divide it; None if none does."""
    is_fresh: bool = False
    """Whether a restart begins it, so that nothing lies before its first frame."""

    def __post_init__(self) -> None:
        object.__setattr__(self, "about", frozen(self.about))

    @cached_property
    def lone_kinds(self) -> frozenset[str]:
        """The kinds of which there are never two at a time."""
        first, last, kind = (
            column[self.lifetimes.first != NOBODY]
            for column in (self.lifetimes.first, self.lifetimes.last, self.lifetimes.kind)
        )
        order = np.lexsort((first, kind))
        first, last, kind = first[order], last[order], kind[order]
        shared = (kind[1:] == kind[:-1]) & (first[1:] <= last[:-1])
        return frozenset(self.kinds) - {self.kinds[index] for index in np.unique(kind[1:][shared]).tolist()}

    @property
    def is_cut(self) -> bool:
        """Whether the recording broke off."""
        return any(fact.code == CUT for fact in self.facts)

    @cached_property
    def gaps(self) -> Ints:
        """The clock indices before which frames and events were not recorded: after a pause, or where some were lost.

        Numbers that a game leaves out while nothing was lost, as one that counts its fixed steps does, are no gap.
        """
        frames = self.clock.frames
        steps = np.diff(frames)
        if len(steps) and any(fact.code in LOSSES for fact in self.facts):
            return np.flatnonzero(steps > steps.min()) + 1
        paused = [int(fact.detail) for fact in self.facts if fact.code == PAUSED]
        after = np.unique(np.searchsorted(frames, np.array(paused, np.int64), side="right"))
        return after[(after > 0) & (after < self.clock.size)]

    def gaps_until(self, clock_index: Ints) -> Ints:
        """Return how many gaps lie before each clock index."""
        return np.asarray(np.searchsorted(self.gaps, clock_index, side="right"))

    def is_torn(self, first: Ints, last: Ints) -> Bools:
        """Return whether there is a gap from each first to each last clock index."""
        if not len(self.gaps):
            return np.zeros(np.broadcast_shapes(np.shape(first), np.shape(last)), np.bool_)
        return self.gaps_until(last) > self.gaps_until(first)

    @cached_property
    def seen_to_appear(self) -> Ints:
        """The clock index on which each lifetime was seen to appear; NOBODY of one that was there before that."""
        appear = self.lifetimes.appear
        return np.where(np.isin(appear, self.gaps), NOBODY, appear)

    @cached_property
    def seen_to_leave(self) -> Ints:
        """The clock index on which each lifetime was seen to leave; NOBODY of one at the end, or that left in a gap."""
        leave = self.lifetimes.leave
        return np.where(np.isin(leave, self.gaps), NOBODY, leave)

    def episode_of(self, clock_index: Ints) -> Ints:
        """Return in which episode each clock index is, counted from 0."""
        if self.episodes is None:
            return np.zeros(len(clock_index), np.int64)
        return np.searchsorted(self.episodes.restarts, clock_index, side="right")

    def at_restart(self, clock_index: Ints) -> Bools:
        """Return which clock indices are on the frame of the restart that begins this session.

        What changes, appears, leaves or happens there may be of what was before, and breaks nothing.
        """
        return np.asarray((clock_index == 0) & self.is_fresh)

    def begin_of_episode(self, clock_index: Ints) -> Ints:
        """Return the first clock index of the part of an episode that each clock index is in."""
        if self.episodes is None:
            return np.zeros(len(clock_index), np.int64)
        return self.episodes.begins[self.episodes.of_clock(clock_index)]

    def end_of_episode(self, clock_index: Ints) -> Ints:
        """Return the last clock index of the part of an episode that each clock index is in."""
        if self.episodes is None:
            return np.full(len(clock_index), self.clock.size - 1)
        return self.episodes.ends[self.episodes.of_clock(clock_index)]

    def time_of_episode(self, clock_index: Ints) -> Floats:
        """Return how long after the start of its episode each clock index is, in seconds."""
        begins = np.zeros(1, np.int64) if self.episodes is None else np.hstack((0, self.episodes.restarts))
        times: Floats = self.clock.times[clock_index] - self.clock.times[begins[self.episode_of(clock_index)]]
        return times

    def space_of(self, kind: str, prop: str) -> str:
        """Return what a property's values are relative to: world, parent, screen, or the name of an area."""
        spaces = self._told("spaces")
        return str(spaces.get(f"{kind}.{prop}", spaces.get(prop, "world")))

    def unit_of(self, kind: str, prop: str) -> str:
        """Return the declared unit of a property, that of angles for what is called like one, or an empty text."""
        units = self._told("units")
        known = self.angles.get("unit", "") if prop in ANGLES else ""
        return str(units.get(f"{kind}.{prop}", units.get(prop, known)))

    @property
    def axes(self) -> Mapping[str, str]:
        """Which way each axis of the world points."""
        return self._told("axes")

    @property
    def angles(self) -> Mapping[str, str]:
        """The unit, the zero direction and the sense of angles."""
        return self._told("angles")

    @property
    def areas(self) -> Mapping[str, Any]:
        """Where the origin of each named area is in the world, and how it is turned, as plain data."""
        return self._told("areas")

    @property
    def shapes(self) -> Mapping[str, Any]:
        """What body the objects of each kind have, as plain data."""
        return self._told("shapes")

    def _told(self, convention: str) -> Mapping[str, str]:
        """Return a convention of the world; a trace that was made by hand may hold anything there."""
        told = self.about.get(convention)
        return told if isinstance(told, Mapping) else {}

    def kind_of(self, name: str) -> str:
        """Return the kind of an object by its id; an empty text for a named thing."""
        if name not in self.names:
            return ""
        lifetimes = np.flatnonzero(self.lifetimes.name == self.names.index(name))
        return self.kinds[self.lifetimes.kind[lifetimes[0]]] if len(lifetimes) else ""

    def who(self, lifetime: int) -> str:
        """Return the id of a lifetime's object."""
        return self.names[int(self.lifetimes.name[lifetime])]


@dataclass(frozen=True, eq=False, repr=False)
class ColumnData:
    """The values of one column, one for each clock index of its kind's table."""

    values: NDArray[Any]
    """Floats, flags, or indices into `texts`."""
    valid: Bools | None = None
    """Which values were recorded; None if all were."""
    texts: tuple[str, ...] | None = field(default=None)
    """The distinct texts of a text column."""

    def __post_init__(self) -> None:
        read_only(self.values, self.valid)
