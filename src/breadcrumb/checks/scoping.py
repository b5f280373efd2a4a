"""Which moments and frames a check is asked about, by the spans that it is given."""

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.session import NOBODY, Bools, Ints, Session


def asked_about(moments: Moments, during: Spans | None, except_during: Spans | None) -> Bools:
    """Return which moments lie in the spans of their participants, or of nobody, and outside of others."""
    asked = np.ones(moments.count, np.bool_)
    if during is not None:
        asked &= during.covers(moments.participants, moments.clock_index)
    if except_during is not None:
        asked &= ~except_during.covers(moments.participants, moments.clock_index, excuses=True)
    return asked


def in_scope(moments: Moments, during: Spans | None, except_during: Spans | None) -> Moments:
    """Return the moments that a check is asked about."""
    if during is None and except_during is None:
        return moments
    return moments.pick(np.flatnonzero(asked_about(moments, during, except_during)))


def frames_asked_about(session: Session, during: Spans | None, except_during: Spans | None) -> Ints:
    """Return the clock indices that lie in any of some spans, and in none of others."""
    size = session.clock.size
    asked = np.ones(size, np.bool_) if during is None else _inside(during, size)
    return np.flatnonzero(asked if except_during is None else asked & ~_inside(except_during, size))


def frames_watched(session: Session, during: Spans | None, except_during: Spans | None) -> Ints:
    """Return the clock indices on which anybody is asked about: in any of some spans, and not all excused by others."""
    asked = frames_asked_about(session, during, None)
    if except_during is None:
        return asked
    excuses, size = except_during.merged(), session.clock.size
    if not excuses.count or (excuses.lifetime == NOBODY).any():
        return frames_asked_about(session, during, except_during)
    lifetimes = session.lifetimes
    alike = np.isin(lifetimes.kind, lifetimes.kind[excuses.lifetime]) & (lifetimes.first != NOBODY)
    there = _how_many(lifetimes.first[alike], lifetimes.last[alike], size)
    excused = _how_many(excuses.first, excuses.last, size)
    watched = (excused < there) | (there == 0)
    return np.asarray(asked[watched[asked]])


def _how_many(first: Ints, last: Ints, size: int) -> Ints:
    """Return how many stretches each clock index lies in."""
    begun = np.bincount(first, minlength=size + 1) - np.bincount(last + 1, minlength=size + 1)
    many: Ints = np.cumsum(begun)[:size]
    return many


def _inside(spans: Spans, size: int) -> Bools:
    """Return which clock indices lie in any of the spans."""
    return np.asarray(_how_many(spans.first, spans.last, size) > 0)
