"""Which moments and frames a check is asked about, by the spans that it is given."""

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.spans import Spans
from breadcrumb.model.session import Bools, Ints, Session


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


def _inside(spans: Spans, size: int) -> Bools:
    """Return which clock indices lie in any of the spans."""
    begun = np.bincount(spans.first, minlength=size + 1) - np.bincount(spans.last + 1, minlength=size + 1)
    return np.asarray(np.cumsum(begun)[:size] > 0)
