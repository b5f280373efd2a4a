"""How the lifetimes of a kind are measured."""

from collections.abc import Callable
from functools import partial

import numpy as np

from breadcrumb.model.session import NOBODY, Bools, Ints, Session
from breadcrumb.population.events import Objects
from breadcrumb.population.measures import Found, Occasions, Quantity
from breadcrumb.population.stretches import restarts


def lifetime_measures(objects: Objects) -> Found:
    """Yield how long lifetimes of each kind last, when the next one begins, how many there are, and why they end."""
    lifetimes = objects.session.lifetimes
    for number, kind in enumerate(objects.session.kinds):
        mine = np.flatnonzero((lifetimes.kind == number) & (lifetimes.first != NOBODY))
        if len(mine):
            make = partial(Quantity, "lifetime", kind)
            yield from _lengths(objects, mine, make)
            yield from _intervals(objects, kind, mine, make)
            yield from _numbers(objects.session, mine, make)
            yield from _causes(objects.session, mine, make)


def _lengths(objects: Objects, mine: Ints, make: Callable[..., Quantity]) -> Found:
    """Yield how long those last that appear and leave between two restarts."""
    lifetimes, times, begins = objects.session.lifetimes, objects.session.clock.times, objects.begins
    first, leave = lifetimes.first[mine], lifetimes.leave[mine]
    part, end = (np.searchsorted(begins, at, side="right") for at in (first, leave))
    seen = (lifetimes.appear[mine] != NOBODY) & (leave != NOBODY)
    whole = seen & (part == end) & ~np.isin(leave, begins)
    if whole.any():
        seconds = times[leave[whole]] - times[first[whole]]
        yield make("duration", unit="s"), Occasions(seconds, lifetimes.last[mine][whole], lifetimes.name[mine[whole]])


def _intervals(objects: Objects, kind: str, mine: Ints, make: Callable[..., Quantity]) -> Found:
    """Yield how long after the one before each appears, and how far from it."""
    lifetimes, times = objects.session.lifetimes, objects.session.clock.times
    mine = mine[np.argsort(lifetimes.first[mine], kind="stable")]
    first = lifetimes.first[mine]
    part = np.searchsorted(objects.begins, first, side="right")
    same = (part[1:] == part[:-1]) & (lifetimes.appear[mine] != NOBODY)[1:]
    if same.any():
        seconds = (times[first[1:]] - times[first[:-1]])[same]
        yield (
            make("interval", unit="s", sort="interval"),
            Occasions(seconds, first[1:][same], lifetimes.name[mine[1:][same]]),
        )
        yield from _apart(objects, kind, mine, same, make)


def _numbers(session: Session, mine: Ints, make: Callable[..., Quantity]) -> Found:
    """Yield how many there are each time that one appears, and when the game begins anew."""
    lifetimes = session.lifetimes
    begin, end = np.sort(lifetimes.first[mine]), np.sort(lifetimes.last[mine])

    def there(at: Ints) -> Ints:
        return np.searchsorted(begin, at, side="right") - np.searchsorted(end, at, side="left")

    first = lifetimes.first[mine]
    yield make("number at a time", side="highest", sort="number"), Occasions(there(first), first, lifetimes.name[mine])
    frames = restarts(session)
    if len(frames):
        distinct, codes = np.unique(there(frames), return_inverse=True)
        nobody, texts = np.full(len(frames), NOBODY), tuple(str(one) for one in distinct.tolist())
        yield make("number after a restart", sort="restart"), Occasions(codes, frames, nobody, texts)


def _causes(session: Session, mine: Ints, make: Callable[..., Quantity]) -> Found:
    """Yield with which events they begin and end, and what their parents are."""
    lifetimes = session.lifetimes
    for words, at in (("begins with", lifetimes.appear[mine]), ("ends with", lifetimes.leave[mine])):
        known = at != NOBODY
        if known.any():
            yield make(words), _events_at(session, lifetimes.name[mine[known]], at[known])
    parents = lifetimes.parent[mine]
    words_of = {
        one: "nothing" if one == NOBODY else session.kind_of(session.names[one]) for one in set(parents.tolist())
    }
    texts = tuple(dict.fromkeys(words_of.values()))
    codes = np.array([texts.index(words_of[one]) for one in parents.tolist()])
    yield make("parent"), Occasions(codes, lifetimes.first[mine], lifetimes.name[mine], texts)


def _apart(objects: Objects, kind: str, mine: Ints, same: Bools, make: Callable[..., Quantity]) -> Found:
    """Yield how far from the place of the one before each appears."""
    lifetimes = objects.session.lifetimes
    rows = objects.rows(kind, lifetimes.name[mine], lifetimes.first[mine])
    parts = [
        one.values[rows]
        for one in objects.signals(kind)[1]
        if one.prop == "position" and one.texts is None and one.part in ("x", "y", "z")
    ]
    if parts:
        distance = np.sqrt(np.sum([np.diff(one) ** 2 for one in parts], axis=0))[same]
        kept = ~np.isnan(distance)
        yield (
            make("distance from the one before"),
            Occasions(distance[kept], lifetimes.first[mine][1:][same][kept], lifetimes.name[mine][1:][same][kept]),
        )


def _events_at(session: Session, who: Ints, clock: Ints) -> Occasions:
    """Return the names of the events that objects take part in, on a frame or the one before."""
    events = session.events
    known: dict[tuple[int, int], set[str]] = {}
    wanted = set(who.tolist())
    for by, on, at, kind in zip(
        events.by.tolist(), events.on.tolist(), events.clock_index.tolist(), events.kind.tolist(), strict=True
    ):
        for one in {by, on} & wanted:
            known.setdefault((one, at), set()).add(events.kinds[kind])
    texts: dict[str, int] = {}
    codes = []
    for one, at in zip(who.tolist(), clock.tolist(), strict=True):
        names = known.get((one, at), set()) | known.get((one, at - 1), set())
        codes.append(texts.setdefault(", ".join(sorted(names)) or "no event", len(texts)))
    return Occasions(np.array(codes), np.maximum(clock, 0), who, tuple(texts))
