"""Any condition as a check: what the vocabulary lacks is written with the algebra."""

from dataclasses import replace
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.conditions import condition_of
from breadcrumb.algebra.quantities import Claim
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Flag, Number
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check
from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats
from breadcrumb.verdicts.claims import claimed, plain
from breadcrumb.verdicts.excerpts import PlotSource, level
from breadcrumb.verdicts.explaining import phrase_of, plot_of
from breadcrumb.verdicts.judging import Evaluation, Phrase, within_scope
from breadcrumb.verdicts.sweeping import AllTrue
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount

_LONGEST_NAME = 40
_BARELY = float(np.nextafter(0.0, -1.0))
"""The margin of what is false and as near to true as can be: it counts as broken, and is told as 0."""


@check("{words:plain}")
def judge(
    condition: Flag | Number | Claim | bool,
    words: str,
    *,
    tested: int | None = None,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert any condition: a flag that must be true, or a margin that must not be negative, on every sample.

    A comparison keeps what it compares: a breach tells each operand, and the margin is how far the value is from the
    limit; of `&` the smaller one, of `|` the larger. Equalities, flags, texts and mixed units have none.

    Args:
        condition: a flag signal; or a signal of numbers of which 0 and more are fine, in the unit of the margin; either
            may have been picked at moments, and is then judged at each. Or a comparison of parameters, means and other
            single numbers, or a plain True or False.
        words: the rule in words.
        tested: of a plain True or False, how many things it is about.
        during: judge only the samples inside these spans.
        except_during: judge only the samples outside these spans.

    Returns:
        A verdict. It is untested if there is no sample with a value. Its margin is the smallest number.

    Raises:
        Misuse: the condition is something else, or what is not a signal has a scope.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> verdict = judge(boat.position.x < 3, "the boat stays west of the pier")
        >>> print(verdict.explain(2))
        BROKEN  the boat stays west of the pier
          session  small
          ... 6 more lines
        >>> verdict.first.words, verdict.first.measured, verdict.first.allowed
        ('position.x is on the limit, which is not allowed', '3 m', 'below 3 m')
    """
    if not isinstance(condition, Signal):
        return _judge_single(condition, tested, during is None and except_during is None)
    if tested is not None:
        raise Misuse(f"judge: tested= is for a plain True or False; {condition.title} tells how many samples it has")
    seen = within_scope(condition, during, except_during)
    return _judge_flag(seen) if seen.is_flag else _judge_margin(seen)


def _judge_single(condition: Any, tested: int | None, everywhere: bool) -> Verdict:
    if not everywhere:
        raise Misuse("judge: during= and except_during= are for signals; a single value has no samples to select")
    if isinstance(condition, Claim):
        if tested is not None:
            raise Misuse(f"judge: tested= is for a plain True or False; {condition.text} tells what it is about")
        return claimed(condition)
    return plain(bool(condition), 1 if tested is None else tested)


def _judge_flag(flag: Signal) -> Verdict:
    values = flag.parts[0]
    if flag.track.unseen:
        return Evaluation.of_samples(flag, AllTrue(flag), lambda index: Phrase("", "", ""), exact=True).verdict()
    condition = condition_of(flag)
    unit = condition.unit

    def margin(block: slice) -> Floats:
        distance = condition.margins(block)
        return np.where(values[block], np.fmax(distance, 0.0), np.fmin(distance, _BARELY))

    rule = AllTrue(flag) if unit is None else margin
    evaluation = Evaluation.of_samples(
        flag, rule, lambda index: phrase_of(condition, index, flag.owner), exact=unit is None, unit=unit or "",
        plot=plot_of(condition, _named_shortly(flag)),
    )  # fmt: skip
    return evaluation.verdict()


def _judge_margin(number: Signal) -> Verdict:
    values, shown = number.parts[0], _named_shortly(number)

    def phrase(index: int) -> Phrase:
        short = amount(-float(values[index]), number.unit)
        return Phrase(amount(float(values[index]), number.unit), "0 or more", f"{short} short")

    evaluation = Evaluation.of_samples(
        number, lambda block: values[block].astype(np.float64), phrase, noise=number.noise_over,
        plot=PlotSource(shown, low=level(0.0)),
    )  # fmt: skip
    return evaluation.verdict()


def _named_shortly(condition: Signal) -> Signal:
    """Return the condition under a name that fits a figure; what it means is in the words of the rule anyway."""
    if len(condition.name) <= _LONGEST_NAME:
        return condition
    return replace(condition, name="condition" if condition.is_flag else "margin")
