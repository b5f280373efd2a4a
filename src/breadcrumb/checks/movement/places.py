"""Checks of where things are."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from breadcrumb.algebra.along import first_of_life, marked
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.regions import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats, Ints
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import Scope, judge_between, judge_off
from breadcrumb.verdicts.excerpts import Picture, level
from breadcrumb.verdicts.judging import Case, Phrase, tolerance
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount, plus_minus


def stays_between(
    signal: Signal,
    low: float | None = None,
    high: float | None = None,
    *,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that every value of a number lies between two limits, which are allowed themselves.

    Args:
        signal: the number, such as `trolley.position.x`.
        low: the lowest allowed value, or None.
        high: the highest allowed value, or None.
        tol: how far outside is still allowed, in the unit of the value.
        during: judge only inside these spans.
        except_during: judge only outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict on every sample. Idle if there is none. Its margin is the smallest distance to a limit plus `tol`.

    Raises:
        Misuse: there is no limit.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> print(stays_between(small_trace().one("skiff").position.x, -1.0, 2.5).first.words)
        0.5 m too high
    """
    if low is None and high is None:
        raise Misuse("stays_between: expected a lowest or a highest value, found neither")
    limits = " and ".join(amount(limit, signal.unit) for limit in (low, high) if limit is not None)
    how = "between" if low is not None and high is not None else "above" if high is None else "below"
    sentence = f"{signal.title} stays {how} {limits}{plus_minus(tol, signal.unit)}"
    return judge_between(signal, low, high, sentence, tol=tol, scope=Scope(during, except_during, occasions))


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
    return _beside(objects, region, "inside", "outside", radius, tol, Scope(during, except_during, occasions))


def stays_outside(
    objects: Objects | Signal,
    region: Region,
    *,
    radius: float = 0.0,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that positions stay outside a region.

    Args and errors are those of `stays_inside`; with a radius, all of the body must be outside.

    Returns:
        A verdict on every sample. Idle if there is none. Its margin is the smallest distance of the body to the border
        plus `tol`, and negative inside.

    Example:
        >>> from breadcrumb.algebra.regions import Box
        >>> from breadcrumb.testing import small_trace
        >>> print(stays_outside(small_trace().one("skiff"), Box((2.5, -1), (9, 1))).first.words)
        0.5 m inside
    """
    return _beside(objects, region, "outside", "inside", radius, tol, Scope(during, except_during, occasions))


def stays_on_line(
    objects: Objects | Signal,
    *,
    along: Sequence[float] | Sequence[Sequence[float]],
    through: Sequence[float] | None = None,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert that objects move on a line only, or with two directions in a plane only.

    Args:
        objects: objects with a `position`, or a position signal.
        along: the direction of the line, of any length; or two directions of a plane.
        through: a point of the line; None for each life's first position.
        tol: how far off is still allowed, in the unit of the position.
        during: judge only inside these spans.
        except_during: judge only outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict on every sample. Idle if there is none. Its margin is `tol` less the largest distance to the line.

    Raises:
        Misuse: a direction has no length, or another number of parts than the position.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> stays_on_line(small_trace().one("skiff"), along=(1, 0, 0)).outcome
        'held'
    """
    position = position_of(objects)
    ways = np.atleast_2d(np.asarray(along, np.float64))
    parts = len(position.parts)
    if not position.track.unseen and (ways.shape[1] != parts or not np.linalg.norm(ways, axis=1).all()):
        raise Misuse(f"stays_on_line: expected directions of {parts} numbers that have a length, found {along}")
    seen = Scope(during, except_during).of(position)
    offset = seen - (first_of_life(seen) if through is None else through)
    if not position.track.unseen:
        basis, _ = np.linalg.qr(ways.T)
        vectors = np.stack(offset.parts)
        offset = replace(offset, parts=tuple(vectors - basis @ (basis.T @ vectors)))
    sentence = f"{position.title} stays on its {'line' if len(ways) == 1 else 'plane'}{plus_minus(tol, position.unit)}"
    away = replace(offset.norm(), name="distance from the line", unit=position.unit)
    return judge_off(away, tol, sentence, scope=Scope(occasions=occasions), position=seen)


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
    step = position.step()
    scope = Scope(during, except_during, reach=1)
    step = scope.of(step)
    if except_at is not None:
        step = step.take(np.flatnonzero(~marked(step.track, except_at)))
    length, unit = step.parts[0], position.unit

    def phrase(place: int) -> Phrase:
        words = f"jumps {amount(float(length[place]), unit)}"
        return Phrase(amount(float(length[place]), unit), f"at most {amount(farther_than, unit)} a frame", words)

    picture = Picture(step, high=level(farther_than), position=position)
    case = Case.of_samples(
        step, lambda block: farther_than - length[block], phrase, noise=lambda: step.noise, skipped=scope.skipped(step),
        allowed=farther_than, picture=picture,
    )  # fmt: skip
    exception = f" except at {except_at.label}" if except_at is not None else ""
    whose = position.owner or position.name
    return case.verdict(f"{whose} never jumps farther than {amount(farther_than, unit)} a frame{exception}", occasions)


def _beside(
    objects: Objects | Signal, region: Region, side: str, other: str, radius: float, tol: float, scope: Scope
) -> Verdict:
    """Judge on which side of a region's border positions are."""
    position = scope.of(position_of(objects))
    seen = position.in_region(region)
    sign = 1.0 if side == "inside" else -1.0
    tol = tolerance(tol, f"stays_{side}")
    unit = position.unit

    def depth_of(block: slice | Ints) -> Floats:
        if seen.track.unseen:
            return np.zeros(0)
        return sign * region.depth([part[block] for part in seen.parts]) - radius

    body = f" with a radius of {amount(radius, unit)}" if radius else ""

    def phrase(place: int) -> Phrase:
        where = ", ".join(f"{part[place]:.5g}" for part in seen.parts)
        words = f"{amount(-float(depth_of(np.array([place]))[0] + tol), unit)} {other}"
        return Phrase(f"({where}) {unit}".rstrip(), f"{side} {region}", words)

    picture = Picture(
        seen,
        level(-tol),
        position=position,
        region=region,
        belongs_inside=side == "inside",
        measure=depth_of,
        measured=f"distance {side}",
    )
    noise = seen.noise_at(slice(None))
    case = Case.of_samples(seen, lambda block: depth_of(block) + tol, phrase, noise=noise, picture=picture)
    return case.verdict(f"{seen.title} stays {side} {region}{body}{plus_minus(tol, unit)}", scope.occasions)
