"""Checks of rays: where a beam ends, and what is picked; and `first_hit`, which says where a ray meets shapes."""

from collections.abc import Sequence

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.pairs import near_pairs
from breadcrumb.algebra.rays import Shape, first_hit, ray_end
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.session import NOBODY
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.comparing import Scope, judge_near
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount, plus_minus

__all__ = ["ends_where_it_hits", "first_hit", "picks_nearest"]


def ends_where_it_hits(
    end: Signal,
    origin: Signal,
    direction: Signal,
    shapes: Sequence[Shape],
    *,
    otherwise: float,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that a beam ends where its ray first meets a shape, or after a default length where it meets none.

    Args:
        end: where it ends, in the world; bring one that is in its owner's space there with `to_world`.
        origin: where it begins.
        direction: where it points, a vector of any length.
        shapes: what it may meet, as for `first_hit`.
        otherwise: how long it is where it meets nothing, and at the most.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict on every sample. Idle if there is none. Its margin is `tol` less the largest distance.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> place = small_trace().one("skiff").position.plan
        >>> east = place * 0.0 + (1.0, 0.0)
        >>> ends_where_it_hits(place * 0.0 + (4.0, 0.0), place, east, [Circle((5, 0), 1.0)], otherwise=46.0).outcome
        'held'
    """
    hit = first_hit(origin, direction, shapes, longest=otherwise)
    due = ray_end(origin, direction, hit, otherwise)
    sentence = f"{end.title} is where its ray first meets something, or after {amount(otherwise, origin.unit)}"
    scope = Scope(during, except_during, occasions)
    return judge_near(end, due, sentence + plus_minus(tol, end.unit), tol=tol, scope=scope)


def picks_nearest(picked: Moments, caster: Objects, objects: Objects, *, longest: float, occasions: int = 1) -> Verdict:
    """Assert that what is picked is the nearest object in range, and never the one who picks.

    Args:
        picked: the picks: `by` is who picks, `on` what is picked, or nobody.
        caster: who picks, with a `position`.
        objects: what may be picked, with a `position`.
        longest: the range.
        occasions: how many picks there must be at the least.

    Returns:
        A verdict on every pick. Idle if there is none; undecided where the one who picks was not sampled. Its margin is
        how much nearer the picked one is than the next.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"heron": {"position": (0.0, 0.0)}, "a": {"position": (1.0, 0.0)}, "b": {"position": (2.0, 0.0)}}]
        >>> kinds = {"heron": "skiff", "a": "crate", "b": "crate"}
        >>> trace = make_trace(states, kinds=kinds, events=[(0, "torch.found", "heron", "b")])
        >>> picks_nearest(
        ...     trace.events("torch.found"), trace.one("skiff"), trace.all("crate"), longest=8.0
        ... ).first.allowed
        'a, at 1'
    """
    position, others = caster.signal("position"), objects.signal("position")
    session = picked.session
    picks = picked.about("by")
    here = position.track.find(picks.life, picks.row)
    kept = np.flatnonzero(here != NOBODY)
    pairs = near_pairs(position, others, longest)
    order = np.lexsort((pairs.distance, pairs.mine))
    mine, yours, distance = pairs.mine[order], pairs.yours[order], pairs.distance[order]
    begin = np.searchsorted(mine, here[kept])
    end = np.searchsorted(mine, here[kept], side="right")
    names = np.r_[others.track.name[yours], NOBODY, NOBODY]
    far = np.r_[distance, longest, longest]
    nothing = len(yours)
    nearest, second = np.where(begin < end, begin, nothing), np.where(begin + 1 < end, begin + 1, nothing)
    right = names[nearest] == picked.on[kept]
    slack = np.where(right, far[second] - far[nearest], -np.maximum(far[second] - far[nearest], 1e-9))

    def phrase(place: int) -> Phrase:
        on, due = int(picked.on[kept[place]]), int(names[nearest[place]])
        found = "nothing" if on == NOBODY else session.names[on]
        wanted = (
            "nothing"
            if due == NOBODY
            else f"{session.names[due]}, at {amount(float(far[nearest[place]]), position.unit)}"
        )
        return Phrase(found, wanted, f"{found} is picked")

    judged = picks.pick(kept)
    case = Case(
        session, judged.row, judged.life, judged.subject, slack, phrase, of="picks", unit=position.unit,
        undecided=picked.count - len(kept), unseen=picked.unseen, picture=Picture(position=position),
    )  # fmt: skip
    return case.verdict(
        f"{picked.label} picks the nearest {objects.kind} within {amount(longest, position.unit)}", occasions
    )
