"""Comparing a session with an accepted one of the same script and seed."""

from collections.abc import Iterator, Mapping, Sequence
from fnmatch import fnmatchcase
from itertools import zip_longest
from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME
from breadcrumb.align.lifetimes import pair_lifetimes
from breadcrumb.align.timing import Positions, Timing, align_clocks
from breadcrumb.comparison.differences import Comparison, Difference
from breadcrumb.comparison.events import event_differences
from breadcrumb.comparison.grouping import Grouping
from breadcrumb.comparison.lifetimes import lifetime_differences
from breadcrumb.comparison.properties import property_differences
from breadcrumb.errors import NotComparable, UnknownName
from breadcrumb.model.session import Session
from breadcrumb.trace.opened import Trace

_CONVENTIONS = ("axes", "angles", "units", "spaces", "areas")
_PLAYED = ("level", "seed")
_TOGETHER = 3
"""How many steps apart things may begin that begin at the same time, at another frame rate."""


def compare(
    reference: Trace,
    candidate: Trace,
    *,
    tol: Mapping[str, float] | None = None,
    ignore: Sequence[str] = (),
    anchors: Sequence[str] = (),
) -> Comparison:
    """Return where a session first differs from an accepted one, and what follows from it.

    Args:
        reference: the accepted session.
        candidate: a session of the same script and seed. At another frame rate, values of the coarser session are
            compared with what the finer one has from the frame before to the frame after, and events within a step.
        tol: how far apart values may be, by `property` or `kind.property`, in the unit of the property.
        ignore: patterns of kinds, `kind.property`, and names of events and parameters that are not compared, with `*`
            and `?`. A kind is left out with all its properties.
        anchors: names of events; the candidate is shifted in time so that the first, second... one of each name is at
            the same time in both, as where loading took longer. Sessions are then compared by time, within a step.

    Returns:
        The differences in groups, in order of time: each group has what began first, and what followed from it.

    Raises:
        NotComparable: the sessions have no time, no anchor or nothing recorded in common.
        UnknownName: `tol`, `ignore` or `anchors` names what neither session has.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> good, bad = (
        ...     make_trace([{"heron": {"x": x * n}} for n in range(4)], kinds={"heron": "skiff"}) for x in (1.0, 2.0)
        ... )
        >>> compare(good, good).alike, compare(good, bad).first.frame, compare(good, bad).first.words
        (True, 1, '1 off')
    """
    data = reference.data, candidate.data  # as they were recorded: undivided by restarts
    mine, yours = (one.session for one in data)
    timing = align_clocks(mine, yours, anchors)
    _refuse_unknown((reference, candidate), tol or {}, ignore)

    def is_ignored(*names: str) -> bool:
        return any(fnmatchcase(name, pattern) for name in names for pattern in ignore)

    pairs = pair_lifetimes(timing)
    differences = [*_conventions(mine, yours), *_clocks(timing)]
    differences += (one for one in _parameters(timing) if not is_ignored(one.name))
    differences += (one for one in lifetime_differences(timing, pairs) if not is_ignored(one.name))
    compared = sum(not is_ignored(mine.kinds[kind]) for kind in mine.lifetimes.kind[pairs.reference].tolist())
    for many, found in (
        *event_differences(timing, is_ignored),
        *property_differences(*data, timing, pairs, tol or {}, is_ignored),
    ):
        compared += many
        differences += found
    if not compared and not differences:
        raise NotComparable(f"{mine.label} and {yours.label} have neither events nor objects that could be compared")
    groups = Grouping((mine, yours), _TOGETHER * timing.slack).groups(differences)
    return Comparison(reference.label, candidate.label, groups, compared, (*timing.notes, *_notes(mine, yours)))


def _refuse_unknown(traces: tuple[Trace, Trace], tol: Mapping[str, float], ignore: Sequence[str]) -> None:
    """Refuse names that would change nothing.

    Raises:
        UnknownName: neither session has them.
    """
    full = {f"{kind}.{name}" for trace in traces for kind in trace.kinds for name in trace.all(kind).properties}
    known = full | {name.partition(".")[2] for name in full}
    for name in tol:
        if name not in known:
            raise UnknownName("property", name, known, "the sessions")
    known = full | {name for trace in traces for name in (*trace.kinds, *trace.event_names, *trace.parameters)}
    for pattern in ignore:
        if not any(fnmatchcase(name, pattern) for name in known):
            raise UnknownName("kind, property, event or parameter", pattern, known, "the sessions")


def _notes(mine: Session, yours: Session) -> Iterator[str]:
    for name in _PLAYED:
        if mine.about.get(name) != yours.about.get(name):
            yield f"the {name} differs: {mine.about.get(name)} and {yours.about.get(name)}"
    for session in (mine, yours):
        yield from (f"{session.label}: {fact.words}" for fact in session.facts)


def _conventions(mine: Session, yours: Session) -> Iterator[Difference]:
    frame, time = int(mine.clock.frames[0]), float(mine.clock.times[0])
    for name in _CONVENTIONS:
        one, other = mine.about.get(name), yours.about.get(name)
        if one != other:
            yield Difference("convention", name, "", frame, time, "differs", f"{one}", f"{other}", last=frame)


def _clocks(timing: Timing) -> Iterator[Difference]:
    """Yield the first frame that one session alone has, and the first one at another time."""
    if timing.by == "time":
        yield from () if timing.anchors else _other_length(timing)
        return
    mine, yours = timing.reference.session, timing.candidate.session
    apart = np.setxor1d(mine.clock.frames, yours.clock.frames)
    if len(apart):
        frame = int(apart[0])
        words, owner = ("missing", mine) if frame in mine.clock.frames else ("extra", yours)
        told = (f"frame {frame}", "none") if words == "missing" else ("none", f"frame {frame}")
        time = float(owner.clock.times[owner.clock.clock_index_at_or_after(frame)])
        yield Difference("convention", "frames", "", frame, time, words, *told, len(apart), int(apart[-1]))
    shared, one, other = np.intersect1d(mine.clock.frames, yours.clock.frames, return_indices=True)
    off = np.abs(mine.clock.times[one] - yours.clock.times[other])
    where = np.flatnonzero(off > SAME_TIME)
    if len(where):
        at = int(where[0])
        times = [float(side.clock.times[index[at]]) for side, index in ((mine, one), (yours, other))]
        yield Difference(
            "convention", "time", "", int(shared[at]), times[0], f"{off[at]:.4g} s off", f"{times[0]:.6g} s",
            f"{times[1]:.6g} s", len(where), int(shared[where[-1]]), float(off.max()), "s",
        )  # fmt: skip


def _parameters(timing: Timing) -> Iterator[Difference]:
    """Yield the parameters that have another value, or have it on another frame."""
    first, second = (_by_parameter(side) for side in (timing.reference, timing.candidate))
    for name in dict.fromkeys((*first, *second)):
        values = zip_longest(first.get(name, ()), second.get(name, ()))
        apart = next(((one, other) for one, other in values if not _is_same(one, other)), None)
        if apart is None:
            continue
        at = min((one for one in apart if one is not None), key=lambda one: one.at)
        frame, time = timing.moment(at.side, at.clock_index)
        one, other = (_said(each, at, timing) for each in apart)
        yield Difference("parameter", name, "", frame, time, "differs", one, other, last=frame)


def _other_length(timing: Timing) -> Iterator[Difference]:
    """Yield how much earlier or later the candidate begins and ends."""
    for verb, index in (("begins", 0), ("ends", -1)):
        first, second = (float(side.at[index]) for side in (timing.reference, timing.candidate))
        if abs(second - first) > timing.slack:
            clock = timing.candidate.session.clock
            frame, time = int(clock.frames[index]), float(clock.times[index])
            told = f"{first:.6g} s", f"{second:.6g} s"
            words = f"{verb} {timing.amount(second - first)}"
            yield Difference("convention", "time", "", frame, time, words, *told, last=frame)


class _Setting(NamedTuple):
    """A value of a parameter, and from when on it had it."""

    side: Positions
    clock_index: int
    value: str
    unit: str

    @property
    def at(self) -> float:
        """Where it is."""
        return float(self.side.at[self.clock_index])


def _by_parameter(side: Positions) -> dict[str, list[_Setting]]:
    found: dict[str, list[_Setting]] = {}
    for one in side.session.parameters:
        found.setdefault(one.name, []).append(_Setting(side, one.clock_index, repr(one.value), one.unit))
    return found


def _is_same(one: _Setting | None, other: _Setting | None) -> bool:
    if one is None or other is None:
        return one is other
    slack = max(float(each.side.slack[each.clock_index]) for each in (one, other))
    is_first = one.clock_index == other.clock_index == 0  # each recording begins with what it finds
    return (one.value, one.unit) == (other.value, other.unit) and (is_first or abs(one.at - other.at) <= slack)


def _said(one: _Setting | None, at: _Setting, timing: Timing) -> str:
    if one is None:
        return "none"
    told = f"{one.value} {one.unit}".strip()
    return told if one.at == at.at else f"{told} on {timing.frame_words(one.side, one.clock_index)}"
