"""Whether a session is the same as an accepted one, or consistent with several."""

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Unpack

import numpy as np

from breadcrumb.checks.declaration import Common, check, without_unit
from breadcrumb.checks.session.beside import plot_alone, plot_beside
from breadcrumb.comparison.comparing import compare
from breadcrumb.comparison.differences import PLAYERS, Comparison, Difference
from breadcrumb.errors import NotComparable
from breadcrumb.model.session import NOBODY, Session
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.findings import Tally
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.sweeping import Swept
from breadcrumb.verdicts.verdict import UNNAMED, Verdict

_NOBODYS = NOBODY, NOBODY
_NO_TOLERANCE: Mapping[str, float] = {}


@check(
    "everything[ignore? but {ignore:names}] is the same as in the accepted session[tol? within its tolerances]",
    unit=without_unit,
)
def same_as(
    trace: Trace,
    reference: Trace,
    *,
    tol: Mapping[str, float] = _NO_TOLERANCE,
    ignore: Collection[str] = (),
    anchors: Collection[str] = (),
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a session is the same as an accepted one: its events, lifetimes, properties and parameters.

    Args:
        trace: the session.
        reference: the accepted session of the same script and seed; at another frame rate, things may be a step apart.
        tol: how far apart values may be, by `property` or `kind.property`, in the unit of the property.
        ignore: patterns of kinds, `kind.property`, events and parameters that are not compared.
        anchors: names of events that are taken to be at the same time in both.

    Returns:
        A verdict on every value, event and lifetime that both have, broken by each that differs; the first breach is
        that from which the others follow. Untested if there is nothing to compare. It is exact, so it has no margin.

    Raises:
        UnknownName: `tol`, `ignore` or `anchors` names what neither session has.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> same_as(small_trace(), small_trace()).outcome
        'held'
    """
    return _verdict(
        trace,
        lambda: compare(reference, trace, tol=tol, ignore=tuple(ignore), anchors=tuple(anchors)),
        lambda one, lifetime: plot_beside(one, lifetime, trace, reference),
    )


@check("everything[ignore? but {ignore:names}] is consistent with the accepted sessions", unit=without_unit)
def consistent_with(
    trace: Trace,
    references: Sequence[Trace],
    *,
    ignore: Collection[str] = (),
    players: Collection[str] = PLAYERS,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a session does nothing that none of several accepted sessions does; their play may differ.

    Args:
        trace: the session.
        references: at least five, better ten accepted sessions of the same frame rate.
        ignore: patterns of kinds, `kind.property`, events and parameters that are not compared.
        players: the names under which a player takes part in events: when and where one acts is not compared.

    Returns:
        A verdict on every occasion on which something was measured: how fast, how long, how often, where and in which
        state things are. Broken by each measure that is outside those of all references. Untested if there is nothing
        to compare, or if the frame rates differ. It has no margin.

    Raises:
        Misuse: there are fewer than five references.
        UnknownName: `ignore` or `players` names what no session has.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> def rolling(step):
        ...     states = [{"keg-1": {"x": min(frame, 20) * step}} for frame in range(60)]
        ...     return make_trace(states, kinds={"keg-1": "keg"})
        >>> good = [rolling(0.1) for _ in range(7)]
        >>> consistent_with(rolling(0.1), good).outcome
        'held'
    """
    return _verdict(
        trace,
        lambda: compare(list(references), trace, ignore=tuple(ignore), players=tuple(players)),
        lambda one, lifetime: plot_alone(one, trace),
    )


def _verdict(
    trace: Trace, comparing: Callable[[], Comparison], plotted: Callable[[Difference, int], PlotSource]
) -> Verdict:
    session = trace.data.session
    try:
        found = comparing()
    except NotComparable as error:
        return Verdict(UNNAMED, Outcome.UNTESTED, trace.label, why_untested=str(error))
    every = [one for group in found.groups for one in (group.first, *group.followed)]
    last = session.clock.size - 1
    moments = [min(session.clock.clock_index_at_or_after(one.frame), last) for one in every] or [last]
    names = {name: index for index, name in enumerate(session.names)}
    whose = [_whose(session, names, one, index) for one, index in zip(every, moments, strict=False)] or [_NOBODYS]
    lifetime, name = (np.array(column, np.int64) for column in zip(*whose, strict=True))
    margin = np.full(len(moments), -1.0 if every else 0.0)
    first = int(np.argmin(moments))
    return Evaluation(
        session, np.array(moments, np.int64), lifetime, name, margin, lambda index: _phrase(every[index]),
        of="values", exact=True, plot=plotted(every[first], int(lifetime[first])) if every else PlotSource(),
        swept=Swept(np.arange(len(moments)), margin, max(found.compared, len(every)), 0, _tallies(every)),
    ).verdict()  # fmt: skip


def _phrase(one: Difference) -> Phrase:
    return Phrase(one.candidate, one.reference, f"{_of(one)}{one.words}")


def _of(one: Difference) -> str:
    """Return what a difference is of, without the object, which is told before."""
    if one.what == "lifetime":
        return ""
    return f"{one.called_without_object} "


def _whose(session: Session, names: Mapping[str, int], one: Difference, clock_index: int) -> tuple[int, int]:
    """Return the lifetime and the object that a difference is about, or NOBODY."""
    if one.object not in names:
        return _NOBODYS
    name, lifetimes = names[one.object], session.lifetimes
    mine = np.flatnonzero(lifetimes.name == name)
    here = mine[(lifetimes.first[mine] <= clock_index) & (lifetimes.last[mine] >= clock_index)]
    return int(here[0]) if len(here) else NOBODY, name


def _tallies(every: Sequence[Difference]) -> tuple[Tally, ...]:
    """Return each object's part: how many differences it has, and its first frame."""
    by_object: dict[str, list[Difference]] = {}
    for one in every:
        by_object.setdefault(one.object, []).append(one)
    return tuple(
        Tally(name, len(several), len(several), min(one.frame for one in several), None)
        for name, several in by_object.items()
        if name
    )
