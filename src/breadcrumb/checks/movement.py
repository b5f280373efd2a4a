"""Checks of where things are and how they move."""

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.session import Floats
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase, forgive_noise, tolerance, within_scope
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount


def stays_inside(
    objects: Objects | Signal,
    region: Region,
    *,
    radius: float = 0.0,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that positions stay inside a region.

    Args:
        objects: objects with a `position`, or a position signal.
        region: a `Box`, `Circle` or `Polygon`; one in plan judges positions of three parts in plan view.
        radius: the body's radius, all of which must be inside, in the unit of the position.
        tol: how far outside is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict on every sample. Idle if there is none. Its margin is the smallest distance of the body to the border
        plus `tol`, and negative outside.

    Raises:
        Misuse: the region has more dimensions than the position.

    Example:
        >>> from breadcrumb.algebra.regions import Box
        >>> from breadcrumb.testing import small_trace
        >>> print(stays_inside(small_trace().one("skiff"), Box((-1, -1), (2.5, 1))).first.words)
        0.5 m outside
    """
    position = within_scope(position_of(objects), during, except_during)
    seen = position.plan if region.dimensions == 2 else position
    depth = position.depth_in(region).parts[0] - radius
    slack = forgive_noise(depth + tolerance(tol, "stays_inside"), position.noise)
    unit = position.unit
    body = f" with a radius of {amount(radius, unit)}" if radius else ""

    def phrase(place: int) -> Phrase:
        where = ", ".join(f"{part[place]:.5g}" for part in seen.parts)
        return Phrase(f"({where}) {unit}".rstrip(), f"inside {region}", f"{amount(-float(slack[place]), unit)} outside")

    judged = Signal(seen.track, "distance inside", (depth,), seen.valid, unit, None, seen.owner, position.noise)
    picture = Picture(judged, low=np.full(len(depth), -tol), position=position, region=region)
    case = Case.of_samples(judged, slack, phrase, picture=picture)
    return case.verdict(f"{seen.title} stays inside {region}{body}{_plus_minus(tol, unit)}", occasions)


def keeps_speed(
    objects: Objects | Signal,
    speed: float | None = None,
    *,
    tol: float = 0.0,
    rel_tol: float = 0.0,
    velocity: Signal | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that the speed is a given one, or that each life keeps the speed it first has.

    Args:
        objects: objects with a `position`, or a position signal; the speed is the mean one over each step.
        speed: the speed, in units of the position per second; None for each life's first one.
        tol: how far off is still allowed, in the unit of the speed.
        rel_tol: what may be added to that, as a share of the speed.
        velocity: a recorded velocity to judge instead.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.
        occasions: how many steps there must be at the least.

    Returns:
        A verdict on every sample but each life's first one. Idle if there is none. Its margin is `tol` less the largest
        deviation, and there is none if no deviation is allowed at all.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> keeps_speed(small_trace().one("skiff"), 10.0).outcome
        'held'
    """
    moving = velocity if velocity is not None else position_of(objects).rate()
    position = position_of(objects) if velocity is None or isinstance(objects, Objects) else None
    measured = within_scope(moving.norm(), during, except_during, reach=0 if velocity is not None else 1)
    values = measured.parts[0]
    expected = _first_of_each_life(measured) if speed is None else np.full(len(values), float(speed))
    allowed = tolerance(tol, "keeps_speed") + tolerance(rel_tol, "keeps_speed") * np.abs(expected)
    slack = forgive_noise(allowed - np.abs(values - expected), np.asarray(measured.noise) * (2 if speed is None else 1))
    unit = moving.unit

    def phrase(place: int) -> Phrase:
        off = float(values[place] - expected[place])
        words = f"{amount(abs(off), unit)} too {'fast' if off > 0 else 'slow'}"
        return Phrase(amount(float(values[place]), unit), amount(float(expected[place]), unit), words)

    judged = Signal(measured.track, "speed", (values,), measured.valid, unit, None, moving.owner, measured.noise)
    case = Case.of_samples(
        judged,
        slack,
        phrase,
        exact=not (tol or rel_tol),
        allowed=float(allowed.max(initial=0.0)) or None,
        picture=Picture(judged, expected - allowed, expected + allowed, position),
    )
    what = "the speed it first has" if speed is None else f"a speed of {amount(speed, unit)}"
    whose = f"{moving.owner} keeps" if moving.owner else f"{moving.name} keeps"
    return case.verdict(f"{whose} {what}{_plus_minus(tol, unit)}", occasions)


def never_jumps(
    objects: Objects | Signal,
    farther_than: float,
    *,
    except_at: Moments | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that no object moves farther than a distance from one sample to the next.

    Args:
        objects: objects with a `position`, or a position signal.
        farther_than: the longest allowed step, in the unit of the position.
        except_at: moments on whose frames their subject may jump.
        during: judge only inside these spans; a step belongs to them if both its ends do.
        except_during: judge only outside these spans.
        occasions: how many steps there must be at the least.

    Returns:
        A verdict on every step within a life. Idle if there is none. Its margin is the allowed distance less the
        longest step.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_jumps(small_trace().one("skiff"), farther_than=1.5).margin.value
        0.5
    """
    position = position_of(objects)
    track = position.track
    parts = []
    for part in position.parts:
        change = np.zeros(track.size)
        np.subtract(part[1:], part[:-1], out=change[1:])
        parts.append(change)
    usable = position.usable & ~track.first_of_life
    usable[1:] &= position.usable[:-1]
    length = np.sqrt(sum(part * part for part in parts))
    step = Signal(track, "step", (length,), usable, position.unit, None, position.owner, position.noise * 2)
    step = within_scope(step, during, except_during, reach=1)
    if except_at is not None:
        step = step.take(np.flatnonzero(~except_at.flags_on(step.track.life, step.track.row)))
    length = step.parts[0]
    slack = forgive_noise(farther_than - length, step.noise)
    unit = position.unit

    def phrase(place: int) -> Phrase:
        words = f"jumps {amount(float(length[place]), unit)}"
        return Phrase(amount(float(length[place]), unit), f"at most {amount(farther_than, unit)} a frame", words)

    picture = Picture(step, high=np.full(len(length), farther_than), position=position)
    case = Case.of_samples(step, slack, phrase, allowed=farther_than, picture=picture)
    exception = f" except at {except_at.label}" if except_at is not None else ""
    whose = position.owner or position.name
    return case.verdict(f"{whose} never jumps farther than {amount(farther_than, unit)} a frame{exception}", occasions)


def _plus_minus(tol: float, unit: str) -> str:
    return f" (+- {amount(tol, unit)})" if tol else ""


def _first_of_each_life(signal: Signal) -> Floats:
    """Return, for each sample, the first value of its life."""
    places = np.flatnonzero(signal.usable)
    lives, first = np.unique(signal.track.life[places], return_index=True)
    if not len(lives):
        return np.zeros(len(signal))
    at = np.minimum(np.searchsorted(lives, signal.track.life), len(lives) - 1)
    return np.asarray(signal.parts[0][places[first]][at])
