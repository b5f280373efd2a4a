"""The recorder that a Python game calls."""

import os
import sys
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from types import TracebackType
from typing import Any, Self

from breadcrumb.errors import BreadcrumbError
from breadcrumb.journal.processes import generation
from breadcrumb.journal.records import DeclareRecord, ParameterRecord, RestartsRecord
from breadcrumb.record.arrays import ArrayGroup, ArrayReader
from breadcrumb.record.conventions import kind_of, names_of, plain_about
from breadcrumb.record.frames import FrameWriter
from breadcrumb.record.groups import Group, GroupSpec, Sampling, Watched
from breadcrumb.record.making import begin
from breadcrumb.record.plain import plain_data, plain_text, words_of
from breadcrumb.record.readers import Reader, Readers, all_properties, check_names
from breadcrumb.record.shapes import Shape
from breadcrumb.record.state import RecorderState, is_under_way


class Recorder:
    """Records one session of a game into a trace.

    Only the constructor, the `watch` calls and misuse of them raise. Within the game loop nothing does: what cannot
    be read is recorded as missing and counted, and the first of each sort is logged under `breadcrumb.record`.

    Args:
        path: the folder to make; its name ends in `.crumbs`.
        overwrite: replace a trace that is already there.
        strict: raise what would only be counted, for development.
        most_mib: at how many MiB on the disk the recording stops, and says so; None for no limit.
        about: what is known of the session, as plain data: game, build, level, seed, platform, tick_rate, and the
            conventions of its world, `axes`, `angles`, `units` and `spaces` (a text for each property), `areas` (their
            origins), `moment` of sampling and `fixed_step` in seconds, if there is one.

    Raises:
        TraceExists: there is something at this path already.
        Misuse: a convention is not what it can be.

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
        self,
        path: str | os.PathLike[str],
        *,
        overwrite: bool = False,
        strict: bool = False,
        most_mib: float | None = None,
        **about: Any,
    ) -> None:
        folder = os.fspath(path)
        about.setdefault("started_at", time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()))
        self._strict, self._most_mib, self._about = strict, most_mib, plain_about(about)
        journal = begin(folder, overwrite, self._about, most_mib)
        self._folder, self._part, self._process = folder, 1, generation()
        self._state = RecorderState(strict)
        self._frames = FrameWriter(journal, self._state, strict)
        self._watched: dict[Any, list[tuple[Any, str]]] = {}
        self._detach: list[Callable[[], None]] = []
        self._open, self._paused = True, False
        self._paused_after, self._skipped = -1, 0
        self._lock = threading.RLock()
        self._is_busy = self._must_close = False

    def watch(
        self,
        thing: Any,
        *,
        id: str,
        kind: str,
        parent: Reader | None = None,
        every: int = 1,
        only_while: Callable[[], object] | None = None,
        shape: Shape | None = None,
        properties: Mapping[str, Readers] | None = None,
        **named: Readers,
    ) -> None:
        """Record one object on every frame from the next one on.

        Args:
            thing: the object; it is only ever read.
            id: its name in the trace.
            kind: what it is.
            parent: a reader of the object that it belongs to, or of that one's id; it may change.
            every: n to read it on every n-th frame only.
            only_while: read it only on frames on which this function returns true.
            shape: what body the objects of this kind have, for checks of what they touch.
            properties: a reader for each, by any name: an attribute name (dotted allowed), a tuple of them for a
                vector, or a function of the object.
            named: the same, for properties whose names can stand before an equals sign.
        """
        kind, readers = kind_of(kind), all_properties(properties, named, parent)
        key = (kind, parent, every, only_while, shape, tuple(readers.items()))
        if key not in self._watched:
            pairs: list[tuple[Any, str]] = []

            def name_of(spec: Any) -> str:
                return next(name for other, name in pairs if other is spec)

            spec = GroupSpec(kind, readers, name_of, parent, None, Sampling(every, only_while))
            self._add_group(spec, shape, lambda: [thing for thing, _ in pairs])
            self._watched[key] = pairs
        self._watched[key].append((thing, id))

    def watch_each(
        self,
        source: Callable[[], Iterable[Any]],
        *,
        kind: str,
        id: Reader | None = None,
        parent: Reader | None = None,
        generation: Reader | None = None,
        wrapped: bool = False,
        every: int = 1,
        only_while: Callable[[], object] | None = None,
        shape: Shape | None = None,
        properties: Mapping[str, Readers] | None = None,
        **named: Readers,
    ) -> None:
        """Record whatever objects `source` yields on each frame; they appear and leave by themselves.

        Args:
            source: called on every frame; gives the objects that are there, in any order.
            kind: what they are, which is declared thereby.
            id: a reader of their names; without it they are `kind-1`, `kind-2` and so on, by first sight.
            parent: as for `watch`.
            generation: a reader of a value that changes when a pooled object is reused; this starts a new lifetime.
            wrapped: whether `source` makes a fresh wrapper of each object on every frame; then `id` tells them apart.
            every: as for `watch`; that objects appear and leave is seen on every frame.
            only_while: as for `watch`.
            shape: as for `watch`.
            properties: as for `watch`.
            named: as for `watch`.
        """
        kind, readers = kind_of(kind), all_properties(properties, named, parent)
        sampling = Sampling(every, only_while)
        self._add_group(GroupSpec(kind, readers, id, parent, generation, sampling, wrapped), shape, source)

    def watch_arrays(
        self,
        kind: str,
        ids: ArrayReader,
        *,
        shape: Shape | None = None,
        properties: Mapping[str, ArrayReader] | None = None,
        **named: ArrayReader,
    ) -> None:
        """Record objects whose properties the game holds in NumPy arrays, a row an object.

        Args:
            kind: what they are.
            ids: their names, an array of whole numbers or a list; an object that is not in it any more has left.
            shape: as for `watch`.
            properties: for each property, by any name, an array of numbers or flags, or of rows of two to four numbers;
                or a function that returns it, for games that make new arrays when objects come and go.
            named: the same, for properties whose names can stand before an equals sign.

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
        arrays = all_properties(properties, named)
        check_names(arrays)
        kind = kind_of(kind)
        self._add(ArrayGroup(self._state, kind, ids, arrays), kind, shape)

    def declare(self, *, events: Iterable[str] = (), kinds: Iterable[str] = (), restarts: Iterable[str] = ()) -> None:
        """Declare names that may occur, so that a check on one that does not is untested, not an error.

        Args:
            events: names of events.
            kinds: kinds of objects.
            restarts: names of events at which the game begins anew: a new round, a reset, the level again. Checks judge
                what lies between two restarts by itself.
        """
        if not self._records_here():
            return
        with self._lock:
            try:
                begins = names_of(restarts)
                note = DeclareRecord([*names_of(events), *begins], names_of(kinds))
            except Exception as error:  # what a game hands over may raise anything when it is looked at
                self._frames.not_plain("declare", error)
                return
            self._state.stands(("declare", *note.events, "", *note.kinds), note)
            if begins:
                self._state.stands(("restarts", *begins), RestartsRecord(begins))

    def parameter(self, name: str, value: float | str | bool, unit: str = "") -> None:
        """Record a tuning constant of the game, or its new value."""
        if not self._records_here():
            return
        with self._lock:
            try:
                record = ParameterRecord(plain_text(name), plain_data(value), plain_text(unit))
            except Exception as error:  # what a game hands over may raise anything when it is looked at
                self._frames.not_plain("parameter", error)
                return
            self._state.stands(("parameter", record.name), record)

    def errors_from(self, logger: Any, *, level: int | str = "ERROR") -> None:
        """Record what a logger is told as `error` events, from this level on, until the recorder is closed.

        Args:
            logger: a `logging.Logger`, or its name; `""` is the one above all others. A record that names its object,
                as `logger.error("no roll", extra={"by": hatch})` does, is an event by that object, or `"on"` it.
            level: the lowest level that is recorded, as `logging` has it.
        """
        from breadcrumb.record.logs import attach  # here: it needs logging, which a game may do without

        self._detach.append(attach(logger, level, self.event))

    def event(self, name: str, *, by: Any = None, on: Any = None, data: Mapping[str, Any] | None = None) -> None:
        """Record that something happened before the next `frame()`.

        Args:
            name: a dotted text such as `flare.burst`.
            by: the id of who did it, or the watched object itself.
            on: the id of whom it was done to, or the watched object itself.
            data: what else there is to know, as plain data.
        """
        if not self._records_here():
            return
        with self._lock:
            self._frames.event(name, by, on, data)

    def brief_lifetime(self, kind: str, *, id: str | None = None, parent: Any = None) -> None:
        """Record an object that appeared and left since the last frame, and so was never sampled.

        Args:
            kind: what it was.
            id: its name; without it, it is numbered like others of its kind.
            parent: the object that it belonged to, or that one's id.
        """
        if not self._records_here():
            return
        with self._lock:
            try:
                kind = plain_text(kind)
            except Exception as error:  # what a game hands over may raise anything when it is looked at
                self._frames.not_plain("brief_lifetime", error)
                return
            owner = self._state.name_of(parent)
            _, name = self._state.begins(kind, None, None if id is None else lambda _: id, made=True, parent=owner)
            self._state.leaves(name)

    def renew(self, thing: Any) -> None:
        """Let a watched object begin a new lifetime on the next frame: a pooled object was reused."""
        if not self._records_here():
            return
        with self._lock:
            if any(group.renew(thing) for group in self._frames.groups):
                return
            words = f"an object of type {type(thing).__name__} is not there to begin a new lifetime"
            self._state.trouble("unwatched-renewed", words, detail=type(thing).__name__)

    def frame(
        self,
        t: float,
        *,
        frame: int | None = None,
        wall: float | None = None,
        steps: int | None = None,
        scale: float | None = None,
        paused: bool | None = None,
    ) -> None:
        """Record a frame: every watched object as it is now, and the events since the last one.

        Args:
            t: game time in seconds; it never falls, and stands still while the game is paused.
            frame: the game's own frame number, if it has gaps; otherwise frames are numbered from 0.
            wall: seconds by a real clock, for checks of the pace.
            steps: how many steps of fixed length the game took in this frame.
            scale: how fast game time runs against real time; 0.5 is slow motion.
            paused: whether the game is paused.
        """
        if not self._records_here():
            return
        with self._lock:
            if self._is_busy and is_under_way(Recorder.frame.__code__, self, sys._getframe(1)):
                words = "frame() was called within frame(), by a reader of the game or a signal handler"
                self._state.trouble("frame-not-recorded", words, detail="nested")
                return
            self._is_busy = True
            try:
                self._frames.settle()
                if self._paused:
                    self._frames.skip(frame)
                    self._skipped += 1
                else:
                    clock = None if wall is steps is scale is paused is None else (wall, steps, scale, paused)
                    self._frames.write(t, frame, clock)
            except Exception as error:
                if self._strict:
                    raise
                self._state.trouble("frame-not-recorded", words_of(error), detail=type(error).__name__)
            finally:
                self._is_busy = False
                if self._must_close or self._frames.is_stopped:
                    self._close()

    def pause(self) -> None:
        """Record neither frames nor events until `resume()`; the frames in between are a gap in the trace."""
        if not self._paused:
            self._paused, self._paused_after, self._skipped = True, self._frames.frame, 0

    def resume(self) -> None:
        """Record again from the next frame on."""
        if self._paused and self._paused_after >= 0:
            self._state.fact("paused", detail=str(self._paused_after), count=self._skipped)
        self._paused = False

    def continue_in(self, path: str | os.PathLike[str]) -> None:
        """Seal the trace and go on in another one, so that a long session is cut into parts without loss.

        Every object that is there goes on in the new part under its id, as one that was there before. If the new trace
        cannot be made, the session goes on in the old one.
        """
        with self._lock:
            if not self._records_here():
                return
            folder = os.fspath(path)
            about = {**self._about, "part": self._part + 1, "continues": os.path.basename(self._folder)}
            try:
                journal = begin(folder, False, about, self._most_mib)
            except (BreadcrumbError, OSError) as error:
                self._state.trouble("no-new-part", words_of(error))
                return
            self._frames.next_part(journal)
            self._folder, self._part = folder, self._part + 1

    def close(self) -> None:
        """Seal the trace; events since the last frame are kept as late ones. A second call does nothing.

        Within `frame()`, as a signal handler may call it, it takes effect as soon as that frame is done. In a process
        that was forked off it only lets go of the file.
        """
        if self._open and generation() != self._process:
            self._open = False
            self._frames.journal.abandon()
            return
        with self._lock:
            if self._is_busy and is_under_way(Recorder.frame.__code__, self, sys._getframe(1)):
                self._must_close = True
            elif self._open:
                self._close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, traceback: TracebackType | None
    ) -> None:
        self.close()

    # How it is done

    def _add_group(self, spec: GroupSpec, shape: Shape | None, source: Callable[[], Iterable[Any]]) -> None:
        spec.refuse_what_cannot_be()
        self._add(Group(self._state, spec, source), spec.kind, shape)

    def _add(self, group: Watched, kind: str, shape: Shape | None) -> None:
        self.declare(kinds=[kind])
        with self._lock:
            self._state.has_shape(kind, shape)
            self._frames.groups.append(group)
            self._state.crowds.append(group)

    def _records_here(self) -> bool:
        """Tell whether this recorder is open, and was begun by this process and not by one that it was forked from."""
        return self._open and generation() == self._process

    def _close(self) -> None:
        self._open = self._must_close = False
        for detach in self._detach:
            detach()
        if not self._frames.is_stopped:
            self._frames.close()
