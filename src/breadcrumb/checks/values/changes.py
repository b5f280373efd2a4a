"""Checks of how numbers, flags and texts change, and when."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import replace
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.along import last_known, marked, without_gap_changes
from breadcrumb.algebra.durations import frames
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.samples import derived
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Flag, Number, Text
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.dealing import Causes, Steps, no_other_change
from breadcrumb.checks.declaration import Common, check
from breadcrumb.checks.exclusively import exclusively
from breadcrumb.checks.kinds import Amount, AmountGiven
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Bools
from breadcrumb.verdicts.comparing import Scope, judge_between, judge_flag, judge_near
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount, number


@check("{signal:title} never changes")
def unchanged(
    signal: Signal,
    *,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    except_at: Moments | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a value stays what it was on the sample before, within each lifetime.

    Args:
        signal: the value: numbers, flags or texts.
        tol: how much a change from one sample to the next may be, in the unit of the value.
        during: judge only inside these spans; a change belongs to them if both its samples do.
        except_during: judge only outside these spans.
        except_at: moments on whose frames, and the frames after, their subject may change.

    Returns:
        A verdict on every sample but each lifetime's first one. Untested if there is none. Its margin is `tol` less the
        largest change.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> unchanged(small_trace().one("skiff").position.y).outcome
        'held'
    """
    exempt = None if except_at is None else _at_or_behind(signal, except_at)
    scope = Scope(during, except_during, 1, exempt)
    judged = signal if except_at is None else without_gap_changes(signal, tol)
    return judge_near(judged, last_known(signal), tol=tol, scope=scope, verb="changes")


@check("{signal:title} never falls")
def never_falls(
    signal: Number,
    *,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a number never falls from one sample to the next, within each lifetime.

    Args:
        signal: a number, such as a score.
        tol: how far it may fall in one step, in the unit of the value.
        during: judge only steps inside these spans.
        except_during: judge only steps outside these spans.

    Returns:
        A verdict on every sample but each lifetime's first one. Untested if there is none. Its margin is the smallest
        change in the allowed direction, plus `tol`.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_falls(small_trace().one("skiff").position.x).margin.value
        1.0
    """
    change, scope = signal - last_known(signal), Scope(during, except_during, reach=1)
    return judge_between(change, 0.0, None, tol=tol, scope=scope, say=_moved("falls", tol))


@check("{signal:title} never rises")
def never_rises(
    signal: Number,
    *,
    tol: float = 0.0,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a number never rises from one sample to the next, within each lifetime.

    Args:
        signal: the number.
        tol: by how much it still may, in its own unit.
        during: judge only inside these spans; a change belongs to them if both its samples do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample but each lifetime's first one. Untested if there is none. Its margin is the smallest
        change in the right direction plus `tol`.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> never_rises(small_trace().one("skiff").position.x).first.frame
        1
    """
    change, scope = signal - last_known(signal), Scope(during, except_during, reach=1)
    return judge_between(change, None, 0.0, tol=tol, scope=scope, say=_moved("rises", tol))


@check("{signal:title} changes by {amount:signed} at {at}[only?, and at no other time]")
def changes_by(
    signal: Amount,
    amount: AmountGiven,
    *,
    at: Moments,
    only: bool = True,
    tol: float = 0.0,
    **common: Unpack[Common],
) -> Verdict:
    """Assert by how much a number changes at moments, and that it changes at no other time.

    The change is that from the last sample before the moment's frame to the one on that frame; where there is none, to
    the one after, since a script may act on the frame after its cause. The amounts of several moments of one object on
    one frame add up.

    Args:
        signal: the number.
        amount: the change, positive or negative; a number, or a signal picked at the moments.
        at: the moments; their subject is the object that changes.
        only: whether any other change is a breach.
        tol: how far off is still allowed, in the unit of the value.

    Returns:
        A verdict on every moment, and with `only` on every other sample. Untested if there was no moment. Its margin is
        `tol` less the largest deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> changes_by(trace.one("skiff").position.x, 1.0, at=trace.events("bell.rung"), only=False).outcome
        'held'
    """
    causes = Causes.of(signal, at)
    due, steps = causes.total(amount), Steps(signal, tol)
    dealt = causes.dealt(steps, np.abs(due.parts[0] if isinstance(due, Signal) else due) > tol)
    change = causes.picked(signal, dealt.sample) - causes.picked(signal, steps.before(dealt.sample))
    each = judge_near(replace(change, name=f"change of {signal.name}"), due, tol=tol, undecided=causes.lost)
    each = each.with_sentence("each change")
    return exclusively(each, no_other_change(signal, dealt.exempt, tol), "no other change") if only else each


@check("{signal:title} toggles at {at}[only?, and at no other time]")
def toggles(signal: Flag, *, at: Moments, only: bool = True, **common: Unpack[Common]) -> Verdict:
    """Assert that a flag toggles at moments, and at no other time.

    Two moments of one object on one frame leave the flag as it is.

    Args:
        signal: the flag.
        at: the moments; their subject is the object whose flag it is.
        only: whether toggling at any other time is a breach.

    Returns:
        A verdict on every moment, and with `only` on every other sample. Untested if there was no moment; undecided
        where the samples around one were not recorded. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> toggles(trace.one("skiff").moored, at=trace.events("bell.rung")).outcome
        'broken'
    """
    causes = Causes.of(signal, at)
    steps, odd = Steps(signal), causes.count % 2 == 1
    dealt = causes.dealt(steps, odd)
    turned = causes.picked(signal, dealt.sample) != causes.picked(signal, steps.before(dealt.sample))
    right = derived(turned, parts=(turned.parts[0] == odd,))
    each = judge_flag(right, lambda index: _TOGGLING[bool(odd[index])], undecided=causes.lost)
    each = each.with_sentence("each toggling")
    return exclusively(each, no_other_change(signal, dealt.exempt), "no other change") if only else each


_TOGGLING = {
    True: Phrase("no change", "a change", "does not toggle"),
    False: Phrase("a change", "none", "toggles although it was asked to twice on one frame"),
}


@check("{signal:title} is restored after {during}")
def restores(signal: Signal, *, during: Spans, tol: float = 0.0, **common: Unpack[Common]) -> Verdict:
    """Assert that after spans a value is again what it was before them, as recorded.

    Args:
        signal: the value: numbers, flags or texts.
        during: the spans in which it may be another one.
        tol: how far off is still allowed, in the unit of the value.

    Returns:
        A verdict on every span that has a sample before and after it, in the same lifetime; others are undecided.
        Untested if there is none. Its margin is `tol` less the largest deviation.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> restores(boat.position.y, during=(boat.position.x == 2).spans()).outcome
        'held'
    """
    starts, ends = during.each_of(signal.track).edges()
    before, after = signal.before(starts, frames(1)), signal.after(ends, frames(1))
    before = replace(before, track=after.track)
    return judge_near(after, before, tol=tol)


@check("{signal:title} only changes to a state that may follow")
def moves_through(
    signal: Text | Number,
    legal: Mapping[Any, Collection[Any]],
    *,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a state only changes to one that may follow it.

    Args:
        signal: the state: a text, or a number that stands for one.
        legal: for each state, those that may come next.
        during: judge only inside these spans; a change belongs to them if both its samples do.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every change of the state. Untested if there was none; undecided are samples on which it is
        missing, and changes with such a sample, or a gap, in between. It is exact, so it has no margin.

    Raises:
        Misuse: the states are texts and `legal` has numbers, or the other way round.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> states = [{"raft": {"state": state}} for state in ("idle", "held", "idle")]
        >>> raft = make_trace(states, kinds={"raft": "raft"}).one("raft")
        >>> moves_through(raft.state, {"idle": ["held"], "held": ["moving"], "moving": ["idle"]}).first.words
        'held to idle'
    """
    others = [one for one in legal if isinstance(one, str) is (signal.texts is None)]
    if others and not signal.track.unseen and not signal.is_valueless:
        raise Misuse(f"moves_through: {signal.title} is {signal.sort.words}, and legal= names the state {others[0]!r}")
    before = last_known(signal)
    differs = before.usable & signal.usable & (before.parts[0] != signal.parts[0])
    skipped = differs & signal.track.no_step
    skipped[1:] |= differs[1:] & ~signal.usable[:-1]
    clearly = differs & ~skipped
    both_ends, seen = Scope(during, except_during, reach=1), Scope(during, except_during).of(signal)
    new, old = (both_ends.of(replace(one, valid=clearly)) for one in (signal, before))
    changed = np.flatnonzero(new.usable)
    now, then = new.take(changed).values.tolist(), old.take(changed).values.tolist()
    margin = np.array([0.0 if to in legal.get(from_, ()) else -1.0 for from_, to in zip(then, now, strict=True)])

    def phrase(index: int) -> Phrase:
        old, to = (str(one) if isinstance(one, str) else number(one) for one in (then[index], now[index]))
        allowed = ", ".join(str(one) for one in legal.get(then[index], ())) or "nothing"
        return Phrase(to, f"{allowed} after {old}", f"{old} to {to}")

    lost = _missing(seen) + _missing(both_ends.of(replace(signal, valid=~skipped)))
    evaluation = Evaluation.of_samples(
        new.take(changed), margin, phrase, exact=True, of="changes", runs=False, plot=None, undecided=lost
    )
    return evaluation.verdict()


def _missing(signal: Signal) -> int:
    return 0 if signal.valid is None else len(signal) - int(np.count_nonzero(signal.valid))


def _moved(how: str, tol: float) -> Callable[[Signal, int], Phrase]:
    """Return what says of a change by how much a number fell or rose."""

    def say(change: Signal, index: int) -> Phrase:
        by = amount(abs(float(change.parts[0][index])), change.unit)
        allowed = f"at most {amount(tol, change.unit)}" if tol else "none"
        return Phrase(f"a {how.rstrip('s')} of {by}", allowed, f"{how} by {by}")

    return say


def _at_or_behind(signal: Signal, moments: Moments) -> Bools:
    """Return which samples lie on the frame of a moment of their object, or are the first one behind it."""
    track = signal.track
    on = marked(track, moments, excuses=True)
    behind = np.hstack((False, on[:-1])) & ~track.first_of_lifetime
    return np.asarray(on | behind)
