"""What touches what, and checks of it."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from breadcrumb.algebra.along import marked, previous
from breadcrumb.algebra.arithmetic import Operand
from breadcrumb.algebra.durations import Duration, duration, frames, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.pairs import meets_one, near_pairs
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.movement.speeds import keeps_velocity
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, idle, judge_between, judge_flag, judge_near
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount, plus_minus


def touching(
    objects: Objects | Signal,
    others: Objects | Signal | Region,
    *,
    radius: float = 0.0,
    other_radius: float = 0.0,
    swept: bool = False,
) -> Spans:
    """Return when objects touch others: geometry, not a check.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group, positions, or a region that stands still.
        radius: the objects' radius, in the unit of the position; 0 for points.
        other_radius: the others' radius.
        swept: whether two that pass one another between two frames touch on the second one, for games that solve a
            contact inside the step; not for regions.

    Returns:
        Spans of the objects, each a stretch of frames on which it touches any of the others; `unknown` are those on
        which a position is missing, so that it may.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> touching(small_trace().one("skiff"), Circle((3, 0), 1.5)).first.tolist()
        [2]
    """
    position = position_of(objects)
    if not isinstance(others, Objects | Signal):
        close = position.depth_in(others) >= -radius
        return _named(close.spans(), objects, f"{others}")
    other = position_of(others)
    name = other.owner or other.name
    reach = radius + other_radius
    if other.track.one_at_a_time and not other.track.unseen and other.track.size:
        near = meets_one(position, other, swept=swept)
        flags = near.usable & (near.parts[0] <= reach + np.max(near.noise, initial=0.0))
    else:
        flags = np.zeros(position.track.size, np.bool_)
        flags[near_pairs(position, other, reach, swept=swept).mine] = True
    close = Signal(position.track, "touching", (flags,), _told(flags, position, other), owner=position.owner)
    return _named(close.spans(), objects, name)


def reports_every_touch(events: Moments, touches: Spans, *, tol: Duration | None = None, occasions: int = 1) -> Verdict:
    """Assert that contact events and geometry agree: no contact is missed, and none is invented.

    Args:
        events: the contacts that the game tells; their subject is the object that touches.
        touches: when they touch, from `touching`.
        tol: how far apart an event and its touch may be; one frame if left out.
        occasions: how many touches there must be at the least.

    Returns:
        A verdict on every touch and every event. Idle if there was neither; undecided is a touch that may have begun
        before the trace or on a frame without a position, and an event on such a frame. It is exact, so it has no
        margin.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> touches = touching(trace.one("skiff"), Circle((3, 0), 1.5))
        >>> reports_every_touch(trace.events("bell.rung"), touches).outcome
        'held'
    """
    tol = frames(1) if tol is None else duration(tol, "tol")
    clock = events.session.clock
    wide = touches.grown(tol)
    doubtful = touches.unknown.grown(tol) if touches.unknown is not None else touches.pick(np.zeros(0, np.int64))
    size = clock.size + 1
    _, last = window(tol).rows(clock, touches.first)
    axis = clock.frames if tol.unit == "frames" else clock.times
    first = np.searchsorted(axis, axis[touches.first] - tol.value - (0 if tol.unit == "frames" else 1e-6))
    keys = np.sort(events.life * size + events.row)
    own = touches.life * size
    told = np.searchsorted(keys, own + last, side="right") > np.searchsorted(keys, own + first)
    meant = wide.covers(events.life, events.row) & (events.life != NOBODY)
    open_touch = ~told & ((touches.first == 0) | doubtful.covers(touches.life, touches.first))
    open_event = ~meant & doubtful.covers(events.life, events.row)
    names = events.session.lives.name
    count = touches.count
    kept = np.flatnonzero(~np.r_[open_touch, open_event])

    def phrase(place: int) -> Phrase:
        if kept[place] < count:
            return Phrase("no event", f"one {events.label} at each touch", "touches, and nothing is said of it")
        return Phrase("no touch", f"{events.label} at a touch only", f"{events.label} without touching")

    case = Case(
        events.session, np.r_[touches.first, events.row][kept], np.r_[touches.life, events.life][kept],
        np.r_[names[touches.life] if count else touches.life, events.subject][kept],
        np.where(np.r_[told, meant], 0.0, -1.0)[kept], phrase, of="touches and events", exact=True,
        undecided=count + events.count - len(kept), unseen=events.unseen if not count else "", picture=Picture(),
    )  # fmt: skip
    one = touches.label.replace("every ", "any ")
    return case.verdict(f"{events.label} tells whenever {one}, and of nothing else", occasions)


def never_overlaps(
    objects: Objects | Signal,
    others: Objects | Signal,
    *,
    deeper_than: float = 0.0,
    radius: float = 0.0,
    other_radius: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that objects never overlap others by more than a depth.

    Args:
        objects: objects with a `position`, or a position signal.
        others: one object, a group (which may be the same), or positions.
        deeper_than: the deepest allowed overlap, in the unit of the position.
        radius: the objects' radius.
        other_radius: the others' radius.
        during: judge only inside these spans.
        except_during: judge only outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict on every sample of the objects. Idle if there is none. Its margin is the smallest distance between two
        surfaces plus `deeper_than`, as far as it is less than the sum of the radii.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"a": {"position": (0.0, 0.0)}, "b": {"position": (1.0, 0.0)}}]
        >>> kegs = make_trace(states, kinds={"a": "barrel", "b": "barrel"}).all("barrel")
        >>> never_overlaps(kegs, kegs, radius=0.6, other_radius=0.6).first.words
        '0.2 too low'
    """
    position, other = position_of(objects), position_of(others)
    reach = radius + other_radius
    pairs = near_pairs(position, other, 2 * reach)
    gap = np.full(position.track.size, reach)
    np.minimum.at(gap, pairs.mine, pairs.distance - reach)
    between = Signal(position.track, "gap", (gap,), position.valid, position.unit, None, position.owner, position.noise)
    depth = f" by more than {amount(deeper_than, position.unit)}" if deeper_than else ""
    sentence = f"{position.owner or position.name} never overlaps {other.owner or other.name}{depth}"
    scope = Scope(during, except_during, occasions)
    return judge_between(between, 0.0, None, sentence, tol=deeper_than, scope=scope, position=position)


def never_touches(
    objects: Objects | Signal,
    others: Objects | Signal | Region,
    *,
    radius: float = 0.0,
    other_radius: float = 0.0,
    swept: bool = False,
    occasions: int = 1,
) -> Verdict:
    """Assert that objects never touch others.

    Args are those of `touching`.

    Returns:
        A verdict on every sample of the objects. Idle if there is none. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> never_touches(small_trace().one("skiff"), Circle((3, 0), 1.5)).first.frame
        2
    """
    position = position_of(objects)
    spans = touching(objects, others, radius=radius, other_radius=other_radius, swept=swept)
    told = None if spans.unknown is None else ~spans.unknown.over(position.track)
    free = Signal(position.track, "free", (~spans.over(position.track),), told, owner=position.owner)
    sentence = spans.label.replace(" touches ", " never touches ")
    said = Phrase("touching", "apart", "touches")
    return judge_flag(free, sentence, said, scope=Scope(occasions=occasions), position=position)


def never_skips(
    objects: Objects | Signal,
    barrier: Sequence[Sequence[float]],
    *,
    except_at: Moments | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that no object passes through a barrier between two frames, however fast it is: no tunnelling.

    Each step is a straight line in plan, which must not cross the barrier.

    Args:
        objects: objects with a `position`, or a position signal.
        barrier: the points of a line in plan; a closed one ends where it begins.
        except_at: moments on whose frames their subject may jump.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.
        occasions: how many steps there must be at the least.

    Returns:
        A verdict on every step. Idle if there is none. It is exact, so it has no margin.

    Raises:
        Misuse: the barrier has fewer than two points.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_skips(small_trace().one("skiff"), [(1.5, -1), (1.5, 1)]).first.frame
        2
    """
    points = np.asarray(barrier, np.float64)
    if points.ndim != 2 or points.shape[1] != 2 or len(points) < 2:
        raise Misuse(f"never_skips: expected two or more points of two numbers, found {barrier!r}")
    position = position_of(objects)
    sentence = f"{position.owner or position.name} never passes through the barrier"
    if position.track.unseen:
        return idle(position, sentence)
    seen = position.plan
    before = previous(seen)
    crossed = np.zeros(len(seen), np.bool_)
    for a, b in pairwise(points):
        crossed |= _crosses(before.parts, seen.parts, a, b)
    stays = Signal(seen.track, "stays on its side", (~crossed,), before.usable & seen.usable, owner=position.owner)
    if except_at is not None:
        stays = stays.take(np.flatnonzero(~marked(stays.track, except_at)))
    scope = Scope(during, except_during, occasions, reach=1)
    said = Phrase("on the other side", "on this side", "passes through")
    return judge_flag(stays, sentence, said, scope=scope, position=position)


def passes_through(
    objects: Objects,
    others: Objects | Signal | Region,
    *,
    radius: float = 0.0,
    other_radius: float = 0.0,
    tol: float = 0.0,
    occasions: int = 1,
) -> Verdict:
    """Assert that objects are not disturbed by what they overlap: sensors, and pairs that ignore one another.

    It is `movement.keeps_velocity` while they touch, and on the frame before and after.

    Args:
        objects: objects with a `position`.
        others: what they may pass through.
        radius: the objects' radius.
        other_radius: the others' radius.
        tol: how far off the velocity may be, in its own unit.
        occasions: how many steps there must be at the least.

    Returns:
        A verdict on every step while they touch. Idle if they never do. Its margin is `tol` less the largest change.

    Example:
        >>> from breadcrumb.algebra.regions import Circle
        >>> from breadcrumb.testing import small_trace
        >>> passes_through(small_trace().one("skiff"), Circle((3, 0), 1.5)).outcome
        'held'
    """
    touches = touching(objects, others, radius=radius, other_radius=other_radius)
    kept = keeps_velocity(objects, tol=tol, during=touches.grown(frames(1)), occasions=occasions)
    if not touches.count:
        why = kept.why_idle or f"no {touches.label}"
        return Verdict("", "idle", kept.session, of=kept.of, why_idle=why).saying(_through(touches, tol, objects))
    return kept.saying(_through(touches, tol, objects))


def rests_on(
    objects: Objects | Signal,
    surface: Operand,
    *,
    below: float = 0.0,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that the lowest point of objects is on a surface: neither sunk in nor hovering.

    Args:
        objects: objects with a `position`, or a position signal.
        surface: the height of the surface along the up axis; a number, or a signal.
        below: how far the lowest point is below the position.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict on every sample. Idle if there is none. Its margin is `tol` less the largest distance.

    Raises:
        Misuse: `about` does not say which way is up.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> rests_on(small_trace().one("skiff"), 0.0).outcome
        'held'
    """
    position = position_of(objects)
    axes = position.track.session.axes
    up = next((axis for axis in "xyz" if axes.get(axis) in ("up", "down")), "")
    if not up and not position.track.unseen:
        raise Misuse("rests_on needs to know which way is up; record it as axes={'z': 'up'} or alike")
    height = getattr(position, up or "x")
    lowest = height + below if axes.get(up) == "down" else height - below
    sentence = f"{position.owner or position.name} rests on {surface}{plus_minus(tol, position.unit)}"
    return judge_near(lowest, surface, sentence, tol=tol, scope=Scope(during, except_during, occasions))


def _crosses(before: Sequence[Floats], now: Sequence[Floats], a: Floats, b: Floats) -> Bools:
    """Return which steps cross a line from one point to another: each pair of ends lies on both sides of the other."""
    (x0, y0), (x1, y1) = before, now
    side_a = (x1 - x0) * (a[1] - y0) - (y1 - y0) * (a[0] - x0)
    side_b = (x1 - x0) * (b[1] - y0) - (y1 - y0) * (b[0] - x0)
    side_0 = (b[0] - a[0]) * (y0 - a[1]) - (b[1] - a[1]) * (x0 - a[0])
    side_1 = (b[0] - a[0]) * (y1 - a[1]) - (b[1] - a[1]) * (x1 - a[0])
    return np.asarray((side_a * side_b <= 0) & (side_0 * side_1 <= 0) & (side_0 != side_1))


def _told(touches: Bools, position: Signal, other: Signal) -> Bools | None:
    """Return on which samples it is known whether it touches any of the others; None if on all."""
    if position.valid is None and other.valid is None:
        return None
    without = np.isin(position.track.row, other.track.row[~other.usable])
    return np.asarray(touches | position.usable & ~without)


def _named(spans: Spans, objects: Objects | Signal, others: str) -> Spans:
    position = position_of(objects)
    return replace(spans, label=f"{position.owner or position.name} touches {others}")


def _through(touches: Spans, tol: float, objects: Objects) -> str:
    unit = objects.signal("position").rate().unit if "position" in objects.properties else ""
    return touches.label.replace(" touches ", " passes undisturbed through ") + plus_minus(tol, unit)
