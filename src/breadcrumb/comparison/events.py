"""Events of two sessions: missing, extra, early, late, or with other data."""

from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple, TypeAlias

from breadcrumb.align.lifetimes import WITHIN
from breadcrumb.comparison.differences import Difference
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY, Session

_Key: TypeAlias = tuple[str, str, str]
"""The name of an event, and its participants."""


class _Occurrence(NamedTuple):
    """One event."""

    frame: int
    time: float
    data: Mapping[str, Any]


class _Apart(NamedTuple):
    """How one occurrence differs."""

    frame: int
    time: float
    words: str
    reference: str
    candidate: str


def event_differences(
    reference: Session, candidate: Session, is_ignored: Callable[..., bool]
) -> Iterator[tuple[int, list[Difference]]]:
    """Yield for each name and participants how many events were compared, and the difference if one differs."""
    mine, yours = _occurrences(reference), _occurrences(candidate)
    for key in sorted(key for key in mine.keys() | yours.keys() if not is_ignored(key[0])):
        found = []
        apart = sorted(_apart(mine.get(key, []), yours.get(key, [])))
        if apart:
            first, (name, by, on) = apart[0], key
            found = [
                Difference(
                    "event", name, by or on, first.frame, first.time, first.words, first.reference, first.candidate,
                    len(apart), apart[-1].frame, others=tuple(one for one in (by, on) if one),
                )
            ]  # fmt: skip
        yield len(mine.get(key, ())), found


def _occurrences(session: Session) -> dict[_Key, list[_Occurrence]]:
    """Return the events of a session by name and participants, in order."""
    found: dict[_Key, list[_Occurrence]] = {}
    events, names = session.events, (*session.names, "")
    frames, times = (column[events.clock_index].tolist() for column in (session.clock.frames, session.clock.times))
    rows = zip(events.kind.tolist(), events.by.tolist(), events.on.tolist(), frames, times, events.data, strict=True)
    for kind, by, on, frame, time, data in rows:
        key = events.kinds[kind], names[by if by != NOBODY else -1], names[on if on != NOBODY else -1]
        found.setdefault(key, []).append(_Occurrence(frame, time, data))
    return found


def _apart(mine: list[_Occurrence], yours: list[_Occurrence]) -> Iterator[_Apart]:
    at: dict[int, list[_Occurrence]] = {}
    for one in yours:
        at.setdefault(one.frame, []).append(one)
    missing = []
    for one in mine:
        same = at.get(one.frame)
        if not same:
            missing.append(one)
            continue
        other = next((each for each in same if _is_same(each.data, one.data)), same[0])
        same.remove(other)
        if not _is_same(other.data, one.data):
            name, before, after = _first_datum(one.data, other.data)
            yield _Apart(one.frame, one.time, f"{name} of its data differs", before, after)
    yield from _moved(missing, [one for several in at.values() for one in several])


def _moved(missing: list[_Occurrence], extra: list[_Occurrence]) -> Iterator[_Apart]:
    extra = sorted(extra, key=lambda one: one.frame)
    for one in missing:
        near = next((each for each in extra if abs(each.time - one.time) <= WITHIN), None)
        if near is None:
            yield _Apart(one.frame, one.time, "missing", f"frame {one.frame}", "none")
            continue
        extra.remove(near)
        late, first = near.frame - one.frame, min(near, one, key=lambda each: each.frame)
        words = f"{counted(abs(late), 'frames')} {'late' if late > 0 else 'early'}"
        yield _Apart(first.frame, first.time, words, f"frame {one.frame}", f"frame {near.frame}")
    for one in extra:
        yield _Apart(one.frame, one.time, "extra", "none", f"frame {one.frame}")


def _first_datum(one: Mapping[str, Any], other: Mapping[str, Any]) -> tuple[str, str, str]:
    """Return the first key of which the data differ, and what each has."""
    missing = object()
    name = next(key for key in (*one, *other) if repr(one.get(key, missing)) != repr(other.get(key, missing)))
    first, second = (f"{name}={each[name]}" if name in each else f"no {name}" for each in (one, other))
    return name, first, second


def _is_same(one: Mapping[str, Any], other: Mapping[str, Any]) -> bool:
    return one == other or repr(one) == repr(other)  # which NaN is to itself, too
