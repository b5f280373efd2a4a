"""One object, or all objects of a kind, as users hold them."""

from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.dividing import Division
from breadcrumb.algebra.keys import NO_KEY, Key
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.samples import SORTS, Samples, recorded_sort
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Unseen
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.algebra.vectors import PART_NAMES
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.model.columns import property_and_part, property_of
from breadcrumb.model.episodes import Episodes
from breadcrumb.model.plurals import counted
from breadcrumb.model.rows import Rows, rows_between
from breadcrumb.model.session import NOBODY, Ints
from breadcrumb.model.trace import TraceData
from breadcrumb.record.shapes import Shape
from breadcrumb.trace.vocabulary import look_at

_OF_TRACK = 4
"""How many numbers a sample takes besides its values: its lifetime, its clock index, its time and its step."""
_BYTES = 8
_DERIVED = {
    "velocity": "the change of position per second",
    "speed": "the length of the velocity",
    "acceleration": "the change of velocity per second",
    "heading": "the angle of the velocity in plan",
}


class UnknownProperty(UnknownName, AttributeError):
    """A property that objects of this kind do not have."""


class Objects:
    """One object or a group, over all lifetimes. Each recorded property is an attribute that gives a signal.

    A property that is called like something else here, such as `kind` or `ids`, is had by `objects["kind"]`.

    From `position`, `velocity`, `speed`, `acceleration` and `heading`, the direction in plan in which it moves, are
    derived, unless they were recorded themselves.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> boat.ids, boat.kind, boat.lifetimes.count, boat.appears.count
        (('heron',), 'skiff', 1, 0)
        >>> boat.position.x.values.tolist()
        [0.0, 1.0, 2.0, 3.0]
    """

    def __init__(
        self,
        data: TraceData,
        kind: str,
        lifetimes: Ints,
        called: str,
        unseen: str = "",
        key: Key = NO_KEY,
        *,
        is_group: bool = True,
        shape: Shape | None = None,
    ) -> None:
        self._data, self._lifetimes, self._unseen = data, lifetimes, unseen
        self._kind = kind
        self.called = called
        self.key = key
        self.is_group = is_group
        """Whether all objects of the kind were asked for, and not one of them."""
        self._shape = shape
        self._divided: dict[int, Objects] = {}

    def __repr__(self) -> str:
        return f"<{self.called}: {counted(len(self.ids), 'objects')}, {counted(len(self._lifetimes), 'lifetimes')}>"

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Objects):
            raise Misuse(
                f"{self.called} does not compare with {other!r}; compare one of its properties, such as "
                "objects['kind'] == 'crate'"
            )
        return self is other

    __hash__ = object.__hash__

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        return self.signal(name)

    def __getitem__(self, name: str) -> Any:
        """Return a property by its name, whatever that is."""
        return self.signal(name)

    def __dir__(self) -> list[str]:
        return [*super().__dir__(), *(name for name in self._known if name.isidentifier())]

    @property
    def episodes(self) -> Episodes | None:
        """How restarts divide the session of these objects; None if none does."""
        return self._data.session.episodes

    def divided(self, division: Division) -> "Objects":
        """Return those of the objects that are in one episode, or all of them in the whole session."""
        number = NOBODY if division.episode is None else division.episode.number
        if number not in self._divided:
            lifetimes = np.unique(division.lifetimes(self._lifetimes))
            self._divided[number] = Objects(
                division.data, self._kind, lifetimes[lifetimes != NOBODY], self.called, self._unseen, self.key,
                is_group=self.is_group, shape=self._shape,
            )  # fmt: skip
        return self._divided[number]

    @property
    def kind(self) -> str:
        """The kind of the objects; where a property is called so too, it refuses to be compared."""
        return _Shadowed(self._kind) if "kind" in self.properties else self._kind

    @property
    def shape(self) -> Shape | None:
        """What body the objects have: given by `with_shape`, or declared in the recording; None if neither."""
        told = self._data.session.shapes.get(self._kind)
        return self._shape or (None if told is None else Shape.of(told))

    def with_shape(self, shape: Shape) -> "Objects":
        """Return the same objects with another body than was recorded.

        Args:
            shape: the body, such as `Shape.box(2.0, 1.0, turn="angle")`; `Shape.circle(radius)` for a round one.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> boat = small_trace().one("skiff").with_shape(Shape.box(2.0, 1.0))
            >>> print(boat.shape)
            a box of 2 x 1
        """
        return Objects(
            self._data, self._kind, self._lifetimes, self.called, self._unseen, self.key,
            is_group=self.is_group, shape=shape,
        )  # fmt: skip

    def has(self, name: str) -> bool:
        """Tell whether a property was recorded or can be derived; of a kind that was not seen, any may have been.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> boat = small_trace().one("skiff")
            >>> boat.properties, boat.has("speed"), boat.has("draught")
            (('position', 'moored'), True, False)
        """
        return bool(self._unseen) or name in self._known

    @property
    def ids(self) -> tuple[str, ...]:
        """The ids of the objects, in the order in which they appeared."""
        session = self._data.session
        indices = session.lifetimes.name[self._lifetimes].tolist()
        return tuple(session.names[index] for index in dict.fromkeys(indices))

    @property
    def properties(self) -> tuple[str, ...]:
        """The names of the recorded properties."""
        return tuple(dict.fromkeys(map(property_of, self._data.columns(self._kind))))

    @cached_property
    def appears(self) -> Moments:
        """The moments at which an object was seen to appear; one that was there already, or behind a gap, has none."""
        return self._lifetime_moments(self._data.session.seen_to_appear, "appearance", "appears")

    @cached_property
    def leaves(self) -> Moments:
        """The moments at which an object was seen to leave; none at the end of the trace, or in a gap."""
        return self._lifetime_moments(self._data.session.seen_to_leave, "leaving", "leaves")

    @cached_property
    def lifetimes(self) -> Spans:
        """The stretches of frames on which each lifetime was sampled."""
        lifetimes = self._data.session.lifetimes
        sampled = self._lifetimes[lifetimes.first[self._lifetimes] != NOBODY]
        return Spans.of_lifetimes(
            self._data.session,
            f"lifetimes of {self.called}",
            sampled,
            lifetimes.first[sampled],
            lifetimes.last[sampled],
            one=self._one,
            key=self.key.then("lifetimes"),
        )

    def signal(self, name: str) -> Signal:
        """Return a property by its name, recorded or derived.

        Raises:
            UnknownProperty: objects of this kind have no such property.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").signal("moored").values.tolist()
            [True, False, False, False]
        """
        found = self._signal(name)
        look_at(f"{self._kind}.{name}")
        return found

    def _signal(self, name: str) -> Signal:
        if name in self._recorded_signals:
            return self._recorded_signals[name]
        if self._unseen:
            unit = self._data.session.unit_of(self._kind, name)
            return Unseen(self._track, name, (np.zeros(0),), unit=unit, owner=self.called, key=self.key.then(name))
        columns = self._columns.get(name)
        if columns is not None:
            return self._recorded_signals.setdefault(name, self._recorded(name, columns))
        if name in _DERIVED and "position" in self.properties:
            return self._derived(name)
        raise UnknownProperty("property", name, self._known, self.called)

    @cached_property
    def _columns(self) -> dict[str, list[str]]:
        """The columns of each recorded property."""
        found: dict[str, list[str]] = {}
        for column in self._data.columns(self._kind):
            found.setdefault(property_of(column), []).append(column)
        return found

    @property
    def _known(self) -> list[str]:
        """The properties that were recorded, and those that are derived."""
        return [*self.properties, *(_DERIVED if "position" in self.properties else ())]

    def _recorded(self, name: str, columns: list[str]) -> Signal:
        columns.sort(key=lambda column: PART_NAMES.find(property_and_part(column)[1]))
        every = [self._data.column(self._kind, column) for column in columns]
        valid = None
        for column in every:
            if column.valid is not None:
                valid = column.valid if valid is None else valid & column.valid
        unit = self._data.session.unit_of(self._kind, name)
        parts = tuple(_unchanging(column.values) for column in every)
        space = self._data.session.space_of(self._kind, name)
        kind = SORTS[recorded_sort(parts, every[0].texts, unit, self._data.session.names)]
        signal: Any = kind(
            self._whole_track, name, parts, valid, unit, every[0].texts, self.called, space=space,
            key=self.key.then(name),
        )  # fmt: skip
        if self._everyone:
            everyones: Signal = signal
            return everyones
        taken: Signal = replace(signal.take(self._own_rows), track=self._track, known_noise=None)
        return taken

    def _derived(self, name: str) -> Signal:
        key = self.key.then(name)
        if name == "speed" and "velocity" not in self.properties:
            speed: Signal = replace(self.signal("position").speed(), name=name, owner=self.called, key=key)
            return speed
        velocity = self.signal("velocity") if name != "velocity" else self.signal("position").rate()
        if name == "heading":
            heading: Signal = replace(velocity.direction(), name=name, owner=self.called, key=key)
            return heading
        space = velocity.space if "velocity" in self.properties else self.signal("position").space
        derived = velocity.norm() if name == "speed" else velocity
        if name == "acceleration":
            derived = velocity.rate() if "velocity" in self.properties else self.signal("position").second_rate()
        named: Signal = replace(derived, name=name, owner=self.called, key=key, space=space)
        return named

    @property
    def _one(self) -> str:
        """The id of the object, if one was asked for."""
        return "" if self.is_group else next(iter(self.ids), "")

    @cached_property
    def _recorded_signals(self) -> dict[str, Signal]:
        """The properties that were asked for: what was found out of one, such as its extremes, serves every check."""
        return {}

    @cached_property
    def _whole_track(self) -> Track:
        lifetime, clock_index = self._data.index(self._kind)
        return Track(self._data.session, lifetime, clock_index, whose=self.called, one=self._one)

    @cached_property
    def _everyone(self) -> bool:
        session = self._data.session
        kind = session.kinds.index(self._kind)
        return len(self._lifetimes) == int(np.count_nonzero(session.lifetimes.kind == kind))

    @cached_property
    def _own_rows(self) -> Rows:
        """Which samples of their kind are theirs: as samples are sorted by lifetime, a binary search finds them."""
        lifetime = self._whole_track.lifetime
        begins, ends = (np.searchsorted(lifetime, self._lifetimes, side) for side in ("left", "right"))
        return rows_between(begins, ends)

    @cached_property
    def _track(self) -> Track:
        if self._unseen or not self._data.columns(self._kind):
            nothing = np.zeros(0, np.int64)
            unseen = self._unseen or f"no sample of {self.called}"
            return Track(self._data.session, nothing, nothing, unseen=unseen, whose=self.called, one=self._one)
        return self._whole_track if self._everyone else self._whole_track.take(self._own_rows)

    def _lifetime_moments(self, clock_indices: Ints, what: str, key: str) -> Moments:
        session = self._data.session
        lifetimes = self._lifetimes[clock_indices[self._lifetimes] != NOBODY]
        lifetimes = lifetimes[np.argsort(clock_indices[lifetimes], kind="stable")]
        one = (
            f"{'an' if self._kind[:1] in 'aeiou' else 'a'} {self._kind}"
            if self.called.startswith("every ")
            else self.called
        )
        label = f"{what} of {one}"
        return Moments.of_lifetimes(
            session, label, clock_indices[lifetimes], lifetimes, one=self._one, unseen=self._unseen,
            is_shared=True, from_steps=key == "appears", key=self.key.then(key),
        )  # fmt: skip


class _Part(Objects):
    """Those objects of a group whose samples are a slice of its samples, as a view of them."""

    def __init__(self, whole: Objects, rows: slice) -> None:
        lifetime, size = whole._track.lifetime, whole._track.size
        first = 0 if not rows.start else int(np.searchsorted(whole._lifetimes, lifetime[rows.start]))
        last = None if rows.stop == size else int(np.searchsorted(whole._lifetimes, lifetime[rows.stop]))
        super().__init__(
            whole._data, whole._kind, whole._lifetimes[first:last], whole.called, whole._unseen, whole.key,
            is_group=whole.is_group, shape=whole._shape,
        )  # fmt: skip
        self._whole, self._rows = whole, rows

    def _recorded(self, name: str, columns: list[str]) -> Signal:
        return replace(self._whole._signal(name).take(self._rows), track=self._track)

    @cached_property
    def _track(self) -> Track:
        return self._whole._track.take(self._rows)


def part_of(objects: Objects, rows: slice) -> Objects:
    """Return those objects of a group whose lifetimes have a slice of its samples; these are not copied."""
    return _Part(objects, rows)


def track_of(value: Objects | Samples) -> Track:
    """Return the track of a signal, or that of what was recorded of objects."""
    return value.track if isinstance(value, Samples) else value._track


def bytes_of(objects: Objects) -> int:
    """Return about how many bytes what was read of objects takes, in all episodes."""
    parts = sum(len(one.parts) for one in objects._recorded_signals.values())
    mine = (_OF_TRACK + parts) * objects._track.size * _BYTES if parts else 0
    return mine + sum(map(bytes_of, objects._divided.values()))


class _Shadowed(str):
    """The kind of objects that have a property `kind`."""

    __slots__ = ()
    __hash__ = str.__hash__

    def __eq__(self, other: object) -> bool:
        raise Misuse(f"kind: {self!s} is the kind of the objects; the property is objects['kind'] == {other!r}")

    def __ne__(self, other: object) -> bool:
        raise Misuse(f"kind: {self!s} is the kind of the objects; the property is objects['kind'] != {other!r}")


def _unchanging(values: NDArray[Any]) -> NDArray[Any]:
    """Return values that nobody can write to: all checks look at the same ones."""
    same = values.view()
    same.flags.writeable = False
    return same


def position_of(objects: Objects | Signal) -> Signal:
    """Return the position that a check is about: that of objects, or a signal that is one."""
    return objects.signal("position") if isinstance(objects, Objects) else objects
