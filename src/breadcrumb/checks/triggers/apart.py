"""Causes whose windows never overlap: then each effect belongs to one cause at the most, and arrays can tell which."""

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Window, elapsed
from breadcrumb.algebra.moments import Moments
from breadcrumb.model.session import NOBODY, Ints
from breadcrumb.verdicts.excerpts import Picture
from breadcrumb.verdicts.judging import Case, Phrase
from breadcrumb.verdicts.words import amount


def judge_apart(cause: Moments, effect: Moments, of_cause: Ints, of_effect: Ints, due: Window) -> Case | None:
    """Return the case of one effect for each cause; None if windows of one label overlap, or a frame holds both.

    Where a cause and an effect of one label share a frame, the order within it decides, and this is not for arrays.
    """
    clock = cause.session.clock
    size = clock.size + 1
    order = np.argsort(of_cause * size + cause.row, kind="stable")
    row, label = cause.row[order], of_cause[order]
    first, last = (one[order] for one in due.rows(clock, cause.row))
    same = label[1:] == label[:-1]
    if (same & (np.maximum(last, row)[:-1] >= row[1:])).any():
        return None
    sorting = np.argsort(of_effect * size + effect.row, kind="stable")
    keys = (of_effect * size + effect.row)[sorting]
    own = label * size
    at_cause = np.searchsorted(keys, own + row)
    if (at_cause < np.searchsorted(keys, own + row, side="right")).any():
        return None
    begin, end = (
        np.searchsorted(keys, own + first),
        np.searchsorted(keys, own + np.minimum(last, clock.size), side="right"),
    )
    count = np.maximum(end - begin, 0)
    cut = (last >= clock.size) | (last < first)
    early = (at_cause < begin) & (count == 0)
    decided = early | ~cut
    rows = np.r_[effect.row[sorting], 0]
    taken = rows[np.minimum(begin, len(sorting))]
    took = elapsed(clock, row, np.where(count > 0, taken, row), due.latest.unit)
    more = due.tol.value if due.tol is not None and due.tol.unit == due.latest.unit else 0.0
    room = due.latest.value + more - took
    if due.earliest.value:
        room = np.minimum(room, took - due.earliest.value + more)
    slack = np.where(count > 0, np.maximum(room, 0.0), -np.inf)
    kept = np.flatnonzero(decided)
    spare = np.repeat(begin + 1, np.maximum(count - 1, 0)) + _counting(np.maximum(count - 1, 0))
    surplus = sorting[spare]
    when = np.where(
        count > 0, taken, np.where(early, rows[np.minimum(at_cause, len(sorting))], np.minimum(last, clock.size - 1))
    )
    following = np.where(end < len(sorting), rows[np.minimum(end, len(sorting))], NOBODY)
    following = np.where(
        (end < len(sorting)) & (np.r_[of_effect[sorting], NOBODY][np.minimum(end, len(sorting))] == label),
        following,
        NOBODY,
    )

    def words(at: int) -> tuple[float, Phrase]:
        if early[at]:
            return too_early(cause, effect, int(row[at]), int(sorting[at_cause[at]]), due)
        late = None if following[at] == NOBODY else int(following[at])
        return too_late(cause, effect, int(row[at]), late, 0, due)

    for at in np.flatnonzero(decided & (count == 0)).tolist():  # only what is broken needs to be looked at one by one
        slack[at] = words(at)[0]

    def phrase(place: int) -> Phrase:
        if place < len(kept):
            return words(int(kept[place]))[1]
        return Phrase(f"one more {effect.label}", f"1 for each {cause.label}", "comes once too often")

    subject, life = cause.subject[order][kept], cause.life[order][kept]
    return Case(
        cause.session, np.r_[when[kept], effect.row[surplus]], np.r_[life, effect.life[surplus]],
        np.r_[subject, effect.subject[surplus]], np.r_[slack[kept], np.full(len(surplus), -1.0)], phrase, of="causes",
        unit=due.latest.unit, exact=due.exact, allowed=due.latest.value - due.earliest.value or None,
        undecided=cause.count - len(kept), unseen=cause.unseen, picture=Picture(),
    )  # fmt: skip


def too_early(cause: Moments, effect: Moments, row: int, early: int, due: Window) -> tuple[float, Phrase]:
    """Return by how much an effect came too early after a cause on a row, and the words of the breach."""
    clock, unit = cause.session.clock, due.latest.unit
    took = float(elapsed(clock, np.array([row]), effect.row[[early]], unit)[0])
    start = f"{cause.label} on frame {clock.frames[row]}"
    words = Phrase(amount(took, unit), str(due), f"{effect.label} comes too early after {start}")
    return min(took - due.earliest.value, -SAME_TIME), words


def too_late(
    cause: Moments, effect: Moments, row: int, late: int | None, had: int, due: Window
) -> tuple[float, Phrase]:
    """Return by how much an effect came too late after a cause on a row, if it came at all, and the words."""
    clock, unit = cause.session.clock, due.latest.unit
    found, slack = f"{had} of them" if had else "none", -due.latest.value
    if late is not None:
        took = float(elapsed(clock, np.array([row]), np.array([late]), unit)[0])
        found, slack = amount(took, unit), due.latest.value - took
    words = f"no {effect.label} in time after {cause.label} on frame {clock.frames[row]}"
    return min(slack, -SAME_TIME), Phrase(found, str(due), words)


def _counting(counts: Ints) -> Ints:
    """Return 0, 1, 2 and so on, as many as each count says, one after the other."""
    return np.arange(int(counts.sum())) - np.repeat(np.cumsum(counts) - counts, counts)
