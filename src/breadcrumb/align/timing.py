"""When things happen in two sessions: on the same frames, or, at other frame rates, at the same time within a step."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypeAlias

import numpy as np

from breadcrumb.errors import NotComparable, UnknownName
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import Floats, Session

By: TypeAlias = Literal["frame", "time"]
_LONG = 0.99
"""The share of steps that are not longer than a usual long one: what began late stays late when steps get shorter."""
_EVEN = 0.05
"""The share of the usual step by which even steps differ: the middle 80 of 100."""
_UNEVEN = 4
"""How many steps apart values may be where steps are uneven: what frames decide adds up from one cause to the next."""
_LATER = 2
"""How many times as far apart events may be there, which something slow may begin."""
ROUNDING = 1e-6
"""Seconds by which times may be apart because they are sums of steps."""


@dataclass(frozen=True, eq=False)
class Positions:
    """Where the frames of a session are, for comparing it with another; arrays of one value per clock index."""

    session: Session
    at: Floats
    """The frame number, or the game time, shifted so that the sessions agree at their anchors."""
    slack: Floats
    """How far from it a counterpart in the other session may be: 0 frames, or a step of game time."""
    around: Floats
    """How far around it values of the other session are its counterparts."""
    times: Floats
    """Seconds of game time, shifted likewise."""


@dataclass(frozen=True, eq=False)
class Timing:
    """How the frames of two sessions belong together."""

    by: By
    reference: Positions
    candidate: Positions
    steps: int = 1
    """Within how many steps values are compared: several if steps are uneven, as a script does not play quite alike."""
    anchors: tuple[str, ...] = ()
    """The events that are taken to be at the same time."""
    notes: tuple[str, ...] = ()
    """What to know of it."""

    @property
    def is_uneven(self) -> bool:
        """Whether the steps of one session are uneven."""
        return self.steps > 1

    @cached_property
    def shared(self) -> tuple[float, float]:
        """Where the time begins and ends that both sessions have."""
        sides = self.reference, self.candidate
        return max(float(side.at[0]) for side in sides), min(float(side.at[-1]) for side in sides)

    @cached_property
    def slack(self) -> float:
        """How far apart things may usually be."""
        return max(float(np.median(side.slack)) for side in (self.reference, self.candidate))

    @cached_property
    def is_candidate_coarser(self) -> bool:
        """Whether the candidate has the longer steps."""
        return usual_step(self.candidate.session) > usual_step(self.reference.session)

    def moment(self, side: Positions, clock_index: int) -> tuple[int, float]:
        """Return the frame and the time of something in one session: those of the candidate, if frames differ."""
        clock = side.session.clock
        if self.by == "frame" or side is self.candidate:
            return int(clock.frames[clock_index]), float(clock.times[clock_index])
        clock = self.candidate.session.clock
        index = int(np.searchsorted(self.candidate.at, side.at[clock_index] - ROUNDING))
        index = min(index, clock.size - 1)
        return int(clock.frames[index]), float(clock.times[index])

    def frame_words(self, side: Positions, clock_index: int) -> str:
        """Return the frame of one session in words, with its time if the other has other frames."""
        clock = side.session.clock
        frame = f"frame {clock.frames[clock_index]}"
        return frame if self.by == "frame" else f"{frame} ({clock.times[clock_index]:.3f} s)"

    def amount(self, late: float) -> str:
        """Return by how much something is early or late, in words."""
        much = f"{abs(late):.3g} s" if self.by == "time" else counted(round(abs(late)), "frames")
        return f"{much} {'late' if late > 0 else 'early'}"


def align_clocks(reference: Session, candidate: Session, anchors: Sequence[str] = ()) -> Timing:
    """Say how the frames of two sessions belong together.

    Frames of equal number are the same if they have the same time. Otherwise, or if anchors are given, game time
    decides, and what belongs together may be a step apart: the longer one of both sessions, at that place.

    Args:
        reference: the accepted session.
        candidate: the session that is compared with it.
        anchors: names of events; the time of the candidate is shifted so that the first, second... one of each name is
            at the same time in both.

    Raises:
        NotComparable: the sessions have no time in common, or no anchor.
        UnknownName: an anchor is no event of the sessions.
    """
    empty = next((one for one in (reference, candidate) if not one.clock.size), None)
    if empty is not None:
        raise NotComparable(f"{empty.label} has no frames")
    if not anchors and _has_same_frames(reference, candidate):
        return Timing("frame", _by_frame(reference), _by_frame(candidate))
    times, notes = candidate.clock.times, list[str]()
    if anchors:
        times, notes = _shifted(reference, candidate, anchors)
    is_uneven = any(map(_has_uneven_steps, (reference, candidate)))
    steps = _UNEVEN if is_uneven else 1
    sides = _by_time(reference, reference.clock.times, steps), _by_time(candidate, times, steps)
    if sides[0].at[-1] < sides[1].at[0] or sides[1].at[-1] < sides[0].at[0]:
        raise NotComparable(f"{reference.label} and {candidate.label} have no game time in common")
    within = max(float(np.median(side.around)) for side in sides)
    why = "" if anchors else "frames at other times: "
    notes.append(f"{why}compared by game time, within {within:.3g} s")
    if is_uneven:
        notes.append(
            "the steps are uneven: values may be 2 % of their range off, and one event in twenty may be missing"
        )
    return Timing("time", *sides, steps, tuple(anchors), tuple(notes))


def _has_uneven_steps(session: Session) -> bool:
    steps = np.diff(session.clock.times)
    if not len(steps):
        return False
    low, usual, high = np.quantile(steps, (0.1, 0.5, 0.9))
    return bool(high - low > _EVEN * usual)


def _has_same_frames(reference: Session, candidate: Session) -> bool:
    """Tell whether frames of equal number are mostly less than half a step apart."""
    _, one, other = np.intersect1d(reference.clock.frames, candidate.clock.frames, return_indices=True)
    if not len(one):
        return False
    apart = np.abs(reference.clock.times[one] - candidate.clock.times[other])
    return len(one) == 1 or bool(np.median(apart) <= usual_step(reference) / 2)


def usual_step(session: Session) -> float:
    """Return the usual step of a session, in seconds."""
    steps = np.diff(session.clock.times)
    return float(np.median(steps)) if len(steps) else 0.0


def _by_frame(session: Session) -> Positions:
    none = np.zeros(session.clock.size)
    return Positions(session, session.clock.frames.astype(np.float64), none, none, session.clock.times)


def _by_time(session: Session, times: Floats, many: int) -> Positions:
    steps = np.diff(session.clock.times)
    step = np.zeros(session.clock.size)
    if len(steps):
        step = np.maximum(np.append(steps, 0.0), np.append(0.0, steps))
        step = np.maximum(step, np.quantile(steps, _LONG))
    around = many * step + ROUNDING
    return Positions(session, times, around if many == 1 else _LATER * around, around, times)


def _shifted(reference: Session, candidate: Session, anchors: Sequence[str]) -> tuple[Floats, list[str]]:
    """Return the times of the candidate, shifted at each anchor, and what is to be said of it."""
    known = {name for session in (reference, candidate) for name in session.events.kinds}
    for name in anchors:
        if name not in known:
            raise UnknownName("event", name, known, "the sessions")
    pairs = sorted(pair for name in anchors for pair in _pairs(reference, candidate, name))
    if not pairs:
        raise NotComparable(f"{reference.label} and {candidate.label} have no {' or '.join(anchors)} in common")
    since, shifts = (np.array(column) for column in zip(*pairs, strict=True))
    last = np.searchsorted(since, candidate.clock.times, side="right") - 1
    shifted = candidate.clock.times + shifts[np.maximum(last, 0)]
    # what takes longer than in the reference ends at the next anchor, so that time never runs backwards
    due = np.append(since + shifts, np.inf)
    shifted = np.maximum.accumulate(np.minimum(shifted, due[last + 1]))
    longest = float(np.abs(shifts).max())
    words = f"aligned at {len(pairs)} of {' and '.join(anchors)}; the candidate is shifted by at most {longest:.3g} s"
    return shifted, [words]


def _pairs(reference: Session, candidate: Session, name: str) -> Iterator[tuple[float, float]]:
    """Yield for each anchor its time in the candidate, and by how much that is shifted."""
    mine, yours = (
        session.clock.times[session.events.clock_index[session.events.indices_of(name)]].tolist()
        for session in (reference, candidate)
    )
    for due, found in zip(mine, yours, strict=False):
        yield found, due - found
