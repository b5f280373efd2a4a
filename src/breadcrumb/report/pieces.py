"""The samples of a session in pieces of time, so that a page loads those that it shows."""

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.signals import Signal
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.report.packing import Packed, Packer, fits
from breadcrumb.trace.objects import Objects

MISSING_FLAG = 2
_LEVELS = 1e7
"""How many places there are at least along the longest side of where objects of a kind are."""
_FEWEST_DECIMALS, _MOST_DECIMALS = 4, 9
_VALUES = 600_000
"""How many values a piece has, or little more."""
_SAMPLES = 300_000
_WHOLE = 4_000_000
"""How many values a session has at most that is one piece, so that its page is one file."""


@dataclass(frozen=True, eq=False)
class Column:
    """A property, as a page has it: texts as indices, flags as bytes, numbers; and something for what is missing."""

    signal: Signal

    @property
    def name(self) -> str:
        """The name of the property."""
        return str(self.signal.name)

    @property
    def is_number(self) -> bool:
        """Whether its values are numbers, or vectors of them."""
        return self.signal.texts is None and not self.signal.is_flag

    @property
    def is_place(self) -> bool:
        """Whether it says where an object is."""
        return self.name == "position" and self.is_number and len(self.signal.parts) > 1

    def shown(self, indices: Ints | slice) -> list[NDArray[Any]]:
        """Return each part on some samples."""
        usable = self.signal.usable[indices]
        parts = [part[indices] for part in self.signal.parts]
        if self.signal.texts is not None:
            return [np.where(usable, part, NOBODY).astype("<i4") for part in parts]
        if self.signal.is_flag:
            return [np.where(usable, part, MISSING_FLAG).astype("u1") for part in parts]
        form = "<f4" if self.decimals is None and self.name != "position" else "<f8"
        return [np.where(usable & np.isfinite(part), part, np.nan).astype(form) for part in parts]

    @cached_property
    def ranges(self) -> list[tuple[Floats, Floats]]:
        """The lowest and the highest value of each part in each lifetime, as numbers; NaN where there is none."""
        starts = self.signal.track.starts
        values = (np.where(known, part, np.nan) for part, known in zip(self.signal.parts, self._known(), strict=True))
        return [(np.fmin.reduceat(part, starts), np.fmax.reduceat(part, starts)) for part in values]

    @cached_property
    def is_fixed(self) -> bool:
        """Whether it stays the same in each lifetime, missing or not."""
        starts = self.signal.track.starts
        return all(np.array_equal(low, high, equal_nan=True) for low, high in self.ranges) and all(
            np.array_equal(np.logical_and.reduceat(known, starts), np.logical_or.reduceat(known, starts))
            for known in self._known()
        )

    def _known(self) -> Iterator[Bools]:
        """Yield which samples of each part have a value that can be shown."""
        usable = self.signal.usable
        yield from (usable & np.isfinite(part) for part in self.signal.parts)

    @cached_property
    def decimals(self) -> int | None:
        """To how many decimals places are kept; None of what is kept as it is.

        The page goes no nearer than to where they are finer than a hundredth of a pixel.
        """
        if self.name != "position" or not self.is_number:
            return None
        ends = np.array([(np.nanmin(low), np.nanmax(high)) for low, high in self.ranges if not np.isnan(low).all()])
        if not len(ends):
            return None
        longest = float((ends[:, 1] - ends[:, 0]).max())
        wanted = np.log10(_LEVELS / longest) if longest else _MOST_DECIMALS
        decimals = int(np.clip(np.ceil(wanted), _FEWEST_DECIMALS, _MOST_DECIMALS))
        return decimals if fits(float(np.abs(ends).max()), decimals) else None


@dataclass(frozen=True, eq=False)
class Kind:
    """The objects of a kind, as a page has them."""

    name: str
    group: Objects
    columns: Sequence[Column]
    rows: Ints | None = None
    """The row of the page that each clock index belongs to, if it is of another session than the page's."""

    @classmethod
    def of(cls, group: Objects, rows: Ints | None = None, differing: Collection[str] = ()) -> "Kind | None":
        """Return those of a group; None if nothing is known of them.

        Of another session only bodies are shown, and the properties that differ, as `kind.property`.
        """
        kind = group.key.kind
        named = [
            name
            for name in group.properties
            if rows is None or name in _of_bodies(group) or f"{kind}.{name}" in differing
        ]
        columns = [Column(group.signal(name)) for name in named]
        return cls(kind, group, columns, rows) if columns and columns[0].signal.track.size else None

    @property
    def is_beside(self) -> bool:
        """Whether these are objects of another session, shown beside those of the page's."""
        return self.rows is not None

    def row_of(self, clock_index: Ints) -> Ints:
        """Return the rows of the page."""
        return clock_index if self.rows is None else self.rows[clock_index]

    @property
    def size(self) -> int:
        """How many values it has, of all properties."""
        return sum(len(one.signal.parts) * len(one.signal) for one in self.columns if not one.is_fixed)

    def cut(self, packer: Packer, first: int, last: int) -> dict[str, Any]:
        """Pack what lies between two clock indices; of those without a sample at first, also the sample before."""
        track = self.columns[0].signal.track
        lifetime = track.lifetime[track.starts]
        ends = np.append(track.starts[1:], track.size)
        if self.rows is not None:
            first, last = np.searchsorted(self.rows, [first, last + 1]) - [0, 1]
        begin, end = (track.place(lifetime, np.full(len(lifetime), at)) for at in (first, last + 1))
        begin -= (
            (begin > track.starts) & (begin < ends) & (track.clock_index[np.minimum(begin, track.size - 1)] > first)
        )
        there = np.flatnonzero(end > begin)
        many = (end - begin)[there]
        starts = np.append(0, np.cumsum(many))
        indices = np.repeat(begin[there] - starts[:-1], many) + np.arange(starts[-1])
        rows = self.row_of(track.clock_index[indices])
        if self.rows is not None and len(indices):  # of several samples on one row, the last
            kept = np.append(rows[1:] != rows[:-1], True)
            kept[starts[1:] - 1] = True
            starts = np.append(0, np.cumsum(np.add.reduceat(kept, starts[:-1], dtype=np.int64)))
            indices, rows = indices[kept], rows[kept]
        return {
            "lifetimes": packer.put(there.astype("<i4")),
            "starts": packer.put(starts.astype("<i4")),
            "rows": packer.put(rows.astype("<i4")),
            "values": [
                [] if one.is_fixed else [packer.put(part, one.decimals) for part in one.shown(indices)]
                for one in self.columns
            ],
        }


def _of_bodies(group: Objects) -> set[str]:
    """Return the properties that tell where objects are, and what their bodies are like."""
    if group.shape is None:
        return {"position"}
    return {"position", *_names(group.shape.as_data())}


def _names(told: Any) -> Iterator[str]:
    """Yield the names of properties in a shape, as plain data."""
    if isinstance(told, str):
        yield told
    for part in told.values() if isinstance(told, Mapping) else told if isinstance(told, Sequence) else ():
        yield from _names(part) if part != told else ()


def kinds_of(groups: Sequence[Objects]) -> list[Kind]:
    """Return the kinds of which something is known."""
    return [one for one in map(Kind.of, groups) if one is not None]


def pieces_of(kinds: Sequence[Kind], clock_size: int) -> Iterator[tuple[dict[str, Any], str]]:
    """Yield the pieces of a session: what lies where in each, and its bytes as a text."""
    for first, last in bounds_of(kinds, clock_size):
        packer = Packer()
        layout = {"first": first, "last": last, "kinds": [kind.cut(packer, first, last) for kind in kinds]}
        yield layout, packer.text()


def bounds_of(kinds: Sequence[Kind], clock_size: int) -> list[tuple[int, int]]:
    """Return the first and the last clock index of each piece."""
    samples = sum(one.columns[0].signal.track.size for one in kinds)
    values = sum(one.size for one in kinds)
    pieces = 1 if values + samples <= _WHOLE else math.ceil(max(values / _VALUES, samples / _SAMPLES))
    edges = np.linspace(0, clock_size, min(pieces, clock_size) + 1).astype(np.int64)
    return list(zip(edges[:-1].tolist(), (edges[1:] - 1).tolist(), strict=True))


def fixed_values(packer: Packer, column: Column) -> list[Packed]:
    """Pack the values of a property that stays the same in each lifetime: one for each."""
    return [packer.put(part, column.decimals) for part in column.shown(column.signal.track.starts)]
