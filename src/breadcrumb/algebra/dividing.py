"""Taking signals, moments and spans of a divided session into one of its episodes, or into the whole session."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TypeVar

import numpy as np

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.participants import Participants
from breadcrumb.algebra.samples import Samples
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.tracks import Track
from breadcrumb.model.episodes import Episode, Episodes
from breadcrumb.model.rows import Rows, indices_of
from breadcrumb.model.session import NOBODY, Bools, Ints, Session
from breadcrumb.model.trace import TraceData

S = TypeVar("S", bound=Samples)


def rows_in(episode: Episode, clock_index: Ints, order: Ints, participants: Participants | None) -> Bools:
    """Return which moments an episode has.

    Of those on the frame of its restart, it has neither those that were told before the restart, nor those of what was
    gone by then.
    """
    inside = np.asarray((clock_index >= episode.first) & (clock_index <= episode.last))
    if not episode.number:
        return inside
    early = (clock_index == episode.first) & (order != NOBODY) & (order < episode.order)
    if participants is not None:
        for lifetime in (participants.by_lifetime, participants.on_lifetime):
            gone = (lifetime != NOBODY) & (episode.lifetimes(lifetime) == NOBODY)
            early |= (clock_index == episode.first) & gone
    return np.asarray(inside & ~early)


@dataclass(frozen=True)
class Division:
    """How rows of a divided session become rows of another session, which begins at one of its clock indices."""

    data: TraceData
    session: Session
    begin: int
    lifetimes: Callable[[Ints], Ints]
    """Gives the lifetimes of the other session."""
    episode: Episode | None = None
    """The episode that is taken; None for the whole session."""

    @classmethod
    def into(cls, episode: Episode) -> "Division":
        """Take what lies in one episode."""
        return cls(episode, episode.session, episode.first, episode.lifetimes, episode)

    @classmethod
    def undone(cls, episodes: Episodes) -> "Division":
        """Take everything back into the whole session."""
        original = np.append(episodes.original, NOBODY)
        return cls(episodes.whole, episodes.whole.session, 0, original.__getitem__)

    def samples(self, signal: S) -> S:
        """Return the samples of a signal that are there; of one that was picked at moments, those of theirs."""
        rows = self.kept(signal)
        taken = signal if rows is None else signal.take(rows)
        moved: S = replace(taken, track=self._track(taken.track))
        return moved

    def moments(self, moments: Moments) -> Moments:
        """Return the moments that are there."""
        rows = self.kept(moments)
        taken = moments if rows is None else moments.pick(indices_of(rows))
        return replace(
            taken, session=self.session, clock_index=taken.clock_index - self.begin,
            participants=self._participants(taken.participants),
        )  # fmt: skip

    def spans(self, spans: Spans) -> Spans:
        """Return the spans that begin there; one that goes on behind the episode ends with it."""
        taken, last = spans, spans.last
        if self.episode is not None:
            begun = (spans.first >= self.episode.first) & (spans.first <= self.episode.last)
            taken = spans.pick_rows(np.flatnonzero(begun))
            last = np.minimum(taken.last, self.episode.last)
        return replace(
            taken, session=self.session, first=taken.first - self.begin, last=last - self.begin,
            participants=self._participants(taken.participants),
            unknown=None if spans.unknown is None else self.spans(spans.unknown),
            pairs=None if spans.pairs is None else self.spans(spans.pairs),
        )  # fmt: skip

    def kept(self, rows: Samples | Moments) -> Rows | None:
        """Return those samples or moments that are there; None for all."""
        if self.episode is None:
            return None
        if isinstance(rows, Moments):
            return np.flatnonzero(rows_in(self.episode, rows.clock_index, rows.order, rows.participants))
        track = rows.track
        if track.source is None:
            return track.in_episode(self.episode.number)
        return np.flatnonzero(rows_in(self.episode, track.source[0], track.source[1], track.participants))

    def _track(self, track: Track) -> Track:
        source = track.source
        return replace(
            track, session=self.session, lifetime=self.lifetimes(track.lifetime),
            clock_index=track.clock_index - self.begin,
            source=None if source is None else (source[0] - self.begin, *source[1:]),
            participants=None if track.participants is None else self._participants(track.participants),
        )  # fmt: skip

    def _participants(self, participants: Participants) -> Participants:
        by, on = (None if known is None else self.lifetimes(known) for known in participants.known)
        return replace(
            participants, session=self.session, clock_index=participants.clock_index - self.begin, known=(by, on)
        )
