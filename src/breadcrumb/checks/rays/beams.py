"""Where beams end, and what is picked; and where rays first meet shapes."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal, TypeAlias, Unpack

import numpy as np

from breadcrumb.algebra.along import at_samples, last_known_indices
from breadcrumb.algebra.bodies import unknown_on
from breadcrumb.algebra.meeting import meet_tracks
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.near_bodies import near_bodies
from breadcrumb.algebra.operations import refuse_other_spaces
from breadcrumb.algebra.rays import FirstHit, ray_end
from breadcrumb.algebra.rays import first_hit as hit_of
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Number, Vector
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, of_objects
from breadcrumb.checks.lines import line_to, with_lines
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools
from breadcrumb.trace.bodies import body_of
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.comparing import Scope, judge_flag, judge_near
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase, tolerance
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import amount

Target: TypeAlias = Region | Objects | tuple[Signal, float]
"""What a ray may meet: a region that stands still, objects with their shape, or one object's position and a radius."""


def first_hit(origin: Vector, direction: Vector, shapes: Sequence[Target], *, at_most: float = np.inf) -> Number:
    """Return how far along its direction a ray first meets one of its targets.

    It is missing where the ray meets none, and where a target is there and its place or extent was not recorded.

    A ray that begins inside a target meets it at a distance of 0; the object that it is of is none.

    Args:
        origin: where each ray begins, a position of two or three parts.
        direction: where it points, a vector of any length, of the same objects.
        shapes: regions, objects with their own shapes, or positions of one object each with a radius.
        at_most: how far it goes at the most.

    Returns:
        A signal of distances on the track of the origin, in its unit.

    Raises:
        Misuse: a target has another number of dimensions than the origin, or is none.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> bow = boat.position.plan
        >>> first_hit(bow, bow * 0.0 + (1.0, 0.0), [Circle((5, 0), 1.0)]).values.tolist()
        [4.0, 3.0, 2.0, 1.0]
    """
    hit: Number = _hits(origin, direction, shapes, at_most).distance  # type: ignore[assignment]
    return hit


def _hits(origin: Vector, direction: Vector, shapes: Sequence[Target], at_most: float) -> FirstHit:
    bodies = [body_of(one) if isinstance(one, Objects) else one for one in shapes]
    return hit_of(origin, direction, bodies, at_most=at_most)


@check("{signal:title} is where its ray first meets a shape, or {otherwise:end}[, within {at_most}]", per_lifetime=True)
def ends_where_it_hits(
    signal: Vector,
    shapes: Sequence[Target],
    *,
    origin: Vector,
    direction: Vector,
    otherwise: float | Literal["hold", "nothing"],
    at_most: float | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a beam ends where its ray first meets a shape, and what becomes of its end where it meets none.

    Args:
        signal: where it ends, in the world; bring one that is in its owner's space there with `to_world`.
        shapes: what it may meet, as for `first_hit`.
        origin: where it begins.
        direction: where it points, a vector of any length.
        otherwise: how long it is where it meets nothing, and at the most; `"hold"` if its end then stays where it last
            was; `"nothing"` if it then has no end, so that the value is missing.
        at_most: how far the ray reaches, if `otherwise` is no length.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none; missing are those on whose frame the ray, or what it may
        meet, was not recorded; undecided is what is held before anything was met. Its margin is `tol` less the largest
        distance.

    Raises:
        Misuse: `otherwise` is no length from 0 up and no such word, or `at_most` is given beside a length.

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
    is_length = not isinstance(otherwise, str)
    is_known = (at_most is None and float(otherwise) >= 0) if is_length else otherwise in ("hold", "nothing")
    if not is_known:
        raise Misuse(
            "ends_where_it_hits: expected otherwise= as a length, without at_most=, or as 'hold' or 'nothing'; "
            f"found {otherwise!r}"
        )
    reach = otherwise if is_length else np.inf if at_most is None else at_most
    hit, known = _hits(origin, direction, shapes, float(reach))
    due = ray_end(origin, direction, hit, float(otherwise) if is_length else 0.0)
    scope = Scope(during, except_during)
    if hit.track.unseen:
        return with_lines(judge_near(signal, due, tol=tol, scope=scope), line_to(origin, due))
    due = replace(due, valid=known)
    if otherwise == "nothing":
        met = replace(hit.with_values(hit.usable, "met"), valid=known)
        return with_lines(_judge_only_hits(signal, due, met, tol, scope), line_to(origin, due))
    if not is_length:
        due = _held(due, hit, known)
    return with_lines(judge_near(signal, due, tol=tol, scope=scope), line_to(origin, due))


def _held(end: Signal, hit: Signal, cast: Bools) -> Signal:
    """Return the ends of rays, where one meets nothing the last that was.

    It is missing before the first one of a lifetime, and where a ray that is not known, or a gap, may have met another.
    """
    track, here = end.track, np.arange(len(end))
    met, lost = (replace(end, valid=which) for which in (end.usable & hit.usable, ~cast))
    own = np.where(met.usable, here, last_known_indices(met))
    unknown = np.where(lost.usable, here, last_known_indices(lost))
    torn = track.session.is_torn(track.clock_index[own], track.clock_index)
    return at_samples(met, np.where((own >= unknown) & ~torn, own, NOBODY), end.name)


def _judge_only_hits(signal: Vector, due: Signal, meets: Signal, tol: float, scope: Scope) -> Verdict:
    """Judge that a beam has an end where its ray meets something, the right one, and none where it meets nothing."""
    known, met = meet_tracks(signal.known, meets)
    same = replace(known, parts=(known.parts[0] == met.parts[0],), valid=met.valid, condition=None)

    def said(index: int) -> Phrase:
        if met.parts[0][index]:
            return Phrase("missing", "where its ray meets a shape", f"{signal.name} is missing")
        return Phrase("a place", "missing", f"{signal.name} is there, and its ray meets nothing")

    there = judge_flag(same, said, scope=scope).with_sentence("it is there only where its ray meets a shape")
    there_too = replace(due, valid=due.usable & meets.usable & meets.parts[0].astype(np.bool_))
    near = judge_near(signal, there_too, tol=tol, scope=scope).with_sentence("it is where its ray first meets a shape")
    return all_of(near, there)


@check("{moments} picks the nearest {objects:kind} within {at_most}{radius:bodies}", unit=of_objects)
def picks_nearest(
    moments: Moments,
    objects: Objects,
    *,
    origin: Objects,
    at_most: float,
    radius: float | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that what is picked is the nearest object in range, and never the one who picks.

    The distance is that from the position of who picks to the surface of an object that has a shape.

    Args:
        moments: the picks: `by` is who picks, `on` what is picked, or nobody.
        objects: what may be picked, with a `position`.
        origin: who picks, with a `position`.
        at_most: the range.
        radius: the objects' radius, in place of the shapes that they have; 0 for the distance to their positions.

    Returns:
        A verdict on every pick. Untested if there is none; undecided where the one who picks, or the place of one that
        may be picked, was not sampled. Its margin is how much nearer the picked one is than the next.

    Raises:
        Misuse: a length is below 0.

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
    at_most = tolerance(at_most, "picks_nearest: at_most")
    picker, bodies = body_of(origin, 0.0), body_of(objects, radius)
    if picker.dimensions != bodies.dimensions and not (picker.place.track.unseen or bodies.place.track.unseen):
        picker, bodies = picker.in_plan, bodies.in_plan
    position, others = picker.place, bodies.place
    refuse_other_spaces(f"{position.title} and {others.title}", position, others)
    session = moments.session
    picks = moments.with_subject("by")
    here = position.track.find(picks.lifetime, picks.clock_index)
    unknown = unknown_on(others.track, others.usable)
    kept = np.flatnonzero((here != NOBODY) & ~unknown[moments.clock_index])
    pairs = near_bodies(picker, bodies, at_most)
    order = np.lexsort((pairs.distance, pairs.mine))
    mine, yours, distance = pairs.mine[order], pairs.yours[order], pairs.distance[order]
    begin = np.searchsorted(mine, here[kept])
    end = np.searchsorted(mine, here[kept], side="right")
    names = np.hstack((others.track.name[yours], NOBODY, NOBODY))
    far = np.hstack((distance, at_most, at_most))
    nothing = len(yours)
    nearest, second = np.where(begin < end, begin, nothing), np.where(begin + 1 < end, begin + 1, nothing)
    right = names[nearest] == moments.on[kept]
    with np.errstate(invalid="ignore"):
        lead = np.where(far[second] == far[nearest], 0.0, far[second] - far[nearest])  # of a range without end as well
    margin = np.where(right, lead, -np.maximum(lead, 1e-9))
    nowhere = np.isin(moments.clock_index[kept], others.track.clock_index[others.usable & ~bodies.finite])
    nowhere |= ~picker.finite[here[kept]] if len(position) else False
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
