import math
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from breadcrumb import open_trace
from breadcrumb.testing import differences

Cli = Callable[..., "subprocess.CompletedProcess[str]"]


def test_a_trace_is_packed_checked_and_unpacked(cli: Cli, tmp_path: Path, bay: Callable[..., Path]) -> None:
    """A zipped trace is shown and checked like its folder, by its name or its URL, and unpacks to the same."""
    assert cli("convert", bay(seconds=20), "night.crumbs.zip").returncode == 0
    shown = cli("show", "night.crumbs.zip")
    assert (shown.returncode, shown.stderr) == (0, "")
    assert cli("show", f"file://{tmp_path}/night.crumbs.zip").stdout == shown.stdout
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import Box\n"
        "from breadcrumb.checks import movement\n"
        "def check_it(trace):\n"
        "    assert movement.stays_inside(trace.one(id='heron'), Box((-1, -1), (1, 1)))\n"
    )
    done = cli("check", "check_it.py", tmp_path)
    assert done.returncode == 1
    assert (tmp_path / "night.figures" / "it--it--stays_inside--heron.png").exists()
    assert cli("convert", "night.crumbs.zip", "again.crumbs").returncode == 0
    assert differences(open_trace(bay(seconds=20)), open_trace(tmp_path / "again.crumbs")) == ()
    for words, said in {
        ("night.crumbs.zip", "again.crumbs"): "again.crumbs exists",
        ("again.crumbs", "s3://a/b.crumbs"): "not written to it",
        ("a.jsonl", "b.crumbs.zip"): "become a folder first",
        ("none.crumbs.zip", "b.crumbs"): "found nothing",
        ("again.crumbs", "b.txt"): "b.txt: expected a name that ends in .crumbs, .crumbs.zip, .jsonl or .csv",
        ("--long", "again.crumbs", "b.jsonl"): "--long: expected a table as the target",
    }.items():
        done = cli("convert", *words)
        assert (done.returncode, said in done.stderr, done.stderr.count("\n")) == (2, True, 1), done.stderr


def test_samples_go_to_csv_and_back(cli: Cli, tmp_path: Path, bay: Callable[..., Path]) -> None:
    """Wide and long tables bring every sample back, and each says what it leaves out."""
    whole = open_trace(bay(seconds=20))
    for more, name in (((), "wide"), (("--long",), "long")):
        done = cli("convert", *more, bay(seconds=20), f"{name}.csv")
        assert (done.returncode, "left out: " in done.stderr, " events, " in done.stderr) == (0, True, True)
        assert cli("convert", f"{name}.csv", f"{name}.crumbs").returncode == 0
        again = open_trace(tmp_path / f"{name}.crumbs")
        assert "made of a table" in again.notes[0]
        for kind in ("skiff", "barrel", "flare", "puff"):
            mine, yours = (one.table(kind).astype({"id": str}) for one in (whole, again))
            mine, yours = (one.sort_values(["frame", "id"], ignore_index=True) for one in (mine, yours))
            assert set(mine.columns) - set(yours.columns) <= {"parent"}
            yours = yours[list(mine.columns)].astype(mine.dtypes)
            assert ((mine == yours) | (mine.isna() & yours.isna())).all(axis=None), kind


WRONG_TABLES = {
    "no times": ("id,x\na,1\n", "expected a column 't'"),
    "no ids": ("t,id\n0,a\n1,\n", "column 'id' of each row, and row 2 has none"),
    "two samples": ("t,id,x\n0,a,1\n0,a,2\n", "found two of a on frame 0"),
    "two kinds": ("t,id,kind\n0,a,b\n1,a,c\n", "rows of one kind for each id, found a as several"),
    "two times": ("frame,t,id\n0,0,a\n0,1,b\n", "one time for each frame, found 0 and 1 s on frame 0"),
    "falling times": ("frame,t,id\n0,1,a\n1,0,a\n", "times that never fall, found 0 s on frame 1"),
    "no number": ("t,id\nlate,a\n", "a number in the column 't' of row 1, found 'late'"),
    "half a frame": ("frame,t,id\n0.5,0,a\n", "whole numbers in the column 'frame'"),
    "lifetimes that overlap": ("t,id,lifetime\n0,a,1\n1,a,2\n2,a,1\n", "one lifetime of a after the other"),
    "nothing": ("", "comma-separated values with a header"),
    "two values": ("t,id,property,value\n0,a,x,1\n0,a,x,2\n", "one value of a property of an object on each frame"),
}


@pytest.mark.parametrize("name", WRONG_TABLES)
def test_a_table_that_contradicts_itself_is_refused(name: str, cli: Cli, tmp_path: Path) -> None:
    """One line says what was expected and found, and where; no trace is made."""
    content, said = WRONG_TABLES[name]
    (tmp_path / "wrong.csv").write_text(content)
    done = cli("convert", "wrong.csv", "wrong.crumbs")
    assert (done.returncode, said in done.stderr, done.stderr.count("\n")) == (2, True, 1), done.stderr
    assert not (tmp_path / "wrong.crumbs").exists()


def test_a_foreign_table_is_judged_like_a_session(cli: Cli, tmp_path: Path) -> None:
    """Flags, texts, numbers and vectors are told apart; what is empty is missing, and NaN is a number that is none."""
    (tmp_path / "own.csv").write_text(
        "t, id, kind, position.x, position.y, lit, mood, n\n"
        "0.0, heron, skiff, 0, 1, true, calm, 1\n0.1, heron, skiff, 1, 1, false, , NaN\n0.2, heron, skiff, 2, 1, , wild,\n"
    )
    assert cli("convert", "own.csv", "own.crumbs").returncode == 0
    heron = open_trace(tmp_path / "own.crumbs").one("skiff")
    assert heron.position.values.tolist() == [[0, 1], [1, 1], [2, 1]]
    assert (heron.lit.filled(False).values.tolist(), heron.lit.known.values.tolist()) == (
        [True, False, False],
        [True, True, False],
    )
    assert heron.mood.filled("?").values.tolist() == ["calm", "?", "wild"]
    assert (heron.n.usable.tolist(), math.isnan(heron.n.parts[0][1])) == ([True, True, False], True)
