"""Comparing a session with an accepted one of the same seed and frame rate."""

from collections.abc import Iterator, Mapping, Sequence
from fnmatch import fnmatchcase
from itertools import zip_longest
from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME
from breadcrumb.align.lifetimes import pair_lifetimes
from breadcrumb.comparison.differences import Comparison, Difference
from breadcrumb.comparison.events import event_differences
from breadcrumb.comparison.grouping import Grouping
from breadcrumb.comparison.objects import lifetime_differences, property_differences
from breadcrumb.errors import NotComparable, UnknownName
from breadcrumb.model.session import Session
from breadcrumb.trace.opened import Trace

_CONVENTIONS = ("axes", "angles", "units", "spaces", "areas")
_PLAYED = ("level", "seed")


def compare(
    reference: Trace, candidate: Trace, *, tol: Mapping[str, float] | None = None, ignore: Sequence[str] = ()
) -> Comparison:
    """Return where a session first differs from an accepted one, and what follows from it.

    Args:
        reference: the accepted session.
        candidate: a session of the same script, seed and frame rate.
        tol: how far apart values may be, by `property` or `kind.property`, in the unit of the property.
        ignore: patterns of kinds, `kind.property`, and names of events and parameters that are not compared, with `*`
            and `?`. A kind is left out with all its properties.

    Returns:
        The differences in groups, in order of time: each group has what began first, and what followed from it.

    Raises:
        NotComparable: the sessions have no frame in common, frames at other times, or nothing recorded.
        UnknownName: `tol` or `ignore` names what neither session has.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> good, bad = (
        ...     make_trace([{"heron": {"x": x * n}} for n in range(4)], kinds={"heron": "skiff"}) for x in (1.0, 2.0)
        ... )
        >>> compare(good, good).alike, compare(good, bad).first.frame, compare(good, bad).first.words
        (True, 1, '1 off')
    """
    mine, yours = reference.data.session, candidate.data.session
    _refuse_other_frames(mine, yours)
    _refuse_unknown((reference, candidate), tol or {}, ignore)

    def is_ignored(*names: str) -> bool:
        return any(fnmatchcase(name, pattern) for name in names for pattern in ignore)

    pairs = pair_lifetimes(mine, yours)
    differences = [*_conventions(mine, yours), *_clocks(mine, yours)]
    differences += (one for one in _parameters(mine, yours) if not is_ignored(one.name))
    differences += (one for one in lifetime_differences(mine, yours, pairs) if not is_ignored(one.name))
    compared = sum(not is_ignored(mine.kinds[kind]) for kind in mine.lifetimes.kind[pairs.reference].tolist())
    for many, found in (
        *event_differences(mine, yours, is_ignored),
        *property_differences(reference.data, candidate.data, pairs, tol or {}, is_ignored),
    ):
        compared += many
        differences += found
    if not compared and not differences:
        raise NotComparable(f"{mine.label} and {yours.label} have neither events nor objects that could be compared")
    groups = Grouping((mine, yours)).groups(differences)
    return Comparison(reference.label, candidate.label, groups, compared, tuple(_notes(mine, yours)))


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


def _refuse_other_frames(mine: Session, yours: Session) -> None:
    _, one, other = np.intersect1d(mine.clock.frames, yours.clock.frames, return_indices=True)
    if not len(one):
        raise NotComparable(f"{mine.label} and {yours.label} have no frame in common")
    apart = np.abs(mine.clock.times[one] - yours.clock.times[other])
    if len(one) > 1 and np.median(apart) > np.median(np.diff(mine.clock.times[one])) / 2:
        raise NotComparable(
            f"{yours.label} has frames at other times than {mine.label}: sessions of one frame rate can be compared"
        )


def _clocks(mine: Session, yours: Session) -> Iterator[Difference]:
    """Yield the first frame that one session alone has, and the first one at another time."""
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


def _parameters(mine: Session, yours: Session) -> Iterator[Difference]:
    """Yield the parameters that have another value, or have it on another frame."""
    first, second = (_by_parameter(session) for session in (mine, yours))
    for name in dict.fromkeys((*first, *second)):
        values = zip_longest(first.get(name, ()), second.get(name, ()))
        apart = next(((one, other) for one, other in values if one != other), None)
        if apart is None:
            continue
        at = min((one for one in apart if one is not None), key=lambda one: one.frame)
        one, other = (_said(each, at.frame) for each in apart)
        yield Difference("parameter", name, "", at.frame, at.time, "differs", one, other, last=at.frame)


class _Setting(NamedTuple):
    """A value of a parameter, and from which frame on it had it."""

    frame: int
    time: float
    value: str
    unit: str


def _by_parameter(session: Session) -> dict[str, list[_Setting]]:
    found: dict[str, list[_Setting]] = {}
    for one in session.parameters:
        frame, time = session.clock.frames[one.clock_index], session.clock.times[one.clock_index]
        found.setdefault(one.name, []).append(_Setting(int(frame), float(time), repr(one.value), one.unit))
    return found


def _said(one: _Setting | None, frame: int) -> str:
    if one is None:
        return "none"
    return f"{one.value} {one.unit}".strip() + ("" if one.frame == frame else f" on frame {one.frame}")
