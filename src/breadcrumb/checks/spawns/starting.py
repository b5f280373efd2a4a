"""Checks of how one beginning stands to another: how far apart they are, and whether they are alike."""

from collections.abc import Collection
from dataclasses import replace
from typing import Unpack

import numpy as np

from breadcrumb.algebra.signals import Signal
from breadcrumb.checks.declaration import Common, check, demand, of_objects, without_unit
from breadcrumb.errors import Misuse, UnknownName
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.comparing import judge_near, told_of
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of
from breadcrumb.verdicts.words import amount


@check(
    "{objects} appears [at least {at_least} and at most {at_most}|[at least {at_least}|at most {at_most}]] "
    "from the one before",
    unit=of_objects,
)
def appears_apart(
    objects: Objects,
    at_least: float | None = None,
    *,
    at_most: float | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert how far apart successive objects appear: each from the place of the one that appeared before it.

    Args:
        objects: what appears, with a `position`.
        at_least: the smallest distance, centre to centre, or None.
        at_most: the largest one, or None.

    Returns:
        A verdict on every appearance but the first. Untested if there was only one; undecided where a position is
        missing, or a gap may hide one in between. Its margin is the smallest distance to a limit.

    Raises:
        Misuse: there is no limit.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> puffs = [{}, {"a": {"position": (0.0, 0.0)}}, {"b": {"position": (1.0, 0.0)}}]
        >>> trace = make_trace(puffs, kinds={"a": "puff", "b": "puff"})
        >>> appears_apart(trace.all("puff"), 1.5).first.words
        '0.5 too near'
    """
    if at_least is None and at_most is None:
        raise Misuse("appears_apart: expected at_least=, at_most= or both, found neither")
    appears = objects.appears
    place = position_of(objects).at(appears)
    session, unit = appears.session, place.unit
    if place.track.unseen or appears.count < 2:
        why = place.track.unseen or appears.unseen or f"{appears.count} of 2 appearances"
        return Verdict(UNNAMED, Outcome.UNTESTED, session.label, of="appearances", why_untested=why)
    away = np.sqrt(sum((part[1:] - part[:-1]) ** 2 for part in place.parts))
    known = place.usable[1:] & place.usable[:-1]
    known &= ~session.is_torn(appears.clock_index[:-1], appears.clock_index[1:])
    above = away - at_least if at_least is not None else np.full(len(away), np.inf)
    below = at_most - away if at_most is not None else np.full(len(away), np.inf)
    later, margin = appears.pick(np.flatnonzero(known) + 1), np.minimum(above, below)[known]
    kept = np.flatnonzero(known)

    def phrase(index: int) -> Phrase:
        limits = [f"{word} {amount(float(limit), unit)}" for word, limit in limited if limit is not None]
        way = "near" if above[kept[index]] < below[kept[index]] else "far"
        said = f"{amount(-float(margin[index]), unit)} too {way}"
        return Phrase(f"{amount(float(away[kept[index]]), unit)} from the one before", " and ".join(limits), said)

    limited = (("at least", at_least), ("at most", at_most))
    evaluation = Evaluation(
        session, later.clock_index, later.lifetime, later.subject, margin, phrase, of="appearances", unit=unit,
        allowed=at_least or at_most, undecided=len(away) - len(kept), plot=PlotSource(position=position_of(objects)),
    )  # fmt: skip
    return evaluation.verdict()


@check("{objects} always appears alike[, but for {except_for:names}]", unit=without_unit, passes_on=True, whole=True)
def appears_alike(
    objects: Objects,
    *,
    except_for: Collection[str] = (),
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects begin each lifetime with the same values, all properties but some: nothing is left over.

    The first lifetime that was seen to begin is what the others are compared with, property by property.

    Args:
        objects: what appears.
        except_for: the properties that may differ, such as `"position"`.
        tol: how far off numbers may be, each in its own unit.

    Returns:
        A verdict on every property of every later lifetime that was seen to begin. Untested if there was only one. Its
        margin is the smallest one of any property.

    Raises:
        UnknownName: a property that may differ is none.
        Misuse: all of them may differ.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{}, {"puff": {"size": 0.2}}, {"puff": {"size": 0.9}}, {}, {"puff": {"size": 0.9}}]
        >>> puffs = make_trace(states, kinds={"puff": "puff"}).all("puff")
        >>> verdict = appears_alike(puffs)
        >>> verdict.first.frame, verdict.first.words
        (4, 'its size is 0.7 too high')
    """
    properties = objects.properties
    for name in except_for:
        if properties and name not in properties:
            raise UnknownName("property", name, properties, objects.called)
    judged = [name for name in properties if name not in except_for]
    appears = objects.appears
    if properties and not judged:
        raise Misuse(f"appears_alike: all properties of {objects.called} may differ; leave one out of except_for=")
    if appears.count < 2 or not judged:
        why = appears.unseen or f"{appears.count} of 2 appearances"
        return Verdict(UNNAMED, Outcome.UNTESTED, appears.session.label, of="appearances", why_untested=why)
    found = {name: objects.signal(name).at(appears) for name in judged}
    several = {name: one for name, one in found.items() if np.count_nonzero(one.usable) > 1}
    if not several:
        why = "no property has a value on two appearances"
        return Verdict(UNNAMED, Outcome.UNTESTED, appears.session.label, of="moments", why_untested=why)
    parts = (_alike(name, one, tol).with_sentence(f"its {name} is that of the first") for name, one in several.items())
    return all_of(*(demand(one, objects, **common) for one in parts))


def _alike(name: str, found: Signal, tol: float) -> Verdict:
    """Judge that a property has on each appearance the value that it had on the first one with a value."""
    first = int(np.flatnonzero(found.usable)[0])
    later = found.take(np.delete(np.arange(len(found)), first))
    due: Signal = replace(found.take(np.full(len(later), first)), track=later.track)
    return told_of(name, judge_near(later, due, tol=tol))
