"""The plain-text explanation of a verdict: lazy lines within a budget, no colour, no width."""

import math
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from itertools import islice

from breadcrumb.model.plurals import counted
from breadcrumb.verdicts.evidence import Excerpt, Mark
from breadcrumb.verdicts.findings import Breach, Finding, Margin, Stretch

_STRETCHES = 3
_ROWS_BEFORE, _ROWS_AFTER = 2, 3
_EVENTS_A_ROW = 3
_DIGITS, _MOST_DIGITS = 4, 15
RECORDED_DIGITS, GIVEN_DIGITS = 5, 6
"""The significant digits of recorded values, and of the parameters of a rule."""
_DIGITS_OF_DIFFERENCE = 2
WHY_UNDECIDED = "a value is missing, or the trace ends or has a gap"
_ROUNDING = 1e-12
"""Below which a number is what rounding leaves of a difference."""
_difference: ContextVar[float] = ContextVar("difference", default=math.inf)


def explanation(verdict: Finding, most_lines: int) -> Iterator[str]:
    """Yield the summary, then the details, in so many lines at the most."""
    lines = _lines(verdict)
    yield from islice(lines, most_lines)
    left = sum(1 for _ in lines)
    if left:
        yield f"  ... {counted(left, 'more lines')}"


@contextmanager
def difference_visible(difference: float) -> Iterator[None]:
    """Have `number` give numbers so many digits that so small a difference between two of them can be read.

    Example:
        >>> with difference_visible(0.04):
        ...     number(1000.04), number(1000.0), number(0.04)
        ('1000.04', '1000', '0.04')
    """
    before = _difference.set(abs(difference) or math.inf)
    try:
        yield
    finally:
        _difference.reset(before)


def number(value: float | None, digits: int = _DIGITS) -> str:
    """Return a number for people: four significant digits unless more matter, no exponent where none is needed.

    Example:
        >>> number(14.4321987), number(123456.7), number(None), number(1e-13)
        ('14.43', '123457', 'missing', '1e-13')
    """
    if value is None or not math.isfinite(value):
        return "missing" if value is None else f"{value:g}"
    value += 0.0  # so that a negative zero is told as one
    size, difference = _magnitude(value), _difference.get()
    if size < _MOST_DIGITS:
        digits = max(digits, size + 1)
    if math.isfinite(difference):
        digits = max(digits, min(size - _magnitude(difference) + _DIGITS_OF_DIFFERENCE, _MOST_DIGITS))
    return f"{value:.{digits}g}"


def settled(value: float | None) -> float | None:
    """Return a number, or 0 for what is left of a difference by rounding alone."""
    return 0.0 if value is not None and abs(value) < _ROUNDING else value


def _magnitude(value: float) -> int:
    """Return the power of ten of a number's first digit."""
    return math.floor(math.log10(abs(value))) if value else 0


def amount(value: float | None, unit: str, digits: int = _DIGITS) -> str:
    """Return a number with its unit.

    Example:
        >>> amount(2.0, "m"), amount(1.0, "frames")
        ('2 m', '1 frame')
    """
    said = number(value, digits)
    return f"{said} {'frame' if unit == 'frames' and said.strip('-') == '1' else unit}".rstrip()


def times_words(count: int) -> str:
    """Return how often something is, in words.

    Example:
        >>> times_words(0), times_words(1), times_words(2)
        ('never', 'once', '2 times')
    """
    return ("never", "once")[count] if count < 2 else f"{count} times"


def plus_minus(tol: float, unit: str) -> str:
    """Return a tolerance as it stands behind a rule; nothing if there is none."""
    return f" (± {amount(tol, unit)})" if tol else ""


def margin_words(margin: Margin | None) -> str:
    """Return a margin with its unit and, unless the rule is broken, its share of what is allowed."""
    if margin is None:
        return "exact"
    told = margin.share is not None and margin.value >= 0
    return amount(settled(margin.value), margin.unit) + (
        f" ({margin.share:.0%} of {number(margin.allowed)})" if told else ""
    )


def breach_words(breach: Breach) -> str:
    """Return one breach in one line: when, who, found and allowed."""
    lifetime = f" (lifetime {breach.lifetime})" if breach.lifetime > 1 else ""
    who = f"{breach.object}{lifetime}: " if breach.object else ""
    episode = f", episode {breach.episode}" if breach.episode > 1 else ""
    return (
        f"frame {breach.frame} ({breach.time:.3f} s{episode})  {who}{breach.words}; "
        f"measured {breach.measured}, allowed {breach.allowed}"
    )


def tested_words(verdict: Finding) -> str:
    """Return how much was tested, and what could not be."""
    words = [f"{counted(verdict.tested, verdict.of)} tested"]
    if verdict.undecided:
        why = "" if verdict.outcome == "untested" else f" ({WHY_UNDECIDED})"  # of an untested one it is said before
        words.append(f"{verdict.undecided} undecided{why}")
    if verdict.missing:
        words.append(f"{verdict.missing} without a value")
    if verdict.cut:
        words.append(f"{verdict.cut} cut by restarts" + (", more than tested" if verdict.cut > verdict.tested else ""))
    return ", ".join(words)


def _lines(verdict: Finding) -> Iterator[str]:
    yield f"{verdict.outcome.upper():6}  {verdict.sentence}"
    if verdict.session:
        yield f"  session  {verdict.session}"
    yield from (f"  matched  {words}" for words in verdict.matched)
    if verdict.outcome == "untested":
        yield f"  never tested: {verdict.why_untested}"
    if verdict.outcome == "held":
        yield f"  margin  {margin_words(verdict.margin)}"
    yield from _breach_lines(verdict)
    yield from (f"  {line}" for line in verdict.details)
    yield f"  {tested_words(verdict)}"
    for excerpt in (verdict.evidence.first, verdict.evidence.tightest):
        if excerpt is not None and excerpt.values:
            yield from _table(excerpt)
    for part in verdict.parts:
        yield f"  - {part.outcome}: {part.sentence}"


def _breach_lines(verdict: Finding) -> Iterator[str]:
    first, worst = verdict.first, verdict.worst
    if first is None:
        return
    yield f"  first  {breach_words(first)}"
    if worst is not None and worst != first:
        yield f"  worst  {breach_words(worst)}"
    if verdict.breach_count > 1:
        total = verdict.tested
        yield f"  {verdict.breach_count} of {counted(total, verdict.of)} broken{_where(verdict.stretches)}"


def _where(stretches: tuple[Stretch, ...]) -> str:
    if not stretches:
        return ""
    shown = [f"{one.object} {_frames(one)}".strip() for one in stretches[:_STRETCHES]]
    more = f" and {len(stretches) - _STRETCHES} more" if len(stretches) > _STRETCHES else ""
    runs = any(one.first_frame != one.last_frame for one in stretches)
    many = f", in {len(stretches)} stretches" if runs and len(stretches) > 1 else ""
    return f"{many}: {', '.join(shown)}{more}"


def _frames(stretch: Stretch) -> str:
    if stretch.first_frame == stretch.last_frame:
        return f"frame {stretch.first_frame}"
    return f"frames {stretch.first_frame}-{stretch.last_frame}"


def _table(excerpt: Excerpt) -> Iterator[str]:
    """Yield the values around the frame in question, with the events of each frame."""
    at = next((index for index, frame in enumerate(excerpt.frames) if frame >= excerpt.frame), len(excerpt.frames) - 1)
    shown = range(max(0, at - _ROWS_BEFORE), min(len(excerpt.frames), at + _ROWS_AFTER + 1))
    columns = [_column(excerpt.name, excerpt.unit, excerpt.values, shown)]
    columns += [_column(one.name, one.unit, one.values, shown) for one in excerpt.operands]
    yield f"  {'frame':>7}  {'  '.join(column[0] for column in columns)}  events"
    for row, index in enumerate(shown, 1):
        frame = excerpt.frames[index]
        mark = ">" if frame == excerpt.frame else " "
        told = "  ".join(column[row] for column in columns)
        events = _events(mark_ for mark_ in excerpt.marks if mark_.frame == frame)
        yield f"  {mark}{frame:>6}  {told}  {events}".rstrip()


def _column(name: str, unit: str, values: tuple[float | str | None, ...], shown: range) -> list[str]:
    """Return the title and the values of a column, all equally wide."""
    cells = [values[index] for index in shown]
    told = [name + (f" [{unit}]" if unit else "")]
    told += [cell if isinstance(cell, str) else number(settled(cell), RECORDED_DIGITS) for cell in cells]
    width = max(map(len, told))
    return [cell.rjust(width) for cell in told]


def _events(marks: Iterable[Mark]) -> str:
    names = [f"{mark.name} {mark.who}".rstrip() + (f" x{mark.count}" if mark.count > 1 else "") for mark in marks]
    more = f", {len(names) - _EVENTS_A_ROW} more" if len(names) > _EVENTS_A_ROW else ""
    return ", ".join(names[:_EVENTS_A_ROW]) + more
