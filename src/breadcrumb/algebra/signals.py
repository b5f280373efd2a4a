"""Signals: a value on every sample of one object or of a group, over all lifetimes."""

from collections.abc import Collection
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any, Literal, NamedTuple, Self

import numpy as np

from breadcrumb.algebra import kernels
from breadcrumb.algebra.arithmetic import Arithmetic
from breadcrumb.algebra.conditions import Clause
from breadcrumb.algebra.durations import Duration, duration, is_number
from breadcrumb.algebra.exploring import frame_of, series_of
from breadcrumb.algebra.formulas import part
from breadcrumb.algebra.meeting import at_indices, indices_at
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.on_demand import Earlier
from breadcrumb.algebra.operations import same_values
from breadcrumb.algebra.owners import owned
from breadcrumb.algebra.picked import data_at
from breadcrumb.algebra.samples import SORTS, Sort, derived, recorded_sort
from breadcrumb.algebra.segments import Segments
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse, near_names
from breadcrumb.model.plurals import counted
from breadcrumb.model.rows import rows_before
from breadcrumb.model.session import Bools, Ints

if TYPE_CHECKING:
    import pandas as pd

    from breadcrumb.algebra.flags import Flag


class UnknownOperation(Misuse, AttributeError):
    """Something that signals of this sort do not have."""


class Turns(NamedTuple):
    """Samples that are other than the one before, in the order of the clock."""

    indices: Ints
    clock_index: Ints
    lifetime: Ints


@dataclass(frozen=True, eq=False, repr=False)
class Signal(Arithmetic):
    """A value over time (not a message), as NumPy arrays over a track of samples.

    Each sort of value is a type of its own with the operations that mean something for it: `Number`, `Angle`,
    `Vector`, `Quaternion`, `Flag`, `Text` and `Reference`. Comparisons and arithmetic are element by element. A value
    that was not recorded is missing, and whatever is computed from it is missing too; and, or, not know three cases.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> x = trace.one("skiff").position.x
        >>> x.at(trace.events("bell.rung")).values.tolist(), (x > 1).changes().frames.tolist()
        ([2.0], [2])
    """

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        if self.is_valueless and hasattr(SORTS[Sort.UNSEEN], name):
            return getattr(self.as_unseen(), name)
        having = [f"{sort}s" for sort, kind in SORTS.items() if sort is not Sort.UNSEEN and hasattr(kind, name)]
        if having:
            hint = "; compare it first" if having == ["flags"] else ""
            if "angles" in having and self.sort is Sort.NUMBER and not self.unit:
                hint = f"; if it is one, record it with units={{{str(self.name)!r}: 'deg'}}"
            raise UnknownOperation(
                f"{self.title} is {self.sort.words}, which has no {name}; {', '.join(having)} have it{hint}"
            )
        near = near_names(name, [one for one in dir(type(self)) if not one.startswith("_")])
        hint = f"; did you mean {' or '.join(near)}?" if near else ""
        raise UnknownOperation(f"{self.title} is {self.sort.words}, and no signal has {name!r}{hint}")

    def __repr__(self) -> str:
        track, unit = self.track, f" in {self.unit}" if self.unit else ""
        if track.unseen or not track.size:
            return f"<{self.title}: {track.unseen or 'no sample'}>"
        what = counted(track.size, "moments" if track.source is not None else "samples")
        whose = f" of {counted(len(track.names), 'objects')}" if len(track.names) > 1 else ""
        missing = 0 if self.valid is None else int(np.count_nonzero(~self.valid))
        without = f", {missing} without a value" if missing else ""
        first, last = track.session.clock.frames[[track.clock_index.min(), track.clock_index.max()]]
        return f"<{self.title}: {self.sort}{unit}, {what}{whose}, frames {first} to {last}{without}>"

    @staticmethod
    def from_data(moments: Moments, key: str, unit: str = "", space: str = "world") -> Any:
        """Return an entry of the data of moments, as a signal picked at them; a moment without it is missing.

        Raises:
            UnknownName: no moment has such an entry.
            Misuse: the entries are not all numbers, all vectors of one length, all texts, or all flags.
        """
        return data_at(moments, key, unit, space)

    def with_values(self, values: Any, name: str, unit: str = "") -> "Signal":
        """Return other values on the same samples: what NumPy made of `.values`, which has no name of its own.

        Args:
            values: an array with a number, a flag, or a row of parts for each sample; NaN is missing.
            name: what they are, for messages.
            unit: their unit.

        Raises:
            Misuse: there is not one for each sample.

        Example:
            >>> import numpy as np
            >>> from breadcrumb.testing import small_trace
            >>> x = small_trace().one("skiff").position.x
            >>> x.with_values(np.cumsum(x.values), "sum so far", "m").values.tolist()
            [0.0, 1.0, 3.0, 6.0]
        """
        array = np.asarray(values)
        if array.dtype.kind not in "fiub" or array.ndim not in (1, 2) or len(array) != len(self):
            raise Misuse(
                f"with_values: expected {len(self)} numbers or flags, one for each sample of {self.title}, found "
                f"{array.dtype} of shape {array.shape}"
            )
        parts = tuple(array.T) if array.ndim == 2 else (array,)
        missing = np.isnan(parts[0]) if array.dtype.kind == "f" else np.zeros(len(array), np.bool_)
        valid = ~missing if missing.any() else None
        sort = None if self.track.unseen else recorded_sort(parts, None, unit, ())
        made: Signal = derived(
            self, sort=sort, name=name, parts=parts, valid=valid, unit=unit, texts=None, known_noise=None
        )
        return made

    def same_as(self, other: "Signal") -> bool:
        """Tell whether another signal has the same values on the same samples."""
        if not self.track.same_as(other.track) or not np.array_equal(self.usable, other.usable):
            return False
        mine, yours = (one.take(np.flatnonzero(one.usable)).values for one in (self, other))
        return bool(np.array_equal(mine, yours, equal_nan=mine.dtype.kind == "f"))

    # Missing values, and other samples

    @property
    def known(self) -> "Flag":
        """Whether each sample has a value, as a flag without missing ones."""
        flag: Flag = derived(
            self, sort=Sort.FLAG, name=part(self.name, "known"), parts=(self.usable,), valid=None, unit="", texts=None,
            known_noise=None,
        )  # fmt: skip
        return flag

    def filled(self, value: Any) -> Self:
        """Return the signal with its missing values replaced by a value.

        Args:
            value: a number, the parts of a vector, a flag or a text, as the signal's own are.

        Raises:
            Misuse: the value is of another sort.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> lamp = make_trace([{"a": {"lit": lit}} for lit in (True, None)], kinds={"a": "lamp"}).one("lamp")
            >>> lamp.lit.filled(False).values.tolist(), lamp.lit.known.values.tolist()
            ([True, False], [True, False])
        """
        if self.track.unseen:
            return self
        self._refuse_another_sort(value, "filled")
        texts, given = self.texts, (value,) if np.ndim(value) == 0 else tuple(value)
        if texts is not None:
            texts = texts if value in texts else (*texts, value)
            given = (texts.index(value),)
        if self.valid is None:
            return self
        parts = tuple(np.where(self.valid, one, other) for one, other in zip(self.parts, given, strict=True))
        filled: Self = derived(self, sort=self.sort, parts=parts, valid=None, texts=texts)
        return filled

    def _refuse_another_sort(self, value: Any, what: str) -> None:
        wanted = {Sort.FLAG: "True or False", Sort.TEXT: "a text", Sort.REFERENCE: "a text"}.get(
            self.sort, "a number" if len(self.parts) == 1 else f"{len(self.parts)} numbers"
        )
        kinds = {Sort.FLAG: "b", Sort.TEXT: "U", Sort.REFERENCE: "U"}.get(self.sort, "fiu")
        array = np.asarray(value)
        if array.dtype.kind not in kinds or array.size != (1 if self.texts is not None else len(self.parts)):
            raise Misuse(f"{what}: {self.title} is {self.sort.words}; expected {wanted}, found {value!r}")

    def previous(self, n: int = 1) -> Self:
        """Return the value a number of samples earlier, in the same lifetime; missing where there is none, or a gap.

        Raises:
            Misuse: the count is not a whole number from 1 up.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.x.previous().values.tolist()
            [nan, 0.0, 1.0, 2.0]
        """
        if not is_number(n) or isinstance(n, float) or n < 1:
            raise Misuse(f"previous: expected how many samples before, a whole number from 1 up, found {n!r}")
        track = self.sampled("previous()")
        there = ~track.no_step
        for _ in range(n - 1):
            there[1:] &= there[:-1]
            there[:1] = False
        if self.valid is not None:
            there[n:] &= self.valid[:-n]
        parts: tuple[Any, ...] = tuple(Earlier(values, n) for values in self.parts)
        name = part(self.name, f"previous({'' if n == 1 else n})")
        earlier = rows_before(np.arange(track.size), n) if self.condition is not None else slice(0, 0)
        shifted: Self = derived(
            self, sort=self.sort, name=name, parts=parts, valid=there,
            condition=None if self.condition is None else self.condition.taken(earlier),
            known_noise=lambda rows: self.noise_over(rows_before(rows, n)),
        )  # fmt: skip
        return shifted

    def isin(self, values: Collection[Any]) -> "Flag":
        """Return whether each value is one of several.

        Args:
            values: numbers or texts, as the signal's own are.

        Raises:
            Misuse: one of them is of another sort, or there are none.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.x.isin([0, 3]).values.tolist()
            [True, False, False, True]
        """
        if isinstance(values, str) or not getattr(values, "__len__", int)():
            raise Misuse(f"isin: expected a list of values, found {values!r}")
        name = f"{self.name} in {list(values)!r}"
        several = tuple(values)
        if self.track.unseen:
            unseen: Flag = derived(self, name=name, parts=(np.zeros(0, np.bool_),))
            return unseen
        if len(self.parts) > 1:
            raise Misuse(f"isin: {self.title} is {self.sort.words}; take a part of it, such as .x")
        for one in several:
            self._refuse_another_sort(one, "isin")

        def among(signal: Any, values: Any) -> Bools:
            return np.asarray(np.logical_or.reduce([(signal == one).parts[0] for one in values]))

        flags, clause = among(self, several), Clause(self, "in", several, among, self.valid)
        found: Flag = derived(
            self, sort=Sort.FLAG, name=name, parts=(flags,), unit="", texts=None, known_noise=None, condition=clause
        )
        return found

    # Values at moments, and moments from values

    def at(self, moments: Moments) -> Self:
        """Return the value on the frame of each moment, in their order; missing where there is no sample.

        The value is that of the moment's subject if the signal is of such objects; else, if there is never more than
        one object, that one's.
        """
        return self._picked(moments, indices_at(self.sampled("at()"), moments, 0))

    def when(self, moments: Moments) -> Self:
        """Return one object's value at the instant of each moment, whoever it is of; for a group, the same as `at`.

        What was picked already stays as it is.
        """
        if self.track.source is not None:
            return self
        return self.at(moments.without_subject() if self.track.one else moments)

    def before(self, moments: Moments, by: Duration) -> Self:
        """Return the last value that is at least a duration before each moment, within the same lifetime."""
        by = duration(by, "before")
        return self._picked(moments, indices_at(self.sampled("before()"), moments, -1, by))

    def after(self, moments: Moments, by: Duration) -> Self:
        """Return the first value that is at least a duration after each moment, within the same lifetime."""
        by = duration(by, "after")
        return self._picked(moments, indices_at(self.sampled("after()"), moments, 1, by))

    def during(self, spans: Spans) -> Self:
        """Return the samples that lie in the spans of their object, or in spans of nobody."""
        return self.take(np.flatnonzero(spans.over(self.track)))

    def outside(self, spans: Spans) -> Self:
        """Return the samples that lie in none of the spans."""
        return self.take(np.flatnonzero(~spans.over(self.track, excuses=True)))

    def of(self, owner: "Literal['parent'] | Signal") -> Self:
        """Return the same values as ones of each object's parent, or of the object that a property names.

        So two groups are compared of which one belongs to the other.

        Args:
            owner: `"parent"`, or a text of the same objects that holds an id on each sample.

        Raises:
            Misuse: two objects have the same owner on a frame, or the property is no text of these objects.

        Example:
            >>> from breadcrumb.testing import make_trace
            >>> state = {"tank": {"yaw": 10.0}, "gun": {"yaw": 30.0, "on": "tank"}}
            >>> trace = make_trace([state], kinds={"tank": "tank", "gun": "gun"})
            >>> gun = trace.all("gun")
            >>> (gun.yaw.of(gun.on) - trace.all("tank").yaw).values.tolist()
            [20.0]
        """
        self.sampled("of()")
        return owned(self, owner)

    def per(self, spans: Spans) -> "Segments[Self]":
        """Return the signal in each span by itself, in the order in which they begin: one play, hold, hop or lifetime.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> boat = small_trace().one("skiff")
            >>> [len(lifetime) for lifetime in boat.position.per(boat.lifetimes)]
            [4]
        """
        self.sampled("per()")
        return Segments(self, spans)

    def changes(self) -> Moments:
        """Return the moments at which the value is another one than on the sample before."""
        self.sampled("changes()")
        return self.moments_at(self.turns.clock_index, self.turns.lifetime, "change")

    # Tables

    def to_series(self) -> "pd.Series[Any]":
        """Return the values as a series of pandas, by id, lifetime, frame and time; those of a vector are rows.

        Raises:
            Misuse: it is a vector; `to_frame()` has a column for each part.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.x.to_series().loc["heron"].tolist()
            [0.0, 1.0, 2.0, 3.0]
        """
        return series_of(self)

    def to_frame(self) -> "pd.DataFrame":
        """Return the values as a table of pandas, with a column for each part, by id, lifetime, frame and time.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").position.to_frame().columns.tolist()
            ['position.x', 'position.y', 'position.z']
        """
        return frame_of(self)

    # How it is done

    @cached_property
    def turns(self) -> Turns:
        """Where the value is another one than on the sample before."""
        track = self.track
        turns = [kernels.turning_indices(part) for part in self.parts]
        indices = turns[0] if len(turns) == 1 else np.unique(np.concatenate(turns))
        run = np.searchsorted(track.starts, indices, side="right") - 1
        kept = track.starts[run] != indices
        if self.valid is not None:
            kept &= self.valid[indices] & self.valid[indices - 1]
        if self.sort in (Sort.ANGLE, Sort.QUATERNION):
            kept &= ~same_values(self.take(indices), self.take(indices - 1))
        indices, run = indices[kept], run[kept]
        clock_index = track.clock_index[indices]
        order = kernels.order_of(clock_index, track.session.clock.size)
        return Turns(indices[order], clock_index[order], track.lifetime[track.starts[run[order]]])

    def moments_at(self, clock_index: Ints, lifetime: Ints, word: str) -> Moments:
        """Return turns as moments."""
        track, label = self.track, f"{word} of {self.name}"
        key = self.key.then(f"{word}s")
        return Moments.of_lifetimes(
            track.session, label, clock_index, lifetime, one=track.one, from_steps=True, key=key
        )

    def _picked(self, moments: Moments, indices: Ints) -> Self:
        return at_indices(self, moments, indices)

    def sampled(self, what: str) -> Track:
        """Return the track of all samples of an object.

        Raises:
            Misuse: they were picked at moments.
        """
        if self.track.source is not None:
            raise Misuse(f"{self.name} holds values picked at moments; {what} needs all samples of an object")
        return self.track
