"""How often things happen in a session: events, appearances of objects, changes of properties."""

import math
from collections.abc import Iterator, Sequence

import numpy as np

from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY
from breadcrumb.population.events import Objects
from breadcrumb.population.measures import Quantity
from breadcrumb.population.outside import Outside
from breadcrumb.population.rules import AGREEING

_MANY, _FEW, _SPREAD, _ERRORS = 0.1, 4, 5, {"event": 2, "lifetime": 3}
"""A count is outside by that share, by so many, by so many times the spread of the references, and standard errors."""
_OFTEN, _OFTEN_OF_ONE = 3, 6
"""How often something is expected that is missed; of a single object, which may be left alone."""
_SAME, _OTHER = 5, 0.34
"""From how many on the game sets a count that is the same in all references; by which share another is outside."""
_SAME_LENGTH = 0.1
"""How many more restarts are expected in a session that is as long as the references, at most."""
_SURE, _MOST = 5.0, 10.0
"""How surprising one occasion is, and how many are counted."""


def count_measures(objects: Objects) -> Iterator[tuple[Quantity, int]]:
    """Yield how often each event occurs, how many objects appear, and on how many frames properties change."""
    yield from _events(objects)
    session = objects.session
    for number, kind in enumerate(session.kinds):
        yield Quantity("lifetime", kind, "count"), int((session.lifetimes.kind == number).sum())
        yield from _changes(objects, kind)


def _events(objects: Objects) -> Iterator[tuple[Quantity, int]]:
    """Yield how often each event occurs that no player does; of nobody's, it is not known why it occurs."""
    session = objects.session
    for name in session.events.kinds:
        indices = session.events.indices_of(name)
        by = session.events.by[indices]
        for one in np.unique(by[np.isin(by, objects.lasting)]).tolist():
            yield Quantity("event", name, "count", basis="player", object=session.names[one]), int((by == one).sum())
        if name in session.declared_restarts:
            yield Quantity("event", name, "count", sort="restart"), len(indices)
        elif objects.is_of_the_game(by).any():
            yield Quantity("event", name, "count"), len(indices)
        elif (by == NOBODY).all():
            yield Quantity("event", name, "count", basis="situation"), len(indices)


def _changes(objects: Objects, kind: str) -> Iterator[tuple[Quantity, int]]:
    stretches, signals = objects.signals(kind)
    for one in signals:
        if one.is_recorded:
            changes = np.append(False, one.values[1:] != one.values[:-1]) & ~stretches.is_first
            if one.texts is None:
                changes &= ~np.isnan(one.values) & ~np.isnan(np.append(np.nan, one.values[:-1]))
            aspect = f"{one.part} changes".strip()
            yield Quantity("property", f"{kind}.{one.prop}", aspect), len(np.unique(stretches.clock_index[changes]))


def judge_count(quantity: Quantity, each: Sequence[int], expected: Sequence[float], mine: int) -> Iterator[Outside]:
    """Yield that something occurs more or less often, given how often it is expected in a session of this length."""
    told = f"{min(each)} to {max(each)} times" if min(each) != max(each) else counted(each[0], "times")
    low, high = min(expected), max(expected)
    is_same = not quantity.object and min(each) == max(each)
    is_fixed = is_same and high - low <= _SAME_LENGTH * high and abs(high - each[0]) <= _SAME_LENGTH * each[0]
    is_agreed = is_fixed and len(each) >= AGREEING
    if quantity.what == "property":
        if is_agreed:
            yield from _judge_changes(quantity, told, high, mine)
        return
    if mine == 0 and (low >= (_OFTEN_OF_ONE if quantity.object else _OFTEN) or (low > 0 and is_fixed)):
        yield Outside(quantity, "missing", told, "never", (), _SURE * min(low, _MOST), "gone")
        return
    if quantity.basis != "game":
        return
    width = high - low
    for off, words, at in ((mine - high, "more often", high), (low - mine, "less often", low)):
        room = max(_SPREAD * width, _MANY * at, _FEW, _ERRORS[quantity.what] * math.sqrt(at))
        if quantity.sort == "restart" and not width and abs(high - max(each)) < _SAME_LENGTH:
            room = _SAME_LENGTH  # restarts are few; in sessions of one length they are set by the game
        elif is_agreed and each[0] >= _SAME:
            room = max(_OTHER * at, _FEW - 1)
        if off > room:
            surprise = _SURE * min(off / max(room, 1.0), 4.0)
            yield Outside(quantity, words, told, counted(mine, "times"), (), surprise, "count")


def _judge_changes(quantity: Quantity, told: str, usual: float, mine: int) -> Iterator[Outside]:
    """Yield that a property changes that never did, or as often as it always does."""
    if usual == 0 and mine >= _OFTEN:
        yield Outside(
            quantity, "more often", "never", counted(mine, "times"), (), _SURE * min(mine, _MOST), "unchanging"
        )
    elif usual >= _SAME and abs(mine - usual) > max(_OTHER * usual, _FEW - 1):
        words = "more often" if mine > usual else "less often"
        surprise = _SURE * min(abs(mine - usual) / (_OTHER * usual), 4.0)
        yield Outside(quantity, words, told, counted(mine, "times"), (), surprise, "count")
