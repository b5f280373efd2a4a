"""Comparing a session with an accepted one of the same script and seed, or with several."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME
from breadcrumb.align.lifetimes import pair_lifetimes
from breadcrumb.align.timing import Timing, align_clocks
from breadcrumb.comparison.differences import PLAYERS, Comparison, Difference, Group
from breadcrumb.comparison.events import event_differences
from breadcrumb.comparison.grouping import Grouping
from breadcrumb.comparison.lifetimes import lifetime_differences
from breadcrumb.comparison.properties import property_differences
from breadcrumb.comparison.settings import conventions_that_differ, parameters_that_differ, settings_that_differ
from breadcrumb.errors import Misuse, NotComparable, UnknownName
from breadcrumb.model.session import Session
from breadcrumb.model.trace import TraceData
from breadcrumb.trace.opened import Trace

if TYPE_CHECKING:
    from breadcrumb.comparison.several import Population

_PLAYED = ("level", "seed")
_TOGETHER = 3
"""How many steps apart things may begin that begin at the same time, at another frame rate."""


def compare(
    reference: Trace | Sequence[Trace],
    candidate: Trace,
    *,
    tol: Mapping[str, float] | None = None,
    ignore: Sequence[str] = (),
    anchors: Sequence[str] = (),
    players: Sequence[str] = PLAYERS,
) -> Comparison:
    """Return where a session first differs from an accepted one, and what follows from it.

    Of several accepted sessions, whose play may differ, it returns what the candidate does that none of them does: how
    fast, how long, how often, where and in which state things are is measured in each session, on all occasions, and
    compared with the limits, the states and the distributions of all references.

    Args:
        reference: the accepted session, or at least five, better ten, of one frame rate and varied play.
        candidate: a session of the same script; and of the same seed, if there is one reference. At another frame
            rate than that one, values of the coarser session are compared with what the finer one has from the frame
            before to the frame after, and events within a step.
        tol: how far apart values may be, by `property` or `kind.property`, in the unit of the property.
        ignore: patterns of kinds, `kind.property`, and names of events and parameters that are not compared, with `*`
            and `?`. A kind is left out with all its properties.
        anchors: names of events; the candidate is shifted in time so that the first, second... one of each name is at
            the same time in both, as where loading took longer. Sessions are then compared by time, within a step.
        players: the names under which a player, or what plays in its place, takes part in events; used with several
            references, since when and where a player acts says nothing of the game.

    Returns:
        The differences in groups, in order of time: each group has what began first, and what followed from it. With
        several references, the surest differences come first, and those of the same objects and events are a group.

    Raises:
        Misuse: something is no trace; there are two to four references; or `tol` or `anchors` with several.
        NotComparable: the sessions have no time, no anchor or nothing recorded in common; or several references have
            not the frame rate of the candidate.
        UnknownName: `tol`, `ignore`, `anchors` or `players` names what no session has.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> good, bad = (
        ...     make_trace([{"heron": {"x": x * n}} for n in range(4)], kinds={"heron": "skiff"}) for x in (1.0, 2.0)
        ... )
        >>> compare(good, good).alike, compare(good, bad).first.frame, compare(good, bad).first.words
        (True, 1, '1 off')
    """
    if isinstance(reference, Trace | str) or not isinstance(reference, Iterable):
        references = [_trace(reference)]
    else:
        references = [_trace(one) for one in reference]
    candidate = _trace(candidate)
    _refuse_unknown((*references, candidate), tol or {}, ignore)

    def is_ignored(*names: str) -> bool:
        return any(fnmatchcase(name, pattern) for name in names for pattern in ignore)

    if len(references) == 1:
        return _compare_two(references[0], candidate, tol or {}, anchors, is_ignored)
    for name, given in (("tol", tol), ("anchors", anchors)):
        if given:
            raise Misuse(f"{name} takes one reference, found {len(references)}")
    _refuse_unknown_players((*references, candidate), players)
    return _compare_several(references, candidate, is_ignored, tuple(players))


def _trace(given: object) -> Trace:
    """Return a session, and refuse what is none, such as its path.

    Raises:
        Misuse: it is no `Trace`.
    """
    if not isinstance(given, Trace):
        raise Misuse(f"expected a Trace, found {given!r}; open_trace(path) returns that of a file")
    return given


def _compare_several(
    references: Sequence[Trace], candidate: Trace, is_ignored: Callable[..., bool], players: tuple[str, ...]
) -> Comparison:
    from breadcrumb.comparison.several import FEWEST  # here: only several references pay for it

    others = [one for one in references if one is not candidate]
    if len(others) < FEWEST:
        besides = " besides the candidate" if len(others) < len(references) else ""
        raise Misuse(f"expected one reference or at least {FEWEST}, found {len(others)}{besides}")
    found = _population(tuple(one.data for one in others), players).compare(candidate.data, is_ignored)
    settings = settings_that_differ([one.data.session for one in others], candidate.data.session)
    groups = [Group(one) for one in settings if not is_ignored(one.name)]
    notes = list(found.notes)
    if len(others) < len(references):
        notes.insert(0, f"{candidate.label} is one of the references: left out of them")
    return replace(found, groups=(*groups, *found.groups), notes=tuple(notes))


@lru_cache(maxsize=2)
def _population(references: tuple[TraceData, ...], players: tuple[str, ...]) -> "Population":
    """Return what references do, which takes longer than to compare a session with it."""
    from breadcrumb.comparison.several import Population

    return Population.of(references, players)


def _compare_two(
    reference: Trace,
    candidate: Trace,
    tol: Mapping[str, float],
    anchors: Sequence[str],
    is_ignored: Callable[..., bool],
) -> Comparison:
    data = reference.data, candidate.data  # as they were recorded: undivided by restarts
    mine, yours = (one.session for one in data)
    timing = align_clocks(mine, yours, anchors)
    pairs = pair_lifetimes(timing)
    differences = [*conventions_that_differ(mine, yours), *_clocks(timing)]
    differences += (one for one in parameters_that_differ(timing) if not is_ignored(one.name))
    differences += (one for one in lifetime_differences(timing, pairs) if not is_ignored(one.name))
    compared = sum(not is_ignored(mine.kinds[kind]) for kind in mine.lifetimes.kind[pairs.reference].tolist())
    for many, found in (
        *event_differences(timing, is_ignored),
        *property_differences(*data, timing, pairs, tol, is_ignored),
    ):
        compared += many
        differences += found
    if not compared and not differences:
        raise NotComparable(f"{mine.label} and {yours.label} have neither events nor objects that could be compared")
    groups = Grouping((mine, yours), _TOGETHER * timing.slack).groups(differences)
    return Comparison(reference.label, candidate.label, groups, compared, (*timing.notes, *_notes(mine, yours)))


def _refuse_unknown(traces: Sequence[Trace], tol: Mapping[str, float], ignore: Sequence[str]) -> None:
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


def _refuse_unknown_players(traces: Sequence[Trace], players: Sequence[str]) -> None:
    """Refuse players whom no session knows, unless nobody was named.

    Raises:
        UnknownName: one of them takes part in nothing.
    """
    known = {name for trace in traces for name in trace.data.session.names}
    for name in players:
        if name not in known and tuple(players) != PLAYERS:
            raise UnknownName("player", name, known, "the sessions")


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
