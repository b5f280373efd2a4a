"""What sessions are measured by, so that play that is never the same twice can be compared."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple, TypeAlias

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.rounding import ENORMOUS, usual_of
from breadcrumb.model.freezing import read_only
from breadcrumb.model.session import Ints, Session
from breadcrumb.population.sorts import Basis, Side, Sort, What
from breadcrumb.population.stretches import restarts

_MOSTLY, _RIGHT_AFTER = 0.5, 0.1
"""The share of occasions that is most of them, and how many seconds later something is right after."""


class Quantity(NamedTuple):
    """Something that a session has a value of, each time that it occurs."""

    what: What
    name: str
    """The event, the kind, or the property as `skiff.speed`."""
    aspect: str
    """What of it: `speed`, `interval`, `data.strength`."""
    side: Side = "both"
    unit: str = ""
    basis: Basis = "game"
    sort: Sort = "value"
    """What it is a case of, which says by what it is judged."""
    object: str = ""
    """The object that it is of, if it is measured of each by itself."""

    @property
    def is_of_participants(self) -> bool:
        """Whether it tells of an event what those are like who take part in it."""
        of_one = self.basis == "situation" or (self.basis == "player" and not self.object)
        return of_one or self.sort in ("change", "change of state")

    @property
    def kind(self) -> str:
        """The kind of the objects, or the event."""
        return self.name.partition(".")[0] if self.what == "property" else self.name


@dataclass(frozen=True, eq=False)
class Occasions:
    """What a quantity was on each of its occasions; arrays of equal length."""

    values: NDArray[Any]
    """Numbers, or indices into `texts`."""
    clock_index: Ints
    """When it was so."""
    who: Ints
    """Whose it was, as an index into the session's names, or NOBODY."""
    texts: tuple[str, ...] | None = None
    """What a state, or a choice, can be."""

    moment: Ints = field(default_factory=lambda: np.zeros(0, np.int64))
    """How many frames of its episode had gone by: what is played alike in each episode is one occasion."""

    def __post_init__(self) -> None:
        read_only(self.values, self.clock_index, self.who, self.moment)

    @cached_property
    def many(self) -> int:
        """How many occasions there are: those on one frame of their episodes count once."""
        return self.many_of(slice(None))

    @cached_property
    def range(self) -> tuple[float, float]:
        """The lowest and the highest value."""
        return float(self.values.min()), float(self.values.max())

    @cached_property
    def usual_range(self) -> tuple[float, float]:
        """The range of those that are not enormous: of how far is far, those are the measure."""
        if max(map(abs, self.range)) <= ENORMOUS:
            return self.range
        usual = usual_of(self.values)
        return float(usual.min()), float(usual.max())

    @cached_property
    def counts(self) -> dict[str, int]:
        """How often each state is there."""
        assert self.texts is not None
        many = np.bincount(self.values.astype(np.int64), minlength=len(self.texts))
        return {text: int(count) for text, count in zip(self.texts, many.tolist(), strict=True) if count}

    def many_of(self, rows: Any) -> int:
        """Return how many occasions some of them are."""
        return len(np.unique(self.moment[rows]))


Found: TypeAlias = Iterator[tuple[Quantity, Occasions]]


@dataclass(frozen=True, eq=False)
class Measures:
    """All that one session is measured by."""

    session: Session
    occasions: dict[Quantity, Occasions]
    counts: dict[Quantity, int]
    """How often something happened."""
    types: dict[str, str]
    """What each property has: numbers, flags or texts."""

    def has_kind(self, kind: str) -> bool:
        """Tell whether there are objects of a kind."""
        return bool(self.counts.get(Quantity("lifetime", kind, "count")))

    @cached_property
    def played(self) -> dict[str, int]:
        """How often each event occurs that only players cause."""
        counted = {one.name for one in self.counts if (one.what, one.aspect) == ("event", "count") and not one.object}
        every = {one.name: len(found.values) for one, found in self._of("by")}
        return {name: many for name, many in every.items() if name not in counted}

    def together_with(self, event: str) -> set[str]:
        """Return an event, the events that mostly occur right after it, and the kinds that mostly appear then."""
        together, every = {event}, {one.name: len(found.values) for one, found in self._of("by")}
        for one, found in self._of(f"seconds after any {event}"):
            if (found.values <= _RIGHT_AFTER).sum() >= _MOSTLY * every[one.name]:
                together.add(one.name)
        for one, found in self._of("begins with"):
            texts = found.texts or ()
            mine = [place for place, text in enumerate(texts) if not together.isdisjoint(text.split(", "))]
            if np.isin(found.values, mine).mean() >= _MOSTLY:
                together.add(one.name)
        return together

    def _of(self, aspect: str) -> Found:
        """Yield what has an aspect, where it occurs."""
        return ((one, found) for one, found in self.occasions.items() if one.aspect == aspect and len(found.values))

    @property
    def seconds(self) -> float:
        """How long the session is."""
        times = self.session.clock.times
        return float(times[-1] - times[0])

    @property
    def begun(self) -> frozenset[str]:
        """The events on the frames on which the game begins anew."""
        events = self.session.events
        begins = np.isin(events.clock_index, restarts(self.session))
        return frozenset(events.kinds[kind] for kind in events.kind[begins].tolist())
