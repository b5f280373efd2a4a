"""Facts: what to know of a recording, as records; sentences are made of them where they are shown."""

import builtins
from collections.abc import Callable
from dataclasses import dataclass

from breadcrumb.model.plurals import counted


@dataclass(frozen=True, slots=True)
class Fact:
    """Something to know of a recording."""

    code: str
    """What it is; the codes are those of the journal, and a few that opening adds."""
    kind: str = ""
    """The kind of object that it is about."""
    property: str = ""
    """The property or event that it is about."""
    detail: str = ""
    count: int = 1
    """How often it happened."""

    @builtins.property  # a field has that name here
    def words(self) -> str:
        """The fact as a sentence."""
        make = _WORDS.get(self.code)
        return make(self) if make is not None else f"{self.code}{_about(self)}, {_times(self.count)}"


CUT = "cut"
"""The recording has no end of its own: the game, or what recorded it, was killed."""
DAMAGED = "damaged"
"""A part of the journal is damaged; the detail says between which frames."""
EMPTY = "empty"
"""No frame was recorded."""
IN_MEMORY = "in-memory"
"""The trace was opened without being turned into files; the detail says why."""
OTHER_TYPE = "other-type"
"""A value was of another type than the first one of its property, and is missing."""
PAUSED = "paused"
"""The recording was paused; the detail is the last frame before that."""
LOST_FRAMES = "lost-frames"
"""The game could not send all its frames."""
NOT_RECORDED = "frame-not-recorded"
"""A frame could not be recorded; the detail is the error."""
LOSSES = frozenset((DAMAGED, LOST_FRAMES, NOT_RECORDED))
"""With one of these, frames whose numbers are missing were lost."""
FROM_TABLE = "from-table"
"""The trace was made of a table, which holds samples alone."""
UNKNOWN_FIELD = "unknown-field"
"""A frame line had a field that is not known."""


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count} times"


def _about(fact: Fact) -> str:
    what = ".".join(part for part in (fact.kind, fact.property) if part)
    return (f" {what}" if what else "") + (f" ({fact.detail})" if fact.detail else "")


_WORDS: dict[str, Callable[[Fact], str]] = {
    CUT: lambda fact: f"the recording was cut after frame {fact.detail}; all frames up to there are whole",
    EMPTY: lambda fact: "no frame was recorded",
    DAMAGED: lambda fact: f"the journal is damaged {fact.detail}; what was recorded there is lost",
    IN_MEMORY: lambda fact: f"held in memory: {fact.detail}",
    OTHER_TYPE: lambda fact: f"{fact.kind}.{fact.property} changed its type {_times(fact.count)}; recorded as missing",
    PAUSED: lambda fact: f"the recording was paused after frame {fact.detail}, for {counted(fact.count, 'frames')}",
    LOST_FRAMES: lambda fact: f"the game could not send {counted(fact.count, 'frames')}",
    UNKNOWN_FIELD: lambda fact: f"the field {fact.property!r} is not known and was ignored, {_times(fact.count)}",
    FROM_TABLE: lambda fact: (
        f"made of a table of {counted(fact.count, 'samples')}, which tells no events, parameters or parents"
    ),
    "not-plain": lambda fact: (
        f"a value given to {fact.property} could not be recorded, {_times(fact.count)} ({fact.detail})"
    ),
    "unreadable": lambda fact: f"{fact.kind}.{fact.property} could not be read {_times(fact.count)} ({fact.detail})",
    "data-unreadable": lambda fact: (
        f"the data of {fact.property} could not be read {_times(fact.count)} ({fact.detail})"
    ),
    "id-unreadable": lambda fact: f"the id of {fact.kind} could not be read {_times(fact.count)} ({fact.detail})",
    "id-twice": lambda fact: f"two {fact.kind} objects had the id {fact.detail} at the same time",
    "listed-twice": lambda fact: f"a {fact.kind} was listed twice on one frame, {_times(fact.count)}; recorded once",
    "all-anew": lambda fact: (
        f"every {fact.kind} was another object than on the frame before, ten frames in a row; if the game makes fresh "
        "wrappers of the same objects, record them with id= and wrapped=True"
    ),
    "unwatched-named": lambda fact: (
        f"an object of type {fact.detail} was named {_times(fact.count)} although it is not watched"
    ),
    "unwatched-renewed": lambda fact: (
        f"an object of type {fact.detail} was renewed {_times(fact.count)} although it is not watched"
    ),
    NOT_RECORDED: lambda fact: f"{counted(fact.count, 'frames')} could not be recorded ({fact.detail})",
    "group-not-recorded": lambda fact: f"a group of objects could not be read {_times(fact.count)} ({fact.detail})",
    "frame-number-fell": lambda fact: f"the frame number fell {_times(fact.count)}",
    "time-fell": lambda fact: f"the time fell {_times(fact.count)}",
    "no-new-part": lambda fact: "a new part of the recording could not be started",
    "stopped": lambda fact: f"the recording stopped at {fact.detail}, which could not be written",
}
