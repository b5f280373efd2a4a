"""Small sessions as plain dicts, and what references ask of them: lifetimes, samples, steps, windows, gaps.

A scene is `{"rows": [{"frame", "time", "objects": {id: {property: value}}}], "events": [{"row", "name", "by", "on",
"data"}]}`. A value that is None was not recorded; an object that is in no row is not there.
"""

import math
from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

from breadcrumb import Duration

Scene = dict[str, Any]
Row = dict[str, Any]
Event = dict[str, Any]
NOISE = 1e-7
"""How far a sum of floats may be off; what is drawn lies farther from a limit, or on it."""


class Life(NamedTuple):
    """One lifetime of an object: the rows on which it is there, and on which it is first gone."""

    id: str
    number: int
    first: int
    last: int
    leave: int | None
    seen_to_appear: bool


class Answer(NamedTuple):
    """What a reference finds: breaches as (row, object), in no order."""

    tested: int
    undecided: int
    breaches: list[tuple[int, str]]
    said: str = ""
    """The outcome where it does not follow from the counts."""

    @property
    def outcome(self) -> str:
        """Broken by any breach, else held if anything was tested."""
        counted = "broken" if self.breaches else "held" if self.tested else "untested"
        return self.said or counted


def joined(*parts: Answer) -> Answer:
    """Return what several must all find: broken if one is, else untested if one is."""
    outcomes = {one.outcome for one in parts}
    said = next(one for one in ("broken", "untested", "held") if one in outcomes)
    breaches = [breach for one in parts for breach in one.breaches]
    return Answer(sum(one.tested for one in parts), sum(one.undecided for one in parts), breaches, said)


def exclusively(each: Answer, others: Answer) -> Answer:
    """Return what causes and everything else find: untested if no cause was judged, unless something else is wrong."""
    if others.outcome == "untested" or (each.outcome == "untested" and others.outcome == "held"):
        return each._replace(undecided=each.undecided + others.undecided, said=each.outcome)
    return joined(each, others)


class Tally:
    """Counts what a reference finds."""

    def __init__(self) -> None:
        self.tested = self.undecided = 0
        self.breaches: list[tuple[int, str]] = []

    def judge(self, right: bool | None, row: int, who: str | None) -> None:
        """Count one occasion: right, wrong, or neither known."""
        if right is None:
            self.undecided += 1
            return
        self.tested += 1
        if not right:
            self.breaches.append((row, who or ""))

    @property
    def answer(self) -> Answer:
        """What was found."""
        return Answer(self.tested, self.undecided, self.breaches)


def lives(scene: Scene) -> list[Life]:
    """Return every lifetime of every object."""
    rows = scene["rows"]
    found: list[Life] = []
    for who in sorted({one for row in rows for one in row["objects"]}):
        there = [who in row["objects"] for row in rows]
        number, first = 0, None
        for index in range(len(rows) + 1):
            now = index < len(rows) and there[index]
            if now and first is None:
                first = index
            if not now and first is not None:
                number += 1
                leave = index if index < len(rows) else None
                found.append(Life(who, number, first, index - 1, leave, first > 0 and first not in gaps(scene)))
                first = None
    return found


def life_of(scene: Scene, who: str | None, row: int) -> Life | None:
    """Return the last lifetime of an object that had begun by a row."""
    begun = [life for life in lives(scene) if life.id == who and life.first <= row]
    return begun[-1] if begun else None


def value(scene: Scene, life: Life | None, row: int, name: str) -> Any:
    """Return a property in a lifetime on a row; None if it was not recorded, or it was not there."""
    if life is None or not life.first <= row <= life.last:
        return None
    return scene["rows"][row]["objects"][life.id].get(name)


def samples(scene: Scene, name: str) -> Iterator[tuple[Life, int, Any]]:
    """Give every sample of a property: its lifetime, row and value."""
    for life in lives(scene):
        for row in range(life.first, life.last + 1):
            yield life, row, value(scene, life, row, name)


def inside(scene: Scene, life: Life | None, rows: Sequence[int], scope: dict[str, Any]) -> bool:
    """Return whether something that uses some rows of a lifetime is judged in a scope."""
    held = [value(scene, life, row, "on") is True for row in rows]
    if scope.get("during"):
        return all(held)
    return not (scope.get("except_during") and any(held))


def events(scene: Scene, name: str) -> list[Event]:
    """Return the events of a name in the order in which they happened."""
    return [one for one in scene["events"] if one["name"] == name]


def subject(event: Event) -> str | None:
    """Return who an event is by, else on."""
    who: str | None = event["by"] if event["by"] is not None else event["on"]
    return who


def keyed(scene: Scene, event: Event) -> Any:
    """Return by what an event is paired with others: its subject's lifetime, or the name of a thing."""
    life = life_of(scene, subject(event), event["row"])
    return (life.id, life.number) if life is not None else subject(event)


def between(scene: Scene, former: int, later: int, unit: str) -> float:
    """Return how far apart two rows are, in frames or seconds."""
    name = "frame" if unit == "frames" else "time"
    return float(scene["rows"][later][name] - scene["rows"][former][name])


def gaps(scene: Scene) -> list[int]:
    """Return the rows before which the recording was paused."""
    return [n for n, row in enumerate(scene["rows"]) if row.get("paused")]


class Window:
    """The time after a row in which something is due: from the earliest to the latest, both included.

    In seconds the first row at or after the earliest instant is always in time, since no row may lie in the window.
    """

    def __init__(self, scene: Scene, row: int, early: Duration, late: Duration, slip: float = 0.0) -> None:
        self.unit, self.axis = late.unit, axis(scene, late.unit)
        self.row, self.scene = row, scene
        self.low = self.axis[row] + early.value - slip
        self.high = self.axis[row] + late.value + slip
        self.instant = self.axis[row] + early.value

    def has(self, row: int) -> bool:
        """Return whether a row lies in it."""
        if row < self.row or self.axis[row] < self.low - NOISE:
            return False
        if self.axis[row] <= self.high + NOISE:
            return True
        earlier = [at for at in self.axis[:row] if at >= self.instant - NOISE]
        return self.unit == "s" and not earlier

    def last(self) -> int:
        """Return the last row in it, or the one before it if there is none."""
        rows = range(self.row, len(self.axis))
        return max((row for row in rows if self.has(row) or self.axis[row] < self.low - NOISE), default=self.row)

    def seen(self) -> bool:
        """Return whether all of it was recorded: it reaches neither past the last row nor into a gap."""
        if self.axis[-1] < self.high - NOISE or not any(map(self.has, range(len(self.axis)))):
            return False
        return not hidden(self.scene, self.unit, self.low, self.high)


def axis(scene: Scene, unit: str) -> list[float]:
    """Return the frame number or the time of every row."""
    return [float(row["frame" if unit == "frames" else "time"]) for row in scene["rows"]]


def hidden(scene: Scene, unit: str, low: float, high: float) -> bool:
    """Return whether frames or times that were not recorded lie between two instants."""
    at = axis(scene, unit)
    return any(low < at[row] - NOISE and high > at[row - 1] + NOISE for row in gaps(scene))


def apart(one: Any, other: Any) -> float:
    """Return the distance of two numbers or points; nan if one is not a number."""
    return math.dist(one, other) if isinstance(one, tuple) else float(abs(one - other))


def minus(one: Any, other: Any) -> Any:
    """Return the difference of two numbers or points."""
    return tuple(a - b for a, b in zip(one, other, strict=True)) if isinstance(one, tuple) else one - other


def at_most(number: float, limit: float) -> bool:
    """Return whether a number is within a limit; one that is not a number never is."""
    return number <= limit + NOISE


def each(judge: Callable[[Any], bool], known: Any) -> bool | None:
    """Return what a judgement says of a value, None of one that was not recorded."""
    return None if known is None else judge(known)
