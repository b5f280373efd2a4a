"""What the checks of triggers find, by trying every cause with every effect."""

import math
from itertools import pairwise
from typing import Any

from breadcrumb import Duration
from references.plain import (
    NOISE,
    Answer,
    Scene,
    Tally,
    Window,
    axis,
    between,
    events,
    gaps,
    hidden,
    inside,
    joined,
    keyed,
    life_of,
    lives,
    subject,
    value,
)


def leads_to(
    scene: Scene,
    within: tuple[Duration, Duration],
    times: int,
    unless: bool,
    retrigger: bool,
    only: bool,
    scope: dict[str, Any],
) -> Answer:
    """Deal each effect to the oldest open cause of its subject, or unless it is for one only, to all of them."""
    tally = Tally()
    place = {id(one): number for number, one in enumerate(scene["events"])}
    causes = _causes(scene, within, unless, retrigger)
    for effect in events(scene, "ring"):
        begun = [c for c in causes if c["key"] == keyed(scene, effect) and place[id(c["event"])] < place[id(effect)]]
        due = [c for c in begun if c["window"].has(effect["row"])]
        running = [c for c in begun if c["stop"] is None or place[id(effect)] < place[id(c["stop"])]]
        free = [c for c in due if (c["taken"] < times or not only) and c in running]
        if free:
            for c in free[:1] if only else free:
                c["taken"] += 1
        elif due:
            if only and any(is_judged(scene, c["event"], scope) for c in due):
                tally.judge(False, effect["row"], subject(effect))
        else:
            for c in running:
                if not is_over(c["window"], effect["row"]) and c["early"] is None:
                    c["early"] = effect
    for cause in causes:
        event, stop = cause["event"], cause["stop"]
        closed = stop is not None and stop["name"] == "tap" and cause["taken"] < times
        if closed or not is_judged(scene, event, scope):
            continue
        right = (
            None
            if not cause["window"].seen()
            else cause["taken"] >= times or (stop is not None and cause["early"] is None)
        )
        row = cause["early"]["row"] if cause["early"] is not None else cause["window"].last()
        tally.judge(right, row, subject(event))
    return tally.answer


def _causes(scene: Scene, within: tuple[Duration, Duration], unless: bool, retrigger: bool) -> list[dict[str, Any]]:
    """Return the taps with their windows, each with the first event that stops it while it is open."""
    causes = []
    for place, one in enumerate(scene["events"]):
        if one["name"] != "tap":
            continue
        cause = {"key": keyed(scene, one), "event": one, "taken": 0, "early": None, "stop": None}
        cause["window"] = window = Window(scene, one["row"], *within)
        for other in scene["events"][place + 1 :]:
            stops = (unless and other["name"] == "stop") or (retrigger and other["name"] == "tap")
            mine = keyed(scene, other) == cause["key"] and not is_over(window, other["row"])
            if stops and mine and cause["stop"] is None:
                cause["stop"] = other
        causes.append(cause)
    return causes


def is_over(window: Window, row: int) -> bool:
    """Return whether a window is over on a row."""
    return not window.has(row) and window.axis[row] > window.high


def is_judged(scene: Scene, event: Any, scope: dict[str, Any]) -> bool:
    """Return whether an event lies in a scope."""
    return inside(scene, life_of(scene, subject(event), event["row"]), [event["row"]], scope)


def only_after(scene: Scene, within: tuple[Duration, Duration], scope: dict[str, Any]) -> Answer:
    """Look for a cause before each effect."""
    tally = Tally()
    place = {id(one): number for number, one in enumerate(scene["events"])}
    early, late = within
    at = axis(scene, late.unit)
    for effect in events(scene, "ring"):
        row, life = effect["row"], life_of(scene, subject(effect), effect["row"])
        if not is_judged(scene, effect, scope):
            continue
        found = any(
            keyed(scene, cause) == keyed(scene, effect) and place[id(cause)] < place[id(effect)]
            and Window(scene, cause["row"], early, late).has(row)
            for cause in events(scene, "tap")
        )  # fmt: skip
        low, high = at[row] - late.value, at[row] - early.value
        if late.unit == "s":  # or the first row at or after the earliest instant is this one
            low = min(low, at[row - 1] - early.value + 2 * NOISE if row else -math.inf)
        if life is not None and life.seen_to_appear:
            low = max(low, at[life.first])
        unknown = (low < at[0] - NOISE and high > -math.inf) or hidden(scene, late.unit, low, high)
        tally.judge(True if found else None if unknown else False, row, subject(effect))
    return tally.answer


def pairs_up(scene: Scene, match: str) -> Answer:
    """Go through the entries and exits of each pair, or of each subject."""
    tally = Tally()
    both = [one for one in scene["events"] if one["name"] in ("in", "out")]

    def key(one: Any) -> Any:
        return (keyed(scene, one), one["on"]) if match == "pair" else keyed(scene, one)

    for which in dict.fromkeys(map(key, both)):
        mine = [one for one in both if key(one) == which]
        for place, one in enumerate(mine):
            former = mine[place - 1] if place else None
            torn = former is not None and any(former["row"] < gap <= one["row"] for gap in gaps(scene))
            if one["name"] == "in":
                last = place == len(mine) - 1
                right = None if last or (former is not None and former["name"] == "in" and torn) else True
                if former is not None and former["name"] == "in" and not torn:
                    right = False
            elif former is None:
                right = None
            else:
                right = True if former["name"] == "in" else None if torn else False
            tally.judge(right, one["row"], subject(one))
    return tally.answer


def happens_in_order(scene: Scene, within: Duration) -> Answer:
    """Add up what each step leads to, and what comes by itself."""
    nothing = Duration(0, within.unit)
    return joined(
        leads_to(scene, (nothing, within), 1, False, False, True, {}), only_after(scene, (nothing, within), {})
    )


def respects_cooldown(scene: Scene, at_least: Duration, match: str, slip: float, scope: dict[str, Any]) -> Answer:
    """Measure from each moment to the next of the same subject, or of anybody."""
    tally = Tally()
    all_of_it = (
        [
            one
            for one in events(scene, "hit")
            if inside(scene, life_of(scene, subject(one), one["row"]), [one["row"]], scope)
        ]
        if scope.get("except_during")
        else events(scene, "hit")
    )

    def key(one: Any) -> Any:
        return {
            "any": 0,
            "subject": keyed(scene, one),
            "pair": (keyed(scene, one), one["on"]),
            "times": one["data"]["times"],
        }[match]

    for which in dict.fromkeys(map(key, all_of_it)):
        mine = [one for one in all_of_it if key(one) == which]
        for former, later in pairwise(mine):
            gap = between(scene, former["row"], later["row"], at_least.unit)
            tally.judge(gap >= at_least.value - slip - NOISE, later["row"], subject(later))
    return tally.answer


def respects_rate_limit(scene: Scene, limit: int, per: Duration, match: str) -> Answer:
    """Count in the stretch that begins at each moment."""
    tally = Tally()
    taps = events(scene, "tap")
    if not taps:
        return Answer(len(scene["rows"]), 0, [])
    for place, one in enumerate(taps):
        window = Window(scene, one["row"], Duration(0, per.unit), per)
        count = sum(
            window.has(other["row"])
            for other in taps[place:]
            if match == "any" or keyed(scene, other) == keyed(scene, one)
        )
        tally.judge(False if count > limit else True if window.seen() else None, one["row"], subject(one))
    return tally.answer


def happens_once(scene: Scene) -> Answer:
    """Count the events of each lifetime."""
    tally = Tally()
    for life in lives(scene):
        if life.id == "lamp":
            continue
        mine = [one for one in events(scene, "ring") if keyed(scene, one) == (life.id, life.number)]
        open_ = life.leave is None or not life.seen_to_appear
        torn = any(life.first < gap <= (life.leave or life.last) for gap in gaps(scene))
        if len(mine) > 1:
            tally.judge(False, mine[1]["row"], life.id)
        else:
            tally.judge(True if mine else None if open_ or torn else False, life.leave or life.last, life.id)
    return tally.answer


def happens_once_in_all(scene: Scene) -> Answer:
    """Count the events of the session."""
    mine = events(scene, "ring")
    if len(mine) == 1:
        return Answer(1, 0, [])
    if not mine and gaps(scene):
        return Answer(0, 1, [])
    return Answer(1, 0, [(mine[1]["row"], "")] if mine else [(len(scene["rows"]) - 1, "")])


def never_happens(scene: Scene, scope: dict[str, Any]) -> Answer:
    """Look at every frame, or in a scope at every sample of each object in it."""
    happened = events(scene, "stop")
    if not scope:
        rows = {one["row"]: subject(one) for one in reversed(happened)}
        return Answer(len(scene["rows"]), 0, [(row, who or "") for row, who in rows.items()])
    tally = Tally()
    for row, content in enumerate(scene["rows"]):
        there = [content["objects"][who]["on"] for who in ("a", "b") if who in content["objects"]]
        watched = any(there) if scope.get("during") else not there or not all(there)
        wrong = [one for one in happened if one["row"] == row and is_judged(scene, one, scope)]
        if watched or wrong:
            tally.judge(not wrong, row, subject(wrong[0]) if wrong else "")
    return tally.answer


def carries_data(scene: Scene, expected: int) -> Answer:
    """Read the entry of each moment."""
    tally = Tally()
    for one in events(scene, "tap"):
        tally.judge(one["data"]["times"] == expected, one["row"], subject(one))
    return tally.answer


def affects_only(scene: Scene, name: str) -> Answer:
    """Look at every other object on the frame of each moment and on the one behind it."""
    tally = Tally()
    rows = scene["rows"]
    hits = events(scene, "hit")
    for hit in hits:
        row, changed, unknown = hit["row"], [], hit["row"] == len(rows) - 1
        for life in lives(scene):
            if life.id == "lamp" or (life.id, life.number) == keyed(scene, hit):
                continue
            for later in (row, row + 1):
                if not life.first <= later <= life.last:
                    continue
                own = any(
                    keyed(scene, one) == (life.id, life.number) and one["row"] in (later, later - 1) for one in hits
                )
                before, now = value(scene, life, later - 1, name), value(scene, life, later, name)
                earlier = [value(scene, life, row, name) for row in range(life.first, later)]
                known = [one for one in earlier if one is not None]
                if later in gaps(scene) or (
                    not own and (now is None or (before is None and known and known[-1] != now))
                ):
                    unknown = True
                elif before is not None and before != now and not own:
                    changed.append((later, life.id))
        unknown |= any(gap in (row, row + 1) for gap in gaps(scene))
        tally.judge(
            False if changed else None if unknown else True,
            min(changed)[0] if changed else row,
            min(changed)[1] if changed else "",
        )
    return tally.answer
