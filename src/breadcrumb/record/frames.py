"""Frames: what a recorder was told and has read becomes one record of the journal, whatever interrupts it."""

import math
from collections.abc import Mapping
from typing import Any, NamedTuple

from breadcrumb.journal.records import ClockRecord, EventRecord, Record
from breadcrumb.journal.state import STANDING_EVERY
from breadcrumb.journal.writing import Block, JournalWriter
from breadcrumb.record.groups import Watched
from breadcrumb.record.plain import plain_data, plain_number, plain_text, words_of
from breadcrumb.record.state import RecorderState

_HIGHEST_FRAME = 2**53


class _Event(NamedTuple):
    """An event, plain but for the objects that it names: these may not have been met yet."""

    name: str
    by: Any
    on: Any
    data: dict[str, Any] | None


class _Writing(NamedTuple):
    """A frame that is being written, so that it is told once, whatever interrupts it."""

    frame: int
    t: float
    records: list[Record]
    record_count: int
    events: list[_Event]
    event_count: int
    begin: int
    """How many bytes the journal had before it."""


class FrameWriter:
    """Writes the frames of a recording.

    What is handed over is made plain at once. It is dropped only when it is written: a frame that fails, or that an
    interrupt ends, leaves what it should have told to the next one.

    Attributes:
        journal: where they go; another one for each part of the recording.
        state: names of objects, and what was noted since the last frame.
        groups: the objects that are read on every frame.
        frame: the number of the last frame.
        is_stopped: whether a frame could not be written, so that nothing more can be.
    """

    def __init__(self, journal: JournalWriter, state: RecorderState, strict: bool) -> None:
        self.journal, self.state, self._strict = journal, state, strict
        self.groups: list[Watched] = []
        self.frame, self._t = -1, -math.inf
        self.is_stopped = False
        self._events: list[_Event] = []
        self._writing: _Writing | None = None
        self._unsettled = False
        self._until_standing = STANDING_EVERY

    def event(self, name: Any, by: Any, on: Any, data: Mapping[str, Any] | None) -> None:
        """Keep an event for the next frame."""
        told = None
        try:
            name = plain_text(name)
            told = plain_data(dict(data)) if data else None
        except Exception as error:  # what a game hands over may raise anything when it is looked at
            name = name if type(name) is str else "event"
            words = f"recorded without: {words_of(error)}"
            self.state.trouble("data-unreadable", words, property=name, detail=type(error).__name__)
        self._events.append(_Event(name, by, on, told))

    def skip(self, frame: Any) -> None:
        """Pass over a frame while the recording is paused, and what happened on it."""
        self.frame = self._next_number(frame)
        self._events = []

    def next_part(self, journal: JournalWriter) -> None:
        """Seal the journal and go on in another one."""
        self.settle()
        self._seal(self.state.left_over())
        self.journal = journal
        self.state.next_part()
        for group in self.groups:
            group.next_part()

    def close(self) -> None:
        """Seal the journal; events since the last frame are late ones."""
        self.settle()
        late = [self._event_of(event, late=True) for event in self._events]
        self._seal([*self.state.left_over(), *late])

    def write(self, t: Any, frame: Any, clock: tuple[Any, ...] | None) -> None:
        """Read every group, and write the frame.

        Raises:
            Exception: what kept it from being written; what it should have told is told with the next one.
        """
        self._unsettled = True
        try:
            self._write(t, frame, clock)
        except Exception:
            self._recover()
            raise

    def _write(self, t: Any, frame: Any, clock: tuple[Any, ...] | None) -> None:
        number, t = self._next_number(frame), self._next_time(t)
        self._until_standing -= 1
        tells_all = self._until_standing <= 0
        if tells_all:
            for group in self.groups:
                group.retell()
        blocks = self._blocks()
        events, records = self._events, self.state.records
        count = len(events)
        told: list[Record] = [self._event_of(event, late=False) for event in events[:count]] if count else []
        if clock is not None:
            told.append(self._clock_of(clock))
        if tells_all:
            told += self.state.standing()
            self._until_standing = STANDING_EVERY
        writing = self._writing = _Writing(number, t, records, len(records), events, count, self.journal.size)
        try:
            self.journal.write_frame(number, t, records + told if told else records, blocks)
        except OSError as error:  # a later frame only says what changed since this one, so recording ends here
            self._stop(number, error)
            return
        self._note_written(writing)
        self._unsettled = False

    def _note_written(self, writing: _Writing) -> None:
        """Drop what is written; a second call does nothing."""
        self.frame, self._t = writing.frame, writing.t
        self.state.began = True
        self.state.told(writing.records, writing.record_count)
        if writing.events and self._events is writing.events:
            self._events = writing.events[writing.event_count :]
        self._writing = None

    def settle(self) -> None:
        """Put in order what an interrupted frame left behind: what it should have told is told with the next one."""
        if self._unsettled and not self._recover():
            self.state.fact("frame-not-recorded", detail="interrupted")

    def _recover(self) -> bool:
        """Go on behind a frame that was not finished; tell whether it was written all the same."""
        size, writing = self.journal.settle(), self._writing
        written = writing is not None and size > writing.begin
        if writing is not None and written:
            self._note_written(writing)
        self._writing = None
        self.state.recover({id for group in self.groups for id in group.recover()})
        self._unsettled = False
        return written

    def _stop(self, number: int, error: OSError) -> None:
        self._unsettled, self._writing = False, None
        self.is_stopped = True
        detail = f"frame {number}"
        self.state.fact("stopped", detail=f"{detail} ({error.strerror or words_of(error)})")
        self._seal([])
        self.state.warn(f"the recording stopped: {detail} could not be written: {words_of(error)}")

    def _blocks(self) -> list[Block]:
        """See who is there, then read it: a child's parent may be in a group that is read later."""
        unread = []
        for group in self.groups:
            try:
                group.meet()
            except Exception as error:  # the game's own code may raise anything; the other groups are still recorded
                self._not_recorded(error)
                unread.append(group)
        blocks: list[Block] = []
        for group in self.groups:
            try:
                blocks += group.unsampled() if group in unread else group.blocks()
            except Exception as error:
                self._not_recorded(error)
                blocks += group.unsampled()
        return blocks

    def _not_recorded(self, error: Exception) -> None:
        if self._strict:
            raise error
        self.state.trouble("group-not-recorded", words_of(error), detail=type(error).__name__)

    def not_plain(self, what: str, error: Exception) -> None:
        """Note that something that was handed over cannot be made plain."""
        self.state.trouble("not-plain", words_of(error), property=what, detail=type(error).__name__)

    def _next_number(self, frame: Any) -> int:
        if frame is None:
            return self.frame + 1
        try:
            whole = int(frame)
            if whole != frame or not self.frame < whole <= _HIGHEST_FRAME:
                raise ValueError(f"expected a whole number above {self.frame}, found {frame!r}")
        except Exception as error:  # what a game hands over may raise anything when it is looked at
            words = f"the frame is numbered {self.frame + 1}: {words_of(error)}"
            self.state.trouble("frame-number-fell", words)
            return self.frame + 1
        return whole

    def _next_time(self, t: Any) -> float:
        last = self._t if math.isfinite(self._t) else 0.0
        try:
            now = float(t)
        except Exception as error:  # what a game hands over may raise anything when it is looked at
            self.not_plain("t", error)
            return last
        if math.isfinite(now) and now >= self._t:
            return now
        self.state.trouble("time-fell", f"time {now} came after {last}; the frame is recorded at {last}")
        return last

    def _clock_of(self, clock: tuple[Any, ...]) -> ClockRecord:
        """Return what the game said of its clock; what is no finite number is left out and noted."""
        told: list[Any] = []
        for name, value in zip(ClockRecord._fields, clock, strict=True):
            number = None
            try:
                number = plain_number(value)
            except Exception as error:  # what a game hands over may raise anything when it is looked at
                self.not_plain(name, error)
            told.append(number)
        wall, steps, scale, paused = told
        return ClockRecord(wall, steps, scale, None if paused is None else bool(paused))

    def _event_of(self, event: _Event, *, late: bool) -> EventRecord:
        by, on = (self._id_of(one) for one in (event.by, event.on))
        return EventRecord(event.name, by, on, event.data, late)

    def _id_of(self, thing: Any) -> str | None:
        try:
            return self.state.name_of(thing)
        except Exception as error:  # what a game hands over may raise anything when it is looked at
            self.not_plain("id", error)
            return None

    def _seal(self, records: list[Record]) -> None:
        try:
            self.journal.seal(records, self.state.facts)
        except OSError as error:
            self.state.warn(f"the trace's frames are complete, its end is missing: {words_of(error)}")
