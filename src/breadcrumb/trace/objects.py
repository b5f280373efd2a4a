"""One object, or all objects of a kind, as users hold them."""

from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.algebra.vectors import PART_NAMES
from breadcrumb.errors import UnknownName
from breadcrumb.model.session import NOBODY, Ints
from breadcrumb.model.trace import TraceData
from breadcrumb.trace.vocabulary import look_at

_DERIVED = {
    "velocity": "the change of position per second",
    "speed": "the length of the velocity",
    "acceleration": "the change of velocity per second",
    "heading": "the angle of the velocity in plan",
}


class UnknownProperty(UnknownName, AttributeError):
    """A property that objects of this kind do not have."""


class Objects:
    """One object or a group, over all lives. Each recorded property is an attribute that gives a signal.

    A property that is called like something else here, such as `kind` or `ids`, is had by `signal("kind")`.

    From `position`, `velocity`, `speed`, `acceleration` and `heading`, the direction in plan in which it moves, are
    derived, unless they were recorded themselves.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> boat.position.x.values.tolist()
        [0.0, 1.0, 2.0, 3.0]
    """

    def __init__(self, data: TraceData, kind: str, lives: Ints, called: str, unseen: str = "") -> None:
        self._data, self._lives, self._unseen = data, lives, unseen
        self.kind = kind
        self.called = called

    def __repr__(self) -> str:
        return f"<{self.called}: {len(self.ids)} objects, {len(self._lives)} lives>"

    def __getattr__(self, name: str) -> Signal:
        if name.startswith("_"):
            raise AttributeError(name)
        return self.signal(name)

    @property
    def ids(self) -> tuple[str, ...]:
        """The ids of the objects, in the order in which they appeared."""
        return tuple(dict.fromkeys(self._data.session.who(life) for life in self._lives.tolist()))

    @property
    def properties(self) -> tuple[str, ...]:
        """The names of the recorded properties."""
        return tuple(dict.fromkeys(column.split(".")[0] for column in self._data.columns(self.kind)))

    @property
    def appears(self) -> Moments:
        """The moments at which an object was seen to appear; one that was there from the start has none."""
        return self._life_moments(self._data.session.lives.appear, "appearance")

    @property
    def leaves(self) -> Moments:
        """The moments at which an object was gone; one that is there at the end has none."""
        return self._life_moments(self._data.session.lives.leave, "leaving")

    @property
    def life_spans(self) -> Spans:
        """The stretches of frames on which each life was sampled."""
        lives = self._data.session.lives
        sampled = self._lives[lives.first[self._lives] != NOBODY]
        return Spans(self._data.session, f"lives of {self.called}", sampled, lives.first[sampled], lives.last[sampled])

    def signal(self, name: str) -> Signal:
        """Return a property by its name, recorded or derived.

        Raises:
            UnknownProperty: objects of this kind have no such property.
        """
        look_at(f"{self.kind}.{name}")
        if name in self._recorded_signals:
            return self._recorded_signals[name]
        if self._unseen:
            return Signal(self._track, name, (np.zeros(0),), owner=self.called)
        columns = [column for column in self._data.columns(self.kind) if column.split(".")[0] == name]
        if columns:
            return self._recorded_signals.setdefault(name, self._recorded(name, columns))
        if name in _DERIVED and "position" in self.properties:
            return self._derived(name)
        known = [*self.properties, *(_DERIVED if "position" in self.properties else ())]
        raise UnknownProperty("property", name, known, self.called)

    def _recorded(self, name: str, columns: list[str]) -> Signal:
        columns.sort(key=lambda column: PART_NAMES.find(column.rpartition(".")[2]))
        every = [self._data.column(self.kind, column) for column in columns]
        valid = None
        for column in every:
            if column.valid is not None:
                valid = column.valid if valid is None else valid & column.valid
        unit = self._data.session.unit_of(self.kind, name)
        parts = tuple(_unchanging(column.values) for column in every)
        space = self._data.session.space_of(self.kind, name)
        signal = Signal(self._whole_track, name, parts, valid, unit, every[0].texts, self.called, space=space)
        if self._everyone:
            return signal
        taken = signal.take(self._places)
        return Signal(self._track, name, taken.parts, taken.valid, unit, signal.texts, self.called, space=space)

    def _derived(self, name: str) -> Signal:
        if name == "speed" and "velocity" not in self.properties:
            return replace(self.signal("position").speed(), name=name, owner=self.called)
        velocity = self.signal("velocity") if name != "velocity" else self.signal("position").rate()
        if name == "heading":
            return replace(velocity.direction(), name=name, owner=self.called)
        derived = velocity.norm() if name == "speed" else velocity
        if name == "acceleration":
            derived = velocity.rate() if "velocity" in self.properties else self.signal("position").second_rate()
        return Signal(
            derived.track, name, derived.parts, derived.valid, derived.unit, None, self.called, derived.known_noise
        )

    @cached_property
    def _recorded_signals(self) -> dict[str, Signal]:
        """The properties that were asked for: what was found out of one, such as its extremes, serves every check."""
        return {}

    @cached_property
    def _whole_track(self) -> Track:
        life, row = self._data.index(self.kind)
        return Track(self._data.session, life, row)

    @cached_property
    def _everyone(self) -> bool:
        session = self._data.session
        kind = session.kinds.index(self.kind)
        return len(self._lives) == int((session.lives.kind == kind).sum())

    @cached_property
    def _places(self) -> Ints:
        return np.flatnonzero(np.isin(self._whole_track.life, self._lives))

    @cached_property
    def _track(self) -> Track:
        if self._unseen or not self._data.columns(self.kind):
            nothing = np.zeros(0, np.int64)
            return Track(self._data.session, nothing, nothing, unseen=self._unseen or f"no sample of {self.called}")
        return self._whole_track if self._everyone else self._whole_track.take(self._places)

    def _life_moments(self, rows: Ints, what: str) -> Moments:
        session = self._data.session
        lives = self._lives[rows[self._lives] != NOBODY]
        lives = lives[np.argsort(rows[lives], kind="stable")]
        nobody = np.full(len(lives), NOBODY)
        by = session.lives.name[lives] if len(lives) else nobody
        one = (
            f"{'an' if self.kind[:1] in 'aeiou' else 'a'} {self.kind}"
            if self.called.startswith("every ")
            else self.called
        )
        label = f"{what} of {one}"
        return Moments(session, label, rows[lives], nobody, by, nobody, known_life=lives, unseen=self._unseen)


def _unchanging(values: NDArray[Any]) -> NDArray[Any]:
    """Return values that nobody can write to: all checks look at the same ones."""
    same = values.view()
    same.flags.writeable = False
    return same


def position_of(objects: Objects | Signal) -> Signal:
    """Return the position that a check is about: that of objects, or a signal that is one."""
    return objects.signal("position") if isinstance(objects, Objects) else objects
