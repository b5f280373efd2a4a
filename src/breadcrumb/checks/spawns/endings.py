"""Checks of how lives end, and of what is left of them."""

import numpy as np

from breadcrumb.algebra.durations import Duration, Window, duration, elapsed, frames, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.triggers.events import only_after
from breadcrumb.checks.triggers.pairing import leads_to
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Ints, Session
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict, all_of
from breadcrumb.verdicts.words import amount


def leaves_when(
    objects: Objects,
    when: Moments | Region,
    within: Duration | tuple[Duration, Duration],
    *,
    match: str = "subject",
    tol: Duration | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that objects are gone in time after moments, and not without; or in time once they are outside a region.

    Args:
        objects: what leaves.
        when: the moments, whose subject is the object; or a region that it is gone outside of.
        within: how soon, a duration or a pair (earliest, latest); for a region a duration.
        match: as for `leads_to`.
        tol: widens both ends.
        occasions: how many moments, or stays outside, there must be at the least.

    Returns:
        A verdict on every moment and every leaving, or on every stay outside. Idle if there is none. Its margin is the
        smallest time to the end of the window.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> keg = {"keg": {"x": 0.0}}
        >>> trace = make_trace([{}, keg, keg, {}], kinds={"keg": "barrel"}, events=[(2, "barrel.sunk", "keg")])
        >>> leaves_when(trace.all("barrel"), trace.events("barrel.sunk"), within=frames(1)).outcome
        'held'
    """
    if isinstance(when, Moments):
        gone = leads_to(when, objects.leaves, within, match=match, tol=tol, occasions=occasions)
        caused = only_after(objects.leaves, when, within, match=match, tol=tol)
        both = gone if caused.outcome == "idle" else all_of(gone, caused)
        return both.saying(f"{objects.called} leaves {window(within, tol)} of {when.label}, and only then")
    if isinstance(within, tuple):
        raise Misuse("leaves_when: expected one duration beside a region, found a pair")
    return _gone_outside(objects, when, Window(frames(0), duration(within, "within"), tol), occasions)


def _gone_outside(objects: Objects, region: Region, due: Window, occasions: int) -> Verdict:
    position = objects.signal("position")
    outside = (position.depth_in(region) < 0).spans()
    session, clock = position.track.session, position.track.session.clock
    unit = due.latest.unit
    end = np.minimum(outside.last, clock.size - 1)
    stayed = elapsed(clock, outside.first, end, unit)
    still = (session.lives.leave[outside.life] == NOBODY) & (session.lives.last[outside.life] == outside.last)
    allowed = due.latest.value + (due.tol.value if due.tol is not None and due.tol.unit == unit else 0.0)
    kept = np.flatnonzero(~still | (stayed > allowed))
    slack = np.where(stayed <= allowed + 1e-6, np.maximum(allowed - stayed, 0.0), allowed - stayed)[kept]

    def phrase(place: int) -> Phrase:
        measured = f"{amount(float(stayed[kept[place]]), unit)} outside"
        return Phrase(measured, f"gone within {due.latest}", "still there")

    names = session.lives.name[outside.life] if outside.count else outside.life
    case = Case(
        session, end[kept], outside.life[kept], names[kept], slack, phrase, of="stays outside", unit=unit,
        allowed=allowed or None, undecided=outside.count - len(kept), unseen=position.track.unseen,
        picture=Picture(position=position if not position.track.unseen else None, region=region),
    )  # fmt: skip
    return case.verdict(f"{objects.called} is gone within {due.latest} outside {region}", occasions)


def count_stays(
    objects: Objects,
    *,
    at_most: int | None = None,
    at_least: int | None = None,
    during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert how many objects are there at a time: no leak, and no drought.

    Args:
        objects: what is counted.
        at_most: the highest number, or None.
        at_least: the lowest number, or None.
        during: judge only inside these spans of nobody in particular.
        occasions: how many frames there must be at the least.

    Returns:
        A verdict on every frame. Idle if there is none, or on a kind that was neither seen nor declared. Its margin is
        how many more, or fewer, would have been allowed.

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
    row = np.arange(session.clock.size)
    count = _alive(objects, session)
    if during is not None:
        row = row[during.covers(np.full(len(row), NOBODY), row)]
    above = count[row] - at_least if at_least is not None else np.full(len(row), np.inf)
    below = at_most - count[row] if at_most is not None else np.full(len(row), np.inf)
    slack = np.minimum(above, below).astype(np.float64)
    limits = [f"at least {at_least}"] if at_least is not None else []
    limits += [f"at most {at_most}"] if at_most is not None else []
    exact = at_least == at_most
    limits = [f"exactly {at_most}"] if exact else limits

    def phrase(place: int) -> Phrase:
        return Phrase(
            f"{count[row[place]]}",
            " and ".join(limits),
            f"{-int(slack[place])} too {'many' if below[place] < 0 else 'few'}",
        )

    # of a known kind, none is a number like any other
    known = objects.kind in (*session.kinds, *session.declared_kinds)
    row = row if known else row[:0]
    nobody = np.full(len(row), NOBODY)
    case = Case(
        session, row, nobody, nobody, slack[: len(row)], phrase, of="frames", runs=True, unseen=appears.unseen,
        allowed=float(at_most if at_most is not None else at_least or 0) or None, exact=exact,
        picture=Picture(lives=objects.life_spans),
    )  # fmt: skip
    return case.verdict(f"there are {' and '.join(limits)} of {objects.kind} at a time", occasions)


def silent_once_gone(objects: Objects, *, occasions: int = 1) -> Verdict:
    """Assert that no event is by or on an object that has left; on the frame on which it leaves, one may be.

    Args:
        objects: the objects; each id is silent from the frame after it left until it appears again.
        occasions: how many lives that ended there must be at the least.

    Returns:
        A verdict on every life that ended, broken by each event of one that was gone. Idle if none ended. It is exact,
        so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> keg = {"keg": {"x": 0.0}}
        >>> trace = make_trace([keg, {}, {}], kinds={"keg": "barrel"}, events=[(2, "contact", "keg")])
        >>> silent_once_gone(trace.all("barrel")).first.frame
        2
    """
    leaves = objects.leaves
    session = leaves.session
    events, lives = session.events, session.lives
    size = session.clock.size + 1
    begin = np.where(lives.first == NOBODY, lives.appear, lives.first)
    mine = np.flatnonzero(
        np.isin(lives.name, np.unique(lives.name[objects.life_spans.life]) if lives.size else lives.name)
    )
    order = mine[np.argsort(lives.name[mine] * size + begin[mine], kind="stable")]
    keys = (lives.name * size + begin)[order]
    wrong, said = [], []
    for who in (events.by, events.on):
        at = np.searchsorted(keys, who * size + events.row, side="right") - 1
        life = order[np.maximum(at, 0)] if len(order) else np.full(len(who), 0)
        gone = (at >= 0) & (who != NOBODY)
        gone &= (
            (lives.name[life] == who) & (lives.leave[life] != NOBODY) & (events.row > lives.leave[life])
            if len(order)
            else False
        )
        wrong.append(np.flatnonzero(gone))
        said.append(life[gone])
    places, of_life = np.concatenate(wrong), np.concatenate(said)
    when = lives.leave[of_life] if len(of_life) else of_life

    def phrase(place: int) -> Phrase:
        name = events.kinds[events.kind[places[place]]]
        frame = session.clock.frames[when[place]]
        return Phrase(name, "silence", f"{name}, though gone since frame {frame}")

    case = Case(
        session, np.r_[events.row[places], leaves.row], np.r_[of_life, leaves.life],
        np.r_[lives.name[of_life] if len(of_life) else of_life, leaves.subject],
        np.r_[np.full(len(places), -1.0), np.zeros(leaves.count)], phrase, of="lives", exact=True, unseen=leaves.unseen,
        picture=Picture(lives=objects.life_spans),
    )  # fmt: skip
    whom = objects.called.replace("every ", "any ", 1)
    return case.verdict(f"no event of {whom} once it is gone", occasions)


def dies_with(parts: Objects, owner: Objects, *, within: Duration | None = None, occasions: int = 1) -> Verdict:
    """Assert that what belongs to an owner is gone when the owner is.

    Args:
        parts: what belongs to it: objects whose `parent` is an owner, or any if there is one owner only.
        owner: the owners.
        within: how much later they may go; None for the same frame.
        occasions: how many parts must be left when their owner goes.

    Returns:
        A verdict on every part that was there when its owner left. Idle if there is none; undecided is one that may go
        after the trace's end. Its margin is the smallest time that was left.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> both = {"keg": {"x": 0.0}, "splash": {"x": 0.0}}
        >>> trace = make_trace([both, both, {}], kinds={"keg": "barrel", "splash": "sound"})
        >>> dies_with(trace.all("sound"), trace.all("barrel")).outcome
        'held'
    """
    due = Window(frames(0), duration(within, "within"), None) if within is not None else Window(frames(0), frames(0))
    late = f", or {due} after it" if within is not None else ""
    return _outlasts(parts, owner, due, f"{parts.called} is gone with its {owner.kind}{late}", occasions)


def outlives(
    parts: Objects,
    owner: Objects,
    by: Duration | tuple[Duration, Duration],
    *,
    tol: Duration | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert for how long what belongs to an owner goes on when the owner is gone, as a sound may.

    Args:
        parts: what belongs to it: objects whose `parent` is an owner, or any if there is one owner only.
        owner: the owners.
        by: how much later it is gone, a duration or a pair (shortest, longest).
        tol: widens both ends.
        occasions: how many parts must be left when their owner goes.

    Returns:
        A verdict on every part that was there on the frame before its owner left. Idle if there is none; undecided is
        one that may go after the trace's end. Its margin is the smallest time to a limit, and none for an exact
        duration.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> both = {"keg": {"x": 0.0}, "splash": {"x": 0.0}}
        >>> trace = make_trace([both, {"splash": {"x": 0.0}}, {}], kinds={"keg": "barrel", "splash": "sound"})
        >>> outlives(trace.all("sound"), trace.all("barrel"), frames(1)).outcome
        'held'
    """
    pair = by if isinstance(by, tuple) else (by, by)
    due = Window(duration(pair[0], "by"), duration(pair[1], "by"), tol)
    return _outlasts(parts, owner, due, f"{parts.called} outlives its {owner.kind} by {due}", occasions)


def _outlasts(parts: Objects, owner: Objects, due: Window, sentence: str, occasions: int) -> Verdict:
    """Judge when parts leave, counted from the frame on which their owner left."""
    spans, owners = parts.life_spans, owner.leaves
    session, clock = spans.session, spans.session.clock
    lives = session.lives
    life, left = _owner_left(spans, owners, len(owner.ids) == 1, session)
    there = (left != NOBODY) & (np.where(lives.leave[life] == NOBODY, clock.size, lives.leave[life]) >= left)
    life, left = life[there], left[there]
    first, last = due.rows(clock, left)
    gone = lives.leave[life]
    decided = (gone != NOBODY) | (last < clock.size - 1)
    end = np.where(gone == NOBODY, clock.size - 1, gone)
    unit = due.latest.unit
    took = elapsed(clock, left, end, unit)
    in_time = (gone != NOBODY) & (end >= first) & (end <= last)
    room = np.minimum(due.latest.value - took, took - due.earliest.value if due.earliest.value else np.inf)
    slack = np.where(in_time, np.maximum(room, 0.0), -np.maximum(np.abs(room), 1e-6))
    kept = np.flatnonzero(decided)

    def phrase(place: int) -> Phrase:
        at = kept[place]
        words = "gone too soon" if end[at] < first[at] else "there too long"
        measured = amount(float(took[at]), unit) + ("" if gone[at] != NOBODY else " and still there")
        return Phrase(measured, str(due), words)

    case = Case(
        session, end[kept], life[kept], lives.name[life[kept]] if len(kept) else kept, slack[kept], phrase, of="parts",
        unit=unit, exact=due.exact, allowed=due.latest.value - due.earliest.value or None,
        undecided=len(life) - len(kept), unseen=parts.appears.unseen or owner.appears.unseen,
        picture=Picture(lives=spans),
    )  # fmt: skip
    return case.verdict(sentence, occasions)


def _owner_left(spans: Spans, owners: Moments, only_one: bool, session: Session) -> tuple[Ints, Ints]:
    """Return the lives of parts, and the row on which the owner of each left during it or behind, or NOBODY."""
    lives = session.lives
    life = spans.life
    parent = lives.parent[life] if len(life) else life
    if only_one and owners.count:
        parent = np.where(parent == NOBODY, owners.subject[0], parent)
    size = session.clock.size + 1
    order = np.argsort(owners.subject * size + owners.row, kind="stable")
    keys = (owners.subject * size + owners.row)[order]
    at = np.searchsorted(keys, parent * size + spans.first)
    found = order[np.minimum(at, max(len(order) - 1, 0))] if len(order) else np.zeros(len(life), np.int64)
    there = (at < len(order)) & (parent != NOBODY)
    left = owners.row[found] if len(order) else np.full(len(life), NOBODY)
    same = owners.subject[found] == parent if len(order) else there
    return life, np.where(there & same, left, NOBODY)


def _alive(objects: Objects, session: Session) -> Ints:
    """Return how many of the objects are there on each row of the clock."""
    lives, size = session.lives, session.clock.size
    mine = objects.life_spans.life
    begin = np.where(lives.appear[mine] == NOBODY, lives.first[mine], lives.appear[mine]) if len(mine) else mine
    end = lives.leave[mine] if len(mine) else mine
    change = (
        np.bincount(begin, minlength=size + 1)[: size + 1]
        - np.bincount(end[end != NOBODY], minlength=size + 1)[: size + 1]
    )
    return np.cumsum(change)[:size]
