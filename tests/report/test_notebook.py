"""What a user sees of a value at a prompt, in a notebook and in pandas."""

import subprocess
import sys
from collections.abc import Callable
from functools import partial
from typing import Any

import pandas as pd
import pytest

from breadcrumb import Trace, judge
from breadcrumb.run.results import CheckInfo, Result, SessionResult
from breadcrumb.run.tallies import RunResult
from breadcrumb.testing import make_trace

HOSTILE = "<script>alert(1)</script>"


@pytest.fixture(scope="module")
def trace() -> Trace:
    """Two kegs with a property of every sort, one of them called like a script."""
    state = {
        "x": 1.0,
        "yaw": 10.0,
        "at": (1.0, 2.0),
        "q": (0.0, 0.0, 0.0, 1.0),
        "lit": True,
        "mood": HOSTILE,
        "to": "b",
    }
    states = [{HOSTILE: state | {"x": float(n), "lit": n != 1}, "b": state | {"lit": None}} for n in range(30)]
    kinds, events = (
        {HOSTILE: "keg", "b": "keg"},
        [(2, "hit", HOSTILE, None, {"force": HOSTILE}), (3, HOSTILE, "b", None)],
    )
    return make_trace(
        states, kinds=kinds, angles={"unit": "deg"}, units={"x": "m"}, events=events, parameters={"cap": 3}
    )


def _of_kegs(name: str, trace: Trace) -> Any:
    return trace.all("keg")[name]


def _ran(trace: Trace) -> RunResult:
    check = CheckInfo("check_few", "check_kegs.py", 1)
    result = Result.of(check, "a.crumbs", HOSTILE, (judge(trace.all("keg").x < 20, HOSTILE),))
    return RunResult.of([SessionResult("a.crumbs", (result,))])


VALUES: dict[str, Callable[[Any], Any]] = {
    **{name: partial(_of_kegs, name) for name in ("x", "yaw", "at", "q", "lit", "mood", "to")},
    "unseen": lambda t: t.all("keg").x.during((t.all("keg").x > 99).spans()),
    "moments": lambda t: t.events("hit"),
    "picked": lambda t: t.all("keg").x.at(t.events("hit")),
    "spans": lambda t: t.all("keg").lit.spans(),
    "segments": lambda t: t.all("keg").x.per(t.all("keg").lit.spans()),
    "objects": lambda t: t.all("keg"),
    "clock": lambda t: t.clock,
    "parameter": lambda t: t.parameter("cap"),
    "mean": lambda t: t.all("keg").x.mean(),
    "trace": lambda t: t,
    "session": lambda t: t.data.session,
    "track": lambda t: t.all("keg").x.track,
    "verdict": lambda t: judge(t.all("keg").x < 20, HOSTILE * 9),
    "result": lambda t: _ran(t).results[0],
    "run": _ran,
}  # fmt: skip


@pytest.mark.parametrize("name", VALUES)
def test_everything_is_shown_in_one_line(trace: Trace, name: str) -> None:
    """The repr of whatever a user holds is one line of a hundred letters or so, whatever the session is."""
    said = repr(VALUES[name](trace))
    assert "\n" not in said
    assert 3 < len(said) < 200


ROWS: dict[str, tuple[str, int, dict[str, Any]]] = {
    # a value as a table: its columns, how many rows, and one of them
    "x": ("x", 60, {"x": 1.0}),
    "at": ("at.x at.y", 60, {"at.x": 1.0, "at.y": 2.0}),
    "lit": ("lit", 60, {"lit": False}),
    "mood": ("mood", 60, {"mood": HOSTILE}),
    "moments": ("frame t order by on data.force", 1, {}),
    "spans": (
        "id lifetime first last begin end frames seconds",
        2,
        {"id": HOSTILE, "lifetime": 1, "first": 2, "last": 29},
    ),
}


@pytest.mark.parametrize("name", ROWS)
def test_a_value_becomes_a_table_of_pandas(trace: Trace, name: str) -> None:
    """The table has a row for each sample, moment or span; what is missing is missing in pandas too."""
    columns, rows, second = ROWS[name]
    table = VALUES[name](trace).to_frame()
    assert (" ".join(map(str, table.columns)), len(table)) == (columns, rows)
    if second:
        assert {key: table.iloc[1][key] for key in second} == second
    if name == "lit":
        assert int(table["lit"].isna().sum()) == 30
        assert VALUES["lit"](trace).to_series().dtype == "boolean"
        assert table.loc[(HOSTILE, 1, 3)].index.tolist() == [pytest.approx(0.3)]


def test_a_verdict_becomes_a_table(trace: Trace) -> None:
    """Each object has a row with what was tested and its first breach."""
    table = judge(trace.all("keg").x < 20, "few").to_frame()
    assert table["object"].tolist() == [HOSTILE, "b"]
    assert table["breaches"].tolist() == [10, 0]
    assert table["first_frame"].tolist() == [20, pd.NA]


def test_a_notebook_shows_tables_in_which_nothing_runs(trace: Trace) -> None:
    """What a cell ends with is shown as a table with its names escaped, once a notebook opens a trace."""
    from breadcrumb.report import notebook

    notebook.register()
    verdict = judge(trace.all("keg").x < 20, HOSTILE)
    several: list[Any] = [
        VALUES["x"](trace),
        VALUES["mood"](trace),
        trace.events("hit"),
        trace.events(HOSTILE),
        VALUES["spans"](trace),
        trace.all("keg"),
        verdict,
        trace,
        _ran(trace),
    ]
    for one in several:
        shown = one._repr_html_()
        assert "<table" in shown
        assert "<script" not in shown
    code = (
        "import sys, types; sys.modules['IPython'] = types.ModuleType('IPython')\n"
        "import breadcrumb; breadcrumb.open_trace; from breadcrumb import Signal; print(hasattr(Signal, '_repr_html_'))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout == "True\n"
