"""Samples: the values of a signal and the track they belong to, as plain data."""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from functools import cached_property
from typing import Any, ClassVar, Protocol, Self

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.extremes import Extremes, extremes_of
from breadcrumb.algebra.formulas import Formula, Rank, within
from breadcrumb.algebra.keys import NO_KEY, Key
from breadcrumb.algebra.rounding import NoiseOf, noise_of
from breadcrumb.algebra.tracks import Track
from breadcrumb.errors import Misuse
from breadcrumb.model.rows import Rows, rows_at, rows_of
from breadcrumb.model.session import Bools, Floats, Ints

FULL_TURNS = {"deg": 360.0, "rad": 2 * np.pi}
_QUATERNION_PARTS = 4


class Sort(StrEnum):
    """What the values of a signal are."""

    NUMBER = "number"
    ANGLE = "angle"
    VECTOR = "vector"
    QUATERNION = "quaternion"
    FLAG = "flag"
    TEXT = "text"
    REFERENCE = "reference"
    UNSEEN = "unseen"
    """Not known, since nothing was seen of it."""

    @property
    def words(self) -> str:
        """What one is called: `an angle`."""
        return f"{'an' if self[0] in 'aeiou' else 'a'} {self}"


SORTS: "dict[Sort, type[Samples]]" = {}
"""The type of each sort of signal."""


class Explained(Protocol):
    """How the flags of a condition came about."""

    def taken(self, rows: Rows) -> Self:
        """Return the same of some of the samples."""


@dataclass(frozen=True, eq=False, repr=False)
class Samples:
    """Values over time, as NumPy arrays over a track."""

    sort: ClassVar[Sort]

    track: Track
    name: str
    """What it is, for messages."""
    parts: tuple[NDArray[Any], ...]
    """One array for a scalar, two to four for a vector; texts are indices into `texts`."""
    valid: Bools | None = None
    """Which samples have a value; None if all have."""
    unit: str = ""
    texts: tuple[str, ...] | None = None
    """The distinct texts of a text signal."""
    owner: str = ""
    """Whose it is, for messages."""
    known_noise: float | Floats | NoiseOf | None = None
    """How far rounding may have moved a derived value, or what gives that; None for one that was recorded."""
    space: str = "world"
    """What the values are relative to: the world, the object's own parent, or the screen."""
    key: Key = NO_KEY
    """What it was taken from."""
    condition: Explained | None = None
    """Of flags that were computed: how."""

    def __init_subclass__(cls, sort: Sort | None = None) -> None:
        if sort is not None:
            cls.sort, SORTS[sort] = sort, cls

    @property
    def values(self) -> NDArray[Any]:
        """The values: one a sample, or for a vector a row of parts for each sample; a missing number is NaN.

        Raises:
            Misuse: a flag or a text is missing on some sample, of which there is no value that says so.
        """
        parts = self.parts
        if self.valid is not None and not self.valid.all():
            self._refuse_missing(int(np.count_nonzero(~self.valid)))
            parts = tuple(np.where(self.valid, part, np.nan) for part in parts)
        if self.texts is not None:
            return np.asarray(np.array(self.texts, object)[parts[0]])
        values = parts[0].view() if len(parts) == 1 else np.stack(parts, axis=1)
        values.flags.writeable = False  # whatever asks for the same signal again is given the same array
        return values

    @property
    def title(self) -> str:
        """What it is and whose."""
        if not self.owner:
            return str(self.name)
        return f"{within(self.name, Rank.ATOM) if isinstance(self.name, Formula) else self.name} of {self.owner}"

    @property
    def frames(self) -> Ints:
        """The frame number of each sample."""
        return self.track.frames

    @property
    def times(self) -> Floats:
        """The game time of each sample, in seconds."""
        return self.track.times

    @property
    def episodes(self) -> Ints:
        """In which episode each sample is, counted from 1: a restart begins another one."""
        return self.track.session.episode_of(self.track.clock_index) + 1

    @property
    def episode_times(self) -> Floats:
        """How long after the start of its episode each sample is, in seconds."""
        return self.track.session.time_of_episode(self.track.clock_index)

    @property
    def noise(self) -> float | Floats:
        """How far rounding alone may have moved a value."""
        return self.noise_over(slice(0, self.track.size))

    def noise_over(self, rows: Rows) -> float | Floats:
        """Return how far rounding alone may have moved some of the values: a check asks for those that seem wrong.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> float(small_trace().one("skiff").position.x.noise_over(slice(0, 2))) < 1e-14
            True
        """
        known = self.known_noise
        if callable(known):
            return known(rows)
        if isinstance(known, np.ndarray) and known.ndim:
            return known[rows]
        return self._rounding(rows) if known is None else known

    @cached_property
    def _rounding(self) -> NoiseOf:
        """The noise of recorded values: it is asked for by each check of them, and takes longer than many a check."""
        return noise_of(self.parts, None if len(self.parts) > 1 else lambda: self.extremes)

    def with_name(self, name: str) -> Self:
        """Return the same values under a name of your own, for messages and figures.

        Example:
            >>> from breadcrumb.testing import small_trace
            >>> small_trace().one("skiff").velocity.y.with_name("fall speed").name
            'fall speed'
        """
        return replace(self, name=name)

    def noise_at(self, indices: Rows) -> NoiseOf:
        """Return what gives the noise of samples that are taken by their indices."""
        return lambda rows: self.noise_over(rows_of(indices, rows))

    def take(self, rows: Rows) -> Self:
        """Return some of the samples."""
        indices = rows if isinstance(rows, slice) else rows_at(rows)
        return replace(
            self,
            track=self.track.take(indices),
            parts=tuple(part[indices] for part in self.parts),
            valid=None if self.valid is None else self.valid[indices],
            known_noise=self.noise_at(indices),
            condition=None if self.condition is None else self.condition.taken(indices),
        )

    def _refuse_missing(self, count: int) -> None:
        if self.texts is None and not self.is_flag:
            return
        what, instead = ("text", '""') if self.texts is not None else ("flag", "False")
        raise Misuse(
            f"{self.title} is missing on {count} of {len(self)} samples, and a {what} has no value that says so; "
            f"give those a value with .filled({instead}), and ask which they are with .known"
        )

    @cached_property
    def extremes(self) -> Extremes:
        """The lowest and the highest value of a number in each piece of its column, looked for once."""
        return extremes_of(self.parts[0], self.track.size, self.track.runs, self.valid)

    @property
    def is_valueless(self) -> bool:
        """Whether it was recorded and never had a value, so that nothing says of what sort it is."""
        taken_for_number = self.sort is Sort.NUMBER and self.track.source is None
        return taken_for_number and self.valid is not None and len(self) > 0 and not self.valid.any()

    def as_unseen(self) -> Any:
        """Return one that never had a value as a signal of any sort, without samples."""
        nothing = np.zeros(0, np.int64)
        words = f"{self.title} never had a value"
        track = Track(self.track.session, nothing, nothing, unseen=words, whose=self.track.whose, one=self.track.one)
        unseen: Any = SORTS[Sort.UNSEEN]
        return unseen(track, self.name, (np.zeros(0),), unit=self.unit, owner=self.owner, key=self.key)

    def settled(self, other: Any) -> Any:
        """Return the same, to be compared with another value: what never had a value is of its sort."""
        plain = isinstance(other, int | float) and not isinstance(other, bool)
        alike = other.sort is self.sort if isinstance(other, Samples) else plain
        return self.as_unseen() if self.is_valueless and not alike else self

    @property
    def usable(self) -> Bools:
        """Which samples have a value, as flags."""
        return np.ones(self.track.size, np.bool_) if self.valid is None else self.valid

    def usable_at(self, indices: Ints) -> Bools:
        """Return which of some samples have a value."""
        return np.ones(len(indices), np.bool_) if self.valid is None else self.valid[indices]

    @property
    def is_flag(self) -> bool:
        """Whether it is true or false on each sample."""
        return self.texts is None and self.parts[0].dtype == np.bool_

    @property
    def is_angle(self) -> bool:
        """Whether it is an angle, so that full turns more or less are the same."""
        return self.sort is Sort.ANGLE

    def __len__(self) -> int:
        return self.track.size


_FIELDS = tuple(one.name for one in fields(Samples))


def derived(samples: Samples, *, sort: Sort | None = None, **changes: Any) -> Any:
    """Return samples with some of their fields changed, as the type of signal that then fits.

    Args:
        samples: what they are derived from.
        sort: what the values are; by default what their number of parts and their type say: one number is an angle if
            it was one and still has such a unit.
        changes: the fields.
    """
    every = {name: getattr(samples, name) for name in _FIELDS} | changes
    if "parts" in changes and "condition" not in changes:
        every["condition"] = None
    if every["track"].unseen:
        sort = Sort.UNSEEN
    elif sort is None:
        sort = _fitting_sort(samples.sort, every["parts"], every["texts"], every["unit"])
    return SORTS[sort](**every)


def _fitting_sort(kept: Sort, parts: tuple[NDArray[Any], ...], texts: Any, unit: str) -> Sort:
    """Return what values are that were derived from some of a sort."""
    if texts is not None:
        return kept if kept is Sort.REFERENCE else Sort.TEXT
    if parts[0].dtype == np.bool_:
        return Sort.FLAG
    if len(parts) == 1:
        return Sort.ANGLE if kept is Sort.ANGLE and unit in FULL_TURNS else Sort.NUMBER
    return kept if kept is Sort.QUATERNION and len(parts) == _QUATERNION_PARTS else Sort.VECTOR


def recorded_sort(parts: Sequence[NDArray[Any]], texts: Sequence[str] | None, unit: str, names: Sequence[str]) -> Sort:
    """Return what recorded values are: one number in deg or rad is an angle, four are a quaternion, ids are references.

    Args:
        parts: the values.
        texts: the distinct texts, of a text.
        unit: the unit.
        names: the ids in the session.
    """
    if texts is not None:
        ids = set(texts) & set(names)
        if not ids:
            return Sort.TEXT
        used = np.flatnonzero(np.bincount(parts[0] + 1)[1:]).tolist()  # -1 stands where a text is missing
        return Sort.REFERENCE if used and {texts[code] for code in used} <= ids else Sort.TEXT
    if parts[0].dtype == np.bool_:
        return Sort.FLAG
    if len(parts) == 1:
        return Sort.ANGLE if unit in FULL_TURNS else Sort.NUMBER
    return Sort.QUATERNION if len(parts) == _QUATERNION_PARTS else Sort.VECTOR


def both(a: Bools | None, b: Bools | None) -> Bools | None:
    """Return which samples have a value on both sides."""
    if a is None or b is None:
        return b if a is None else a
    return a & b


def smallest_of(parts: Sequence[NDArray[Any]]) -> float:
    """Return the smallest magnitude that is not 0."""
    sizes = np.abs(np.concatenate([np.ravel(part) for part in parts]))
    return float(sizes[sizes > 0].min(initial=np.inf)) if len(sizes) else np.inf
