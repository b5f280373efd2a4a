"""Groups: the objects of one kind that are read in the same way, and what of them goes into a frame."""

import operator
import struct
from collections.abc import Callable, Collection, Iterable, Sequence
from enum import Enum
from typing import Any, NamedTuple, Protocol

from breadcrumb.errors import Misuse
from breadcrumb.journal.layout import BLOCK_HEAD, CODES_HEAD, HAS_CODES, HAS_LIFETIMES, HAS_NUMBERS, MISSING, Column
from breadcrumb.journal.writing import Block
from breadcrumb.record.codes import CodeColumn, OtherType, cannot_read
from breadcrumb.record.plain import plain_text
from breadcrumb.record.readers import PARENT, Property, Reader, Readers, check_readers, compile_read, fetch, look_at
from breadcrumb.record.state import RecorderState


class Member(NamedTuple):
    """An object that is alive now; held, so that its address cannot be given to another."""

    thing: Any
    lifetime: int
    name: str


class Sampling(NamedTuple):
    """On which frames objects are read; that they appear and leave is seen on every frame."""

    every: int = 1
    """Every n-th frame, from the first one on."""
    only_while: Callable[[], object] | None = None
    """Only on frames on which this is true."""

    def is_due(self, turn: int) -> bool:
        """Tell whether objects are read on this turn, counted from 0."""
        return turn % self.every == 0 and (self.only_while is None or bool(self.only_while()))


class GroupSpec(NamedTuple):
    """What is to be recorded of the objects of a group."""

    kind: str
    properties: dict[str, Readers]
    id: Reader | None = None
    parent: Reader | None = None
    generation: Reader | None = None
    sampling: Sampling = Sampling()
    wrapped: bool = False
    """Whether the source makes a fresh wrapper of each object on every frame, so that ids alone tell them apart."""

    def refuse_what_cannot_be(self) -> None:
        """Refuse what no frame could be recorded with.

        Raises:
            Misuse: names what is wrong, and says what it may be.
        """
        others = {"id": self.id, "parent": self.parent, "generation": self.generation}
        check_readers(self.properties)
        check_readers({name: reader for name, reader in others.items() if reader is not None})
        if self.wrapped and self.id is None:
            raise Misuse("wrapped: expected id= beside it, by which the objects of fresh wrappers are told apart")
        if self.sampling.every < 1:
            raise Misuse(f"every: expected a number of frames from 1 on, found {self.sampling.every}")


class Watched(Protocol):
    """What a recorder asks of the objects that it watches."""

    def meet(self) -> None:
        """See who is there now: begin and end lifetimes."""

    def blocks(self) -> list[Block]:
        """Read the objects that are there; return packed blocks, none if nothing changed."""

    def unsampled(self) -> list[Block]:
        """Return the block that says that no object was read on this frame; their lifetimes go on."""

    def name_of(self, thing: Any) -> str | None:
        """Return the id of an object that is there, or left on this frame; None if it is not one of these."""

    def renew(self, thing: Any) -> bool:
        """Let an object begin a new lifetime on the next frame; tell whether it is one of these."""

    def next_part(self) -> None:
        """Note everything again that holds now, for another part of the recording."""

    def retell(self) -> None:
        """Let the next block say everything again, and not only what changed."""

    def recover(self) -> Collection[str]:
        """Put in order what an interrupted frame left behind, and return the ids of the objects that are there."""


class Group:
    """All objects that one call of `watch_each` yields, or that calls of `watch` with equal readers named."""

    def __init__(self, state: RecorderState, spec: GroupSpec, source: Callable[[], Iterable[Any]]) -> None:
        self._state, self._spec, self._source = state, spec, source
        self._things: list[Any] = []
        self._plain = True
        self._members: dict[int, Member] = {}
        self._gone: dict[int, Member] = {}
        self._newborn: list[tuple[Any, int]] = []
        self._renewed: set[int] = set()
        self._generations: dict[int, Any] = {}
        self._turn = -1
        self._anew_in_a_row = 0
        self._anew = True
        """Whether the next block says everything again, and not only what changed."""
        self._table: int | None = None
        self._unknown: list[str] = []
        """The properties of which no object had a value yet."""
        self._numbers: tuple[Property, ...] = ()
        self._columns: list[CodeColumn] = []
        self._sometimes_none: set[str] = set()
        self._read: Callable[[Sequence[Any]], tuple[bytes, list[Any]]] = lambda things: (b"", [])
        self._lifetimes = self._packed = b""
        self._codes: list[Any] | None = None

    def meet(self) -> None:
        """See who is there now: begin and end lifetimes."""
        self._turn += 1
        things = list(self._source())
        if self._gone:
            self._gone = {}
        if self._spec.wrapped and self._rewrap(things):
            return
        if self._spec.generation is not None:
            self._compare_generations(things, self._spec.generation)
        # identity is what counts; where no object has an `==` of its own, comparing the lists is the quicker way to it
        moved = things != self._things if self._plain else not _same_objects(things, self._things)
        if moved or self._renewed:
            self._meet(things)
            self._anew = True

    def blocks(self) -> list[Block]:
        """Read the objects that are there; return packed blocks, none if nothing changed."""
        for thing, lifetime in self._newborn:  # only now have all groups met their objects, parents among them
            self._note_parent(thing, lifetime)
        self._newborn = []
        if not self._spec.sampling.is_due(self._turn):
            return self.unsampled()
        former: list[Block] = []
        if self._unknown and self._has_become_known():
            former, self._table = self.unsampled(), None
        if self._table is None:
            if not self._things:
                return []
            self._lay_out(self._things)
        return [*former, *self._pack(self._things)]

    def unsampled(self) -> list[Block]:
        """Return the block that says that no object was read on this frame; their lifetimes go on."""
        self._anew = True
        return [] if self._table is None else [[BLOCK_HEAD.pack(self._table, HAS_LIFETIMES, 0)]]

    def name_of(self, thing: Any) -> str | None:
        """Return the id of an object that is there, or left on this frame; None if it is not one of these."""
        member = self._members.get(id(thing)) or self._gone.get(id(thing))
        return member.name if member is not None and member.thing is thing else None

    def renew(self, thing: Any) -> bool:
        """Let an object begin a new lifetime on the next frame; tell whether it is one of these."""
        member = self._members.get(id(thing))
        if member is None or member.thing is not thing:
            return False
        self._renewed.add(id(thing))
        return True

    def next_part(self) -> None:
        """Note everything again that holds now, for another part of the recording."""
        for address, member in self._members.items():
            lifetime = self._state.appears(member.name, self._spec.kind, seen=False)
            self._members[address] = member._replace(lifetime=lifetime)
            self._note_parent(member.thing, lifetime)
        self._lifetimes = self._packed_lifetimes(self._things)
        self._anew = True
        for column in self._columns:
            column.forget()
        if self._table is not None:
            self._note_table()

    def retell(self) -> None:
        """Let the next block say everything again, and not only what changed."""
        self._anew = True

    def recover(self) -> Collection[str]:
        """Put in order what an interrupted frame left behind, and return the ids of the objects that are there."""
        alive = self._state.alive
        self._members = {address: one for address, one in self._members.items() if alive.get(one.name) == one.lifetime}
        self._newborn = [pair for pair in self._newborn if id(pair[0]) in self._members]
        self._things, self._packed, self._codes, self._anew = [], b"", None, True
        return {one.name for one in self._members.values()}

    def _rewrap(self, things: list[Any]) -> bool:
        """Let each fresh wrapper stand for the object of its id; tell whether it is the same objects as before."""
        by_name = {member.name: address for address, member in self._members.items()}
        for thing in things:
            name = self._id_of(thing)
            former = by_name.get(name, id(thing)) if name is not None else id(thing)
            if former == id(thing) or former not in self._members:
                continue
            self._members[id(thing)] = self._members.pop(former)._replace(thing=thing)
            if former in self._generations:
                self._generations[id(thing)] = self._generations.pop(former)
            if former in self._renewed:
                self._renewed = self._renewed - {former} | {id(thing)}
        if self._renewed or self._spec.generation is not None or len(things) != len(self._things):
            return False
        known = all(id(thing) in self._members for thing in things)
        if not known or self._packed_lifetimes(things) != self._lifetimes:
            return False
        self._things = things
        return True

    def _id_of(self, thing: Any) -> str | None:
        try:
            return plain_text(fetch(self._spec.id, thing)) if self._spec.id is not None else None
        except Exception:  # the game's own code may raise anything; whoever begins its lifetime notes it
            return None

    def _compare_generations(self, things: list[Any], reader: Reader) -> None:
        """Renew the objects whose generation is another one; one that cannot be read is as it was."""
        before, self._generations = self._generations, {}
        for thing in things:
            address = id(thing)
            try:
                now = fetch(reader, thing)
                changed = address in before and bool(now != before[address])
            except Exception as error:  # the game's own code may raise anything; the object is recorded all the same
                cannot_read(self._state, self._spec.kind, "generation", error)
                now, changed = before.get(address), False
            self._generations[address] = now
            if changed:
                self._renewed.add(address)

    def _meet(self, things: list[Any]) -> None:
        """Begin and end lifetimes so that the members are these objects; drop an object that is listed twice."""
        now: dict[int, Any] = {id(thing): thing for thing in things}
        if len(now) < len(things):
            kind = self._spec.kind
            self._state.trouble("listed-twice", "an object is listed twice on one frame; recorded once", kind=kind)
            things = list(now.values())
        for address in [address for address in self._members if address not in now or address in self._renewed]:
            member = self._gone[address] = self._members.pop(address)
            self._state.leaves(member.name)
        self._renewed = set()
        self._note_if_all_anew(now)
        for address, thing in now.items():
            if address not in self._members:
                lifetime, name = self._state.begins(self._spec.kind, thing, self._spec.id)
                self._members[address] = Member(thing, lifetime, name)
                self._newborn.append((thing, lifetime))
        self._things = things
        self._plain = all(_equal_of(thing) is _equal_of(_ANY) for thing in things)
        self._lifetimes = self._packed_lifetimes(things)

    def _note_if_all_anew(self, now: dict[int, Any]) -> None:
        """Note if nothing that was there stays, many frames in a row: that looks like fresh wrappers."""
        anew = bool(now and self._things) and not self._members
        self._anew_in_a_row = self._anew_in_a_row + 1 if anew else 0
        if self._anew_in_a_row == _MANY_FRAMES and self._state.fact("all-anew", kind=self._spec.kind):
            self._state.warn(
                f"all-anew {self._spec.kind}: every object was another one, {_MANY_FRAMES} frames in a row, which "
                "begins new lifetimes; if the source makes fresh wrappers of the same objects, record them with id= "
                "and wrapped=True"
            )

    def _packed_lifetimes(self, things: list[Any]) -> bytes:
        return struct.pack(f"<{len(things)}I", *[self._members[id(thing)].lifetime for thing in things])

    def _note_parent(self, thing: Any, lifetime: int) -> None:
        parent = self._parent_of(thing)
        if parent is not None:
            self._state.belongs(lifetime, parent)

    def _parent_of(self, thing: Any) -> str | None:
        if self._spec.parent is None:
            return None
        try:
            return self._state.name_of(fetch(self._spec.parent, thing))
        except Exception as error:  # the game's own code may raise anything; the object is recorded all the same
            cannot_read(self._state, self._spec.kind, PARENT, error)
            return None

    def _lay_out(self, things: list[Any]) -> None:
        """Settle the columns at the first sight of an object, and compile what reads them."""
        properties = [look_at(name, readers, things) for name, readers in self._spec.properties.items()]
        if self._spec.parent is not None:
            properties.append(Property(PARENT, self._parent_of, (Column(PARENT, "", "text"),)))
        self._unknown = [prop.name for prop in properties if not prop.is_known]
        self._numbers = tuple(prop for prop in properties if prop.columns[0].type == "number")
        codes = [prop for prop in properties if prop.columns[0].type != "number"]
        self._columns = [CodeColumn(prop, self._spec.kind, self._state) for prop in codes]
        self._read = compile_read(self._numbers, codes, self._sometimes_none)
        self._note_table()

    def _has_become_known(self) -> bool:
        looked_at = (look_at(name, self._spec.properties[name], self._things) for name in self._unknown)
        return any(prop.is_known for prop in looked_at)

    def _note_table(self) -> None:
        numbers = [column for prop in self._numbers for column in prop.columns]
        self._table = self._state.new_table(self._spec.kind, [*numbers, *(one.column for one in self._columns)])

    def _pack(self, things: list[Any]) -> list[Block]:
        codes: list[Any] | None
        try:
            numbers, codes = self._read(things)
        except Exception:  # the game's own code may raise anything; look again, value by value
            numbers, codes = self._numbers_one_by_one(things), None
        anew, self._anew = self._anew, False
        holds, parts = 0, [b""]
        if anew:
            holds = HAS_LIFETIMES
            parts.append(self._lifetimes)
        if numbers != self._packed or (anew and numbers):
            holds |= HAS_NUMBERS
            parts.append(numbers)
            self._packed = numbers
        changed = self._changed_codes(things, codes, anew)
        if changed:
            holds |= HAS_CODES
            parts.append(changed)
        if not holds:
            return []
        parts[0] = BLOCK_HEAD.pack(self._table, holds, len(things))
        return [parts]

    def _changed_codes(self, things: list[Any], codes: list[Any] | None, anew: bool) -> bytes:
        """Return the packed flag and text columns that changed, behind their number; empty if none did.

        What was read of them is None if reading failed; then each is read again by itself.
        """
        if codes is not None and not anew and _equal(codes, self._codes):
            return b""
        width = len(self._columns)
        columns = [None if codes is None else codes[place::width] for place in range(width)]
        self._codes = codes
        packed = [column.changed(things, values, anew) for column, values in zip(self._columns, columns, strict=True)]
        changed = [CODES_HEAD.pack(place) + one for place, one in enumerate(packed) if one is not None]
        return b"".join((CODES_HEAD.pack(len(changed)), *changed)) if changed else b""

    def _numbers_one_by_one(self, things: list[Any]) -> bytes:
        """Read each number by itself; those that were found to be None are expected to be from the next frame on."""
        known = len(self._sometimes_none)
        packed = [self._values(prop, thing) for thing in things for prop in self._numbers]
        if len(self._sometimes_none) > known:
            self._read = compile_read(self._numbers, [one.prop for one in self._columns], self._sometimes_none)
        return b"".join(packed)

    def _values(self, prop: Property, thing: Any) -> bytes:
        try:
            whole = fetch(prop.readers, thing)
            several = len(prop.columns) > 1
            values = [None] * len(prop.columns) if whole is None else list(whole) if several else [whole]
            if any(value is None for value in (whole, *values)):
                self._sometimes_none.add(prop.name)
            if len(values) != len(prop.columns):
                raise OtherType(f"expected {len(prop.columns)} values, found {len(values)}")
            return struct.pack(f"<{len(values)}d", *map(_as_number, values))
        except Exception as error:  # the game's own code; this value is missing and counted
            cannot_read(self._state, self._spec.kind, prop.name, error)
            return struct.pack(f"<{len(prop.columns)}d", *[MISSING] * len(prop.columns))


def _as_number(value: Any) -> float:
    if value is None:
        return MISSING
    try:
        return float(value.value if isinstance(value, Enum) else value)
    except (TypeError, ValueError):
        raise OtherType(f"expected a number, found {value!r}") from None


_ANY = object()
_MANY_FRAMES = 10
"""For how many frames in a row all objects must be other ones until that is told."""


def _equal_of(thing: Any) -> Any:
    return type(thing).__eq__


def _equal(some: list[Any], others: list[Any] | None) -> bool:
    try:
        return bool(some == others)
    except Exception:  # a class of the game whose `==` raises; whoever looks at its values one by one notes it
        return False


def _same_objects(some: list[Any], others: list[Any]) -> bool:
    return len(some) == len(others) and all(map(operator.is_, some, others))
