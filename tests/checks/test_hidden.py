"""What was not recorded breaks nothing: the ends of a session, a pause, and values that are missing."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Trace
from breadcrumb.journal.layout import FILE_NAME
from breadcrumb.journal.reading import read_journal
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.store.memory import trace_from_journal
from vocabulary import ROWS

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


def _missing(lines: list[Line], place: int) -> list[Line]:
    """Record no value of any object on a frame."""
    known: dict[str, Line] = {}
    for line in lines[: place + 1]:
        for who, told in line.get("state", {}).items():
            known.setdefault(who, {}).update(told)
    nothing = {who: dict.fromkeys(told) for who, told in known.items() if who not in lines[place].get("leave", [])}
    nothing = {who: told for who, told in nothing.items() if _is_there(lines, place, who)}
    again = {who: {**known[who], **lines[place + 1].get("state", {}).get(who, {})} for who in nothing}
    again = {who: told for who, told in again.items() if _is_there(lines, place + 1, who)}
    behind = lines[place + 1]
    behind = behind if "end" in behind else {**behind, "state": {**behind.get("state", {}), **again}}
    return [*lines[:place], {**lines[place], "state": nothing}, behind, *lines[place + 2 :]]


def _is_there(lines: list[Line], place: int, who: str) -> bool:
    there = False
    for line in lines[: place + 1]:
        there = (there and who not in line.get("leave", [])) or any(one["id"] == who for one in line.get("appear", []))
    return there


WHOLE = {("reports_error", "begun late"), ("reports_error", "cut")}
"""What a session made to fail must report, it must report in what was recorded."""
HIDDEN: dict[str, Hide] = {"begun late": _late, "cut": _cut, "paused": _paused, "without values": _missing}


def _retold(lines: list[Line], path: Path) -> Trace:
    writer = SessionWriter(lambda about: path)
    for line in lines:
        writer.take(json.dumps(line).encode())
    writer.close()
    return Trace(trace_from_journal(read_journal(path / FILE_NAME), "retold"))


@pytest.mark.parametrize(("name", "how"), [(name, how) for name in ROWS for how in HIDDEN if (name, how) not in WHOLE])
def test_what_was_not_recorded_breaks_nothing(name: str, how: str, tmp_path: Path) -> None:
    """A rule that holds is never broken by hiding a part of the session, wherever that is."""
    row = ROWS[name]
    about, *lines = [json.loads(line) for line in frame_lines(row.held.data)]
    for place in range(1, len(lines) - 1):
        trace = _retold([about, *HIDDEN[how](lines, place)], tmp_path / f"{place}.crumbs")
        verdict = row.check(trace)
        assert verdict.outcome != "broken", (place, verdict.explain())
