"""Properties of any name: recorded, stored, checked, drawn, shown and replayed as they are called."""

import json
import subprocess
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from breadcrumb import Recorder, Trace, judge, open_trace
from breadcrumb.checks import movement, session, spawns, values
from breadcrumb.listen.exporting import frame_lines
from breadcrumb.listen.sessions import SessionWriter
from breadcrumb.model.columns import column_name, property_and_part
from breadcrumb.testing import differences, odd_names
from replayed import replay_data

Cli = Callable[..., "subprocess.CompletedProcess[str]"]
NAMES = odd_names()


@pytest.fixture(scope="module")
def odd(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A session in which an object, vectors, texts and arrays have every odd name."""
    path = tmp_path_factory.mktemp("odd") / "odd.crumbs"
    thing = SimpleNamespace(shift=0.0)
    arrays = {name: np.array([float(number), number + 0.5]) for number, name in enumerate(NAMES)}
    numbers: dict[str, Any] = {name: lambda one, n=n: n + one.shift for n, name in enumerate(NAMES)}
    vectors: dict[str, Any] = {name: (lambda one, n=n: (n, one.shift)) for n, name in enumerate(NAMES)}
    texts: dict[str, Any] = {name: (lambda _, name=name: f"text {name}") for name in NAMES}
    with Recorder(path, strict=True) as rec:
        rec.watch(thing, id="one", kind="number", properties=numbers)
        rec.watch_each(lambda: [thing], kind="vector", id=lambda _: "two", properties=vectors)
        rec.watch_each(lambda: [thing], kind="text", id=lambda _: "three", properties=texts)
        rec.watch_arrays("array", np.arange(2), properties=arrays)
        for frame in range(3):
            thing.shift = frame / 4
            rec.frame(frame / 10)
    return path


def _assert_whole(trace: Trace) -> None:
    number, vector, text, array = (trace.all(kind) for kind in ("number", "vector", "text", "array"))
    assert [set(one.properties) for one in (number, vector, text, array)] == [set(NAMES)] * 4
    for n, name in enumerate(NAMES):
        assert number[name].values.tolist() == [n, n + 0.25, n + 0.5]
        assert vector[name].y.values.tolist() == [0, 0.25, 0.5]
        assert text[name].values.tolist() == [f"text {name}"] * 3
        assert array[name].values.tolist() == [n] * 3 + [n + 0.5] * 3
        assert values.equals(vector[name].x, n).outcome == "held"
        assert spawns.appears_with(number, {name: n}).outcome == "untested"
    table = trace.table("number")
    assert len(set(table.columns)) == len(table.columns) == len(NAMES) + 4


def test_columns_tell_properties_and_parts_apart_whatever_their_names() -> None:
    """No two properties share a column, none takes a column of ours, and each name comes back."""
    columns = [column_name(name, part) for name in NAMES for part in ("", "x")]
    assert len({*columns, "id", "lifetime", "frame", "t"}) == len(columns) + 4
    assert [property_and_part(column) for column in columns] == [(name, part) for name in NAMES for part in ("", "x")]


def test_every_store_keeps_properties_of_any_name(odd: Path, tmp_path: Path) -> None:
    """Journal, Parquet, frame lines and the trace made of them hold every property under its own name."""
    _assert_whole(open_trace(odd))
    trace = open_trace(odd)
    _assert_whole(trace)
    writer = SessionWriter(lambda about: tmp_path / "lines.crumbs")
    for line in frame_lines(trace.data):
        writer.take(line)
    writer.close()
    again = open_trace(tmp_path / "lines.crumbs")
    assert differences(trace, again) == ()
    _assert_whole(again)


def test_checks_name_properties_as_the_game_does(odd: Path) -> None:
    """A rule on a property of any name says it, and its breach too; what only changes names nothing else."""
    trace = open_trace(odd)
    for name in NAMES:
        signal = trace.one("number")[name]
        broken = movement.stays_between(signal, high=-1)
        assert broken.sentence == f"{name} of the number stays at or below -1"
        assert broken.rule.subject.key == f"one(number).{name}"
        assert judge(signal.rate() < 0, f"{name} falls").outcome == "broken"
    only = session.only_these_change(trace, ["number.*", "vector.*"])
    assert (only.outcome, only.tested) == ("held", 2 * len(NAMES))
    assert {"lifetimes", "ids"} <= set(dir(trace.one("number"))) & set(NAMES) | {"ids"}


def test_a_property_called_like_an_attribute_is_had_by_its_name(odd: Path) -> None:
    """What is called like something of ours is reached in brackets, and a check that is given ours says so."""
    number = open_trace(odd).one("number")
    assert (str(number.kind), number["kind"].values[0]) == ("number", NAMES.index("kind"))
    with pytest.raises(TypeError, match=r"objects\['kind'\]"):
        _ = number.kind == "number"
    with pytest.raises(TypeError, match=r"objects\['kind'\]"):
        values.equals(number.kind, 3)  # type: ignore[arg-type] # what is refused


def test_the_commands_take_any_name(odd: Path, cli: Cli, tmp_path: Path) -> None:
    """`show` and `replay` tell of every property, and `draw` draws those that are asked for."""
    trace = open_trace(odd)
    shown = json.loads(cli("show", odd, "--json").stdout)
    assert {one["name"] for kind in shown["kinds"] for one in kind["properties"]} == set(NAMES)
    assert cli("show", odd).returncode == 0
    drawn = [f"one.{column_name(name)}" for name in NAMES if "\0" not in name and not name.startswith("-")]
    for some in (drawn[:8], drawn[60:68], drawn[-8:]):
        done = cli("draw", odd, *(word for spec in some for word in ("--signal", spec)), "--out", tmp_path)
        assert done.returncode == 0, done.stderr
    assert cli("replay", odd, "--out", tmp_path / "odd.html", "--no-open").returncode == 0
    page = replay_data(tmp_path / "odd.html")
    assert [one["name"] for one in page["kinds"][0]["properties"]] == list(trace.one("number").properties)
