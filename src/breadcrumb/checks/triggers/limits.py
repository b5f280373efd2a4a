"""Whether a cause has its effect on the right side of a limit, and none on the other side."""

from dataclasses import replace
from typing import Unpack

import numpy as np

from breadcrumb.algebra.conditions import condition_of
from breadcrumb.algebra.durations import Duration, Within, window
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.sorts import Flag
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, without_unit
from breadcrumb.checks.scoping import in_scope
from breadcrumb.checks.triggers.labels import paired
from breadcrumb.checks.triggers.pairing import leads_to
from breadcrumb.checks.triggers.queued import hidden_of
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Ints
from breadcrumb.verdicts.excerpts import PlotSource
from breadcrumb.verdicts.explaining import values_of
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.verdict import UNNAMED, Verdict, all_of
from breadcrumb.verdicts.words import amount


@check(
    "{cause} leads to {effect} {within:window} if {condition:plain}, and to none if not"
    "[, tested within {near} of the limit on both sides]",
    unit=without_unit,
)
def leads_to_only_if(
    cause: Moments,
    effect: Moments,
    *,
    condition: Flag,
    within: Within,
    near: float | None = None,
    match: str = "subject",
    during: Spans | None = None,
    except_during: Spans | None = None,
    time_tol: Duration | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert both sides of a limit: each cause has its effect if a condition is true on its frame, and none if not.

    Effects are judged as by `leads_to` where the condition is true. One that none of these causes explains, in the
    window of a cause for which it is false, is a breach.

    Args:
        cause: the moments at which it is decided.
        effect: what must follow, or must not.
        condition: the limit, such as `boat.distance <= trace.parameter("reach")`; on samples, or picked at the causes.
        within: as for `leads_to`.
        near: how near the limit an occasion must come on either side, in the unit of the condition's margin; with none
            so near the rule is untested.
        match: as for `leads_to`.
        during: judge only causes inside these spans.
        except_during: judge only causes outside these spans.
        time_tol: widens both ends of the window.

    Returns:
        A verdict on every cause. Untested unless both sides were tested; undecided where the condition is not known, or
        the trace ends before the window does. Its margin is that of the causes for which the condition is true.

    Raises:
        Misuse: `near` is given, and the condition has no margin.

    Example:
        >>> from breadcrumb import frames
        >>> from breadcrumb.testing import make_trace
        >>> trace = make_trace(
        ...     [{"heron": {"far": far}} for far in (9.0, 5.0, 4.0)],
        ...     kinds={"heron": "skiff"},
        ...     events=[(n, "look", "heron") for n in range(3)] + [(1, "hail", "heron"), (2, "hail", "heron")],
        ... )
        >>> reach = trace.one("skiff").far < 5
        >>> verdict = leads_to_only_if(trace.events("look"), trace.events("hail"), condition=reach, within=frames(0))
        >>> print(verdict.first.words)
        hail happens although far is 5
    """
    cause = in_scope(cause, during, except_during)
    if not cause.count:
        why = cause.unseen or f"no {cause.label} to judge"
        return Verdict(UNNAMED, Outcome.UNTESTED, cause.session.label, of="causes", why_untested=why)
    flag = condition.when(cause)
    if flag.track.unseen:
        return Verdict(UNNAMED, Outcome.UNTESTED, cause.session.label, of="causes", why_untested=flag.track.unseen)
    true = flag.usable & flag.parts[0].astype(np.bool_)
    false = flag.usable & ~true
    known, unknown = cause.pick(np.flatnonzero(true)), int(np.count_nonzero(~flag.usable))
    has = leads_to(known, effect, within=within, match=match, time_tol=time_tol)
    has_none = _has_none(cause, effect, flag, false, within, match, time_tol)
    if not known.count:
        has = replace(has, why_untested=f"no {cause.label} if {flag.name}")
    if not false.any():
        has_none = replace(has_none, why_untested=f"no {cause.label} if not {flag.name}")
    verdict = all_of(
        has.with_sentence(f"{cause.label} leads to {effect.label} if {flag.name}"),
        has_none.with_sentence(f"{cause.label} leads to no {effect.label} if not {flag.name}"),
    )
    verdict = replace(verdict, undecided=verdict.undecided + unknown)
    far = "" if near is None else _why_far(flag, (true, false), near)
    is_far = bool(far) and verdict.outcome is Outcome.HELD
    return replace(verdict, outcome=Outcome.UNTESTED, why_untested=far) if is_far else verdict


def _has_none(
    cause: Moments, effect: Moments, flag: Flag, false: Bools, within: Within, match: str, time_tol: Duration | None
) -> Verdict:
    """Judge that causes for which a condition is false have no effect that another cause does not explain."""
    due = window(within, time_tol)
    pairing = paired(match, cause, effect)
    left, right, rows = pairing.left, pairing.right, pairing.left_rows
    session, clock = left.session, left.session.clock
    first, last = due.clock_indices(clock, left.clock_index)
    hidden = hidden_of(left, right, due)
    mine = false[rows]
    own_order = np.where(first == left.clock_index, left.order, NOBODY)
    other = _Windows(clock.size, pairing.of_left[~mine], first[~mine], last[~mine], own_order[~mine])
    orphan = ~other.hold(pairing.of_right, right.clock_index, right.order)
    orphan &= ~session.at_restart(right.clock_index)
    asked = _Windows(clock.size, pairing.of_left[mine], first[mine], last[mine], own_order[mine])
    at = asked.first_in(pairing.of_right[orphan], right.clock_index[orphan], right.order[orphan])
    caught = at != NOBODY
    decided = np.flatnonzero(caught | ~hidden[mine])
    which = np.flatnonzero(mine)[decided]
    effects = np.flatnonzero(orphan)
    broken = effects[at[decided][caught[decided]]] if len(effects) else effects
    when = left.clock_index[which].copy()
    when[caught[decided]] = right.clock_index[broken]

    def phrase(index: int) -> Phrase:
        seen = values_of(flag, int(rows[which[index]]))
        since = f" on frame {clock.frames[left.clock_index[which[index]]]}"
        then = "" if when[index] == left.clock_index[which[index]] else since
        return Phrase(effect.label, f"no {effect.label}", f"{effect.label} happens although {seen}{then}")

    margin = np.where(caught[decided], -1.0, 0.0)
    evaluation = Evaluation(
        session, when, left.lifetime[which], left.subject[which], margin, phrase, of="causes", exact=True,
        undecided=int(np.count_nonzero(mine)) - len(decided), plot=PlotSource(),
    )  # fmt: skip
    return evaluation.verdict()


class _Windows:
    """When effects of causes are due, by the label of the cause."""

    def __init__(self, size: int, label: Ints, first: Ints, last: Ints, order: Ints) -> None:
        self._size, self._label, self._first, self._last, self._order = size + 2, label, first, last, order

    def _scaled(self, order: Ints) -> int:
        return int(max(self._order.max(initial=0), order.max(initial=0))) + 3

    def _ends(self, high: int) -> tuple[Ints, Ints]:
        begin = (self._label * self._size + self._first) * high + self._order + 1
        return begin, (self._label * self._size + self._last) * high + high - 1

    def hold(self, label: Ints, clock_index: Ints, order: Ints) -> Bools:
        """Return which instants lie in the window of any cause of their label; without an order, at its end."""
        high = self._scaled(order)
        begin, end = (np.sort(one) for one in self._ends(high))
        at = (label * self._size + clock_index) * high + np.where(order == NOBODY, high - 1, order + 1)
        return np.asarray(np.searchsorted(begin, at, side="right") > np.searchsorted(end, at))

    def first_in(self, label: Ints, clock_index: Ints, order: Ints) -> Ints:
        """Return, for each window, the first of some instants of its label that lies in it, or NOBODY."""
        high = self._scaled(order)
        begin, end = self._ends(high)
        at = (label * self._size + clock_index) * high + np.where(order == NOBODY, high - 1, order + 1)
        in_order = np.argsort(at, kind="stable")
        place = np.searchsorted(at[in_order], begin)
        there = place < np.searchsorted(at[in_order], end, side="right")
        return np.where(there, np.append(in_order, NOBODY)[place], NOBODY)


def _why_far(flag: Flag, sides: tuple[Bools, Bools], near: float) -> str:
    """Return why a limit counts as untested: on a side no occasion was near enough; empty if both have one.

    Raises:
        Misuse: the condition has no margin.
    """
    condition = condition_of(flag)
    unit = condition.unit
    if unit is None:
        raise Misuse(f"near: expected a condition with a margin, such as a distance <= a limit; found {flag.name}")
    margins = np.abs(condition.margins(np.arange(len(flag))))
    for side, words in zip(sides, ("where", "where not"), strict=True):
        least = float(np.nanmin(margins[side], initial=np.inf))
        if not least <= near:
            found = "none was decided" if np.isinf(least) else f"the nearest was {amount(least, unit)} from the limit"
            return f"{words} {flag.name}, {found}, asked for {amount(near, unit)}"
    return ""
