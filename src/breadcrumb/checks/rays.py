"""Checks of rays: where a beam ends, and what is picked; and `first_hit`, which says where a ray meets shapes."""

from collections.abc import Sequence
from typing import Unpack

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.pairs import near_pairs
from breadcrumb.algebra.rays import Shape, first_hit, ray_end
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Vector
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, of_objects
from breadcrumb.model.session import NOBODY, Bools
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount

__all__ = ["ends_where_it_hits", "first_hit", "picks_nearest"]


@check("{signal:title} is where its ray first meets a shape, or after {otherwise}")
def ends_where_it_hits(
    signal: Vector,
    shapes: Sequence[Shape],
    *,
    origin: Vector,
    direction: Vector,
    otherwise: float,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a beam ends where its ray first meets a shape, or after a default length where it meets none.

    Args:
        signal: where it ends, in the world; bring one that is in its owner's space there with `to_world`.
        shapes: what it may meet, as for `first_hit`.
        origin: where it begins.
        direction: where it points, a vector of any length.
        otherwise: how long it is where it meets nothing, and at the most.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. Its margin is `tol` less the largest distance.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> start = small_trace().one("skiff").position.plan
        >>> east = start * 0.0 + (1.0, 0.0)
        >>> ends_where_it_hits(
        ...     start * 0.0 + (4.0, 0.0), [Circle((5, 0), 1.0)], origin=start, direction=east, otherwise=46.0
        ... ).outcome
        'held'
    """
    hit = first_hit(origin, direction, shapes, at_most=otherwise)
    due = ray_end(origin, direction, hit, otherwise)
    scope = Scope(during, except_during)
    return judge_near(signal, due, tol=tol, scope=scope)


@check("{moments} picks the nearest {objects:kind} within {at_most}", unit=of_objects)
def picks_nearest(
    moments: Moments, objects: Objects, *, origin: Objects, at_most: float, **common: Unpack[Common]
) -> Verdict:
    """Assert that what is picked is the nearest object in range, and never the one who picks.

    Args:
        moments: the picks: `by` is who picks, `on` what is picked, or nobody.
        objects: what may be picked, with a `position`.
        origin: who picks, with a `position`.
        at_most: the range.

    Returns:
        A verdict on every pick. Untested if there is none; undecided where the one who picks, or the place of one that
        may be picked, was not sampled. Its margin is how much nearer the picked one is than the next.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"heron": {"position": (0.0, 0.0)}, "a": {"position": (1.0, 0.0)}, "b": {"position": (2.0, 0.0)}}]
        >>> kinds = {"heron": "skiff", "a": "crate", "b": "crate"}
        >>> trace = make_trace(states, kinds=kinds, events=[(0, "torch.found", "heron", "b")])
        >>> picks_nearest(
        ...     trace.events("torch.found"), trace.all("crate"), origin=trace.one("skiff"), at_most=8.0
        ... ).first.allowed
        'a, at 1'
    """
    position, others = origin.signal("position"), objects.signal("position")
    session = moments.session
    picks = moments.with_subject("by")
    here = position.track.find(picks.lifetime, picks.clock_index)
    unknown = others.track.clock_index[~others.usable]
    kept = np.flatnonzero((here != NOBODY) & ~np.isin(moments.clock_index, unknown))
    pairs = near_pairs(position, others, at_most)
    order = np.lexsort((pairs.distance, pairs.mine))
    mine, yours, distance = pairs.mine[order], pairs.yours[order], pairs.distance[order]
    begin = np.searchsorted(mine, here[kept])
    end = np.searchsorted(mine, here[kept], side="right")
    names = np.hstack((others.track.name[yours], NOBODY, NOBODY))
    far = np.hstack((distance, at_most, at_most))
    nothing = len(yours)
    nearest, second = np.where(begin < end, begin, nothing), np.where(begin + 1 < end, begin + 1, nothing)
    right = names[nearest] == moments.on[kept]
    margin = np.where(right, far[second] - far[nearest], -np.maximum(far[second] - far[nearest], 1e-9))
    nowhere = np.isin(moments.clock_index[kept], others.track.clock_index[_not_finite(others)])
    nowhere |= _not_finite(position)[here[kept]] if len(position) else False
    margin[nowhere] = np.nan  # nearest to what is nowhere tells nothing

    def phrase(index: int) -> Phrase:
        if nowhere[index]:
            return Phrase("a position that is no number", "positions of numbers", "nothing says what is nearest")
        on, due = int(moments.on[kept[index]]), int(names[nearest[index]])
        found = "nothing" if on == NOBODY else session.names[on]
        wanted = (
            "nothing"
            if due == NOBODY
            else f"{session.names[due]}, at {amount(float(far[nearest[index]]), position.unit)}"
        )
        return Phrase(found, wanted, f"{found} is picked")

    judged = picks.pick(kept)
    evaluation = Evaluation(
        session, judged.clock_index, judged.lifetime, judged.subject, margin, phrase, of="picks", unit=position.unit,
        undecided=moments.count - len(kept), unseen=moments.unseen, plot=PlotSource(position=position),
    )  # fmt: skip
    return evaluation.verdict()


def _not_finite(position: Signal) -> Bools:
    """Return on which samples a position was recorded that is no number."""
    finite = np.logical_and.reduce([np.isfinite(part) for part in position.parts])
    return np.asarray(position.usable & ~finite)
