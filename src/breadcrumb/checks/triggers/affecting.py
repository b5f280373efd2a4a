"""A check of whom moments affect."""

from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.along import last_known
from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.matching import matches
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.operations import same_values
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.tracks import Track
from breadcrumb.checks.declaration import Common, check
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Ints
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import number


@check("{moments} affects {signal} of its own subject only")
def affects_only(moments: Moments, signal: Signal, **common: Unpack[Common]) -> Verdict:
    """Assert that at moments only their own subject changes, and nobody else of the group.

    A change counts if it comes on the frame of a moment or on the one behind it, and it is not that of a moment of its
    own.

    Args:
        moments: the moments; their subject is who may change.
        signal: the value of all objects of the group that must not.

    Returns:
        A verdict on every moment, broken by the first change of another one. Untested if there is none; undecided on
        the last frame, at a gap, and where a value of another one is missing. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{name: {"warmth": warm} for name in ("heron", "tern")} for warm in (36.0, 37.0)]
        >>> trace = make_trace(states, kinds={"heron": "skiff", "tern": "skiff"}, events=[(1, "blanket.used", "heron")])
        >>> affects_only(trace.events("blanket.used"), trace.all("skiff").warmth).first.object
        'tern'
    """
    track, clock = signal.track, moments.session.clock
    before, known = signal.previous(), last_known(signal)
    own = _own(track, moments)
    differs = signal.usable & known.usable & ~same_values(signal, known) & ~own
    wrong = np.flatnonzero(differs & before.usable)
    wrong = wrong[np.argsort(track.clock_index[wrong], kind="stable")]
    lost = np.zeros(clock.size + 2, np.bool_)  # on which frames a change of another one may have been missed
    lost[track.clock_index[~own & (~signal.usable | (differs & ~before.usable))]] = True
    lost[moments.session.gaps] = lost[clock.size] = True
    changed = np.append(track.clock_index[wrong], clock.size + 1)
    first = np.searchsorted(changed, moments.clock_index)
    breaks = changed[first] <= moments.clock_index + 1
    kept = np.flatnonzero(breaks | ~(lost[moments.clock_index] | lost[moments.clock_index + 1]))
    told, breaks = moments.pick(kept), breaks[kept]
    at = np.append(wrong, 0)[first[kept]]  # of those that break, the sample that changed

    def phrase(index: int) -> Phrase:
        now, then = (one.take(at[index : index + 1]).values[0] for one in (signal, before))
        return Phrase(f"{_said(then)} to {_said(now)}", "no change", f"{signal.name} changes too")

    def where(column: Ints, usual: Ints) -> Ints:
        return np.where(breaks, column[at], usual) if track.size else usual

    evaluation = Evaluation(
        moments.session, where(track.clock_index, told.clock_index), where(track.lifetime, told.lifetime),
        where(track.name, told.subject), np.where(breaks, -1.0, 0.0), phrase, of="moments", exact=True,
        undecided=moments.count - told.count, unseen=moments.unseen,
        plot=PlotSource(signal if not signal.texts else None),
    )  # fmt: skip
    return evaluation.verdict()


def _said(value: Any) -> str:
    if isinstance(value, np.ndarray):
        return f"({', '.join(map(_said, value))})"
    return (
        number(float(value)) if is_number(value) else str(value).lower() if isinstance(value, np.bool_) else str(value)
    )


def _own(track: Track, moments: Moments) -> Bools:
    """Return which samples are those of a moment's own subject, on its frame or on the one behind.

    Raises:
        Misuse: the moments are of nobody.
    """
    kinds = {kind for origin in moments.participants.origins for kind in origin.kinds}
    if moments.count and not kinds:
        raise Misuse(f"affects_only: expected moments of objects, and {moments.label} are of nobody; name a subject")
    own = np.zeros(track.size, np.bool_)
    for match in matches(track, moments.participants) if kinds & set(track.kinds) else ():
        if not match.by_time:
            clock_index = moments.clock_index[match.right_rows]
            for later in (0, 1):
                indices = track.find(match.right, clock_index + later)
                own[indices[indices != NOBODY]] = True
    return own
