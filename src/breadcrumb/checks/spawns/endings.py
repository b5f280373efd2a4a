"""Checks of how lifetimes end, and of what is left of them."""

from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.durations import (
    SAME_TIME,
    Duration,
    Window,
    Within,
    duration,
    elapsed,
    frames,
    length_window,
    window,
)
from breadcrumb.algebra.in_regions import gaps_to, seen_with
from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.sorts import Flag
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, demand
from breadcrumb.checks.exclusively import exclusively
from breadcrumb.checks.scoping import frames_asked_about
from breadcrumb.checks.triggers.events import only_after
from breadcrumb.checks.triggers.pairing import leads_to
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints, Session
from breadcrumb.trace.bodies import body_of
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


@check("{objects} leaves {within:window} of {when:outside}[only?{when:only_then}]{when:bodies}", passes_on=True)
def leaves_when(
    objects: Objects,
    when: Moments | Region,
    *,
    within: Within,
    match: str = "subject",
    only: bool = True,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects are gone in time after moments, and not without; or in time once they are outside a region.

    Args:
        objects: what leaves.
        when: the moments, whose subject is the object; or a region that it is gone outside of, with all of its shape.
        within: how soon, a duration or a pair (earliest, latest); for a region a duration.
        match: as for `leads_to`.
        only: whether leaving without one of the moments is a breach; beside a region it says nothing.
        time_tol: widens both ends.

    Returns:
        A verdict on every moment and every leaving, or on every stay outside. Untested if there is none. Its margin is
        the smallest time to the end of the window.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> keg = {"keg": {"x": 0.0}}
        >>> trace = make_trace([{}, keg, keg, {}], kinds={"keg": "barrel"}, events=[(2, "barrel.sunk", "keg")])
        >>> leaves_when(trace.all("barrel"), trace.events("barrel.sunk"), within=frames(1)).outcome
        'held'
    """
    if isinstance(when, Moments):
        gone = leads_to(when, objects.leaves, within=within, match=match, time_tol=time_tol, **common)
        if not only:
            return gone
        caused = only_after(objects.leaves, when, within=within, match=match, time_tol=time_tol)
        return exclusively(gone, caused, f"it leaves only after {when.label}")
    if isinstance(within, tuple):
        raise Misuse("leaves_when: expected one duration beside a region, found a pair")
    return demand(_gone_outside(objects, when, window(within, time_tol)), objects, **common)


def _gone_outside(objects: Objects, region: Region, due: Window) -> Verdict:
    bodies = seen_with(body_of(objects), region)
    position: Any = bodies.position
    outside = (position.depth_in(region) < 0).spans()
    if objects.shape is not None and not position.track.unseen:
        beyond = gaps_to(bodies, region, slice(None)) > 0
        outside = Flag(position.track, "outside", (beyond,), bodies.known, owner=position.owner).spans()
    session, clock = position.track.session, position.track.session.clock
    unit = due.latest.unit
    gone = session.lifetimes.leave[outside.lifetime]
    ends = session.lifetimes.last[outside.lifetime] == outside.last
    end = np.where(ends & (gone != NOBODY), gone, np.minimum(outside.last + 1, clock.size - 1))
    still = (outside.last + 1 >= clock.size) | np.isin(end, session.gaps)
    end = np.where(still, outside.last, end)
    stayed = elapsed(clock, outside.first, end, unit)
    allowed = due.latest.value + (due.tol.value if due.tol is not None and due.tol.unit == unit else 0.0)
    kept = np.flatnonzero(~still | (stayed > allowed))
    margin = np.where(stayed <= allowed + 1e-6, np.maximum(allowed - stayed, 0.0), allowed - stayed)[kept]

    def phrase(index: int) -> Phrase:
        outside_for = amount(float(stayed[kept[index]]), unit)
        return Phrase(f"{outside_for} outside", f"gone within {due.latest}", f"still there after {outside_for} outside")

    names = session.lifetimes.name[outside.lifetime] if outside.count else outside.lifetime
    evaluation = Evaluation(
        session, end[kept], outside.lifetime[kept], names[kept], margin, phrase, of="stays outside", unit=unit,
        allowed=allowed or None, undecided=outside.count - len(kept), unseen=position.track.unseen,
        plot=PlotSource(position=position if not position.track.unseen else None, region=region),
    )  # fmt: skip
    return evaluation.verdict()


@check(
    "the number of {objects:kind} objects is "
    "[at least {at_least:count} and at most {at_most:count}|[at least {at_least:count}|at most {at_most:count}]]"
)
def count_stays(
    objects: Objects,
    *,
    at_least: int | None = None,
    at_most: int | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert how many objects are there at a time: at least a number, and at most another one.

    Args:
        objects: what is counted.
        at_least: the lowest number, or None.
        at_most: the highest number, or None.
        during: judge only the frames in any of these spans.
        except_during: judge only the frames in none of these spans.

    Returns:
        A verdict on every frame. Untested if there is none, or on a kind that was neither seen nor declared. Its margin
        is how many more, or fewer, would have been allowed.

    Raises:
        Misuse: there is no limit.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> count_stays(small_trace().all("skiff"), at_most=2).margin.value
        1.0
    """
    if at_most is None and at_least is None:
        raise Misuse("count_stays: expected a highest or a lowest number, found neither")
    appears = objects.appears
    session = appears.session
    clock_index = frames_asked_about(session, during, except_during)
    count = _alive(objects, session)
    above = count[clock_index] - at_least if at_least is not None else np.full(len(clock_index), np.inf)
    below = at_most - count[clock_index] if at_most is not None else np.full(len(clock_index), np.inf)
    margin = np.minimum(above, below).astype(np.float64)
    limits = [f"at least {at_least}"] if at_least is not None else []
    limits += [f"at most {at_most}"] if at_most is not None else []
    exact = at_least == at_most
    limits = [f"exactly {at_most}"] if exact else limits

    def phrase(index: int) -> Phrase:
        return Phrase(
            f"{count[clock_index[index]]}",
            " and ".join(limits),
            f"{-int(margin[index])} too {'many' if below[index] < 0 else 'few'}",
        )

    # of a known kind, none is a number like any other
    known = objects.kind in (*session.kinds, *session.declared_kinds)
    clock_index = clock_index if known else clock_index[:0]
    nobody = np.full(len(clock_index), NOBODY)
    evaluation = Evaluation(
        session, clock_index, nobody, nobody, margin[: len(clock_index)], phrase, of="frames", runs=True,
        unseen=appears.unseen,
        allowed=float(at_most if at_most is not None else at_least or 0) or None, exact=exact,
        plot=PlotSource(lifetimes=objects.lifetimes),
    )  # fmt: skip
    return evaluation.verdict()


@check("no event is by or on {objects:any} once it is gone", whole=True)
def silent_once_gone(objects: Objects, **common: Unpack[Common]) -> Verdict:
    """Assert that no event is by or on an object that has left; on the frame on which it leaves, one may be.

    Args:
        objects: the objects; each id is silent from the frame after it left until it appears again.

    Returns:
        A verdict on every lifetime that ended, broken by the first event of one that was gone. Untested if none ended.
        It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> keg = {"keg": {"x": 0.0}}
        >>> trace = make_trace([keg, {}, {}], kinds={"keg": "barrel"}, events=[(2, "contact", "keg")])
        >>> silent_once_gone(trace.all("barrel")).first.frame
        2
    """
    session = objects.appears.session
    events, lifetimes = session.events, session.lifetimes
    begin = np.where(lifetimes.first == NOBODY, lifetimes.appear, lifetimes.first)
    names = lifetimes.name[objects.lifetimes.lifetime]
    mine = np.flatnonzero(np.isin(lifetimes.name, names))
    begins = Index.of(session, lifetimes.name[mine], begin[mine])
    found = np.full(lifetimes.size, events.clock_index.size)  # the first event of each that was gone
    for who in (events.by, events.on):
        lifetime = np.append(mine, NOBODY)[begins.last_until(who, events.clock_index)]
        leave = np.append(lifetimes.leave, NOBODY)[lifetime]
        gone = np.flatnonzero((lifetime != NOBODY) & (leave != NOBODY) & (events.clock_index > leave))
        np.minimum.at(found, lifetime[gone], gone)
    ended = mine[lifetimes.leave[mine] != NOBODY]
    wrong = found[ended] < events.clock_index.size
    when = lifetimes.leave[ended].copy()
    when[wrong] = events.clock_index[found[ended[wrong]]]

    def phrase(index: int) -> Phrase:
        name = events.kinds[events.kind[found[ended[index]]]]
        frame = session.clock.frames[lifetimes.leave[ended[index]]]
        return Phrase(name, "no event", f"{name} although it left on frame {frame}")

    evaluation = Evaluation(
        session, when, ended, lifetimes.name[ended], np.where(wrong, -1.0, 0.0), phrase, of="lifetimes", exact=True,
        unseen=objects.appears.unseen, plot=PlotSource(lifetimes=objects.lifetimes),
    )  # fmt: skip
    return evaluation.verdict()


@check("{objects} is gone with its {owner:kind}[, or within {within} after it]")
def dies_with(objects: Objects, owner: Objects, *, within: Duration | None = None, **common: Unpack[Common]) -> Verdict:
    """Assert that what belongs to an owner is gone when the owner is.

    Args:
        objects: what belongs to it: objects whose `parent` is an owner, or any if there is one owner only.
        owner: the owners.
        within: how much later they may go; None for the same frame.

    Returns:
        A verdict on every part that was there when its owner left, or appeared on that frame. Untested if there is
        none; undecided is one that may go after the trace's end, or in a gap. What stays too long is dated on the last
        frame by which it had to be gone. Its margin is the smallest time that was left.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> both = {"keg": {"x": 0.0}, "splash": {"x": 0.0}}
        >>> trace = make_trace([both, both, {}], kinds={"keg": "barrel", "splash": "sound"})
        >>> dies_with(trace.all("sound"), trace.all("barrel")).outcome
        'held'
    """
    due = Window(frames(0), duration(within, "within"), None) if within is not None else Window(frames(0), frames(0))
    return _outlasts(objects, owner, due)


@check("{objects} outlives its {owner:kind} by {delay}")
def outlives(
    objects: Objects,
    owner: Objects,
    *,
    delay: Within,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert for how long what belongs to an owner goes on when the owner is gone, as a sound may.

    Args:
        objects: what belongs to it: objects whose `parent` is an owner, or any if there is one owner only.
        owner: the owners.
        delay: how much later it is gone, a duration or a pair (shortest, longest).
        time_tol: widens both ends.

    Returns:
        A verdict on every part that was there when its owner left, or appeared on that frame. Untested if there is
        none; undecided is one that may go after the trace's end, or in a gap. What stays too long is dated on the last
        frame by which it had to be gone. Its margin is the smallest time to a limit, and none for an exact duration.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> both = {"keg": {"x": 0.0}, "splash": {"x": 0.0}}
        >>> trace = make_trace([both, {"splash": {"x": 0.0}}, {}], kinds={"keg": "barrel", "splash": "sound"})
        >>> outlives(trace.all("sound"), trace.all("barrel"), delay=frames(1)).outcome
        'held'
    """
    return _outlasts(objects, owner, length_window(delay, "outlives", time_tol))


def _outlasts(parts: Objects, owner: Objects, due: Window) -> Verdict:
    """Judge when parts leave, counted from the frame on which their owner left."""
    spans, owners = parts.lifetimes, owner.leaves
    session, clock = spans.session, spans.session.clock
    lifetimes = session.lifetimes
    lifetime, left = _owner_left(spans, owners, len(owner.ids) == 1, session)
    there = (left != NOBODY) & (
        np.where(lifetimes.leave[lifetime] == NOBODY, clock.size, lifetimes.leave[lifetime]) >= left
    )
    lifetime, left = lifetime[there], left[there]
    first, last = due.clock_indices(clock, left)
    gone = session.seen_to_leave[lifetime]
    too_long = np.where(lifetimes.leave[lifetime] == NOBODY, clock.size, lifetimes.leave[lifetime]) > last
    in_gap = (lifetimes.leave[lifetime] != NOBODY) & (gone == NOBODY)
    seen_for = elapsed(clock, left, np.maximum(lifetimes.last[lifetime], left), due.latest.unit)
    too_long &= ~in_gap | (seen_for >= due.longest - SAME_TIME)
    decided = (gone != NOBODY) | too_long
    end = np.where(gone == NOBODY, clock.size - 1, gone)
    unit = due.latest.unit
    took = elapsed(clock, left, end, unit)
    in_time = (gone != NOBODY) & (end >= first) & ~too_long
    spare = np.minimum(due.latest.value - took, took - due.earliest.value if due.earliest.value else np.inf)
    margin = np.where(in_time, np.maximum(spare, 0.0), -np.maximum(np.abs(spare), 1e-6))
    kept = np.flatnonzero(decided)

    def phrase(index: int) -> Phrase:
        at = kept[index]
        stayed = amount(float(took[at]), unit) + ("" if gone[at] != NOBODY else " so far")
        early = due.earliest.value - float(took[at])
        off, way = (early, "short") if early > 0 else (float(took[at]) - due.latest.value, "long")
        return Phrase(stayed, str(due), f"stayed {amount(off, unit)} too {way} after its {owner.key.kind}")

    when = np.where(too_long, np.minimum(np.maximum(last, left), clock.size - 1), end)
    evaluation = Evaluation(
        session, when[kept], lifetime[kept], lifetimes.name[lifetime[kept]] if len(kept) else kept, margin[kept],
        phrase, of="parts",
        unit=unit, exact=due.exact, allowed=due.latest.value - due.earliest.value or None,
        undecided=len(lifetime) - len(kept), unseen=parts.appears.unseen or owner.appears.unseen,
        plot=PlotSource(lifetimes=spans),
    )  # fmt: skip
    return evaluation.verdict()


def _owner_left(spans: Spans, owners: Moments, only_one: bool, session: Session) -> tuple[Ints, Ints]:
    """Return the lifetimes of parts, and the clock index on which each one's owner left, or NOBODY."""
    lifetimes = session.lifetimes
    lifetime = spans.lifetime
    parent = lifetimes.parent[lifetime] if len(lifetime) else lifetime
    if only_one and owners.count:
        parent = np.where(parent == NOBODY, owners.subject[0], parent)
    found = Index.of(session, owners.subject, owners.clock_index).first_from(parent, spans.first)
    return lifetime, np.where(found == NOBODY, NOBODY, np.append(owners.clock_index, NOBODY)[found])


def _alive(objects: Objects, session: Session) -> Ints:
    """Return how many of the objects are there on each clock index."""
    lifetimes, size = session.lifetimes, session.clock.size
    mine = objects.lifetimes.lifetime
    begin = (
        np.where(lifetimes.appear[mine] == NOBODY, lifetimes.first[mine], lifetimes.appear[mine]) if len(mine) else mine
    )
    end = lifetimes.leave[mine] if len(mine) else mine
    change = (
        np.bincount(begin, minlength=size + 1)[: size + 1]
        - np.bincount(end[end != NOBODY], minlength=size + 1)[: size + 1]
    )
    return np.cumsum(change)[:size]
