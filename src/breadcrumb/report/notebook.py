"""Tables of pandas in notebooks: what a cell ends with is shown as one, under its one line of text."""

import html
from typing import Any

from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.report.machines import result_words
from breadcrumb.run.tallies import RunResult
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.verdict import Verdict

_ROWS = 20
"""How many rows are shown."""


def register() -> None:
    """Have notebooks show traces, objects, signals, moments, spans, verdicts and results of a run as tables."""
    for kind in (Signal, Moments, Spans):
        kind._repr_html_ = _table  # type: ignore[union-attr]
    Objects._repr_html_ = _objects  # type: ignore[attr-defined]
    Verdict._repr_html_ = _verdict  # type: ignore[attr-defined]
    Trace._repr_html_ = _trace  # type: ignore[attr-defined]
    RunResult._repr_html_ = _run  # type: ignore[attr-defined]


def _table(value: Any) -> str:
    """Return a value as a line of text and a table of its first rows."""
    table = value.to_frame()
    left = len(table) - _ROWS
    more = f"<p>{left} more rows</p>" if left > 0 else ""
    return f"<p>{html.escape(repr(value))}</p>{table.head(_ROWS).to_html(border=0)}{more}"


def _objects(objects: Objects) -> str:
    """Return objects as a line of text and a table of their properties."""
    import pandas as pd

    signals = [objects.signal(name) for name in objects.properties]
    rows = {"property": [str(one.name) for one in signals], "is": [str(one.sort) for one in signals]}
    table = pd.DataFrame(rows | {"unit": [one.unit for one in signals]})
    return f"<p>{html.escape(repr(objects))}</p>{table.to_html(border=0, index=False)}"


def _verdict(verdict: Verdict) -> str:
    """Return a verdict as its explanation and a table of each object's part."""
    return f"<pre>{html.escape(verdict.explain())}</pre>{verdict.to_frame().head(_ROWS).to_html(border=0, index=False)}"


def _trace(trace: Trace) -> str:
    """Return a trace as a line of text and a table of its kinds."""
    import pandas as pd

    groups = [trace.all(kind) for kind in trace.kinds]
    rows = {
        "kind": trace.kinds,
        "lifetimes": [one.lifetimes.count for one in groups],
        "properties": [", ".join(one.properties) for one in groups],
    }
    return f"<p>{html.escape(repr(trace))}</p>{pd.DataFrame(rows).to_html(border=0, index=False)}"


def _run(run: RunResult) -> str:
    """Return the results of a run as a line of text and a table of what did not hold."""
    import pandas as pd

    told = [one for one in run.results if one.outcome != "held"][:_ROWS]
    rows = {
        "outcome": [one.outcome for one in told],
        "check": [one.check.name for one in told],
        "session": [one.session for one in told],
        "what": [result_words(one) for one in told],
    }
    return f"<p>{html.escape(repr(run))}</p>{pd.DataFrame(rows).to_html(border=0, index=False)}"
