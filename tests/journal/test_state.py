"""One state machine gives out the numbers of a journal, for the recorder and the listener alike; docs list what it writes."""

import ast
import inspect
import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from breadcrumb.journal import layout
from breadcrumb.journal.layout import Column
from breadcrumb.journal.records import (
    NAMES,
    AppearRecord,
    DeclareRecord,
    EventRecord,
    FactRecord,
    LeaveRecord,
    ParentRecord,
    Record,
    TableRecord,
    TextRecord,
    plain,
    record_of,
)
from breadcrumb.journal.state import RecordingState
from breadcrumb.model import facts

ROOT = Path(__file__).parents[2]
PAGE = (ROOT / "docs" / "journal.md").read_text(encoding="utf-8")

IDS = st.sampled_from(["heron", "tern", "gull", "a b", ""])


@given(st.lists(st.tuples(st.sampled_from(["appear", "leave", "text", "table"]), IDS)))
def test_numbers_rise_by_one_and_name_what_is_there(steps: list[tuple[str, str]]) -> None:
    """Lifetimes, tables and texts are numbered from 0 in the order of their records, whatever comes and goes."""
    state = RecordingState()
    alive: dict[str, int] = {}
    for what, name in steps:
        if what == "appear" and name not in alive:
            alive[name] = state.appears(name, "skiff", seen=True)
        elif what == "leave" and name in alive:
            assert state.leaves(name) == alive.pop(name)
        elif what == "text":
            assert state.text_code(name) == state.text_code(name)
        elif what == "table":
            state.new_table(name, [Column(name, "", "number")])
        assert state.alive == alive
    records = state.take()
    assert state.take() == []
    for kind, number in ((AppearRecord, "lifetime"), (TableRecord, "number"), (TextRecord, "code")):
        given_out = [getattr(record, number) for record in records if isinstance(record, kind)]
        assert given_out == list(range(len(given_out)))
    left = [record.lifetime for record in records if isinstance(record, LeaveRecord)]
    assert len(set(left)) == len(left)


@given(st.lists(st.tuples(st.sampled_from(["cut", "paused", "other-type"]), IDS, st.integers(1, 9))))
def test_facts_are_counted_and_written_once(told: list[tuple[str, str, int]]) -> None:
    """The first of a kind is a record of its frame, and all of them have their counts at the end."""
    state = RecordingState()
    counts: dict[tuple[str, str], int] = {}
    for code, detail, count in told:
        assert state.fact(code, detail=detail, count=count) is ((code, detail) not in counts)
        counts[code, detail] = counts.get((code, detail), 0) + count
    assert len([record for record in state.take() if isinstance(record, FactRecord)]) == len(counts)
    assert {(fact.code, fact.detail): fact.times for fact in state.facts} == counts


def test_another_journal_begins_anew() -> None:
    """A new part of a session numbers from 0, with what still stands in front."""
    state = RecordingState()
    state.appears("heron", "skiff", seen=False, parent="quay")
    state.text_code("idle")
    state.fact("paused", detail="3")
    assert state.take()[1] == ParentRecord(0, "quay")
    state.restart([DeclareRecord(["bell"], [])])
    assert state.appears("tern", "skiff", seen=False) == 0
    assert state.text_code("held") == 0
    assert (state.facts, state.alive) == ([], {"tern": 0})
    assert state.take()[0] == DeclareRecord(["bell"], [])


RECORDS: list[Record] = [
    TableRecord(0, "skiff", [Column("x", "", "number"), Column("at", "y", "number")]),
    AppearRecord(3, "heron", "skiff", seen=True),
    ParentRecord(3, "quay"),
    LeaveRecord(3),
    TextRecord(0, "漂う 🏮"),
    EventRecord("bell", None, "heron", {"n": [1, {"a": None}]}, late=False),
    DeclareRecord(["bell"], ["skiff"]),
    FactRecord("cut", "", "", "9", 1),
]


@pytest.mark.parametrize("record", RECORDS, ids=lambda record: type(record).__name__)
def test_a_record_comes_back_from_its_list(record: Record) -> None:
    """A record is a list of its type and its fields; a field too many, or of another type, is refused."""
    content = plain(record)
    assert record_of(content) == record
    for wrong in ([*content, 1], content[:-1], [content[0], *[object()] * (len(content) - 1)], ["nothing", 1]):
        with pytest.raises(ValueError, match="record"):
            record_of(wrong)


def test_every_record_is_on_the_page_with_its_fields() -> None:
    """docs/journal.md names each type of record, and its fields in their order."""
    for kind, name in NAMES.items():
        row = re.search(rf"^\| `{name}` \| ([^|]*) \|", PAGE, re.MULTILINE)
        assert row is not None, name
        fields: tuple[str, ...] = kind._fields  # type: ignore[attr-defined]
        expected = ["count" if field == "times" else field for field in fields]
        assert row[1].split(", ") == expected, name


def _codes() -> set[str]:
    """Return the codes of facts that the recorder, the listener and the store give, as their sources have them."""
    found = {value for name, value in vars(facts).items() if name.isupper() and isinstance(value, str)}
    for file in (ROOT / "src" / "breadcrumb").rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and getattr(node.func, "attr", "") in ("trouble", "fact") and node.args:
                first: Any = getattr(node.args[0], "value", None)
                found |= {first} if isinstance(first, str) else set()
    return found - {"not-sealed"}  # is logged only: there is no journal left to write it to


def test_every_code_of_a_fact_is_on_the_page_and_has_a_sentence() -> None:
    """docs/journal.md lists the codes, no more and no fewer, and each becomes a sentence of its own."""
    table = PAGE.partition("## Facts")[2]
    listed = set(re.findall(r"^\| `([a-z-]+)`", table, re.MULTILINE))
    assert _codes() - listed == set()
    for code in listed:
        words = facts.Fact(code, "keg", "x", "9", 2).words
        assert not words.startswith(code), code


def test_the_page_has_the_numbers_of_the_layout() -> None:
    """The version, the first bytes and the missing values on the page are those of the code."""
    assert f"describes version {layout.FORMAT_VERSION}," in PAGE
    assert repr(layout.MAGIC.decode())[1:-1] in PAGE
    assert f"0x{layout.MISSING_BITS:016X}" in PAGE
    assert f"0x{layout.MISSING_TEXT:08X}" in PAGE
    assert inspect.getdoc(layout.checksum) is not None
