"""What was approved: explanations, findings, the algebra, the commands, how the demo plays. Run it to approve anew."""

import json
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pandas as pd

from breadcrumb import Trace, Verdict, open_trace
from breadcrumb.demo.play import play
from commanded import said
from commands import Commands
from expressions import evaluated
from hiding import HIDDEN, OTHERWISE, lines_of, retold
from vocabulary import ROWS

FOLDER = Path(__file__).with_name("approved")
OUTCOMES = ("held", "broken", "untested", "undecided")
SEEDS = (7, 8)
"""Which sessions: that of the plain script, and one of varied play."""
HIDDEN_AT = 3
"""On which frame of a session, or from which on, something is told otherwise."""
TIMEOUT = 120  # s
DIGITS = 9
"""How many digits of a number are kept: the last ones differ from processor to processor."""


def _verdicts() -> Iterator[tuple[str, Verdict]]:
    for name, row in ROWS.items():
        for what in OUTCOMES:
            if getattr(row, what) is not None:
                yield f"{name}, {what}", row.check(getattr(row, what))


def _brief(value: Any) -> Any:
    """Return data without what is empty, and without the rule, which stands in the explanation."""
    if isinstance(value, float):
        return round(float(f"{value:.{DIGITS}g}"), DIGITS) + 0.0
    if isinstance(value, dict):
        kept = {name: _brief(one) for name, one in value.items() if name != "rule"}
        return {name: one for name, one in kept.items() if one not in (None, "", [], {})}
    return [_brief(one) for one in value] if isinstance(value, list) else value


def explanations() -> str:
    """Return how each check of the table explains each outcome."""
    return "".join(f"== {name}\n{one.explain()}\n\n" for name, one in _verdicts())


def findings() -> str:
    """Return the data of the same verdicts, one a line."""
    return "".join(json.dumps({"case": name, **_brief(json.loads(one.to_json()))}) + "\n" for name, one in _verdicts())


def _brought(name: str, trace: Trace, folder: Path) -> Iterator[str]:
    """Yield what a check finds in a session told otherwise: outcome, tested, undecided, missing, cut, first breach."""
    about, lines = lines_of(trace)
    at = max(min(HIDDEN_AT, len(lines) - 3), 1)  # the last line is the end
    for how, hide in (HIDDEN | OTHERWISE).items():
        path = folder / f"{name} {how}.crumbs".replace(" ", "-")
        found = ROWS[name].check(retold(about, hide(lines, at), path))
        counts = (
            f"{found.tested} tested, {found.undecided} undecided, {found.missing} missing, {found.breach_count} broken"
        )
        first = f", first {found.first.frame} {found.first.object}" if found.first is not None else ""
        yield f"  {how}: {found.outcome}, {counts}{first}"


def times() -> str:
    """Return what each check finds in its sessions if parts were not recorded, numbers are none, events come twice."""
    told = []
    with TemporaryDirectory() as made:
        for name, row in ROWS.items():
            for what in ("held", "broken"):
                told += [f"{name}, {what}", *_brought(name, getattr(row, what), Path(made) / what)]
    return "\n".join(told) + "\n"


def algebra() -> str:
    """Return what each expression gives."""
    return evaluated((FOLDER / "algebra.txt").read_text())


def _column(values: "pd.Series[Any]") -> str:
    there = values.dropna()
    if pd.api.types.is_numeric_dtype(there) and not pd.api.types.is_bool_dtype(there):
        ends = (there.iloc[0], there.iloc[-1], there.mean(), there.min(), there.max())
        return f"{len(there)}, first and last {ends[0]:.6g} {ends[1]:.6g}, mean {ends[2]:.6g}, {ends[3]:.6g} to {ends[4]:.6g}"
    return f"{len(there)}, " + ", ".join(
        f"{value} {count}" for value, count in sorted(there.astype(str).value_counts().items())
    )


def session(trace: Trace) -> str:
    """Return what a session is like: of each property how many values, the ends, the mean, and the extremes."""
    lines = []
    for kind in sorted(trace.kinds):
        table = trace.table(kind)
        lines.append(f"== {kind}: {table['id'].nunique()} ids, {len(table.groupby(['id', 'lifetime']))} lifetimes")
        lines += [f"{name}: {_column(table[name])}" for name in table.columns if name not in ("id", "lifetime", "t")]
    for name in sorted(trace.event_names):
        at = trace.events(name).frames
        lines.append(f"{name}: {len(at)}, on frames {at[0]} to {at[-1]}, {at.mean():.6g} in the mean")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    FOLDER.mkdir(exist_ok=True)
    texts = {
        "explanations.txt": explanations(),
        "findings.jsonl": findings(),
        "algebra.txt": algebra(),
        "times.txt": times(),
    }
    with TemporaryDirectory() as made:
        for seed in SEEDS:
            texts[f"session-{seed}.txt"] = session(open_trace(play(Path(made) / f"{seed}.crumbs", seed=seed)))
    server = Commands()
    with TemporaryDirectory() as made:
        texts["commands.txt"] = said(lambda *words: server.run(list(words), Path(made), TIMEOUT), Path(made))
    server.close()
    for file, text in texts.items():
        (FOLDER / file).write_text(text)
