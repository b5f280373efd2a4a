"""The conventions and the parameters in which sessions differ."""

from collections.abc import Iterator, Sequence
from itertools import zip_longest
from typing import NamedTuple

from breadcrumb.align.timing import Positions, Timing
from breadcrumb.comparison.differences import Difference
from breadcrumb.model.session import Session

_CONVENTIONS = ("axes", "angles", "units", "spaces", "areas")
_NONE = "none"


def conventions_that_differ(mine: Session, yours: Session) -> Iterator[Difference]:
    """Yield the conventions that two sessions do not share."""
    frame, time = int(mine.clock.frames[0]), float(mine.clock.times[0])
    for name in _CONVENTIONS:
        one, other = mine.about.get(name), yours.about.get(name)
        if one != other:
            yield Difference("convention", name, "", frame, time, "differs", f"{one}", f"{other}", last=frame)


def parameters_that_differ(timing: Timing) -> Iterator[Difference]:
    """Yield the parameters that have another value, or have it on another frame."""
    first, second = (_by_parameter(side) for side in (timing.reference, timing.candidate))
    for name in dict.fromkeys((*first, *second)):
        values = zip_longest(first.get(name, ()), second.get(name, ()))
        apart = next(((one, other) for one, other in values if not _is_same(one, other)), None)
        if apart is None:
            continue
        at = min((one for one in apart if one is not None), key=lambda one: one.at)
        frame, time = timing.moment(at.side, at.clock_index)
        one, other = (_said(each, at, timing) for each in apart)
        yield Difference("parameter", name, "", frame, time, "differs", one, other, last=frame)


def settings_that_differ(references: Sequence[Session], candidate: Session) -> Iterator[Difference]:
    """Yield the conventions and the parameters that all references share, and a candidate does not."""
    for one in conventions_that_differ(references[0], candidate):
        if all(session.about.get(one.name) == references[0].about.get(one.name) for session in references):
            yield one
    frame, time = int(candidate.clock.frames[0]), float(candidate.clock.times[0])
    each, mine = [_values(session) for session in references], _values(candidate)
    for name in dict.fromkeys((*each[0], *mine)):
        known = {values.get(name, _NONE) for values in each}
        if len(known) == 1 and mine.get(name, _NONE) not in known:
            told = known.pop(), mine.get(name, _NONE)
            yield Difference("parameter", name, "", frame, time, "differs", *told, last=frame)


def _values(session: Session) -> dict[str, str]:
    """Return the values that each parameter has, in order of time."""
    found: dict[str, list[str]] = {}
    for one in session.parameters:
        found.setdefault(one.name, []).append(f"{one.value!r} {one.unit}".strip())
    return {name: ", ".join(values) for name, values in found.items()}


class _Setting(NamedTuple):
    """A value of a parameter, and from when on it had it."""

    side: Positions
    clock_index: int
    value: str
    unit: str

    @property
    def at(self) -> float:
        """Where it is."""
        return float(self.side.at[self.clock_index])


def _by_parameter(side: Positions) -> dict[str, list[_Setting]]:
    found: dict[str, list[_Setting]] = {}
    for one in side.session.parameters:
        found.setdefault(one.name, []).append(_Setting(side, one.clock_index, repr(one.value), one.unit))
    return found


def _is_same(one: _Setting | None, other: _Setting | None) -> bool:
    if one is None or other is None:
        return one is other
    slack = max(float(each.side.slack[each.clock_index]) for each in (one, other))
    is_first = one.clock_index == other.clock_index == 0  # each recording begins with what it finds
    return (one.value, one.unit) == (other.value, other.unit) and (is_first or abs(one.at - other.at) <= slack)


def _said(one: _Setting | None, at: _Setting, timing: Timing) -> str:
    if one is None:
        return _NONE
    told = f"{one.value} {one.unit}".strip()
    return told if one.at == at.at else f"{told} on {timing.frame_words(one.side, one.clock_index)}"
