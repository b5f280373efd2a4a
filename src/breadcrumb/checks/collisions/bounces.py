"""Checks of what happens when things touch."""

from collections.abc import Mapping
from typing import NamedTuple, Unpack

import numpy as np

from breadcrumb.algebra.durations import frames
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.sorts import Number, Vector
from breadcrumb.checks.collisions.barriers import surfaces_of
from breadcrumb.checks.collisions.reflecting import (
    Corner,
    nearest_reflection,
    told_normals,
    told_restitutions,
    walls_of,
)
from breadcrumb.checks.declaration import Common, check, of_rate
from breadcrumb.checks.kinds import Position
from breadcrumb.checks.movement.arrivals import of_these
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools, Floats, Ints
from breadcrumb.trace.bodies import bodies_of
from breadcrumb.trace.objects import Objects, position_of
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.judging import Evaluation, Phrase, forgive_noise, tolerance
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import amount, number


@check(
    "{objects:who} bounces[ off {off:name}] at {at}[ with a restitution of {restitution:shares}]"
    "[ and a friction of {friction:share}]",
    unit=of_rate,
)
def bounces(
    objects: Position,
    *,
    at: Moments,
    off: Objects | None = None,
    restitution: float | Mapping[str, float] = 1.0,
    friction: float = 0.0,
    normal_key: str = "normal",
    zone_key: str = "zone",
    velocity: Vector | Number | None = None,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that objects bounce: the part of the velocity along the normal turns round, the rest stays.

    The velocity before a moment on frame n is that over the last step ending at n - 1, the one after it that over the
    first step starting at n. With a recorded `velocity` its values on frames n - 1 and n are compared. Contacts of one
    object that share these steps are one bounce, and those with one normal count once. Off two walls, as in a corner,
    it may bounce off one after the other in either order, off both at once, or off one alone if that leaves both; and
    off one, the other and the first again, if the contacts are told in this order.

    Args:
        objects: objects with a `position`, or a position signal.
        at: the contacts; their subject is the object that bounces.
        off: what it bounces off, with the shapes that both have; it may move and turn. Then the normal is that of the
            surfaces on the contact's frame, and the velocity is that against the surface.
        restitution: the share of the normal part of the velocity that is kept; 0 if it stops there. Where zones of a
            surface differ, that of each by its name, such as `{"rim": 0.4, "face": 1.0}`.
        friction: the coefficient of friction, which slows down the rest; infinity if it sticks.
        normal_key: the entry of their data that holds the normal of what was hit, of any length and either sense.
        zone_key: the entry of their data that names the zone that was hit, if `restitution` has several.
        velocity: a recorded velocity to judge instead.
        tol: how far the velocity after the bounce may be off, in its own unit.

    Returns:
        A verdict on every bounce. Untested if there was none; undecided where the steps around it were not recorded, or
        `tol` is so wide that going on as before would be right as well.
        Its margin is `tol` less the largest deviation, and there is none if no deviation is allowed at all.

    Raises:
        Misuse: a contact has no normal, or one with another number of parts than the velocity; or nothing says which of
            several objects a contact is with.
        UnknownName: a contact is with a zone that `restitution` does not have.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"keg": {"position": (x, 0.0)}} for x in (0.0, 1.0, 2.0, 1.0, 0.0)]
        >>> trace = make_trace(
        ...     states, kinds={"keg": "barrel"}, events=[(2, "contact", "keg", None, {"normal": [-1, 0]})]
        ... )
        >>> bounces(trace.one("barrel"), at=trace.events("contact")).outcome
        'held'
    """
    moving = velocity if velocity is not None else position_of(objects).rate(stored=False)
    contacts = of_these(at, moving)
    if not contacts.count:
        why = at.unseen or moving.track.unseen or f"no {at.label} of {moving.owner or moving.name} to judge"
        return Verdict(UNNAMED, Outcome.UNTESTED, at.session.label, of="bounces", why_untested=why)
    bounce = _fold(contacts, 0 if velocity is not None else 1)
    first, last = contacts.pick(bounce.first), contacts.pick(bounce.last)
    before = moving.before(first, frames(1))
    after = moving.at(last) if velocity is not None else moving.after(last, frames(1))
    found = np.stack(after.parts, axis=1)
    kept_share = told_restitutions(contacts, restitution, zone_key)
    corner, known = _walls(contacts, bounce, _Surface(objects, off, normal_key), kept_share, found.shape[1])
    expected = nearest_reflection(np.stack(before.parts, axis=1), found, corner, friction)
    noise = np.asarray(before.noise) + np.asarray(after.noise)
    away = np.linalg.norm(found - expected, axis=1)
    # where going on as before would be near enough as well, being near enough tests nothing
    telling = ~(np.linalg.norm(np.stack(before.parts, axis=1) - expected, axis=1) <= tol) | ~(away <= tol)
    decided = before.usable & after.usable & telling & known
    margin = forgive_noise(tolerance(tol) - away, noise * len(moving.parts))[decided]
    kept = np.flatnonzero(decided)

    def phrase(index: int) -> Phrase:
        at_index = kept[index]
        return Phrase(
            _vector(found[at_index], moving.unit),
            _vector(expected[at_index], moving.unit),
            f"its velocity is {amount(float(away[at_index]), moving.unit)} off",
        )

    judged = first.pick(kept)
    evaluation = Evaluation(
        at.session, judged.clock_index, judged.lifetime, judged.subject, margin, phrase, of="bounces", unit=moving.unit,
        exact=not tol, allowed=tol or None, undecided=first.count - len(kept),
        plot=PlotSource(moving.norm(stored=False), position=position_of(objects)),
    )  # fmt: skip
    return evaluation.verdict()


class _Bounces(NamedTuple):
    """Contacts folded into bounces; `which` gives the bounce of each contact, `first` and `last` those of a bounce."""

    which: Ints
    first: Ints
    last: Ints


class _Surface(NamedTuple):
    """Who bounces off what: off objects, or off what has the normal that contacts tell."""

    objects: Position
    off: Objects | None
    normal_key: str


def _walls(
    contacts: Moments, bounce: _Bounces, surface: _Surface, restitution: Floats, parts: int
) -> tuple[Corner, Bools]:
    """Return the walls that contacts are with, and of which bounces they are known."""
    known = np.ones(len(bounce.first), np.bool_)
    if surface.off is None:
        normals, still = told_normals(contacts, surface.normal_key, parts), np.zeros((contacts.count, parts))
        return walls_of(contacts, bounce.which, normals, still, restitution), known
    surfaces = surfaces_of(contacts, *bodies_of(surface.objects, surface.off, None))
    if surfaces.normal.shape[1] != parts:
        raise Misuse(f"bounces: velocities have {parts} parts, and the bodies are seen with another number")
    known[bounce.which[~surfaces.known]] = False
    return walls_of(contacts, bounce.which, surfaces.normal, surfaces.velocity, restitution), known


def _fold(contacts: Moments, reach: int) -> _Bounces:
    """Fold contacts of one lifetime that are at most `reach` clock indices apart."""
    order = np.lexsort((np.arange(contacts.count), contacts.clock_index, contacts.lifetime, contacts.subject))
    clock_index, lifetime, subject = contacts.clock_index[order], contacts.lifetime[order], contacts.subject[order]
    begins: Bools = np.ones(contacts.count, np.bool_)
    begins[1:] = (np.diff(clock_index) > reach) | (np.diff(lifetime) != 0) | (np.diff(subject) != 0)
    which = np.empty(contacts.count, np.int64)
    which[order] = np.cumsum(begins) - 1
    first = np.flatnonzero(begins)
    last = np.hstack((first[1:], contacts.count)) - 1
    return _Bounces(which, order[first], order[last])


def _vector(parts: Floats, unit: str) -> str:
    return f"({', '.join(number(float(part)) for part in parts)}) {unit}".rstrip()
