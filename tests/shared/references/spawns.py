"""What the checks of spawns find, lifetime by lifetime."""

from typing import Any

from breadcrumb import Duration, frames
from references.plain import (
    NOISE,
    Answer,
    Life,
    Scene,
    Tally,
    Window,
    apart,
    axis,
    events,
    exclusively,
    gaps,
    hidden,
    joined,
    keyed,
    lives,
    value,
)  # fmt: skip
from references.values import barrels, close


def appeared(scene: Scene) -> list[Life]:
    """Return the barrels' lifetimes that were seen to appear, in time."""
    seen = [life for life in barrels(scene) if life.seen_to_appear]
    return sorted(seen, key=lambda life: life.first)


def appears_at(scene: Scene, place: Any, tol: float) -> Answer:
    """Compare where each lifetime begins with a place, or with where the lamp then is."""
    tally = Tally()
    for life in appeared(scene):
        found = value(scene, life, life.first, "position")
        due = lamp_at(scene, life.first) if place == "lamp" else place
        unknown = found is None or due is None
        tally.judge(None if unknown else apart(found, due) <= tol + NOISE, life.first, life.id)
    return tally.answer


def lamp_at(scene: Scene, row: int) -> Any:
    """Return where the lamp is."""
    lamp = scene["rows"][row]["objects"].get("lamp") if row < len(scene["rows"]) else None
    return None if lamp is None else lamp["position"]


def appears_with(scene: Scene, wanted: dict[str, Any], tol: float) -> Answer:
    """Compare each property on the first row of each lifetime."""
    parts = []
    for name, due in wanted.items():
        tally = Tally()
        for life in appeared(scene):
            found = value(scene, life, life.first, name)
            tally.judge(None if found is None else close(found, due, tol), life.first, life.id)
        parts.append(tally.answer)
    return joined(*parts) if len(parts) > 1 else parts[0]


def lasts(scene: Scene, short: Duration, long: Duration) -> Answer:
    """Measure each lifetime from its first row to the first one on which it is gone."""
    tally = Tally()
    last_row = len(scene["rows"]) - 1
    for life in barrels(scene):
        window = Window(scene, life.first, short, long)
        begin_seen = life.seen_to_appear
        end_seen = life.leave is not None and life.leave not in gaps(scene)
        is_over = [
            row > life.first and not window.has(row) and window.axis[row] >= window.low for row in range(last_row + 1)
        ]
        if life.leave is not None and end_seen:
            too_long = is_over[life.leave]
        else:  # it was still there on its last row, and longer
            too_long = is_over[life.last] or not window.axis[life.last] < window.high - NOISE
        right = None if not (begin_seen and end_seen) else window.has(life.leave or last_row)
        long_on = max(window.last(), life.first)
        tally.judge(False if too_long else right, long_on if too_long else life.leave or last_row, life.id)
    return tally.answer


def count_stays(scene: Scene, least: int | None, most: int | None, scope: dict[str, Any]) -> Answer:
    """Count the barrels on every row, or on those on which the flag of any is true or of none is."""
    tally = Tally()
    for row, content in enumerate(scene["rows"]):
        there = [content["objects"][who] for who in ("a", "b") if who in content["objects"]]
        lit = any(one["on"] for one in there)
        if (scope.get("during") and not lit) or (scope.get("except_during") and lit):
            continue
        right = (least is None or len(there) >= least) and (most is None or len(there) <= most)
        tally.judge(right, row, "")
    return tally.answer


def silent_once_gone(scene: Scene) -> Answer:
    """Look for events of each lifetime behind the row on which it is gone."""
    tally = Tally()
    for life in barrels(scene):
        if life.leave is None:
            continue
        told = [
            one["row"] for one in scene["events"]
            if one["row"] > life.leave and keyed(scene, one) == (life.id, life.number)
        ]  # fmt: skip
        tally.judge(not told, told[0] if told else life.leave, life.id)
    return tally.answer


def one_for_each(scene: Scene, within: tuple[Duration, Duration], only: bool) -> Answer:
    """Deal the lifetimes that appear to the causes, the oldest first; with `only` none may appear without one."""
    made, causes = appeared(scene), events(scene, "born")
    there = [life.first for life in barrels(scene) if not life.seen_to_appear]
    windows = [Window(scene, one["row"], *within) for one in causes]
    taken: list[list[int]] = [[] for _ in causes]
    tally, others = Tally(), Tally()
    for life in made:
        due = [n for n, window in enumerate(windows) if window.has(life.first)]
        judged = [n for n in due if causes[n]["row"] not in there]
        free = [n for n in judged if not taken[n]]
        if free:
            taken[free[0]].append(life.first)
        elif judged:
            tally.judge(False, life.first, life.id)
        at = axis(scene, within[1].unit)
        low, high = at[life.first] - within[1].value, at[life.first] - within[0].value
        if within[1].unit == "s":
            low = min(low, at[life.first - 1] - within[0].value + 2 * NOISE)
        unknown = low < at[0] - NOISE or hidden(scene, within[1].unit, low, high)
        others.judge(True if due else None if unknown else False, life.first, life.id)
    for n, window in enumerate(windows):
        early = [
            life.first
            for life in made
            if causes[n]["row"] <= life.first and not window.has(life.first) and window.axis[life.first] < window.low
        ]
        stray = [
            row
            for row in early
            if not any(one.has(row) for one, cause in zip(windows, causes, strict=True) if cause["row"] not in there)
        ]
        seen = window.seen() and causes[n]["row"] not in there
        tally.judge(None if not seen else bool(taken[n]), stray[0] if stray and not taken[n] else window.last(), "")
    return exclusively(tally.answer, others.answer) if only else tally.answer


def leaves_when(scene: Scene, within: tuple[Duration, Duration], only: bool) -> Answer:
    """Look for the end of each lifetime behind each of its moments, and for a moment before each end."""
    tally, others = Tally(), Tally()
    for cause in events(scene, "stop"):
        life = next(one for one in lives(scene) if (one.id, one.number) == keyed(scene, cause))
        window = Window(scene, cause["row"], *within)
        seen = life.leave is not None and life.leave >= cause["row"] and life.leave not in gaps(scene)
        left = life.leave if seen else None
        right = left is not None and window.has(left)
        early = left is not None and not right and window.axis[left] < window.low
        when = left if early and left is not None else window.last()
        tally.judge(right if window.seen() else None, when, life.id)
    for life in barrels(scene):
        if life.leave is None or life.leave in gaps(scene):
            continue
        mine = [one for one in events(scene, "stop") if keyed(scene, one) == (life.id, life.number)]
        found = any(Window(scene, one["row"], *within).has(life.leave) for one in mine)
        at = axis(scene, within[1].unit)
        low, high = at[life.leave] - within[1].value, at[life.leave] - within[0].value
        if within[1].unit == "s":
            low = min(low, at[life.leave - 1] - within[0].value + 2 * NOISE)
        if life.seen_to_appear:
            low = max(low, at[life.first])
        unknown = low < at[0] - NOISE or hidden(scene, within[1].unit, low, high)
        others.judge(True if found else None if unknown else False, life.leave, life.id)
    return exclusively(tally.answer, others.answer) if only else tally.answer


def owner_and_part(seen: set[str]) -> tuple[str, str]:
    """Return which barrel is taken for the owner and which for its part, of those that were seen: itself, if one is."""
    return ("a", "b") if {"a", "b"} <= seen else ("b", "b") if "b" in seen else ("a", "a")


def dies_with(scene: Scene, within: Duration | None) -> Answer:
    """Judge of each lifetime of the part that was there when its owner left whether it goes in time."""
    return _goes(scene, frames(0), frames(0) if within is None else within)


def outlives(scene: Scene, short: Duration, long: Duration) -> Answer:
    """Judge of each lifetime of the part that was there when its owner left how much later it goes."""
    return _goes(scene, short, long)


def _goes(scene: Scene, short: Duration, long: Duration) -> Answer:
    tally = Tally()
    whose, what = owner_and_part({life.id for life in lives(scene)})
    owners = [life for life in lives(scene) if life.id == whose and life.leave not in (None, *gaps(scene))]
    for part in (life for life in lives(scene) if life.id == what):
        left = next((life.leave for life in owners if life.leave is not None and life.leave >= part.first), None)
        if left is None or part.last < left - 1:
            continue
        window = Window(scene, left, short, long)
        stayed = part.last >= left and window.axis[part.last] >= window.high - NOISE
        seen = part.leave is not None and part.leave not in gaps(scene)
        right = False if stayed else window.has(part.leave) if seen and part.leave is not None else None
        over = stayed or (seen and part.leave is not None and part.leave > window.last())
        tally.judge(right, window.last() if over else part.leave or part.last, part.id)
    return tally.answer
