"""How events are measured: when they occur, with whom, and what their participants are like."""

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property, partial
from itertools import combinations
from typing import Any

import numpy as np

from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.population.measures import Found, Occasions, Quantity
from breadcrumb.population.properties import lasting, paired
from breadcrumb.population.signals import STATES, Signal, between, signals_of
from breadcrumb.population.stretches import Stretches, restarts

NOTHING = "nothing"
_AXES = "xyz"


class Objects:
    """The samples of all kinds, by object and frame."""

    def __init__(self, data: TraceData, players: Sequence[str]) -> None:
        self.data = data
        self._players = [number for number, name in enumerate(data.session.names) if name in players]
        self.session = data.session
        self._of_kind: dict[str, tuple[Ints, Ints]] = {}
        self._signals: dict[str, tuple[Stretches, list[Signal]]] = {}
        lifetimes = self.session.lifetimes
        self.kind_of = np.full(len(self.session.names), NOBODY)
        self.kind_of[lifetimes.name] = lifetimes.kind
        self.begins = np.unique(np.concatenate([restarts(self.session), self.session.gaps, np.zeros(1, np.int64)]))

    def is_of_the_game(self, who: Ints) -> Bools:
        """Tell who is somebody, and not a player, who does what he likes at any time."""
        found: Bools = (who != NOBODY) & ~np.isin(who, self._players)
        return found

    @cached_property
    def lasting(self) -> list[int]:
        """The objects of kinds that have a few, whose ids do not count up; as indices into the names."""
        return [name for kind in self.session.kinds for name in lasting(self.signals(kind)[0])]

    def rows(self, kind: str, who: Ints, clock_index: Ints) -> Ints:
        """Return the samples of objects on some frames; NOBODY where there is none."""
        size = self.session.clock.size
        if kind not in self._of_kind:
            lifetime, clock = self.data.index(kind)
            keys = self.session.lifetimes.name[lifetime] * size + clock
            order = np.argsort(keys, kind="stable")
            self._of_kind[kind] = keys[order], order
        keys, order = self._of_kind[kind]
        wanted = who * size + clock_index
        if not len(keys):
            return np.full(len(wanted), NOBODY)
        at = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        found = (keys[at] == wanted) & (clock_index >= 0) & (who >= 0)
        return np.where(found, order[at], NOBODY)

    def signals(self, kind: str) -> tuple[Stretches, list[Signal]]:
        """Return the samples of a kind, and its signals."""
        if kind not in self._signals:
            stretches = Stretches.of(self.data, kind)
            self._signals[kind] = stretches, signals_of(self.data, kind, stretches)
        return self._signals[kind]


def event_measures(objects: Objects) -> Found:
    """Yield what events are measured by."""
    session = objects.session
    events = session.events
    for name in events.kinds:
        indices = events.indices_of(name)
        make = partial(Quantity, "event", name)
        clock, by, on = (column[indices] for column in (events.clock_index, events.by, events.on))
        for role, who in (("by", by), ("on", on)):
            yield make(role), _participants(session, objects.kind_of, clock, who)
        vectors = dict[str, list[Floats]]()
        data = [events.data[one] for one in indices.tolist()]
        is_played = not objects.is_of_the_game(by).any()
        if is_played:
            make = partial(make, basis="player")
        yield from _data(session, data, clock, by, make, vectors)
        yield from _intervals(
            session,
            objects.begins,
            clock,
            by,
            on,
            partial(make, side="lowest", basis="situation") if is_played else make,
        )
        kept = ~np.isin(clock, objects.begins)  # there things may still be as they were before
        yield from _participant_states(objects, clock[kept], by[kept], "by", make)
        yield from _participant_states(objects, clock[kept], on[kept], "on", make)
        yield from _geometry(objects, clock, by, on, vectors, make)


def _participants(session: Session, kind_of: Ints, clock: Ints, who: Ints) -> Occasions:
    words = {NOBODY: NOTHING}
    codes, texts = np.zeros(len(who), np.int64), dict[str, int]()
    for row, one in enumerate(who.tolist()):
        if one not in words:
            words[one] = session.kinds[kind_of[one]] if kind_of[one] != NOBODY else session.names[one]
        codes[row] = texts.setdefault(words[one], len(texts))
    return Occasions(codes, clock, who, tuple(texts))


def _intervals(session: Session, begins: Ints, clock: Ints, by: Ints, on: Ints, make: Callable[..., Quantity]) -> Found:
    """Yield how long after one event the next one is: of anybody, of the same object, of the same pair."""
    times = session.clock.times[clock]
    part = np.searchsorted(begins, clock, side="right")
    keys = {"interval": np.zeros(len(clock), np.int64), "interval of an object": by}
    keys["interval of a pair"] = by * (len(session.names) + 1) + on
    for aspect, key in keys.items():
        order = np.lexsort((clock, part, key))
        same = (key[order][1:] == key[order][:-1]) & (part[order][1:] == part[order][:-1])
        rows = order[1:][same]
        if len(rows):
            yield (
                make(aspect, unit="s", sort="interval"),
                Occasions(times[rows] - times[order[:-1][same]], clock[rows], by[rows]),
            )


def _data(
    session: Session,
    data: Sequence[Any],
    clock: Ints,
    who: Ints,
    make: Callable[..., Quantity],
    vectors: dict[str, list[Floats]],
) -> Found:
    """Yield the data of an event; points and directions are put into `vectors`, a column for each axis."""
    known = set(session.names)
    for key in dict.fromkeys(key for one in data for key in one):
        rows = [row for row, one in enumerate(data) if key in one]
        values = [data[row][key] for row in rows]
        at = np.array(rows, np.int64)
        if all(isinstance(one, (int, float)) and not isinstance(one, bool) for one in values):
            yield make(f"data {key}"), Occasions(np.array(values, np.float64), clock[at], who[at])
            values = [f"{one:g}" for one in values]
        elif all(_is_vector(one) for one in values) and len({len(one) for one in values}) == 1:
            table = np.full((len(data), len(values[0])), np.nan)
            table[at] = values
            vectors[key] = list(table.T)
            for axis, column in zip(_AXES, table[at].T, strict=False):
                yield make(f"data {key} {axis}"), Occasions(column, clock[at], who[at])
            size = np.sqrt((table[at] ** 2).sum(axis=1))
            yield make(f"data {key} size"), Occasions(size, clock[at], who[at])
            continue
        elif not all(isinstance(one, (bool, str, int, float)) or one is None for one in values):
            continue
        texts = dict[str, int]()
        words = ["the name of an object" if one in known else str(one) for one in values]
        codes = np.array([texts.setdefault(one, len(texts)) for one in words], np.int64)
        if len(texts) <= STATES:
            is_numeric = all(
                isinstance(one, float | int) and not isinstance(one, bool) for one in (data[row][key] for row in rows)
            )
            yield (
                make(f"value of data {key}", sort="numeric state" if is_numeric else "value"),
                Occasions(codes, clock[at], who[at], tuple(texts)),
            )


def _is_vector(value: Any) -> bool:
    return (
        isinstance(value, (list, tuple))
        and 2 <= len(value) <= 3
        and all(isinstance(one, (int, float)) and not isinstance(one, bool) for one in value)
    )


def _participant_states(objects: Objects, clock: Ints, who: Ints, role: str, make: Callable[..., Quantity]) -> Found:
    """Yield what the properties of participants are, and how they change on the frame."""
    for kind, mine in _by_kind(objects, who):
        rows = objects.rows(kind, who[mine], clock[mine])
        before = objects.rows(kind, who[mine], clock[mine] - 1)
        at, whose = clock[mine], who[mine]
        there = rows != NOBODY
        both = there & (before != NOBODY)
        if not there.any():
            continue
        signals = objects.signals(kind)[1]
        few = {one.label for one in signals if one.is_numeric}
        for one in signals:
            label, values = f"{role} {kind}.{one.label}", one.values
            if one.is_numeric:
                continue  # it is measured as a number
            if one.texts is not None:
                label = f"value of {label}"
                yield (
                    of_situation(make(label, sort="situation state")),
                    Occasions(values[rows[there]], at[there], whose[there], one.texts),
                )
                change = paired(values[before[both]], values[rows[both]], one.texts, at[both], whose[both])
                yield make(f"change of {label}", sort="change of state"), Occasions(*change)
                continue
            if one.is_direction:
                continue
            yield (
                of_situation(make(label, unit=one.unit, sort="situation")),
                _known(values[rows[there]], at[there], whose[there]),
            )
            if one.label in few:
                continue  # a number of which there are a few is a state: how far apart two are says nothing
            old, new = values[before[both]], values[rows[both]]
            yield make(f"change of {label}", unit=one.unit, sort="change"), _known(new - old, at[both], whose[both])


def of_situation(quantity: Quantity) -> Quantity:
    """Return a quantity that rests on the situation in which an event occurs."""
    return quantity if quantity.basis == "player" else quantity._replace(basis="situation")


def _by_kind(objects: Objects, who: Ints) -> Iterator[tuple[str, Bools]]:
    kinds = np.where(who == NOBODY, NOBODY, objects.kind_of[who])
    for number in np.unique(kinds[kinds != NOBODY]).tolist():
        yield objects.session.kinds[number], kinds == number


def _known(values: Floats, clock: Ints, who: Ints) -> Occasions:
    kept = ~np.isnan(values) & np.isfinite(values)
    return Occasions(values[kept], clock[kept], who[kept])


def _geometry(
    objects: Objects, clock: Ints, by: Ints, on: Ints, vectors: dict[str, list[Floats]], make: Callable[..., Quantity]
) -> Found:
    """Yield how far the participants and the points of the data are apart, and how their directions differ."""
    unrecorded = (by == NOBODY) | (objects.kind_of[by] == NOBODY)
    for first, mine in [*_by_kind(objects, by), ("", unrecorded)]:
        others = [(kind, mine & those) for kind, those in _by_kind(objects, on) if (mine & those).any()]
        for second, both in [("", mine), *others] if first else others:
            points, directions = dict[str, list[Floats]](), dict[str, Floats]()
            for kind, who in ((first, by), (second, on)):
                if kind:
                    _place(objects, kind, who[both], clock[both], points, directions, "by" if who is by else "on")
            for key, columns in vectors.items():
                points[key] = [one[both] for one in columns]
                directions[key] = np.degrees(np.arctan2(columns[1][both], columns[0][both]))
            label = f"{first} and {second}" if first and second else first or second
            for one, other in combinations(points, 2):
                if not second or "on" in one + other:
                    away = [a - b for a, b in zip(points[one], points[other], strict=False)]
                    distance = np.sqrt(np.sum(np.square(away), axis=0))
                    yield (
                        of_situation(make(f"distance of {one} and {other}, {label}")),
                        _known(distance, clock[both], by[both]),
                    )
                    if one == "by" and other == "on":
                        directions["the way to it"] = np.degrees(np.arctan2(-away[1], -away[0]))
            yield from _speeds(objects, first, second, by[both], on[both], clock[both], make)
            for one, other in combinations(directions, 2):
                if not second or "on" in one + other or other == "the way to it":
                    off = between(directions[one], directions[other])
                    yield (
                        of_situation(make(f"angle of {one} and {other}, {label}", unit="deg", sort="angle")),
                        _known(off, clock[both], by[both]),
                    )


def _speeds(
    objects: Objects,
    first: str,
    second: str,
    by: Ints,
    on: Ints,
    clock: Ints,
    make: Callable[..., Quantity],
) -> Found:
    """Yield by how much the numbers of both participants differ that have the same unit."""
    if not first or not second:
        return
    sides = [
        (objects.rows(kind, who, clock), [one for one in objects.signals(kind)[1] if _is_scalar(one)])
        for kind, who in ((first, by), (second, on))
    ]
    (rows, mine), (others, yours) = sides
    there = (rows != NOBODY) & (others != NOBODY)
    if not there.any():
        return
    for one in mine:
        for other in yours:
            if one.unit == other.unit:
                off = other.values[others[there]] - one.values[rows[there]]
                ends = (f"the {second}", f"the {first}") if first != second else ("on", "by")
                words = f"{other.label} of {ends[0]} less {one.label} of {ends[1]}"
                yield of_situation(make(words, unit=one.unit)), _known(off, clock[there], by[there])


def _is_scalar(one: Signal) -> bool:
    return one.texts is None and bool(one.unit) and one.part in ("", "size") and "less" not in one.prop


def _place(
    objects: Objects,
    kind: str,
    who: Ints,
    clock: Ints,
    points: dict[str, list[Floats]],
    directions: dict[str, Floats],
    role: str,
) -> None:
    """Put where a participant is, and where it faces and goes, into `points` and `directions`."""
    rows = objects.rows(kind, who, clock)
    signals = objects.signals(kind)[1]
    parts = {one.part: one.values for one in signals if one.prop == "position" and one.texts is None}
    if "x" in parts and "y" in parts:
        points[role] = [np.where(rows != NOBODY, parts[axis][rows], np.nan) for axis in _AXES if axis in parts]
    for one in signals:
        if one.is_direction:
            directions[f"{role} {one.prop}"] = np.where(rows != NOBODY, one.values[rows], np.nan)
