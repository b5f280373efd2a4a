"""Sessions told again with something changed: a part that was not recorded, numbers that are none, events told twice."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from breadcrumb import Trace
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.reading import read_journal
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.memory import trace_from_journal

Line = dict[str, Any]
Hide = Callable[[list[Line], int], list[Line]]


def _merged(lines: list[Line], into: Line) -> Line:
    """Return a line that says what several lines before it said, but for their events."""
    state: dict[str, Line] = {}
    alive: dict[str, Line] = {}
    gone: list[str] = []
    for line in (*lines, into):
        for who in line.get("leave", []):
            if alive.pop(who, None) is None:
                gone.append(who)
            state.pop(who, None)
        for one in line.get("appear", []):
            alive[one["id"]] = one
        for who, told in line.get("state", {}).items():
            state.setdefault(who, {}).update(told)
    return {**into, "appear": list(alive.values()), "leave": gone, "state": state}


def _late(lines: list[Line], place: int) -> list[Line]:
    """Begin to record on a later frame."""
    return [_merged(lines[:place], lines[place]), *lines[place + 1 :]]


def _cut(lines: list[Line], place: int) -> list[Line]:
    """Stop recording before a frame."""
    return [*lines[:place], lines[-1]]


def _paused(lines: list[Line], place: int) -> list[Line]:
    """Pause for two frames."""
    hidden, behind = lines[place : place + 2], lines[place + 2 :]
    if len(behind) < 2:
        return _cut(lines, place)
    fact = {"code": "paused", "detail": str(lines[place - 1]["frame"]), "count": 2}
    return [*lines[:place], _merged(hidden, behind[0]), *behind[1:-1], {**behind[-1], "facts": [fact]}]


def _told_as(lines: list[Line], place: int, change: Callable[[Any], Any]) -> list[Line]:
    """Tell other values of every object on a frame, and on the next one those that it then has."""
    known: dict[str, Line] = {}
    for line in lines[: place + 1]:
        for who, told in line.get("state", {}).items():
            known.setdefault(who, {}).update(told)
    known = {who: told for who, told in known.items() if _is_there(lines, place, who)}
    other = {who: {name: change(value) for name, value in told.items()} for who, told in known.items()}
    again = {who: {**known[who], **lines[place + 1].get("state", {}).get(who, {})} for who in known}
    again = {who: told for who, told in again.items() if _is_there(lines, place + 1, who)}
    behind = lines[place + 1]
    behind = behind if "end" in behind else {**behind, "state": {**behind.get("state", {}), **again}}
    return [*lines[:place], {**lines[place], "state": other}, behind, *lines[place + 2 :]]


def _missing(lines: list[Line], place: int) -> list[Line]:
    """Record no value of any object on a frame."""
    return _told_as(lines, place, lambda value: None)


def _paused_and_missing(lines: list[Line], place: int) -> list[Line]:
    """Pause for two frames, and record no value on the first one behind them."""
    paused = _paused(lines, place)
    return _missing(paused, place) if "frame" in paused[place] and place + 1 < len(paused) else paused


def _no_number(value: Any) -> Any:
    if isinstance(value, list):
        return list(map(_no_number, value))
    return "NaN" if isinstance(value, int | float) and not isinstance(value, bool) else value


def _not_numbers(lines: list[Line], place: int) -> list[Line]:
    """Record NaN in place of all numbers on a frame."""
    return _told_as(lines, place, _no_number)


def _enormous(value: Any) -> Any:
    if isinstance(value, list):
        return list(map(_enormous, value))
    return 1e18 if isinstance(value, int | float) and not isinstance(value, bool) else value


def put_away(lines: list[Line]) -> list[Line]:
    """Put every object as far away as a pool of them does, on the last frame."""
    return _told_as(lines, len(lines) - 2, _enormous)


def _twice(lines: list[Line], place: int) -> list[Line]:
    """Record each event twice, wherever it is."""
    return [{**line, "events": 2 * line["events"]} if "events" in line else line for line in lines]


def _is_there(lines: list[Line], place: int, who: str) -> bool:
    there = False
    for line in lines[: place + 1]:
        there = (there and who not in line.get("leave", [])) or any(one["id"] == who for one in line.get("appear", []))
    return there


HIDDEN: dict[str, Hide] = {
    "begun late": _late, "cut": _cut, "paused": _paused, "without values": _missing,
    "paused, then without values": _paused_and_missing,
}  # fmt: skip
OTHERWISE: dict[str, Hide] = {"not numbers": _not_numbers, "told twice": _twice}


def lines_of(trace: Trace) -> tuple[Line, list[Line]]:
    """Return what a session tells of itself, and the lines of its frames."""
    about, *lines = [json.loads(line) for line in frame_lines(trace.data)]
    return about, lines


def retold(about: Line, lines: list[Line], path: Path) -> Trace:
    """Return the session that lines tell."""
    writer = SessionWriter(lambda about: path)
    for line in (about, *lines):
        writer.take(json.dumps(line).encode())
    writer.close()
    return Trace(trace_from_journal(read_journal(path / FILE_NAME), "retold"))
