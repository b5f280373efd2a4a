"""Who belongs together: every argument that can be matched, of every check, against the rule of docs/matching.md."""

import importlib
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
import pytest

from breadcrumb import Misuse, Moments, Signal, Spans
from breadcrumb.algebra.participants import Origin, Participants
from breadcrumb.algebra.segments import Segments
from breadcrumb.checks.declaration import Declaration
from breadcrumb.model.session import NOBODY, Lifetimes, Session
from breadcrumb.trace.objects import Objects
from vocabulary import ROWS, declaration_of

SCOPES = {"during": False, "except_during": True}
EXCUSES = ("except_at", "unless")
PICKED = ("at", "after")
CAUSES = ("cause", "effect")
MATCHED = {*SCOPES, *EXCUSES, *PICKED, *CAUSES}

OTHER_WAY = {
    "conserves": "it judges a sum, which is of nobody",
    "opposes": "it judges the sum of two values",
    "only_these_change": "it judges all kinds of a session, each by itself",
    "same_as": "it judges all of a session, against another",
    "consistent_with": "it judges all of a session, against others",
    "keeps_pace": "it judges the clock, which is of nobody",
    "count_stays": "it judges a number, which is of nobody",
    "never_happens": "its session has none of what must not happen",
    "pairs_up": "its own begins name a barrel twice",
    "leads_to_only_if cause": "its condition is picked at them, so that they must be of its own objects",
}
"""Checks, or single arguments of theirs, of which what is judged is not what is matched, and why."""


class Side(NamedTuple):
    """What is brought together with barrels: by whom, on whom, and which pairs of kinds that may be."""

    by: str | None
    on: str | None
    pairs: tuple[tuple[str | None, str | None], ...]
    one: str = ""


SIDES = {
    "the same objects": Side("a", None, (("barrel", None),)),
    "other objects": Side("c", None, (("crate", None),)),
    "one other object": Side("lamp", None, (("lamp", None),), "lamp"),
    "a named thing": Side("wall", None, (("", None),)),
    "nobody": Side(None, None, ((None, None),)),
    "both roles": Side("a", "b", (("barrel", "barrel"),)),
}


def _with_others(session: Session) -> Session:
    """Return a session with two crates and a lamp more, there all the time, and a wall that is no object."""
    old, last = session.lifetimes, session.clock.size - 1
    names, kinds = (*session.names, "c", "d", "lamp", "wall"), (*session.kinds, "crate", "lamp")
    first = len(session.names)
    added = {
        "name": [first, first + 1, first + 2], "kind": [len(kinds) - 2, len(kinds) - 2, len(kinds) - 1],
        "parent": [NOBODY] * 3, "appear": [NOBODY] * 3, "first": [0] * 3, "last": [last] * 3, "leave": [NOBODY] * 3,
    }  # fmt: skip
    lifetimes = Lifetimes(**{name: np.hstack((getattr(old, name), more)) for name, more in added.items()})
    return replace(session, lifetimes=lifetimes, names=names, kinds=kinds)


def _participants(session: Session, side: Side, count: int, clock_index: Any) -> Participants:
    own = [name for name in session.names if name in ("a", "b")] or [session.names[0]]
    named: dict[str, str] = {"a": own[0], "b": own[-1]}
    at = [session.names.index(named.get(who, who)) if who else NOBODY for who in (side.by, side.on)]
    names = tuple(np.full(count, name) for name in at)
    origin = Origin("others", frozenset(side.pairs), one=side.one)
    return Participants(session, clock_index, names, (origin,))  # type: ignore[arg-type]


def spans_of(session: Session, side: Side) -> Spans:
    """Return one span over all of a session."""
    session, start = _with_others(session), np.zeros(1, np.int64)
    return Spans(session, "others", _participants(session, side, 1, start), start, start + session.clock.size - 1)


def moments_of(session: Session, side: Side) -> Moments:
    """Return a moment on frames 1 and 3."""
    session, when = _with_others(session), np.array([1, 3])
    data = ({"normal": [-1.0, 0.0]},) * 2
    return Moments(session, "others", when, np.full(2, NOBODY), _participants(session, side, 2, when), data)


class Call(NamedTuple):
    """A call of a check."""

    declaration: Declaration
    bound: dict[str, Any]

    def __call__(self, **changed: Any) -> Any:
        """Call it again, with some arguments changed."""
        module = importlib.import_module(f"breadcrumb.checks.{self.declaration.name.partition('.')[0]}")
        bound = {**self.bound, **changed}
        steps = bound.pop(self.declaration.several, ()) if self.declaration.several else ()
        return getattr(module, self.declaration.name.partition(".")[2])(*steps, **bound)


@pytest.fixture
def call_of(monkeypatch: pytest.MonkeyPatch) -> Callable[[str], Call]:
    """Return what tells how a row calls its check."""

    def call(name: str) -> Call:
        calls: list[Call] = []
        bind = Declaration.bind

        def noting(self: Declaration, args: tuple[Any, ...], given: dict[str, Any]) -> dict[str, Any]:
            bound = bind(self, args, given)
            calls.append(Call(self, dict(bound)))
            return bound

        with monkeypatch.context() as patched:
            patched.setattr(Declaration, "bind", noting)
            ROWS[name].check(ROWS[name].held)
        return next(one for one in calls if one.declaration.name.endswith(name.split()[0]))

    return call


def _participants_of(value: Any) -> tuple[Session, set[str], bool] | None:
    """Return the session, the kinds, and whether there may be several at a time, of what is judged."""
    if isinstance(value, Objects):
        return _participants_of(value.lifetimes)
    if isinstance(value, Segments):
        return _participants_of(value.signal)
    if isinstance(value, Signal):
        if value.track.participants is None:
            return value.track.session, set(value.track.kinds), not value.track.one_at_a_time
        return _participants_of(value.track)
    if isinstance(value, Moments | Spans) or hasattr(value, "participants"):
        kinds = {kind for origin in value.participants.origins for kind in origin.kinds}
        one = any(origin.one for origin in value.participants.origins)
        return value.session, kinds, not one and not kinds <= value.session.lone_kinds
    return None


def _cases() -> Iterator[tuple[str, str]]:
    for name in ROWS:
        signature = declaration_of(name).signature
        yield from ((name, parameter) for parameter in signature.parameters if parameter in MATCHED)


def _fits(parameter: str, side: str, kinds: set[str], several: bool) -> bool:
    """Tell whether the rule lets a side be matched with what is judged, worked out from its lines by hand."""
    excuses = parameter in EXCUSES or SCOPES.get(parameter, False)
    if side == "nobody" or not kinds:
        return not (several and parameter in PICKED and kinds)
    if side in ("the same objects", "both roles") and kinds == {"barrel"}:
        return side == "the same objects"
    if excuses:
        return False
    if parameter in PICKED:
        return not several
    return not several or side in ("one other object", "a named thing")


@pytest.mark.parametrize(("name", "parameter"), list(_cases()))
def test_what_is_matched_is_matched_by_the_rule(call_of: Callable[[str], Call], name: str, parameter: str) -> None:
    """The same objects, others, one, a named thing, nobody and both roles are matched as the rule says, or refused."""
    check = name.split()[0]
    if why := OTHER_WAY.get(check) or OTHER_WAY.get(f"{check} {parameter}"):
        pytest.skip(why)
    call = call_of(name)
    other = {"cause": "effect", "effect": "cause"}.get(parameter)
    judged = _participants_of(
        call.bound.get(other, call.bound.get("objects")) if other else next(iter(call.bound.values()))
    )
    assert judged is not None
    session, kinds, several = judged
    make = spans_of if parameter in SCOPES else moments_of
    given = {"match": "subject"} if "match" in call.declaration.signature.parameters else {}
    wrong = {}
    for side, made in SIDES.items():
        try:
            verdict = call(**{parameter: make(session, made), **given})
        except Misuse as error:
            told = "others" in str(error) or "expected" in str(error)
            wrong[side] = str(error) if _fits(parameter, side, kinds, several) or not told else ""
            continue
        if not _fits(parameter, side, kinds, several):
            wrong[side] = f"not refused: {verdict.explain()}"
        elif side == "the same objects" and parameter == "during" and kinds == {"barrel"}:
            tested = {tally.object for tally in verdict.tallies if tally.tested}
            wrong[side] = "" if tested <= {"a", ""} else f"tested {tested}"
        elif side == "nobody" and parameter == "except_during":
            wrong[side] = "" if verdict.outcome == "untested" else verdict.explain()
    assert not {side: words for side, words in wrong.items() if words}
