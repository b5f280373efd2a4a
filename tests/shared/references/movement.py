"""What the checks of movement find, step by step."""

import math
from collections.abc import Callable, Iterator
from itertools import pairwise
from typing import Any

from breadcrumb import Duration
from references.plain import (
    NOISE,
    Answer,
    Life,
    Scene,
    Tally,
    apart,
    axis,
    events,
    gaps,
    inside,
    keyed,
    life_of,
    minus,
    samples,
    value,
)  # fmt: skip
from references.spawns import lamp_at
from references.values import barrels

Point = tuple[float, ...]


def at_position(scene: Scene, life: Life | None, row: int) -> Any:
    """Return where a barrel is on a row, None if that was not recorded."""
    return value(scene, life, row, "position")


def is_number(point: Any) -> bool:
    """Return whether all parts of a place are numbers."""
    return bool(all(math.isfinite(part) for part in point))


def stays_between(scene: Scene, low: float | None, high: float | None, tol: float, scope: dict[str, Any]) -> Answer:
    """Compare every value with its limits."""
    tally = Tally()
    for life, row, found in samples(scene, "n"):
        if life in barrels(scene) and inside(scene, life, [row], scope):
            right = (
                None
                if found is None
                else (low is None or found >= low - tol - NOISE) and (high is None or found <= high + tol + NOISE)
            )
            tally.judge(right, row, life.id)
    return tally.answer


def depth(point: Point, region: dict[str, Any]) -> float:
    """Return how far inside a box or a circle a point is; negative outside."""
    x, y = point
    if "radius" in region:
        return float(region["radius"]) - math.dist(point, region["centre"])
    (x0, y0), (x1, y1) = region["low"], region["high"]
    within: float = min(x - x0, x1 - x, y - y0, y1 - y)
    if within >= 0:
        return within
    return -math.hypot(max(x0 - x, 0.0, x - x1), max(y0 - y, 0.0, y - y1))


def stays_inside(
    scene: Scene, region: dict[str, Any], radius: float, tol: float, scope: dict[str, Any], sign: int = 1
) -> Answer:
    """Measure how deep every place lies in a region; a sign of -1 for staying outside."""
    tally = Tally()
    for life, row, found in samples(scene, "position"):
        if life in barrels(scene) and inside(scene, life, [row], scope):
            right = None if found is None else is_number(found) and sign * depth(found, region) >= radius - tol - NOISE
            tally.judge(right, row, life.id)
    return tally.answer


def stays_on_line(scene: Scene, along: Point, through: Point | None, tol: float, scope: dict[str, Any]) -> Answer:
    """Measure how far every place lies beside a line."""
    tally = Tally()
    for life in barrels(scene):
        start = through
        for row in range(life.first, life.last + 1):
            found = at_position(scene, life, row)
            if not inside(scene, life, [row], scope):
                continue
            if start is None and found is not None:
                start = found
            if found is None or start is None:
                tally.judge(None, row, life.id)
                continue
            dx, dy = minus(found, start)
            off = abs(dx * along[1] - dy * along[0]) / math.hypot(*along)
            tally.judge(off <= tol + NOISE, row, life.id)
    return tally.answer


def on_frame(scene: Scene, life: Life, name: str) -> list[int]:
    """Return the rows on which a lifetime has a moment."""
    return [one["row"] for one in events(scene, name) if keyed(scene, one) == (life.id, life.number)]


def judged_steps(scene: Scene, scope: dict[str, Any], excused: bool) -> Iterator[tuple[Life, int]]:
    """Give every step of a scope, by the row on which it ends; where moments excuse it, not those on their frames."""
    for life in barrels(scene):
        for row in range(life.first + 1, life.last + 1):
            if inside(scene, life, [row - 1, row], scope) and not (excused and row in on_frame(scene, life, "hit")):
                yield life, row


def never_teleports(scene: Scene, most: float, scope: dict[str, Any], excused: bool) -> Answer:
    """Measure every step; one over missing samples is too long if it is for so many steps, else not decided."""
    tally = Tally()
    for life, row in judged_steps(scene, scope, excused):
        now, before = (at_position(scene, life, one) for one in (row, row - 1))
        right: bool | None = None
        if now is not None and before is not None and row not in gaps(scene):
            right = apart(now, before) <= most + NOISE
        elif now is not None:
            right = None if _may_be_right(scene, life, row, most, excused) else False
        tally.judge(right, row, life.id)
    return tally.answer


def _may_be_right(scene: Scene, life: Life, row: int, most: float, excused: bool) -> bool:
    """Return whether a step from the last known place, over frames that are not known, may be no jump."""
    known = [one for one in range(life.first, row) if at_position(scene, life, one) is not None]
    if not known:
        return True
    torn = [gap for gap in gaps(scene) if known[-1] < gap <= row]
    if excused and (torn or any(known[-1] < one <= row for one in on_frame(scene, life, "hit"))):
        return True
    hidden = sum(scene["rows"][gap]["frame"] - scene["rows"][gap - 1]["frame"] - 1 for gap in torn)
    far = apart(at_position(scene, life, row), at_position(scene, life, known[-1]))
    return bool(far <= most * (row - known[-1] + hidden) + NOISE)


def teleports_to(scene: Scene, places: Any, tol: float) -> Answer:
    """Compare where a barrel is on the frame of each moment, or on the one after, with each of the places."""
    tally = Tally()
    for one in events(scene, "hit"):
        life = life_of(scene, one["by"], one["row"])
        found = [at_position(scene, life, row) for row in (one["row"], one["row"] + 1)]
        due = [lamp_at(scene, one["row"])] if places == "lamp" else places
        right = [
            None if where is None or None in due else any(apart(where, place) <= tol + NOISE for place in due)
            for where in found
        ]
        if one["row"] + 1 in gaps(scene):
            right[1] = None
        verdict = True if True in right else None if None in right else False
        tally.judge(verdict, one["row"], one["by"])
    return tally.answer


def lands_on(scene: Scene, place: Any, tol: float) -> Answer:
    """Compare where a barrel is on the frame of each moment with a place, or with where the lamp then is."""
    tally = Tally()
    for one in events(scene, "hit"):
        found = at_position(scene, life_of(scene, one["by"], one["row"]), one["row"])
        due = lamp_at(scene, one["row"]) if place == "lamp" else place
        unknown = found is None or due is None
        tally.judge(None if unknown else apart(found, due) <= tol + NOISE, one["row"], one["by"])
    return tally.answer


def follows(scene: Scene, offset: Point, tol: float, scope: dict[str, Any]) -> Answer:
    """Compare the way from the lamp to each barrel with an offset."""
    tally = Tally()
    for life, row, found in samples(scene, "position"):
        if life in barrels(scene) and inside(scene, life, [row], scope):
            lamp = lamp_at(scene, row)
            unknown = found is None or lamp is None
            right = None if unknown else apart(minus(found, lamp), offset) <= tol + NOISE
            tally.judge(right, row, life.id)
    return tally.answer


def speed_at(scene: Scene, life: Life, row: int) -> Any:
    """Return the velocity over the step that ends on a row; None where a part of it was not recorded."""
    now, before = (at_position(scene, life, one) for one in (row, row - 1))
    if now is None or before is None or row <= life.first or row in gaps(scene):
        return None
    step = scene["rows"][row]["time"] - scene["rows"][row - 1]["time"]
    return tuple(part / step for part in minus(now, before))


def keeps_speed(scene: Scene, speed: float | None, tol: float, rel_tol: float, scope: dict[str, Any]) -> Answer:
    """Compare the speed of every step with a speed, or with each lifetime's first one."""
    tally = Tally()
    for life in barrels(scene):
        due = speed
        for row in range(life.first + 1, life.last + 1):
            velocity = speed_at(scene, life, row)
            found = None if velocity is None else math.hypot(*velocity)
            if inside(scene, life, [row - 1, row], scope):
                if due is None:
                    due = found
                unknown = found is None or due is None
                right = None if unknown else abs(found - due) <= tol + rel_tol * due + NOISE  # type: ignore[operator]
                tally.judge(right, row, life.id)
    return tally.answer


def keeps_velocity(scene: Scene, expected: Point | None, tol: float, scope: dict[str, Any], excused: bool) -> Answer:
    """Compare the velocity of every step with one, or with the first since the lifetime's begin or the last moment."""
    tally = Tally()
    for life in barrels(scene):
        due = expected
        for row in range(life.first + 1, life.last + 1):
            found = speed_at(scene, life, row)
            if excused and (row in on_frame(scene, life, "hit") or row in gaps(scene)):
                due = expected
            if excused and row in on_frame(scene, life, "hit"):
                continue
            if inside(scene, life, [row - 1, row], scope):
                if due is None:
                    due = found
                unknown = found is None or due is None
                tally.judge(None if unknown else apart(found, due) <= tol + NOISE, row, life.id)
    return tally.answer


def moves(scene: Scene, least: float, within: Duration) -> Answer:
    """Measure the path that begins on every sample with enough time after it."""
    tally = Tally()
    at = axis(scene, within.unit)
    for life in barrels(scene):
        for row in range(life.first, life.last + 1):
            later = [one for one in range(row, life.last + 1) if at[one] - at[row] >= within.value - NOISE]
            if not later:
                continue
            path = [at_position(scene, life, one) for one in range(row, later[0] + 1)]
            torn = any(row < gap <= later[0] for gap in gaps(scene))
            unknown = None in path or torn
            far = None if unknown else sum(apart(a, b) for a, b in pairwise(path))
            tally.judge(None if far is None else far >= least - NOISE, row, life.id)
    return tally.answer


def undisturbed(scene: Scene, tol: float) -> Answer:
    """Compare the velocity of the step that ends before each moment with that of the step that starts at it."""
    tally = Tally()
    for one in events(scene, "hit"):
        life = life_of(scene, one["by"], one["row"])
        before, after = _around(scene, life, one["row"])
        unknown = before is None or after is None
        tally.judge(None if unknown else apart(before, after) <= tol + NOISE, one["row"], one["by"])
    return tally.answer


def _around(scene: Scene, life: Life | None, row: int) -> tuple[Any, Any]:
    if life is None:
        return None, None
    before = speed_at(scene, life, row - 1) if row - 1 <= life.last else None
    after = speed_at(scene, life, row + 1) if row + 1 <= life.last else None
    return before, after


def heads_toward(scene: Scene, target: Point, away: bool, tol: float) -> Answer:
    """Compare the direction of the step that starts at each moment with that to a target."""
    tally = Tally()
    for one in events(scene, "hit"):
        life = life_of(scene, one["by"], one["row"])
        _, after = _around(scene, life, one["row"])
        here = at_position(scene, life, one["row"])
        still = after is not None and math.hypot(*after) == 0
        if after is None or here is None or still or apart(here, target) == 0:
            tally.judge(None, one["row"], one["by"])
            continue
        to = minus(here, target) if away else minus(target, here)
        turn = math.degrees(math.atan2(after[1], after[0]) - math.atan2(to[1], to[0]))
        tally.judge(abs((turn + 180) % 360 - 180) <= tol + NOISE, one["row"], one["by"])
    return tally.answer


def turns_at(scene: Scene, rate: float, tol: float, scope: dict[str, Any]) -> Answer:
    """Compare the rate at which an angle turns in every step."""
    tally = Tally()
    for life, row in judged_steps(scene, scope, False):
        now, before = (value(scene, life, one, "yaw") for one in (row, row - 1))
        if now is None or before is None or row in gaps(scene):
            tally.judge(None, row, life.id)
            continue
        step = scene["rows"][row]["time"] - scene["rows"][row - 1]["time"]
        found = ((now - before + 180) % 360 - 180) / step
        tally.judge(abs(found - rate) <= tol + NOISE, row, life.id)
    return tally.answer


def faces(scene: Scene, target: Point, tol: float, scope: dict[str, Any]) -> Answer:
    """Compare the angle of every sample with the bearing to a target."""
    tally = Tally()
    for life, row, here in samples(scene, "position"):
        if life not in barrels(scene) or not inside(scene, life, [row], scope):
            continue
        yaw = value(scene, life, row, "yaw")
        if here is None or yaw is None or apart(here, target) == 0:
            tally.judge(None, row, life.id)
        else:
            dx, dy = minus(target, here)
            off = yaw - math.degrees(math.atan2(dy, dx))
            tally.judge(abs((off + 180) % 360 - 180) <= tol + NOISE, row, life.id)
    return tally.answer


def eases(scene: Scene, by: float, over: Duration, tol: float) -> Answer:
    """Compare every sample from each moment to its end with a straight line; a new moment begins again."""
    return _along(scene, over, lambda start, passed: start + by * min(passed / over.value, 1.0), tol)


def follows_keys(scene: Scene, keys: list[tuple[Duration, float]], tol: float) -> Answer:
    """Compare every sample from each moment to the last key with the lines between the keys."""

    def due(start: float, passed: float) -> float:
        for (begin, low), (end, high) in pairwise(keys):
            if begin.value - NOISE <= passed <= end.value + NOISE:
                return low + (high - low) * (passed - begin.value) / (end.value - begin.value)
        return keys[0][1] if passed < keys[0][0].value else keys[-1][1]

    return _along(scene, keys[-1][0], due, tol)


def _along(scene: Scene, over: Duration, due: Callable[[float, float], float], tol: float) -> Answer:
    tally = Tally()
    at = axis(scene, over.unit)
    for life in barrels(scene):
        rows = sorted(set(on_frame(scene, life, "hit")))
        for n, row in enumerate(rows):
            start, alone = value(scene, life, row, "n"), row == life.last or row + 1 in rows
            stop = rows[n + 1] if n + 1 < len(rows) else life.last + 1
            for now in range(row, min(stop, life.last + 1)):
                found = value(scene, life, now, "n")
                torn = any(row < gap <= now for gap in gaps(scene))
                unknown = start is None or found is None or torn or alone
                right = None if unknown else abs(found - due(start, at[now] - at[row])) <= tol + NOISE
                tally.judge(right, now, life.id)
                if at[now] - at[row] >= over.value - NOISE:
                    break
    return tally.answer


def returns_to(scene: Scene, place: Point, within: Duration, at_rest: bool, unless: bool, tol: float) -> Answer:
    """Look where a barrel is on the first sample at or after a time behind each moment, and on the one behind that."""
    tally = Tally()
    for one in events(scene, "hit"):
        life = life_of(scene, one["by"], one["row"])
        at = axis(scene, within.unit)
        since = [instant - at[one["row"]] for instant in at]
        due = next((row for row in range(one["row"], len(at)) if since[row] >= within.value - NOISE), None)
        later = scene["events"][scene["events"].index(one) + 1 :]
        stops = [stop["row"] for stop in later if stop["name"] == "stop" and keyed(scene, stop) == keyed(scene, one)]
        if unless and any(since[row] <= within.value + NOISE or row == due for row in stops):
            continue
        rows = [] if due is None else [due, due + 1] if at_rest else [due]
        found = [None if row in gaps(scene) and row != due else at_position(scene, life, row) for row in rows]
        right = [None if where is None else apart(where, place) <= tol + NOISE for where in found]
        verdict = None if not right else False if False in right else None if None in right else True
        tally.judge(verdict, rows[0] if rows else one["row"], one["by"])
    return tally.answer
