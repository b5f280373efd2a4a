"""Accepted sessions, with which checks compare those of a run."""

import functools
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from breadcrumb.errors import Misuse, NeverExercised
from breadcrumb.model.plurals import counted
from breadcrumb.run.finding import find_traces
from breadcrumb.run.loading import REFERENCE, REFERENCES
from breadcrumb.run.traces import SessionEntry, metadata_of
from breadcrumb.trace.opened import Trace, open_trace

_LEVEL = "level"
_PLAYED = (_LEVEL, "seed")
"""The metadata that an accepted session must have in common with the one that is compared with it."""
_BUILD = "build"
"""The metadata that may differ, as it does."""
_NONE = "this check takes {}, and no accepted session was named: add --reference PATH"


@dataclass(frozen=True)
class References:
    """The accepted sessions of a run."""

    sessions: tuple[SessionEntry, ...] = ()

    @classmethod
    def at(cls, paths: Iterable[Path]) -> "References":
        """Return the accepted sessions that lie at some paths.

        Raises:
            TraceError: one of them cannot be read.
        """
        return cls(tuple(SessionEntry(path, metadata_of(open_trace(path))) for path in find_traces(paths)))

    def of(self, about: Mapping[str, str], path: Path | str) -> Trace:
        """Return the accepted session of the same level and seed; of several, the one with the most metadata in common.

        Args:
            about: the metadata of the session that is compared with it.
            path: where that session is.

        Raises:
            Misuse: there are no accepted sessions, or two that fit equally well.
            NeverExercised: there is none of this level and seed, or it is the session itself.
        """
        if not self.sessions:
            raise Misuse(_NONE.format(REFERENCE))
        fitting = [one for one in self.sessions if all(one.about.get(name) == about.get(name) for name in _PLAYED)]
        if not fitting:
            wanted = ", ".join(f"{name} {about.get(name, 'unknown')}" for name in _PLAYED)
            raise NeverExercised(f"none of {counted(len(self.sessions), 'accepted sessions')} has {wanted}")
        best = max(_in_common(one.about, about) for one in fitting)
        first, *others = (one for one in fitting if _in_common(one.about, about) == best)
        if others:
            raise Misuse(f"expected one accepted session like this one, found {first.path} and {others[0].path}")
        if Path(path).exists() and first.path.samefile(path):
            raise NeverExercised("the accepted session is this session itself")
        return _opened(first.path)

    def all_of(self, about: Mapping[str, str], path: Path | str) -> tuple[Trace, ...]:
        """Return the accepted sessions of the same level, but for the session itself.

        Args:
            about: the metadata of the session that is compared with them.
            path: where that session is.

        Raises:
            Misuse: there are no accepted sessions.
            NeverExercised: there is none of this level.
        """
        if not self.sessions:
            raise Misuse(_NONE.format(REFERENCES))
        level = about.get(_LEVEL)
        fitting = [one.path for one in self.sessions if one.about.get(_LEVEL) == level]
        if not fitting:
            known = counted(len(self.sessions), "accepted sessions")
            raise NeverExercised(f"none of {known} has {_LEVEL} {about.get(_LEVEL, 'unknown')}")
        there = Path(path).exists()
        return _all_opened(tuple(one for one in fitting if not (there and one.samefile(path))))

    def given(self, wanted: str, about: Mapping[str, str], path: Path | str) -> Trace | tuple[Trace, ...]:
        """Return what a check is given besides its session: the accepted one, or all of its level."""
        return self.of(about, path) if wanted == REFERENCE else self.all_of(about, path)


def _in_common(one: Mapping[str, str], other: Mapping[str, str]) -> int:
    return sum(one[name] == other[name] for name in one.keys() & other.keys() - {_BUILD})


@functools.lru_cache(maxsize=2)
def _opened(path: Path) -> Trace:
    return open_trace(path)


@functools.lru_cache(maxsize=1)
def _all_opened(paths: tuple[Path, ...]) -> tuple[Trace, ...]:
    return tuple(map(open_trace, paths))
