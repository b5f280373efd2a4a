"""Events of two sessions: missing, extra, early, late, or with other data."""

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import chain
from typing import Any, NamedTuple, TypeAlias

import numpy as np

from breadcrumb.algebra.rounding import usual_of
from breadcrumb.align.matching import Matched, Moments, Pair, without
from breadcrumb.align.timing import Positions, Timing
from breadcrumb.comparison.differences import Difference
from breadcrumb.model.session import ERROR, NOBODY

_Who: TypeAlias = tuple[str, str]
"""The participants of an event: by whom, and on whom."""


_FEW = 0.05
"""The share of events that may be missing, or extra, at another frame rate; at even steps two an episode at most."""


_BEGIN_AND_END = 2
_MEASURED = 0.05
"""The share of its range, or of itself, by which a measured datum may be off at another frame rate."""
_Same: TypeAlias = Callable[[str, Any, Any], bool]
"""Tells whether two data of a key are the same."""
_Acts: TypeAlias = dict[tuple[int, int], set[str]]
"""The names of the events that somebody does on a clock index."""


class _Apart(NamedTuple):
    """How one occurrence differs."""

    frame: int
    time: float
    words: str
    reference: str
    candidate: str


class _Side(NamedTuple):
    """The events of one session."""

    positions: Positions
    moments: Moments
    by_name: dict[str, dict[_Who, list[int]]]
    """The indices of the events of each name, by their participants, in order."""


def event_differences(timing: Timing, is_ignored: Callable[..., bool]) -> Iterator[tuple[int, list[Difference]]]:
    """Yield for each name and participants how many events were compared, and the difference if one differs."""
    mine, yours = (_side(positions) for positions in (timing.reference, timing.candidate))
    names = sorted(name for name in mine.by_name.keys() | yours.by_name.keys() if not is_ignored(name))
    found = {name: _matched(timing, mine, yours, name) for name in names}
    if timing.by == "time":
        sides = mine, yours
        moved = _acting(sides, {name: one.moved for name, one in found.items()})
        drifted = _acting(sides, {name: one.drifted for name, one in found.items()})
        exact = {ERROR, *(name for side in sides for name in side.positions.session.declared_restarts)}
        found |= {
            name: _without_expected(timing, sides, name, found[name], moved, drifted) for name in found.keys() - exact
        }
    for name, matched in found.items():
        is_same = _same_datum(timing, (mine, yours), name)
        for who, one in _by_participants(matched, mine.by_name.get(name, {}), yours.by_name.get(name, {})):
            apart = sorted(_apart(timing, mine, yours, one, is_same))
            many = len(mine.by_name.get(name, {}).get(who, ()))
            yield many, [_difference(name, who, apart)] if apart else []


def _acting(sides: tuple[_Side, _Side], pairs: Mapping[str, Sequence[Pair]]) -> list[_Acts]:
    """Return which events somebody takes part in on which clock index, in each session."""
    acts: list[_Acts] = [{}, {}]
    for name, several in pairs.items():
        for pair in several:
            for side, index, known in zip(sides, pair, acts, strict=True):
                if _by(side, index) != NOBODY:
                    known.setdefault((_by(side, index), _at(side, index)), set()).add(name)
    return acts


def _without_expected(
    timing: Timing,
    sides: tuple[_Side, _Side],
    name: str,
    matched: Matched,
    moved: Sequence[_Acts],
    drifted: Sequence[_Acts],
) -> Matched:
    """Leave out what other frames may decide otherwise.

    That is what lies outside the time that both have, happens within a step of a restart, or goes with a timer that
    drifts; and a few of many events that begin and end within a step, or go with something that is not at quite the
    same time. Uneven steps decide any few.
    """
    allowed = int(_FEW * len(matched.pairs))
    allowed = allowed if timing.is_uneven else min(allowed, _BEGIN_AND_END * sides[0].moments.episodes)
    unmatched = []
    for number, (side, many) in enumerate(zip(sides, (matched.missing, matched.extra), strict=True)):
        acts = {one: (_by(side, one), _at(side, one)) for one in many}
        kept = [one for one in many if not drifted[number].get(acts[one], set()) - {name}]
        kept = [one for one in kept if side.moments.is_within(one, timing.shared)]
        kept = [one for one in kept if not side.moments.is_at_restart(one, timing.slack)]
        short = set(_short(side, kept, timing.slack))
        few = {one for one in kept if timing.is_uneven or moved[number].get(acts[one], set()) - {name} or one in short}
        unmatched.append(tuple(one for one in kept if one not in few or len(few) > allowed))
    pairs = matched.pairs
    if timing.is_uneven:
        pairs = tuple(pair for pair in pairs if not sides[0].moments.is_at_restart(pair[0], timing.slack))
    return replace(matched, pairs=pairs, missing=unmatched[0], extra=unmatched[1])


def _short(side: _Side, many: Sequence[int], room: float) -> Iterator[int]:
    """Yield what the same one does twice within a step, with others or other data: something that soon ended."""
    by_actor: dict[int, list[int]] = {}
    for one in sorted(many, key=side.moments.at):
        by_actor.setdefault(_by(side, one), []).append(one)
    for mine in by_actor.values():
        places = [side.moments.at(one) for one in mine]
        for one, at in zip(mine, places, strict=True):
            near = mine[bisect_left(places, at - room) : bisect_right(places, at + room)]
            if len(near) == _BEGIN_AND_END == len({(_on(side, each), repr(dict(_data(side, each)))) for each in near}):
                yield one


def _by_participants(
    matched: Matched, mine: Mapping[_Who, Sequence[int]], yours: Mapping[_Who, Sequence[int]]
) -> Iterator[tuple[_Who, Matched]]:
    """Yield what was matched of the events of a name for each of their participants."""
    pairs, left, rest = dict(matched.pairs), set(matched.missing), set(matched.extra)
    for who in sorted(mine.keys() | yours.keys()):
        first, second = mine.get(who, ()), yours.get(who, ())
        yield (
            who,
            Matched(
                tuple((one, pairs[one]) for one in first if one in pairs),
                tuple(one for one in first if one in left),
                tuple(one for one in second if one in rest),
            ),
        )


def _difference(name: str, who: _Who, apart: Sequence[_Apart]) -> Difference:
    first, (by, on) = apart[0], who
    return Difference(
        "event", name, by or on, first.frame, first.time, first.words, first.reference, first.candidate,
        len(apart), apart[-1].frame, others=tuple(one for one in (by, on) if one),
    )  # fmt: skip


def _side(positions: Positions) -> _Side:
    session = positions.session
    events, names = session.events, (*session.names, "")
    found: dict[str, dict[_Who, list[int]]] = {}
    rows = zip(events.kind.tolist(), events.by.tolist(), events.on.tolist(), strict=True)
    for index, (kind, by, on) in enumerate(rows):
        who = names[by if by != NOBODY else -1], names[on if on != NOBODY else -1]
        found.setdefault(events.kinds[kind], {}).setdefault(who, []).append(index)
    return _Side(positions, Moments(positions, events.clock_index), found)


def _matched(timing: Timing, mine: _Side, yours: _Side, name: str) -> Matched:
    """Return which events of a name are at the same time; on one frame, those of the same data before others."""
    left, rest = (side.by_name.get(name, {}) for side in (mine, yours))
    if timing.by == "time":
        return mine.moments.match(yours.moments, left, rest, timing)
    same = mine.moments.match(yours.moments, _by_data(mine, left), _by_data(yours, rest), timing)
    left, rest = (
        {who: [one for one in several if one in unmatched] for who, several in given.items()}
        for given, unmatched in ((left, set(same.missing)), (rest, set(same.extra)))
    )
    other = mine.moments.match(yours.moments, left, rest, timing)
    return replace(other, pairs=(*same.pairs, *other.pairs))


def _by_data(side: _Side, given: Mapping[_Who, Sequence[int]]) -> dict[tuple[_Who, str], list[int]]:
    found: dict[tuple[_Who, str], list[int]] = {}
    for who, several in given.items():
        for one in several:
            found.setdefault((who, repr(dict(_data(side, one)))), []).append(one)
    return found


def _apart(timing: Timing, mine: _Side, yours: _Side, matched: Matched, is_same: _Same) -> Iterator[_Apart]:
    """Yield how occurrences differ."""
    for one, its in matched.pairs:
        before, after = _data(mine, one), _data(yours, its)
        if not _is_same_data(before, after, is_same):
            yield _Apart(*_moment(timing, mine, one), *_first_datum(before, after, is_same))
    yield from _moved(timing, mine, yours, matched.missing, matched.extra)


def _moved(timing: Timing, mine: _Side, yours: _Side, missing: Sequence[int], extra: Sequence[int]) -> Iterator[_Apart]:
    near = mine.moments.near_pairs(yours.moments, missing, extra)
    for one, other in near:
        places = (mine.positions, _at(mine, one)), (yours.positions, _at(yours, other))
        late = places[1][0].at[places[1][1]] - places[0][0].at[places[0][1]]
        first = places[0] if late > 0 else places[1]
        before, after = (timing.frame_words(*place) for place in places)
        yield _Apart(*timing.moment(*first), timing.amount(float(late)), before, after)
    for one in without(missing, near, 0):
        yield _Apart(*_moment(timing, mine, one), "missing", timing.frame_words(mine.positions, _at(mine, one)), "none")
    for other in without(extra, near, 1):
        found = timing.frame_words(yours.positions, _at(yours, other))
        yield _Apart(*_moment(timing, yours, other), "extra", "none", found)


def _at(side: _Side, index: int) -> int:
    return int(side.positions.session.events.clock_index[index])


def _by(side: _Side, index: int) -> int:
    return int(side.positions.session.events.by[index])


def _on(side: _Side, index: int) -> int:
    return int(side.positions.session.events.on[index])


def _data(side: _Side, index: int) -> Mapping[str, Any]:
    return side.positions.session.events.data[index]


def _moment(timing: Timing, side: _Side, index: int) -> tuple[int, float]:
    return timing.moment(side.positions, _at(side, index))


def _first_datum(one: Mapping[str, Any], other: Mapping[str, Any], is_same: _Same) -> tuple[str, str, str]:
    """Return how the data differ, by the first key of which they do, and what each has."""
    missing = object()
    name = next(key for key in (*one, *other) if not is_same(key, one.get(key, missing), other.get(key, missing)))
    first, second = (f"{name}={each[name]}" if name in each else f"no {name}" for each in (one, other))
    return f"{name} of its data differs", first, second


def _is_same_data(one: Mapping[str, Any], other: Mapping[str, Any], is_same: _Same) -> bool:
    return one.keys() == other.keys() and all(is_same(key, one[key], other[key]) for key in one)


def _same_datum(timing: Timing, sides: Sequence[_Side], name: str) -> _Same:
    """Return what tells whether a datum of an event is the same; NaN is to itself.

    At another frame rate something measured may be off by a share of its range, or of itself, as it was measured up to
    a step later; counts, flags and texts may not.
    """
    if timing.by == "frame":
        return lambda key, one, other: repr(one) == repr(other)
    numbers: dict[str, list[float]] = {}
    for side in sides:
        for index in chain(*side.by_name.get(name, {}).values()):
            for key, datum in _data(side, index).items():
                numbers.setdefault(key, []).extend(_measured(datum))
    ranges = {key: float(np.ptp(usual_of(np.array(found)))) for key, found in numbers.items() if found}

    def is_same(key: str, one: Any, other: Any) -> bool:
        first, second = _measured(one), _measured(other)
        if repr(one) == repr(other) or not first or len(first) != len(second):
            return repr(one) == repr(other)
        allowed = _MEASURED * max(ranges[key], *map(abs, first), *map(abs, second))
        return all(abs(each - its) <= allowed for each, its in zip(first, second, strict=True))

    return is_same


def _measured(datum: Any) -> list[float]:
    """Return the numbers that a datum consists of; none if it is no measured number, or not finite."""
    parts = datum if isinstance(datum, tuple | list) else [datum]
    return list(parts) if all(isinstance(one, float) and math.isfinite(one) for one in parts) else []
