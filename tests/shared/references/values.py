"""What the checks of values find, sample by sample."""

import math
from collections.abc import Callable
from itertools import pairwise
from typing import Any

from breadcrumb import Duration
from references.plain import (
    NOISE,
    Answer,
    Life,
    Scene,
    Tally,
    Window,
    apart,
    between,
    events,
    exclusively,
    gaps,
    inside,
    keyed,
    lives,
    samples,
    value,
)  # fmt: skip

BARRELS = ("a", "b")


def barrels(scene: Scene) -> list[Life]:
    """Return the lifetimes of the group that is judged."""
    return [life for life in lives(scene) if life.id in BARRELS]


def close(one: Any, other: Any, tol: float) -> bool:
    """Return whether two values are the same: numbers within a tolerance, others exactly."""
    if isinstance(one, bool | str):
        return bool(one == other)
    return apart(one, other) <= tol + NOISE


def equals(scene: Scene, name: str, expected: Any, tol: float, rel_tol: float, scope: dict[str, Any]) -> Answer:
    """Compare every sample with a value, or with that of another property."""
    tally = Tally()
    for life, row, found in samples(scene, name):
        if life.id not in BARRELS or not inside(scene, life, [row], scope):
            continue
        due = value(scene, life, row, expected[1:]) if isinstance(expected, str) and expected[0] == "@" else expected
        unknown = found is None or due is None
        more = 0.0 if unknown or not rel_tol or isinstance(due, str) else rel_tol * abs(due)
        tally.judge(None if unknown else close(found, due, tol + more), row, life.id)
    return tally.answer


def opposes(scene: Scene, tol: float) -> Answer:
    """Compare every sample with the negative of another property."""
    tally = Tally()
    for life, row, found in samples(scene, "n"):
        if life.id in BARRELS:
            other = value(scene, life, row, "m")
            tally.judge(None if found is None or other is None else abs(found + other) <= tol + NOISE, row, life.id)
    return tally.answer


def shows(scene: Scene) -> Answer:
    """Compare every caption with the number that it shows."""
    tally = Tally()
    for life, row, found in samples(scene, "caption"):
        if life.id in BARRELS:
            number = value(scene, life, row, "n")
            tally.judge(None if found is None or number is None else found == f"{number:.0f} kg", row, life.id)
    return tally.answer


def one_of(scene: Scene, name: str, allowed: list[Any], scope: dict[str, Any]) -> Answer:
    """Look each sample up."""
    tally = Tally()
    for life, row, found in samples(scene, name):
        if life.id in BARRELS and inside(scene, life, [row], scope):
            tally.judge(None if found is None else found in allowed, row, life.id)
    return tally.answer


def last_known(scene: Scene, life: Life, row: int, name: str) -> Any:
    """Return the last value before a row that was recorded in the lifetime."""
    known = [value(scene, life, before, name) for before in range(life.first, row)]
    return next((one for one in reversed(known) if one is not None), None)


def over_gap(scene: Scene, life: Life, row: int, name: str) -> bool:
    """Tell whether there is a gap between the last value before a row and the row."""
    known = [before for before in range(life.first, row) if value(scene, life, before, name) is not None]
    return bool(known) and any(known[-1] < gap <= row for gap in gaps(scene))


def unchanged(scene: Scene, name: str, tol: float, scope: dict[str, Any], excused: bool) -> Answer:
    """Compare every sample with the last one that is known."""
    tally = Tally()
    for life, row, found in samples(scene, name):
        if life.id not in BARRELS or row == life.first or not inside(scene, life, [row - 1, row], scope):
            continue
        mine = [one["row"] for one in events(scene, "hit") if keyed(scene, one) == (life.id, life.number)]
        if excused and (row in mine or row - 1 in mine):
            continue
        before = last_known(scene, life, row, name)
        right = None if found is None or before is None else close(found, before, tol)
        if excused and not right and over_gap(scene, life, row, name):
            right = None  # a moment that excuses it may have come in the gap
        tally.judge(right, row, life.id)
    return tally.answer


def never_falls(scene: Scene, sign: int, tol: float, scope: dict[str, Any]) -> Answer:
    """Compare every sample with the last one that is known; a sign of -1 for never rising."""
    tally = Tally()
    for life, row, found in samples(scene, "n"):
        if life.id not in BARRELS or row == life.first or not inside(scene, life, [row - 1, row], scope):
            continue
        before = last_known(scene, life, row, "n")
        right = None if found is None or before is None else sign * (found - before) >= -tol - NOISE
        tally.judge(right, row, life.id)
    return tally.answer


def conserves(scene: Scene, tol: float, rel_tol: float, scope: dict[str, Any]) -> Answer:
    """Compare every sample with the first one of its lifetime that is judged."""
    tally = Tally()
    for life in barrels(scene):
        first = None
        for row in range(life.first, life.last + 1):
            if not inside(scene, life, [row], scope):
                continue
            found = value(scene, life, row, "n")
            first = found if first is None else first
            right = None if found is None else abs(found - first) <= tol + rel_tol * abs(first) + NOISE
            tally.judge(right, row, life.id)
    return tally.answer


def moves_through(scene: Scene, legal: dict[str, list[str]], scope: dict[str, Any]) -> Answer:
    """Judge every change from the last state that is known."""
    tally = Tally()
    for life, row, found in samples(scene, "mood"):
        if life.id not in BARRELS or not inside(scene, life, [row], scope):
            continue
        if found is None:
            tally.judge(None, row, life.id)
            continue
        before = last_known(scene, life, row, "mood")
        if before is None or before == found or not inside(scene, life, [row - 1, row], scope):
            continue
        skipped = value(scene, life, row - 1, "mood") is None or row in gaps(scene)
        tally.judge(None if skipped else found in legal.get(before, []), row, life.id)
    return tally.answer


def restores(scene: Scene, name: str, tol: float) -> Answer:
    """Compare the sample behind each span with the one before it."""
    tally = Tally()
    for life, first, last in spans(scene, "on"):
        before, after = (value(scene, life, row, name) for row in (first - 1, last + 1))
        unknown = before is None or after is None
        tally.judge(None if unknown else close(after, before, tol), last + 1, life.id)
    return tally.answer


def spans(scene: Scene, flag: str) -> list[tuple[Life, int, int]]:
    """Return the stretches of rows on which a flag is true: lifetime, first and last row."""
    found = []
    for life in barrels(scene):
        first = None
        for row in range(life.first, life.last + 2):
            true = value(scene, life, row, flag) is True
            if true and first is None:
                first = row
            if not true and first is not None:
                found.append((life, first, row - 1))
                first = None
    return found


def lasts(scene: Scene, short: Duration, long: Duration) -> Answer:
    """Measure each stretch of a flag from its first row to the one behind its last."""
    tally = Tally()
    rows = len(scene["rows"])
    for life, first, last in spans(scene, "lit"):
        begin_seen = life.seen_to_appear if first == life.first else value(scene, life, first - 1, "lit") is not None
        end = last + 1
        end_seen = end < rows and (end > life.last or value(scene, life, end, "lit") is not None)
        begin_seen &= first not in gaps(scene)
        end_seen &= end not in gaps(scene)
        window = Window(scene, first, short, long)
        torn = any(first < gap <= last for gap in gaps(scene))
        is_over = [row > first and not window.has(row) and window.axis[row] >= window.low for row in range(rows)]
        too_long = (
            is_over[end]
            if end < rows and end not in gaps(scene)
            else is_over[last] or not window.axis[last] < window.high - NOISE
        )
        right = None if not (begin_seen and end_seen) or torn else window.has(end)
        long_on = max(window.last(), first)
        tally.judge(False if too_long and not torn else right, long_on if too_long else end, life.id)
    if barrels(scene) and not tally.tested and not tally.undecided and not short.value:
        return Answer(
            len({row for life, row, lit in samples(scene, "lit") if life in barrels(scene) and lit is not None}), 0, []
        )
    return tally.answer


def carries_over(scene: Scene, step: float, tol: float) -> Answer:
    """Compare the first value of a lifetime with the last one of the lifetime before."""
    tally = Tally()
    several = barrels(scene)
    for former, later in pairwise(several):
        if former.id == later.id:
            ended, begun = value(scene, former, former.last, "n"), value(scene, later, later.first, "n")
            unknown = ended is None or begun is None
            tally.judge(None if unknown else abs(begun - ended - step) <= tol + NOISE, later.first, later.id)
    return tally.answer


def changes_by(
    scene: Scene, amount: float, only: bool, tol: float, limits: tuple[float, float] | None = None
) -> Answer:
    """Judge the change at each moment, on its frame or on the one behind it; with `only` every other one."""

    def goal(before: float, many: int) -> float:
        due = before + many * amount
        return due if limits is None else min(max(due, limits[0]), limits[1])

    return _at_moments(scene, "n", only, tol, goal)


def toggles(scene: Scene, only: bool) -> Answer:
    """Judge whether a flag is another one at each moment; with `only` at no other time."""
    return _at_moments(scene, "lit", only, 0.0, lambda before, many: before if many % 2 == 0 else not before)


def _at_moments(scene: Scene, name: str, only: bool, tol: float, goal: Callable[[Any, int], Any]) -> Answer:
    each, tally = Tally(), Tally()
    for life in barrels(scene):
        mine = [one["row"] for one in events(scene, "hit") if keyed(scene, one) == (life.id, life.number)]
        at = {row: mine.count(row) for row in mine if row <= life.last}
        exempt = {row + 1 for row in mine if row > life.last}
        for _ in range(len(mine) - sum(at.values())):
            each.judge(None, life.last, life.id)
        late = False
        for row in sorted(at):
            late = late and row - 1 in at
            before, now = last_known(scene, life, row, name), value(scene, life, row, name)
            if before is None or now is None or over_gap(scene, life, row, name):
                exempt.add(row + 1)
            else:
                due = goal(before, at[row])
                late |= not close(due, before, tol) and close(now, before, tol)
            acts = row + 1 if late else row
            before, now = last_known(scene, life, acts, name), value(scene, life, acts, name)
            exempt.add(acts)
            unknown = before is None or now is None or over_gap(scene, life, acts, name)
            each.judge(None if unknown else close(now, goal(before, at[row]), tol), row, life.id)
        for row in range(life.first + 1, life.last + 1):
            if only and row not in exempt:
                before, now = last_known(scene, life, row, name), value(scene, life, row, name)
                right = None if before is None or now is None else close(now, before, tol)
                tally.judge(right or (None if over_gap(scene, life, row, name) else right), row, life.id)
    return exclusively(each.answer, tally.answer) if only else each.answer


def drains(scene: Scene, amount: float, every: Duration, low: float, only: bool, tol: float) -> Answer:
    """Judge every sample in a span against what the span began with; with `only` every other step."""
    each, tally = Tally(), Tally()
    for life, first, last in spans(scene, "on"):
        begun = next((row for row in range(first, last + 1) if value(scene, life, row, "n") is not None), None)
        seen = life.seen_to_appear if first == life.first else first not in gaps(scene)
        if first > life.first and value(scene, life, first - 1, "n") is None:
            seen = False
        base = None if begun is None else value(scene, life, begun, "n")
        for row in range(first, last + 1):
            found = value(scene, life, row, "n")
            if found is None or base is None or not seen:
                each.judge(None, row, life.id)
                continue
            rounds = math.floor(between(scene, first, row, every.unit) / every.value + NOISE)
            due = max(base - amount * rounds, min(base, low))
            each.judge(close(found, due, tol), row, life.id)
    for life in barrels(scene):
        for row in range(life.first + 1, life.last + 1):
            if not only or all(value(scene, life, one, "on") is True for one in (row - 1, row)):
                continue
            before, now = last_known(scene, life, row, "n"), value(scene, life, row, "n")
            right = None if before is None or now is None else close(now, before, tol)
            tally.judge(right or (None if over_gap(scene, life, row, "n") else right), row, life.id)
    return exclusively(each.answer, tally.answer) if only else each.answer
