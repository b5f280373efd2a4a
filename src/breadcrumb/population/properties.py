"""How the properties of a kind are measured."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.rounding import usual_size
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints
from breadcrumb.population.measures import Found, Occasions, Quantity
from breadcrumb.population.signals import STATES, Signal
from breadcrumb.population.sorts import Side, Sort
from breadcrumb.population.stretches import Runs, Stretches, restarts

_NOISE = 1e-9
"""The share of its size that a number may be off by rounding."""
_SIDES: tuple[Side, ...] = ("highest", "lowest")
_STEADY, _KEPT = 1e-4, 6
"""The share by which a speed that is kept changes from frame to frame, and on how many frames in a row it is kept."""
_MOVED = 3
"""On how many frames in a row something changes that moves, and is not set."""


def property_measures(kind: str, stretches: Stretches, signals: Sequence[Signal]) -> Found:
    """Yield what the properties of a kind are measured by."""
    if not len(stretches.lifetime):
        return
    vectors: dict[str, list[Signal]] = {}
    for one in signals:
        make = partial(Quantity, "property", f"{kind}.{one.prop}", unit=one.unit)
        if one.texts is not None:
            yield from _states(stretches, one, make)
            continue
        if not one.is_direction:
            yield from _limits(stretches, one.values, partial(make, one.part))
            yield from _ends(stretches, one, make)
        if not one.is_derived:
            vectors.setdefault(one.prop, []).append(one)
    for prop, parts in vectors.items():
        make = partial(Quantity, "property", f"{kind}.{prop}", unit=parts[0].unit)
        yield from _changes(stretches, [one.values for one in parts], [one.part for one in parts], make, parts[0].unit)


_EACH = 8
"""How many objects of a kind are also measured one by one, at most."""


def lasting(stretches: Stretches) -> list[int]:
    """Return the objects of a kind that has a few, whose ids do not count up; as indices into the names."""
    names = np.unique(stretches.who)
    is_few = len(names) <= _EACH and len(names) == len(np.unique(stretches.lifetime))
    return names.tolist() if is_few else []


def of_each(kind: str, stretches: Stretches, signals: Sequence[Signal]) -> Found:
    """Yield the same of each object by itself, where a kind has a few, whose ids do not count up."""
    names = lasting(stretches)
    if len(names) < 2:
        return
    for name in names:
        rows = np.flatnonzero(stretches.who == name)
        mine = replace(stretches, lifetime=stretches.lifetime[rows], clock_index=stretches.clock_index[rows])
        own = [replace(one, values=one.values[rows]) for one in signals]
        for quantity, occasions in property_measures(kind, mine, own):
            yield quantity._replace(basis="player", object=stretches.session.names[name]), occasions


def _states(stretches: Stretches, signal: Signal, make: Callable[..., Quantity]) -> Found:
    """Yield the states of a property, what follows on each, and how long each lasts."""
    codes, texts, part = signal.values, signal.texts, signal.part
    assert texts is not None
    runs = stretches.runs(np.append(True, codes[1:] != codes[:-1]))
    of_run = codes[runs.begins]
    clock, who = stretches.clock_index[runs.begins], stretches.who[runs.begins]
    yield (
        make(f"{part} value".strip(), sort=_sort_of_state(signal)),
        Occasions(of_run, clock, who, texts),
    )
    after_restart = np.flatnonzero(np.isin(clock, restarts(stretches.session)))
    if len(after_restart) and part.endswith("presence"):
        yield (
            make(f"{part} value after a restart".strip(), sort="restart"),
            Occasions(of_run[after_restart], clock[after_restart], who[after_restart], texts),
        )
    follows = np.flatnonzero(~stretches.is_first[runs.begins])
    follows = follows[follows > 0]
    if len(follows):
        yield (
            make(f"{part} change".strip(), sort="numeric state" if signal.is_numeric else "value"),
            Occasions(*paired(of_run[follows - 1], of_run[follows], texts, clock[follows], who[follows])),
        )
    whole, seconds = np.flatnonzero(runs.is_whole), runs.seconds
    duration: Sort = "numeric state duration" if signal.is_numeric else "state duration"
    for code in np.unique(of_run[whole]).tolist():
        at = of_run[whole] == code
        ends = stretches.clock_index[runs.ends[whole[at]]]
        yield (
            make(f"{part} duration of {texts[code]}".strip(), unit="s", sort=duration),
            Occasions(seconds[at], ends, who[whole[at]]),
        )


def _sort_of_state(signal: Signal) -> Sort:
    if signal.is_numeric:
        return "numeric state"
    return "presence" if signal.part.endswith("presence") else "value"


def paired(
    before: Ints, after: Ints, texts: tuple[str, ...], clock: Ints, who: Ints
) -> tuple[Ints, Ints, Ints, tuple[str, ...]]:
    """Return changes of states, as occasions: `open to shut`."""
    distinct, inverse = np.unique(before * len(texts) + after, return_inverse=True)
    words = tuple(f"{texts[one // len(texts)]} to {texts[one % len(texts)]}" for one in distinct.tolist())
    return inverse, clock, who, words


def _ends(stretches: Stretches, signal: Signal, make: Callable[..., Quantity]) -> Found:
    """Yield the first values of objects that were seen to appear, and the last ones of those that left."""
    begins = np.flatnonzero(stretches.is_first)
    ends = np.append(begins[1:], len(stretches.lifetime)) - 1
    lifetimes = stretches.session.lifetimes
    appear, leave = lifetimes.appear[stretches.lifetime[begins]], lifetimes.leave[stretches.lifetime[ends]]
    born = (appear != NOBODY) & (stretches.clock_index[begins] == appear)
    gone = (leave != NOBODY) & (stretches.clock_index[ends] + 1 >= leave)
    for words, rows in (("first", begins[born]), ("last", ends[gone])):
        if len(rows):
            yield make(f"{words} {signal.part}".strip(), sort="end"), _at(stretches, signal.values, rows)


def _at(stretches: Stretches, values: Floats, rows: Ints) -> Occasions:
    known = rows[~np.isnan(values[rows])]
    return Occasions(values[known], stretches.clock_index[known], stretches.who[known])


def _limits(stretches: Stretches, values: Floats, make: Callable[..., Quantity]) -> Found:
    """Yield the maxima and the minima of a number over time: where it turns, and where a stretch begins or ends."""
    with np.errstate(invalid="ignore"):
        changes = np.append(True, values[1:] != values[:-1])
    changes &= ~np.isnan(values) | np.append(True, ~np.isnan(values[:-1]))
    begins = np.flatnonzero(changes | stretches.is_first)
    of_run = values[begins]
    first = stretches.is_first[begins] | np.append(True, np.isnan(of_run[:-1]))
    last = np.append(first[1:], True)
    with np.errstate(invalid="ignore"):
        for side, turned in (("highest", of_run), ("lowest", -of_run)):
            rises = first | np.append(True, turned[1:] > turned[:-1])
            falls = last | np.append(turned[1:] < turned[:-1], True)
            rows = begins[rises & falls & ~np.isnan(of_run)]
            if len(rows):
                yield make(side=side), _at(stretches, values, rows)


def _changes(
    stretches: Stretches, values: Sequence[Floats], parts: Sequence[str], make: Callable[..., Quantity], unit: str
) -> Found:
    """Yield the steps of what is set, the rates of what moves, and how long each lasts."""
    deltas = np.stack([np.diff(one, prepend=np.nan) for one in values])
    deltas[:, stretches.is_first] = np.nan
    way = np.sqrt((deltas**2).sum(axis=0))
    noise = _NOISE * max(usual_size(values), 1e-6)
    with np.errstate(invalid="ignore"):
        moves = way > noise
    if not moves.any():
        return
    runs = stretches.runs(np.append(True, moves[1:] != moves[:-1]))
    length = runs.ends - runs.begins + 1
    is_moving = moves[runs.begins] & (length >= _MOVED)
    is_set = np.repeat(moves[runs.begins] & (length < _MOVED), length)
    rows = np.flatnonzero(is_set)
    clock, who = stretches.clock_index, stretches.who
    for part, delta in zip(parts, deltas, strict=True):
        at = rows[delta[rows] != 0]
        if len(at):
            yield make(f"{part} step".strip(), sort="step"), _at(stretches, delta, at)
    rests = runs.begins[~moves[runs.begins] & (length >= _MOVED)]
    for part, one in zip(parts, values, strict=True):
        if len(rests):
            yield make(f"{part} at rest".strip(), sort="rest"), _at(stretches, one, rests)
            yield from _few(stretches, one, rests, make, f"{part} value at rest".strip())
    for words, chosen in (("movement", is_moving), ("rest", ~moves[runs.begins])):
        whole = chosen & runs.is_whole
        if whole.any():
            ends = runs.ends[whole]
            yield (
                make(f"duration of {words}", unit="s", sort="duration"),
                Occasions(runs.seconds[chosen[runs.is_whole]], clock[ends], who[ends]),
            )
    if is_moving.any() and not np.isnan(stretches.steps).all():  # where no time goes by, nothing has a speed
        yield from _rates(stretches, deltas, way, moves, runs, is_moving, make, unit, noise)


def _few(stretches: Stretches, values: Floats, rows: Ints, make: Callable[..., Quantity], aspect: str) -> Found:
    """Yield numbers as states, if there are a few."""
    known = rows[~np.isnan(values[rows])]
    codes, texts = in_words(values[known])
    if 0 < len(texts) <= STATES:
        yield (
            make(aspect, sort="numeric state"),
            Occasions(codes, stretches.clock_index[known], stretches.who[known], texts),
        )


def in_words(values: Floats, unit: str = "") -> tuple[Ints, tuple[str, ...]]:
    """Return numbers as indices into texts, and these."""
    words = [f"{one + 0.0:.5g} {unit}".strip() for one in values.tolist()]
    texts = {text: code for code, text in enumerate(dict.fromkeys(words))}
    return np.array([texts[one] for one in words], np.int64), tuple(texts)


def _rates(
    stretches: Stretches,
    deltas: NDArray[Any],
    way: Floats,
    moves: Bools,
    runs: Runs,
    is_moving: Bools,
    make: Callable[..., Quantity],
    unit: str,
    noise: float,
) -> Found:
    """Yield how fast something is in each movement, how much it speeds up and slows down, and how it turns."""
    rate = f"{unit}/s" if unit else "1/s"
    speed = way / stretches.steps
    both = moves & np.append(False, moves[:-1]) & ~stretches.is_first
    with np.errstate(invalid="ignore"):
        gain = np.where(both, np.diff(speed, prepend=np.nan) / stretches.steps, np.nan)
    gain[np.abs(gain) < noise / float(np.nanmedian(stretches.steps)) ** 2] = 0.0
    measured: list[tuple[str, Side, Floats, str]] = [
        ("speed", "highest", speed, rate),
        ("speed", "lowest", np.where(moves, speed, np.nan), rate),
    ]
    measured += [("acceleration", side, gain, f"{rate}²") for side in _SIDES]
    if len(deltas) > 1:
        before = np.concatenate([np.full((len(deltas), 1), np.nan), deltas[:, :-1]], axis=1)
        size = np.sqrt((deltas**2).sum(axis=0) * (before**2).sum(axis=0))
        with np.errstate(invalid="ignore", divide="ignore"):
            turn = np.degrees(np.arccos(np.clip((deltas * before).sum(axis=0) / size, -1.0, 1.0)))
        turn = np.where(both, np.where(turn < 1e-3, 0.0, turn), np.nan)
        measured.append(("turn", "highest", turn, "deg"))
    for aspect, side, values, of in measured:
        rows = runs.extremes(values, side)[is_moving]
        yield (
            make(aspect, side=side, unit=of, sort="speed" if aspect == "speed" else "rate"),
            _at(stretches, values, rows),
        )
    yield from _steady(stretches, speed, both, make, rate)


def _steady(stretches: Stretches, speed: Floats, moves: Bools, make: Callable[..., Quantity], unit: str) -> Found:
    """Yield how fast something is in each second in which it keeps its speed, as a patrol does that never rests."""
    with np.errstate(invalid="ignore"):
        keeps = moves & (np.abs(np.diff(speed, prepend=np.nan)) <= _STEADY * speed)
    seconds = np.floor(stretches.times)
    runs = stretches.runs(np.append(True, (keeps[1:] != keeps[:-1]) | (seconds[1:] != seconds[:-1])))
    rows = runs.begins[keeps[runs.begins] & (runs.ends - runs.begins + 1 >= _KEPT)]
    if len(rows):
        yield make("steady speed", unit=unit, sort="steady"), _at(stretches, speed, rows)
