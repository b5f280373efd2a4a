"""Comparing a session with several good ones: what it does that none of them does."""

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from breadcrumb.align.timing import usual_step
from breadcrumb.comparison.differences import Comparison, Difference, Group
from breadcrumb.errors import NotComparable
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.population.known import Known
from breadcrumb.population.measures import Measures, Quantity
from breadcrumb.population.measuring import measure
from breadcrumb.population.outside import Outside

FEWEST, ENOUGH = 5, 7
"""How many references there must be, and from how many on one coincidence does not decide."""
_OTHER_STEP = 0.02
"""The share by which the usual steps of sessions of one frame rate differ."""
_WORDS = re.compile(r"[\w.\-]+")


@dataclass(frozen=True, eq=False)
class Population:
    """Good sessions of one frame rate, whose play may differ."""

    measures: tuple[Measures, ...]
    step: float
    """The usual step, in seconds."""
    players: tuple[str, ...]
    """Who acts at will, so that when and where it does so says nothing of the game."""

    @classmethod
    def of(cls, references: Sequence[TraceData], players: Sequence[str]) -> "Population":
        """Measure good sessions.

        Raises:
            NotComparable: they have different frame rates, or no frames.
        """
        first = references[0].session
        for one in references:
            _refuse_other_rate(first, one.session)
        return cls(tuple(measure(one, players) for one in references), usual_step(first), tuple(players))

    @cached_property
    def known(self) -> Known:
        """What all of them do."""
        return Known.of(self.measures, self.step)

    @cached_property
    def differing(self) -> tuple[tuple[Quantity, ...], ...]:
        """What would differ in each of the references, if it were compared with all the others."""
        return tuple(
            tuple(found.quantity for found in Known.of(_but(self.measures, index), self.step).judge(one))
            for index, one in enumerate(self.measures)
        )

    def compare(self, candidate: TraceData, is_ignored: Callable[..., bool]) -> Comparison:
        """Return what a session does that none of the references does, the surest first.

        Raises:
            NotComparable: it has another frame rate, no frames, or nothing that was measured in the references.
        """
        _refuse_other_rate(self.measures[0].session, candidate.session)
        mine = measure(candidate, self.players)
        names = {*mine.session.kinds, *mine.session.events.kinds}

        def is_left_out(quantity: Quantity) -> bool:
            words = _WORDS.findall(quantity.aspect)
            return is_ignored(
                quantity.name, quantity.kind, *(word for word in words if word.partition(".")[0] in names)
            )

        compared = [one for one in mine.occasions if one in self.known.quantities and not is_left_out(one)]
        if not compared:
            raise NotComparable(f"{mine.session.label} has nothing in common with the references")
        found = sorted((one for one in self.known.judge(mine) if not is_left_out(one.quantity)), key=_rank)
        differing = sum(any(not is_left_out(one) for one in each) for each in self.differing)
        return Comparison(
            counted(len(self.measures), "references"), candidate.session.label,
            tuple(_groups(found, mine, names)), sum(len(mine.occasions[one].values) for one in compared),
            tuple(self._notes(mine.session, differing)), len(self.measures),
        )  # fmt: skip

    def _notes(self, candidate: Session, differing: int) -> Iterator[str]:
        many = len(self.measures)
        if many < ENOUGH:
            yield f"with fewer than {ENOUGH} references, a coincidence is often taken for a difference"
        seeds = [one.session.about.get("seed") for one in self.measures]
        same = sorted({one for one in seeds if one is not None and seeds.count(one) > 1})
        if same:
            yield f"several references have the seed {', '.join(same)}: if they play alike, they count as one"
        sessions = [one.session for one in self.measures]
        if candidate.about.get("level") not in (levels := {one.about.get("level") for one in sessions}):
            yield f"the level differs: {', '.join(sorted(map(str, levels)))} and {candidate.about.get('level')}"
        for session in (*sessions, candidate):
            yield from (f"{session.label}: {fact.words}" for fact in session.facts)
        yield f"each reference compared with the others: {differing} of {many} differ"


def _but(measures: Sequence[Measures], index: int) -> tuple[Measures, ...]:
    return (*measures[:index], *measures[index + 1 :])


def _rank(one: Outside) -> tuple[bool, float]:
    return one.rank


def _refuse_other_rate(reference: Session, session: Session) -> None:
    """Refuse sessions that cannot be measured alike.

    Raises:
        NotComparable: one has no frames or no time, or they have different frame rates.
    """
    if session.clock.size < 2:
        raise NotComparable(f"{session.label} has no frames to compare")
    if session.clock.times[-1] <= session.clock.times[0]:
        raise NotComparable(
            f"{session.label}: expected game time that goes by, found {session.clock.times[0]:g} s on all frames"
        )
    steps = [usual_step(one) for one in (reference, session)]
    if abs(steps[1] - steps[0]) > _OTHER_STEP * steps[0]:
        told = " and ".join(
            f"{step:.4g} s in {one.label}" for step, one in zip(steps, (reference, session), strict=True)
        )
        raise NotComparable(f"expected sessions of one frame rate, found steps of {told}")


def _difference(one: Outside, mine: Measures) -> Difference:
    """Return as a difference what is outside: at its first occasion, or at the end if something is missing."""
    session, quantity = mine.session, one.quantity
    clock, who = session.clock, NOBODY
    at = last = clock.size - 1
    if one.rows:
        occasions = mine.occasions[quantity]
        indices = occasions.clock_index[np.array(one.rows)]
        at, last, who = int(indices[0]), int(indices[-1]), int(occasions.who[one.rows[0]])
    words = f"{quantity.aspect}: {one.words}" if quantity.aspect and one.words != "new" else one.words
    owner = quantity.object or (session.names[who] if who != NOBODY else "")
    return Difference(
        quantity.what, quantity.name, owner, int(clock.frames[at]), float(clock.times[at]), words, one.reference,
        one.candidate, max(len(one.rows), 1), int(clock.frames[last]), unit=quantity.unit,
    )  # fmt: skip


def _groups(found: Sequence[Outside], mine: Measures, names: set[str]) -> Iterator[Group]:
    """Yield groups of what concerns the same kinds and events, the surest first."""
    made: list[tuple[set[str], list[Difference]]] = []
    for one in found:
        words = {one.quantity.name, *_WORDS.findall(one.quantity.aspect)}
        about = {word for full in words for word in (full, full.partition(".")[0]) if word in names}
        difference = _difference(one, mine)
        group = next((group for group in made if group[0] & about), None)
        if group is None:
            made.append((about, [difference]))
        else:
            group[1].append(difference)
    for _, differences in made:
        yield Group(differences[0], tuple(differences[1:]))
