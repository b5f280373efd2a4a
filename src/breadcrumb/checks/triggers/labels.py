"""Which moments belong together: those of the same lifetimes, of one pair, of equal data, or all."""

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from breadcrumb.algebra.indexing import Index
from breadcrumb.algebra.matching import Match, keys_of, matches, note, pair_rows
from breadcrumb.algebra.moments import Moments
from breadcrumb.model.session import NOBODY, Ints


def labels(match: str, moments: Moments) -> Ints:
    """Return a number for each moment of a list that is matched with itself; those of equal numbers belong together.

    Args:
        match: `"subject"`, `"pair"` (by and on), `"any"`, or an entry of the data that must be equal.
        moments: the moments.
    """
    if match == "subject":
        return moments.participants.subject_code + 1  # nobody is one of them
    return _given(match, moments)[0]


class Paired(NamedTuple):
    """Two lists of moments without those that go with none of the other, and which of them belong together."""

    left: Moments
    right: Moments
    of_left: Ints
    of_right: Ints
    left_rows: Ints
    """Which of the moments that were given the left ones are."""
    kinds: tuple[str, ...] = ()
    """The kinds by which they belong together."""

    def note_alone(self, first: Ints, last: Ints) -> None:
        """Note how many on the left have one on the right in time by each of several kinds alone.

        Args:
            first: the first clock index in time for each on the left.
            last: the last one.
        """
        words = []
        for kind in self.kinds if len(self.kinds) > 1 else ():
            left, right = (keys_of(one.participants, kind) for one in (self.left, self.right))
            index = Index.of(self.right.session, right, self.right.clock_index)
            words.append(f"by {kind} alone {int(index.any_between(left, first, last).sum())}")
        if words:
            note(f"of {self.left.count} {self.left.label}, {', '.join(words)} would have {self.right.label} in time")


def paired(match: str, left: Moments, right: Moments) -> Paired:
    """Return two lists of moments with a number for each; moments with equal numbers belong together.

    Raises:
        Misuse: nothing says which belong together.
    """
    if match != "subject":
        of_left, of_right = _given(match, left, right)
        return Paired(left, right, of_left, of_right, np.arange(left.count))
    pairing = pair_rows(left.participants, right.participants)
    left, right = _told(left, pairing.left, pairing.kinds), _told(right, pairing.right, pairing.kinds)
    return Paired(left, right, pairing.left_keys, pairing.right_keys, pairing.left, pairing.kinds)


def _told(moments: Moments, rows: Ints, kinds: tuple[str, ...]) -> Moments:
    """Return some of the moments, told of the participant by which they are matched."""
    moments = moments if len(rows) == moments.count else moments.pick(rows)
    participants = moments.participants.meant_by(kinds)
    return moments if participants is moments.participants else replace(moments, participants=participants)


def excused(match: str, left: Moments, right: Moments) -> Iterator[Match]:
    """Yield which moments go with which others that excuse them.

    Raises:
        Misuse: nothing says which belong together.
    """
    if match == "subject":
        yield from matches(left.participants, right.participants, excuses=True)
        return
    owned = np.flatnonzero(right.subject != NOBODY)
    of_left, of_right = _given(match, left, right.pick(owned))
    yield Match(slice(None), owned, of_left, of_right, match)
    everyones = np.flatnonzero(right.subject == NOBODY)
    yield Match(slice(None), everyones, np.zeros(left.count, np.int64), np.zeros(len(everyones), np.int64), match)


def by_label(label: Ints, moments: Moments) -> Ints:
    """Return the order in which moments of one label follow one another, label by label."""
    return np.lexsort((np.arange(moments.count), moments.order, moments.clock_index, label))


def _given(match: str, *several: Moments) -> list[Ints]:
    if match == "any":
        return [np.zeros(moments.count, np.int64) for moments in several]
    if match == "pair":
        return [_pair_code(moments) for moments in several]
    known: dict[Any, int] = {}
    return [
        np.array([known.setdefault(_comparable(one.get(match)), len(known)) for one in moments.data], np.int64)
        for moments in several
    ]


def _pair_code(moments: Moments) -> Ints:
    """Return a number for by and on of each, lifetimes or named things."""
    by, on = moments.participants.codes
    size = moments.session.lifetimes.size + len(moments.session.names) + 1
    return (by + 1) * size + on + 1


def _comparable(value: Any) -> Any:
    """Return an entry of the data in a form that equal entries share."""
    if isinstance(value, list | tuple):
        return tuple(_comparable(part) for part in value)
    if isinstance(value, Mapping):
        return tuple((key, _comparable(value[key])) for key in sorted(value))
    return float(value) if isinstance(value, int | float) else value
