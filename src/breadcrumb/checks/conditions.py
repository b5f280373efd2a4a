"""Any condition as a check: what the vocabulary lacks is written with the algebra."""

from dataclasses import replace
from typing import Unpack

import numpy as np

from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check
from breadcrumb.errors import Misuse
from breadcrumb.verdicts.excerpts import PlotSource, level
from breadcrumb.verdicts.judging import Evaluation, Phrase, within_scope
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount

_LONGEST_NAME = 40


@check("{words:plain}")
def judge(
    condition: Signal,
    words: str,
    *,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert any condition: a flag that must be true, or a margin that must not be negative, on every sample.

    Args:
        condition: a flag signal, or a signal of numbers of which 0 and more are fine, in the unit of the margin. It
            may have been picked at moments, and is then judged at each.
        words: the rule in words.
        during: judge only the samples inside these spans.
        except_during: judge only the samples outside these spans.

    Returns:
        A verdict. It is untested if there is no sample with a value. Its margin is the smallest number; none for flags.

    Raises:
        Misuse: the condition is a vector or a text.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> judge(boat.position.x < 5, "the boat stays west of the pier").outcome
        'held'
    """
    if len(condition.parts) != 1 or condition.texts is not None:
        raise Misuse(f"judge: expected true or false or a number on each sample, and {condition.name} is neither")
    condition = _named_shortly(within_scope(condition, during, except_during))
    values = condition.parts[0]
    if condition.is_flag:
        return Evaluation.of_samples(
            condition,
            lambda block: values[block] - 1.0,
            lambda index: Phrase("false", "true", "the condition is false"),
            exact=True,
        ).verdict()

    def phrase(index: int) -> Phrase:
        short = amount(-float(values[index]), condition.unit)
        return Phrase(amount(float(values[index]), condition.unit), "0 or more", f"{short} short")

    plot = PlotSource(condition, low=level(0.0))
    evaluation = Evaluation.of_samples(
        condition,
        lambda block: values[block].astype(np.float64),
        phrase,
        noise=lambda: condition.noise,
        plot=plot,
    )
    return evaluation.verdict()


def _named_shortly(condition: Signal) -> Signal:
    """Return the condition under a name that fits a figure; what it means is in the words of the rule anyway."""
    if len(condition.name) <= _LONGEST_NAME:
        return condition
    return replace(condition, name="condition" if condition.is_flag else "margin")
