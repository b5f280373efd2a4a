"""The report of a run: a page with all outcomes, and a figure, a replay and an excerpt of what broke."""

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import quote

import numpy as np

from breadcrumb.model.cutting import Part
from breadcrumb.report.figures import write_figures
from breadcrumb.report.machines import result_words
from breadcrumb.report.naming import Titles, file_name, session_titles
from breadcrumb.report.pages import render
from breadcrumb.report.replaying import broken_frames, replay_page
from breadcrumb.run.results import Result, RunResult
from breadcrumb.trace.opened import open_trace
from breadcrumb.verdicts.findings import Finding
from breadcrumb.verdicts.words import breach_words, explanation, margin_words

_SHOWN = 200
"""Of how many broken results the page tells all; of the others it has the line in the table."""
_REPLAYED = 12
"""Of how many broken sessions there is a replay, and an excerpt."""
_TIGHTEST = 20
_LINES = 40
_SECONDS_AROUND = 5.0


@dataclass(frozen=True)
class _Details:
    """What the page tells of one broken verdict."""

    index: int
    check: str
    session: str
    rule: str
    """The ID of the rule."""
    sentence: str
    first: str
    lines: str
    figure: str
    replay: str
    excerpt: str


def write_report(
    run: RunResult,
    out: Path,
    *,
    excerpts: Callable[[Part, Path], None] | None = None,
    progress: Callable[[str], None] = lambda what: None,
) -> Path:
    """Write the report of a run into a folder.

    Args:
        run: the results.
        out: the folder; what is in it already stays.
        excerpts: writes a part of a session into a folder; None to leave excerpts out.
        progress: is told what is being written.

    Returns:
        The path of the page.

    Raises:
        OSError: the folder cannot be written.
    """
    out.mkdir(parents=True, exist_ok=True)
    progress("figures")
    figures = write_figures(run, out / "figures")
    replays = _write_replays(run, out, progress)
    cut = {} if excerpts is None else _write_excerpts(run, out, excerpts, progress)
    titles = session_titles(run)
    details = [
        _details(index, result, titles[result.trace], finding, out, figures, replays, cut)
        for index, result in [one for one in enumerate(run.results) if one[1].outcome == "broken"][:_SHOWN]
        for finding in result.findings
        if finding.outcome == "broken"
    ]
    page = out / "index.html"
    text = render(
        "report.html",
        data=_table(run, titles),
        details=details,
        tightest=_tightest(run, titles),
        run=run,
        counts=_counts(run),
    )
    page.write_text(text, "utf-8")
    return page


def _table(run: RunResult, titles: Titles) -> dict[str, Any]:
    """Return a row for each result: the indices of check and session, outcome, share of the margin, words."""
    checks = list(dict.fromkeys(result.check for result in run.results))
    check_at, session_at = ({one: index for index, one in enumerate(several)} for several in (checks, run.sessions))
    rows = []
    for result in run.results:
        share, words = _margin(result)
        rows.append(
            [check_at[result.check], session_at[result.trace], result.outcome, share, words, result_words(result)]
        )
    return {
        "checks": [[one.stem, one.name] for one in checks],
        "sessions": [titles[one] for one in run.sessions],
        "rows": rows,
        "shown": _SHOWN,
    }


def _margin(result: Result) -> tuple[float | None, str]:
    """Return the tightest margin of a result, as a share of what is allowed, and in words."""
    with_share = [one.margin for one in result.findings if one.margin is not None and one.margin.share is not None]
    if not with_share:
        return None, ""
    tightest = min(with_share, key=lambda one: one.share if one.share is not None else np.inf)
    share = tightest.share
    return (share if share is not None and np.isfinite(share) else None), margin_words(tightest)


def _details(
    index: int,
    result: Result,
    title: str,
    finding: Finding,
    out: Path,
    figures: dict[tuple[str, str], Path],
    replays: dict[str, Path],
    cut: dict[str, Path],
) -> _Details:
    figure, first = figures.get((result.trace, finding.rule.id)), finding.first
    replay = _link(out, replays.get(result.trace))
    return _Details(
        index=index,
        check=result.check.name,
        session=title,
        rule=finding.rule.id,
        sentence=finding.sentence,
        first="" if first is None else breach_words(first),
        lines="\n".join(explanation(finding, _LINES)),
        figure=_link(out, figure),
        replay=f"{replay}#frame={first.frame}" if replay and first is not None else replay,
        excerpt=_link(out, cut.get(result.trace)),
    )


def _link(out: Path, path: Path | None) -> str:
    return "" if path is None else quote(path.relative_to(out).as_posix())


def _broken_sessions(run: RunResult) -> list[tuple[str, RunResult]]:
    """Return the first sessions in which something broke at a frame, each with its results."""
    broken = (result for result in run.of("broken") if any(one.first is not None for one in result.findings))
    traces = list(dict.fromkeys(result.trace for result in broken))[:_REPLAYED]
    return [(trace, RunResult(tuple(one for one in run.results if one.trace == trace))) for trace in traces]


def _write_replays(run: RunResult, out: Path, progress: Callable[[str], None]) -> dict[str, Path]:
    written = {}
    for number, (trace, results) in enumerate(_broken_sessions(run), 1):
        opened = open_trace(trace)
        progress(f"replay of {opened.data.session.label}")
        path = out / "replays" / f"{number}-{file_name(opened.data.session.label)}.html"
        path.parent.mkdir(exist_ok=True)
        path.write_text(replay_page(opened, broken=broken_frames(results)), "utf-8")
        written[trace] = path
    return written


def _write_excerpts(
    run: RunResult, out: Path, write: Callable[[Part, Path], None], progress: Callable[[str], None]
) -> dict[str, Path]:
    """Write the seconds around the first breach of each broken session as a trace of its own."""
    written = {}
    for number, (trace, results) in enumerate(_broken_sessions(run), 1):
        data = open_trace(trace).data
        clock, first = data.session.clock, broken_frames(results)[0].frame
        progress(f"excerpt of {data.session.label}")
        time = clock.times[clock.clock_index_at_or_after(first)]
        rows = np.searchsorted(clock.times, [time - _SECONDS_AROUND, time + _SECONDS_AROUND], side="right")
        path = out / "excerpts" / f"{number}-{file_name(data.session.label)}.crumbs"
        path.parent.mkdir(exist_ok=True)
        if path.exists():
            shutil.rmtree(path)
        write(Part(data, max(int(rows[0]) - 1, 0), int(rows[1]) - 1), path)
        written[trace] = path
    return written


def _tightest(run: RunResult, titles: Titles) -> list[tuple[str, str, str]]:
    """Return the tightest margins among what held: each rule once, with its session."""
    held = [(one.margin.share, one, result) for result in run.of("held") for one in result.findings
            if one.margin is not None and one.margin.share is not None]  # fmt: skip
    found: dict[str, tuple[str, str, str]] = {}
    for _, one, result in sorted(held, key=lambda each: each[0]):
        found.setdefault(one.rule.id, (margin_words(one.margin), one.sentence, titles[result.trace]))
    return list(found.values())[:_TIGHTEST]


def _counts(run: RunResult) -> dict[str, int]:
    return {outcome: len(run.of(outcome)) for outcome in ("broken", "error", "untested", "held")}
