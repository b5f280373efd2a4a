"""The book of a recording: who lives under which number, what was told once and still holds, and what went wrong."""

from collections import Counter
from typing import Any, Protocol

from breadcrumb.errors import BreadcrumbError
from breadcrumb.journal.layout import Column
from breadcrumb.record.readers import Reader, fetch


class Crowd(Protocol):
    """Objects among which the book looks for one that an event or a child names."""

    def name_of(self, thing: Any) -> str | None:
        """Return the id of an object that is there, or left on this frame; None if it is not one of these."""


class Book:
    """Gives numbers to lives, tables and texts, and gathers the notes of the frame in hand.

    Args:
        strict: raise what would only be counted.
    """

    def __init__(self, strict: bool) -> None:
        self._strict = strict
        self.crowds: list[Crowd] = []
        self.notes: list[Any] = []
        self.troubles: Counter[str] = Counter()
        self.began = False
        """Whether a frame was recorded, so that what is new from now on was seen to appear."""
        self._standing: dict[tuple[str, ...], list[Any]] = {}
        self._lives = self._tables = 0
        self._texts: dict[str, int] = {}
        self._sights: Counter[str] = Counter()
        self._alive: set[str] = set()

    def appears(self, kind: str, thing: Any, id_reader: Reader | None, *, made: bool = False) -> list[Any]:
        """Begin a life; return its note, in which its parent may still be filled in."""
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
        return self._note_life(kind, name, seen=made or self.began)

    def goes_on(self, kind: str, name: str) -> list[Any]:
        """Note a life that began in an earlier part of the recording."""
        return self._note_life(kind, name, seen=False)

    def leaves(self, life: int, name: str) -> None:
        """End a life."""
        self._alive.discard(name)
        self.notes.append(["leave", life])

    def new_table(self, kind: str, columns: list[Column]) -> int:
        """Note the columns of a new table, and return its number."""
        number, self._tables = self._tables, self._tables + 1
        self.notes.append(["table", number, kind, columns])
        return number

    def text_code(self, text: str) -> int:
        """Give the code of a text, noting it when it is new."""
        if text not in self._texts:
            self._texts[text] = len(self._texts)
            self.notes.append(["text", self._texts[text], text])
        return self._texts[text]

    def stands(self, key: tuple[str, ...], note: list[Any]) -> None:
        """Note what holds until it is noted again, in later parts of the recording too."""
        self._standing[key] = note
        self.notes.append(note)

    def name_of(self, thing: Any) -> str | None:
        """Return the id of a watched object; a text is an id already."""
        if thing is None or isinstance(thing, str):
            return thing
        for crowd in self.crowds:
            name = crowd.name_of(thing)
            if name is not None:
                return name
        self.trouble("unwatched object named", f"{type(thing).__name__} is not watched; give its id as text")
        return None

    def trouble(self, sort: str, words: str) -> None:
        """Count something that could not be recorded, and say the first of its sort."""
        self.troubles[sort] += 1
        if self._strict:
            raise BreadcrumbError(f"{sort}: {words}")
        if self.troubles[sort] == 1:
            import logging  # here: a game that gives no trouble does not pay for it

            self.notes.append(["trouble", sort, words])
            logging.getLogger("breadcrumb.record").warning("%s: %s", sort, words)

    def turn_page(self) -> None:
        """Begin anew for another part of the recording: numbers from 0, and the notes that still stand."""
        self._lives = self._tables = 0
        self._texts = {}
        self.troubles = Counter()
        self.began = False
        self.notes = list(self._standing.values())

    def left_over(self) -> list[Any]:
        """Return what was noted since the last frame; before the first one, lives have no frame to belong to."""
        return [note for note in self.notes if self.began or note[0] in ("parameter", "declare")]

    def _note_life(self, kind: str, name: str, *, seen: bool) -> list[Any]:
        note = ["appear", self._lives, name, kind, None, seen]
        self._lives += 1
        self.notes.append(note)
        return note
