"""Clock indices in time: those a while later, and how far apart they are."""

import numpy as np

from breadcrumb.algebra.durations import SAME_TIME, Duration, elapsed, window
from breadcrumb.model.session import NOBODY, Floats, Ints, Session


def shifted(session: Session, clock_index: Ints, lifetime: Ints, by: Duration) -> Ints:
    """Return the first clock index at least a duration behind each one.

    It is NOBODY where the lifetime, the episode or the trace has ended by then, and where it was not recorded.
    """
    later, _ = window((by, by)).clock_indices(session.clock, clock_index)
    last = session.end_of_episode(clock_index)
    owned = lifetime != NOBODY
    last[owned] = np.minimum(last[owned], session.lifetimes.last[lifetime[owned]])
    there = later <= last
    reached = np.where(there, later, 0)
    in_gap = np.isin(reached, session.gaps)  # that instant may be one that was not recorded
    there &= ~in_gap | (elapsed(session.clock, clock_index, reached, by.unit) <= by.value + SAME_TIME)
    return np.where(there, later, NOBODY)


def intervals(session: Session, clock_index: Ints, groups: tuple[Ints, ...], unit: str) -> Floats:
    """Return how long each clock index is after the one before it in its group; NaN for the first one.

    It is NaN too where a restart or a gap in the recording lies in between. The rows of a group stand together, in
    order.
    """
    passed = np.full(len(clock_index), np.nan)
    here, there = clock_index[1:], clock_index[:-1]
    alike = ~session.is_torn(there, here) & (session.episode_of(there) == session.episode_of(here))
    for group in groups:
        alike &= group[1:] == group[:-1]
    passed[1:][alike] = elapsed(session.clock, there[alike], here[alike], unit)
    return passed
