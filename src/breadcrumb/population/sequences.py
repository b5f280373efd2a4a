"""The order of events: what precedes each, how long before, and what occurs on the same frame."""

import numpy as np

from breadcrumb.model.session import NOBODY
from breadcrumb.population.events import Objects
from breadcrumb.population.measures import Found, Occasions, Quantity


def sequence_measures(objects: Objects) -> Found:
    """Yield which event an object takes part in before each, and how long before."""
    session = objects.session
    events = session.events
    index = np.arange(len(events.kind))
    acting = set(events.kind[objects.is_of_the_game(events.by)].tolist())
    who, which = np.concatenate([events.by, events.on]), np.concatenate([index, index])
    kept = (who != NOBODY) & ~np.append(np.zeros(len(index), np.bool_), events.by == events.on)
    who, which = who[kept], which[kept]
    clock = events.clock_index[which]
    part = np.searchsorted(objects.begins, clock, side="right")
    order = np.lexsort((which, clock, part, who))
    who, which, clock, part = who[order], which[order], clock[order], part[order]
    same = (who[1:] == who[:-1]) & (part[1:] == part[:-1])
    before, after, who = which[:-1][same], which[1:][same], who[1:][same]
    seconds = session.clock.times[clock[1:][same]] - session.clock.times[clock[:-1][same]]
    names, lasting = events.kinds, objects.lasting
    yield from _latencies(objects, acting)
    for kind in sorted(acting & set(events.kind[after].tolist())):
        mine = events.kind[after] == kind
        codes = events.kind[before[mine]]
        yield (
            Quantity("event", names[kind], "event before"),
            Occasions(codes, events.clock_index[after[mine]], who[mine], names),
        )
        for first in np.unique(codes).tolist():
            both = mine & (events.kind[before] == first)
            quantity = Quantity("event", names[kind], f"seconds after {names[first]}", unit="s", sort="latency")
            mine_seconds, clock, who_of = seconds[both], events.clock_index[after[both]], who[both]
            yield quantity, Occasions(mine_seconds, clock, who_of)
            for one in np.unique(who_of[np.isin(who_of, lasting)]).tolist():
                rows = who_of == one
                of_one = quantity._replace(basis="player", object=session.names[one])
                yield of_one, Occasions(mine_seconds[rows], clock[rows], who_of[rows])
    yield from _companions(objects, acting)


_SOON = 3.0
"""Within how many seconds something may follow from an event of somebody else."""


def _latencies(objects: Objects, acting: set[int]) -> Found:
    """Yield how long after the last event of another name each is, if that is soon, whoever takes part."""
    session = objects.session
    events, times = session.events, session.clock.times
    by_name = {name: events.clock_index[events.indices_of(name)] for name in events.kinds}
    parts = {name: np.searchsorted(objects.begins, at, side="right") for name, at in by_name.items()}
    for kind in sorted(acting):
        name = events.kinds[kind]
        at = by_name[name]
        for other, those in by_name.items():
            if other == name:
                continue
            last = np.searchsorted(those, at, side="right") - 1
            seconds = np.where(last >= 0, times[at] - times[those[last]], np.inf)
            soon = (seconds <= _SOON) & (parts[other][last] == parts[name])
            if soon.any():
                who = events.by[events.indices_of(name)]
                yield (
                    Quantity("event", name, f"seconds after any {other}", "both", "s", "player", "latency"),
                    Occasions(seconds[soon], at[soon], who[soon]),
                )


def _companions(objects: Objects, acting: set[int]) -> Found:
    """Yield of each event whether another one that its object takes part in is on the same frame."""
    events = objects.session.events
    size = objects.session.clock.size
    by, on = (np.where(who == NOBODY, NOBODY, who * size + events.clock_index) for who in (events.by, events.on))
    kinds = range(len(events.kinds))
    keys = [np.unique(np.concatenate([by[events.kind == kind], on[events.kind == kind]])) for kind in kinds]
    for kind in sorted(acting):
        rows = np.flatnonzero(events.kind == kind)
        for other, name in enumerate(events.kinds):
            together = np.isin(by[rows], keys[other]) & (by[rows] != NOBODY)
            if other != kind and together.any():
                quantity = Quantity("event", events.kinds[kind], f"with {name} on the same frame", basis="situation")
                occasions = Occasions(
                    together.astype(np.int64), events.clock_index[rows], events.by[rows], ("no", "yes")
                )
                yield quantity, occasions
