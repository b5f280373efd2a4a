"""Whether values are there at all, and whether references point to something that is."""

from dataclasses import replace
from typing import Any, Unpack

import numpy as np

from breadcrumb.algebra.participants import lifetimes_at
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.sorts import Text
from breadcrumb.algebra.spans import Spans
from breadcrumb.checks.declaration import Common, check, without_unit
from breadcrumb.model.session import NOBODY, Bools, Ints, Lifetimes
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.comparing import Scope, untested
from breadcrumb.verdicts.judging import Evaluation, Phrase
from breadcrumb.verdicts.sweeping import AllTrue
from breadcrumb.verdicts.verdict import Verdict


@check("{signal:title} is never missing", unit=without_unit)
def never_missing(
    signal: Signal,
    *,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a value is there on every sample.

    Args:
        signal: the value; of one that was picked at moments, it must be there at each of them.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample. Untested if there is none. It is exact, so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> flags = [{"red": {"height": height}} for height in (1.0, None, 1.0)]
        >>> never_missing(make_trace(flags, kinds={"red": "flag"}).one("flag").height).first.frame
        1
    """
    if signal.track.unseen:
        return untested(signal)
    seen = Scope(during, except_during).of(signal.known)
    said = Phrase("missing", "a value", f"{signal.name} is missing")
    evaluation = Evaluation.of_samples(seen, AllTrue(seen), lambda index: said, exact=True, unit="")
    return evaluation.verdict()


@check("{signal:title} names {objects:one_of} that is there[or_none?, or none]", unit=without_unit)
def refers_to(
    signal: Text,
    objects: Objects,
    *,
    or_none: bool = False,
    during: Spans | None = None,
    except_during: Spans | None = None,
    **common: Unpack[Common],
) -> Verdict:
    """Assert that a reference names one of some objects, and one that is there on that frame.

    Args:
        signal: the reference, a text that holds ids.
        objects: what it may name.
        or_none: whether it may name nothing: be missing, or an empty text.
        during: judge only inside these spans.
        except_during: judge only outside these spans.

    Returns:
        A verdict on every sample; with `or_none`, on those that name something. Untested if there is none. It is exact,
        so it has no margin.

    Example:
        >>> from breadcrumb.testing import make_trace
        >>> frames = [{"lamp": {"target": "heron"}, "heron": {"x": 1.0}}, {"lamp": {"target": "heron"}}]
        >>> trace = make_trace(frames, kinds={"lamp": "lamp", "heron": "skiff"})
        >>> verdict = refers_to(trace.one("lamp").target, trace.all("skiff"))
        >>> verdict.first.frame, verdict.first.words
        (1, 'target names heron, which is not there')
    """
    if signal.track.unseen:
        return untested(signal)
    seen: Any = Scope(during, except_during).of(signal)
    session, texts = seen.track.session, seen.texts or ()
    nothing = ~seen.usable | np.isin(seen.parts[0], [code for code, text in enumerate(texts) if not text])
    if or_none:
        seen = seen.take(np.flatnonzero(~nothing))
        nothing = np.zeros(len(seen), np.bool_)
    named = _names(seen, texts, session.names)
    lifetime = lifetimes_at(session, named, seen.track.clock_index)
    there = _is_there(session.lifetimes, lifetime, seen.track.clock_index)
    meant = np.isin(named, [session.names.index(id) for id in objects.ids])
    right = there & meant & ~nothing

    def phrase(index: int) -> Phrase:
        allowed = f"a {objects.key.kind} that is there" if objects.is_group else objects.called
        if nothing[index]:
            return Phrase("nothing", allowed, f"{signal.name} names nothing")
        id = texts[int(seen.parts[0][index])]
        if named[index] == NOBODY:
            return Phrase(id, allowed, f"{signal.name} names {id}, and there is no such object")
        why = f"is no {objects.key.kind}" if not meant[index] and objects.is_group else "is another object"
        return Phrase(id, allowed, f"{signal.name} names {id}, which {why if not meant[index] else 'is not there'}")

    evaluation = Evaluation.of_samples(
        replace(seen, valid=None), np.where(right, 0.0, -1.0), phrase, exact=True, unit=""
    )
    return evaluation.verdict()


def _is_there(lifetimes: Lifetimes, which: Ints, clock_index: Ints) -> Bools:
    """Return whether each lifetime had begun by a clock index, and had not ended; NOBODY never has."""
    begin = np.append(np.where(lifetimes.appear == NOBODY, lifetimes.first, lifetimes.appear), 0)[which]
    leave = np.append(lifetimes.leave, 0)[which]
    return np.asarray((which != NOBODY) & (begin <= clock_index) & ((leave == NOBODY) | (clock_index < leave)))


def _names(signal: Text, texts: tuple[str, ...], known: tuple[str, ...]) -> Ints:
    """Return what each sample names, as an index into the session's names, or NOBODY."""
    index = {name: place for place, name in enumerate(known)}
    of_text = np.array([*(index.get(text, NOBODY) for text in texts), NOBODY])
    return np.asarray(of_text[np.where(signal.usable, signal.parts[0], -1)])
