"""What objects bounce off: the surfaces of other bodies, which may move and turn."""

from typing import NamedTuple

import numpy as np

from breadcrumb.algebra.bodies import Bodies, gaps_between
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.near_bodies import ways_apart
from breadcrumb.errors import Misuse
from breadcrumb.geometry.rounded_boxes import RoundedBoxes
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints


class Surfaces(NamedTuple):
    """Where contacts are, a row each."""

    normal: Floats
    """A unit vector away from the surface."""
    velocity: Floats
    """How fast the surface moves there."""
    known: Bools
    """Whether both bodies were recorded then, and the step that ends there."""


def surfaces_of(contacts: Moments, bodies: Bodies, others: Bodies) -> Surfaces:
    """Return the surfaces that contacts are with, as the bodies are on their frames.

    Raises:
        Misuse: nothing says which of several others a contact is with.
    """
    size = bodies.dimensions
    normals, velocities = np.zeros((2, contacts.count, size))
    surfaces = Surfaces(normals, velocities, np.zeros(contacts.count, np.bool_))
    if others.place.track.unseen or not contacts.count:
        return surfaces
    mine = bodies.place.track.find(contacts.lifetime, contacts.clock_index)
    yours = _partners(contacts, others)
    there = np.flatnonzero((mine != NOBODY) & (yours != NOBODY))
    there = there[bodies.place.usable[mine[there]] & bodies.finite[mine[there]] & others.has_step[yours[there]]]
    one, other = mine[there], yours[there]
    away = ways_apart(bodies, others, one, other)
    length = np.sqrt((away * away).sum(axis=0))
    normal = away / np.where(length > 0, length, 1.0)
    place = np.stack([part[one] for part in bodies.place.parts])
    points = RoundedBoxes(place, np.zeros((0, *place.shape)), np.zeros(len(one)))
    point = place - normal * gaps_between([points], others.at(other))
    steps = others.place.track.steps[other]
    surfaces.normal[there] = normal.T
    surfaces.velocity[there] = (others.moves_at(other, point) / np.where(steps > 0, steps, 1.0)).T
    surfaces.known[there] = (length > 0) & (steps > 0)
    return surfaces


def _partners(contacts: Moments, others: Bodies) -> Ints:
    """Return the sample of the other body of each contact; NOBODY where there is none."""
    track, who = others.place.track, contacts.participants
    names = np.unique(track.lifetime)
    partner = np.where(np.isin(who.on_lifetime, names), who.on_lifetime, NOBODY)
    swapped = (partner == NOBODY) | (partner == contacts.lifetime)
    partner = np.where(swapped & np.isin(who.by_lifetime, names), who.by_lifetime, partner)
    if (partner == NOBODY).any() and not track.one_at_a_time:
        raise Misuse(f"bounces: nothing says which of {track.whose} each {contacts.label} is with; name it as by or on")
    alone = track.find_clock_index(contacts.clock_index) if track.one_at_a_time else np.full(contacts.count, NOBODY)
    return np.where(partner == NOBODY, alone, track.find(partner, contacts.clock_index))
