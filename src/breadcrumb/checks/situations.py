"""Situations: what a rule should have met in play, counted over a run, so that what never occurred is told."""

from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.quantities import Claim
from breadcrumb.algebra.sorts import Flag
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.collecting import active_collector


def situation(what: Moments | Spans | Flag | Objects | Claim | bool | int, words: str) -> int:
    """Count how often a situation occurred in a session; a run tells the sum over its sessions, and what never did.

    It judges nothing, and changes no outcome. Within a check, say it before what is asserted, since nothing is counted
    behind an assert that fails.

    Args:
        what: moments, each counts once; spans, or a flag, which counts for each stretch on which it is true; objects,
            each lifetime counts once; or a number, or True for once.
        words: the situation in words, such as `"thrown to the north"`; those of one check must differ.

    Returns:
        How often it occurred in this session.

    Raises:
        Misuse: it is something else, or a number below 0; or the check has named such a situation already.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> situation(trace.events("bell.rung"), "the bell is rung")
        1
        >>> situation(trace.one("skiff").position.x > 2.5, "far out to the east")
        1
    """
    if not words or type(words) is not str:
        raise Misuse(f"situation: expected it in words behind what is counted, found {words!r}")
    times = _times(what)
    collector = active_collector()
    if collector is not None and not collector.depth:
        if words in collector.situations:
            raise Misuse(f"situation: {words!r} is named twice in one check; use other words for one of them")
        collector.situations[words] = times
    return times


def _times(what: object) -> int:
    if isinstance(what, Flag):
        return 0 if what.track.unseen else _stretches(what)
    if isinstance(what, Moments | Spans):
        return what.count
    if isinstance(what, Objects):
        return what.lifetimes.count
    if isinstance(what, bool | Claim):
        return int(bool(what))
    if is_number(what) and float(what) >= 0 and float(what).is_integer():  # type: ignore[arg-type]
        return int(what)  # type: ignore[call-overload, no-any-return]
    raise Misuse(f"situation: expected moments, spans, a flag, objects, a whole number or True, found {what!r}")


def _stretches(flag: Flag) -> int:
    """Return on how many stretches a flag is true; of one that was picked at moments, at how many of them."""
    if flag.track.source is not None:
        return int((flag.parts[0] & flag.usable).sum())
    return flag.spans().count
