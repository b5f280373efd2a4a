"""What a figure shows of a property that differs: its values, and those of the accepted session at the same time."""

import numpy as np

from breadcrumb.algebra.signals import Signal
from breadcrumb.align.timing import ROUNDING, Timing, align_clocks
from breadcrumb.comparison.differences import Difference
from breadcrumb.model.columns import property_of
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.excerpts import PlotSource, level


def plot_beside(one: Difference, lifetime: int, trace: Trace, reference: Trace) -> PlotSource:
    """Return what is drawn of a difference: nothing unless numbers of an object differ that the reference has, too."""
    kind, _, name = one.name.partition(".")
    if one.what != "property" or lifetime == NOBODY:
        return PlotSource()
    mine, yours = (side.without_restarts().all(kind).signal(property_of(name)) for side in (trace, reference))
    if mine.texts is not None or yours.texts is not None or len(mine.parts) != len(yours.parts):
        return PlotSource()
    timing = align_clocks(reference.data.session, trace.data.session)
    at = _counterparts(mine, yours, lifetime, timing)
    found = [np.where(at == NOBODY, np.nan, part[at].astype(np.float64)) for part in yours.parts]
    if len(found) == 1:
        return PlotSource(mine, low=level(found[0]), high=level(found[0]))
    none = level(0.0)
    return PlotSource(
        mine, low=none, high=none, measured="distance from the reference",
        measure=lambda indices: _distance([part[indices] for part in mine.parts], [part[indices] for part in found]),
    )  # fmt: skip


def plot_alone(one: Difference, trace: Trace) -> PlotSource:
    """Return what is drawn of a difference from several sessions: the property that it is of."""
    kind, _, name = one.name.partition(".")
    group = trace.without_restarts().all(kind) if one.what == "property" else None
    return PlotSource(group.signal(name)) if group is not None and group.has(name) else PlotSource()


def _counterparts(mine: Signal, yours: Signal, lifetime: int, timing: Timing) -> Ints:
    """Return for each sample of a lifetime that of the same object in the reference at the same time; else NOBODY."""
    sessions = mine.track.session, yours.track.session
    found = np.full(len(mine), NOBODY)
    rows = np.flatnonzero(mine.track.lifetime == lifetime)
    who = sessions[0].names[sessions[0].lifetimes.name[lifetime]]
    names = np.array(sessions[1].names)[sessions[1].lifetimes.name[yours.track.lifetime]]
    theirs = np.flatnonzero(names == who)
    theirs = theirs[np.argsort(yours.track.clock_index[theirs], kind="stable")]
    if not len(theirs):
        return found
    times = timing.reference.at[yours.track.clock_index[theirs]]
    wanted = timing.candidate.at[mine.track.clock_index[rows]]
    before = np.searchsorted(times, wanted + ROUNDING, side="right") - 1
    is_there = (before >= 0) & (wanted - times[np.maximum(before, 0)] <= timing.candidate.around[0] + ROUNDING)
    is_there &= yours.usable[theirs[np.maximum(before, 0)]]
    found[rows[is_there]] = theirs[before[is_there]]
    return found


def _distance(mine: list[Floats], yours: list[Floats]) -> Floats:
    return np.asarray(np.sqrt(np.sum([(one - other) ** 2 for one, other in zip(mine, yours, strict=True)], axis=0)))
