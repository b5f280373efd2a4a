"""The recorder that a Python game calls."""

import math
import os
import time
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from types import TracebackType
from typing import Any, Self

from breadcrumb.errors import BreadcrumbError, Misuse, TraceExists
from breadcrumb.journal.layout import ABOUT_NAME, FILE_NAME
from breadcrumb.journal.writing import JournalWriter
from breadcrumb.record.arrays import ArrayGroup, ArrayReader
from breadcrumb.record.groups import Group, Watched
from breadcrumb.record.plain import plain_data
from breadcrumb.record.readers import Reader, Readers, check_names, check_readers, fetch

SUFFIX = ".crumbs"


class Recorder:
    """Records one session of a game into a trace.

    Only the constructor, `watch`, `watch_each` and misuse of them raise. Within the game loop nothing does: what cannot
    be read is recorded as missing and counted, and the first of each sort is logged under `breadcrumb.record`.

    Args:
        path: the folder to make; its name ends in `.crumbs`.
        overwrite: replace a trace that is already there.
        strict: raise what would only be counted, for development.
        about: what is known of the session, as plain data: game, build, level, seed, platform, tick_rate, tags, and the
            conventions of its world, `axes`, `angles`, `units` (a text for each property) and `moment` of sampling.

    Raises:
        TraceExists: there is something at this path already.

    Example:
        >>> import tempfile
        >>> from types import SimpleNamespace
        >>> boat = SimpleNamespace(x=0.0, y=0.0, moored=False)
        >>> folder = tempfile.mkdtemp()
        >>> with Recorder(f"{folder}/first.crumbs", game="Lantern Bay", units={"position": "m"}) as rec:
        ...     rec.watch(boat, id="heron", kind="skiff", position=("x", "y"), moored="moored")
        ...     for frame in range(3):
        ...         boat.x += 0.1
        ...         rec.event("bell.rung", by="heron")
        ...         rec.frame(t=frame / 60)
    """

    def __init__(
        self, path: str | os.PathLike[str], *, overwrite: bool = False, strict: bool = False, **about: Any
    ) -> None:
        folder = os.fspath(path)
        if not folder.endswith(SUFFIX):
            raise Misuse(f"expected a name that ends in {SUFFIX}, found {folder!r}; record into {folder}{SUFFIX}")
        _make_room(folder, overwrite)
        self._strict = strict
        about.setdefault("started_at", time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()))
        self._journal = JournalWriter(os.path.join(folder, FILE_NAME), plain_data(about))
        self._groups: list[Watched] = []
        self._watched: dict[Any, list[tuple[Any, str]]] = {}
        self.notes: list[Any] = []
        self._events: list[tuple[str, Any, Any, Mapping[str, Any] | None]] = []
        self._lives = self._tables = 0
        self._texts: dict[str, int] = {}
        self._sights: Counter[str] = Counter()
        self._alive: set[str] = set()
        self._troubles: Counter[str] = Counter()
        self._frame, self._t = -1, -math.inf
        self._open = True

    # What to record

    def watch(self, thing: Any, *, id: str, kind: str, **properties: Readers) -> None:
        """Record one object on every frame from the next one on.

        Args:
            thing: the object; it is only ever read.
            id: its name in the trace.
            kind: what it is.
            properties: a reader for each: an attribute name (dotted allowed), a tuple of them for a vector, or a
                function of the object.
        """
        check_readers(properties)
        key = (kind, tuple(properties.items()))
        if key not in self._watched:
            pairs: list[tuple[Any, str]] = []
            self._watched[key] = pairs

            def name_of(wanted: Any) -> str:
                return next(name for other, name in pairs if other is wanted)

            self._add_group(kind, lambda: [thing for thing, _ in pairs], name_of, properties)
        self._watched[key].append((thing, id))

    def watch_each(
        self, source: Callable[[], Iterable[Any]], *, kind: str, id: Reader | None = None, **properties: Readers
    ) -> None:
        """Record whatever objects `source` yields on each frame; they appear and leave by themselves.

        Args:
            source: called on every frame; gives the objects that are there, in any order.
            kind: what they are; it is thereby declared, so that none at all is not taken for a wrong name.
            id: a reader of their names; without it they are `kind-1`, `kind-2` and so on, by first sight.
            properties: as for `watch`.
        """
        check_readers(properties if id is None else {**properties, "id": id})
        self._add_group(kind, source, id, properties)

    def watch_arrays(self, kind: str, ids: ArrayReader, **arrays: ArrayReader) -> None:
        """Record objects whose properties the game holds in NumPy arrays, a row an object.

        Args:
            kind: what they are.
            ids: their names, an array of whole numbers or a list; an object that is not in it any more has left.
            arrays: for each property an array of numbers or flags, or of rows of two to four numbers. Each may be given
                as a function that returns it, for games that make new arrays when objects come and go.

        Example:
            >>> import tempfile
            >>> import numpy as np
            >>> ids, places = np.arange(3), np.zeros((3, 2))
            >>> with Recorder(f"{tempfile.mkdtemp()}/many.crumbs") as rec:
            ...     rec.watch_arrays("barrel", ids, position=places)
            ...     for frame in range(60):
            ...         places += 0.1
            ...         rec.frame(t=frame / 60)
        """
        check_names(arrays)
        self.declare(kinds=[kind])
        self._groups.append(ArrayGroup(self, kind, ids, arrays))

    def declare(self, *, events: Iterable[str] = (), kinds: Iterable[str] = ()) -> None:
        """Name events and kinds that may occur, so that their absence means just that."""
        self.notes.append(["declare", list(events), list(kinds)])

    def parameter(self, name: str, value: float | str | bool, unit: str = "") -> None:
        """Record a tuning constant of the game, or its new value."""
        self.notes.append(["parameter", name, plain_data(value), unit])

    # What happens

    def event(self, name: str, *, by: Any = None, on: Any = None, data: Mapping[str, Any] | None = None) -> None:
        """Record that something happened before the next `frame()`.

        Args:
            name: a dotted text such as `flare.burst`.
            by: the id of who did it, or the watched object itself.
            on: the id of whom it was done to, or the watched object itself.
            data: what else there is to know, as plain data.
        """
        self._events.append((name, by, on, data))

    def frame(self, t: float, *, frame: int | None = None) -> None:
        """Record a frame: every watched object as it is now, and the events since the last one.

        Args:
            t: game time in seconds; it never falls, and stands still while the game is paused.
            frame: the game's own frame number, if it has gaps; otherwise frames are numbered from 0.
        """
        if not self._open:
            return
        try:
            self._take_frame(t, frame)
        except Exception as error:
            if self._strict:
                raise
            self.trouble(f"frame not recorded ({type(error).__name__})", str(error))

    def close(self) -> None:
        """Seal the trace; events since the last frame are kept as late ones. A second call does nothing."""
        if self._open:
            self._open = False
            late = [self._event_note(*event) for event in self._events]
            try:
                self._journal.seal(troubles=dict(self._troubles), late=late)
            except OSError as error:
                self.trouble("trace not sealed", f"its frames are whole, its end is missing: {error}")

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, traceback: TracebackType | None
    ) -> None:
        self.close()

    # What groups ask for (see groups.Book)

    def new_life(self, kind: str, thing: Any, id_reader: Reader | None) -> tuple[int, str]:
        """Begin a life: its number and the id of its object."""
        self._sights[kind] += 1
        name = f"{kind}-{self._sights[kind]}"
        if id_reader is not None:
            try:
                name = str(fetch(id_reader, thing))
            except Exception as error:  # the game's own code may raise anything; the object is recorded all the same
                self.trouble(f"id of a {kind} unreadable ({type(error).__name__})", f"recorded as {name}: {error}")
        if name in self._alive:
            double = next(f"{name}~{n}" for n in range(2, self._lives + 3) if f"{name}~{n}" not in self._alive)
            self.trouble(f"id {name} given twice", f"two objects have it at the same time; one is recorded as {double}")
            name = double
        self._alive.add(name)
        life, self._lives = self._lives, self._lives + 1
        self.notes.append(["appear", life, name, kind, None, self._frame >= 0])
        return life, name

    def end_life(self, life: int, name: str) -> None:
        """End a life."""
        self._alive.discard(name)
        self.notes.append(["leave", life])

    def new_table(self) -> int:
        """Give the next free table number."""
        self._tables += 1
        return self._tables - 1

    def text_code(self, text: str) -> int:
        """Give the code of a text, noting it when it is new."""
        if text not in self._texts:
            self._texts[text] = len(self._texts)
            self.notes.append(["text", self._texts[text], text])
        return self._texts[text]

    def trouble(self, sort: str, words: str) -> None:
        """Count something that could not be recorded, and say the first of its sort."""
        self._troubles[sort] += 1
        if self._strict:
            raise BreadcrumbError(f"{sort}: {words}")
        if self._troubles[sort] == 1:
            import logging  # here: a game that gives no trouble does not pay for it

            self.notes.append(["trouble", sort, words])
            logging.getLogger("breadcrumb.record").warning("%s: %s", sort, words)

    # How it is done

    def _add_group(
        self, kind: str, source: Callable[[], Iterable[Any]], id: Reader | None, properties: dict[str, Readers]
    ) -> None:
        self.declare(kinds=[kind])
        self._groups.append(Group(self, kind, source, id, properties))

    def _take_frame(self, t: float, frame: int | None) -> None:
        number, t = self._next_number(frame), self._next_time(t)
        blocks = []
        for group in self._groups:
            try:
                block = group.block()
            except Exception as error:  # the game's own code may raise anything; the other groups are still recorded
                if self._strict:
                    raise
                self.trouble(f"a group of objects not recorded ({type(error).__name__})", str(error))
                block = group.unsampled()
            if block:
                blocks.append(block)
        events, self._events = self._events, []
        for event in events:
            self.notes.append(["event", *self._event_note(*event), False])
        notes, self.notes = self.notes, []
        self._frame, self._t = number, t
        try:
            self._journal.write_frame(number, t, notes, blocks)
        except OSError as error:  # a later frame only says what changed since this one, so recording ends here
            self.close()
            self.trouble("recording stopped", f"frame {number} could not be written: {error}")

    def _next_number(self, frame: int | None) -> int:
        if frame is None or frame > self._frame:
            return self._frame + 1 if frame is None else frame
        self.trouble("frame number fell", f"frame {frame} came after frame {self._frame} and is counted on from that")
        return self._frame + 1

    def _next_time(self, t: float) -> float:
        t = float(t)
        if math.isfinite(t) and t >= self._t:
            return t
        last = self._t if math.isfinite(self._t) else 0.0
        self.trouble("time fell", f"time {t} came after {last}; the frame is recorded at {last}")
        return last

    def _event_note(self, name: str, by: Any, on: Any, data: Mapping[str, Any] | None) -> list[Any]:
        return [str(name), self._name_of(by), self._name_of(on), plain_data(dict(data)) if data else None]

    def _name_of(self, thing: Any) -> str | None:
        if thing is None or isinstance(thing, str):
            return thing
        for group in self._groups:
            member = group.members.get(id(thing)) or group.gone.get(id(thing))
            if member is not None and member.thing is thing:
                return member.name
        self.trouble("event by an unwatched object", f"{type(thing).__name__} is not watched; give its id as text")
        return None


def _make_room(folder: str, overwrite: bool) -> None:
    if os.path.exists(folder):
        if not overwrite:
            raise TraceExists(f"{folder} exists; record under another name, or say overwrite=True to replace it")
        _remove_trace(folder)
    os.makedirs(folder)


def _remove_trace(folder: str) -> None:
    import shutil  # here: rarely needed

    there = os.listdir(folder)
    if there and not {FILE_NAME, ABOUT_NAME} & set(there):
        raise TraceExists(f"{folder} holds something that is no trace; it is not overwritten")
    shutil.rmtree(folder)
