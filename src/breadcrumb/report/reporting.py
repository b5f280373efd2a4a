"""The report of a run: a page with all outcomes, and a figure, a replay and an excerpt of what broke."""

import base64
import shutil
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import quote

import numpy as np

from breadcrumb.model.cutting import Part
from breadcrumb.report.figures import FIGURES_OF_A_CHECK, write_figure
from breadcrumb.report.gathering import CODES, Break, Gathered, Group, RuleColumn
from breadcrumb.report.judged import broken_rules
from breadcrumb.report.naming import Titles, file_name, titles_of
from breadcrumb.report.pages import render
from breadcrumb.report.replaying import write_replay
from breadcrumb.run.results import ACROSS, CheckInfo, Result, RunEnd, SessionResult
from breadcrumb.trace.opened import Trace, open_trace
from breadcrumb.verdicts.findings import Finding
from breadcrumb.verdicts.words import breach_words, explanation

_SHOWN = 200
"""Of how many broken results the page tells all; of the others it has the line in the table."""
_REPLAYED = 12
"""Of how many broken sessions there is a replay, and an excerpt; those that broke in a new way have one besides."""
_MOST_REPLAYED = 40
_GROUPS = 30
"""How many groups of sessions are told."""
_SECTIONS = (
    *(("rules", "rules"), ("sessions", "sessions"), ("known", "known failures"), ("outcomes", "outcomes")),
    ("untested", "never exercised"),
    *(("tight", "tightest margins"), ("builds", "builds and parameters"), ("unseen", "what no check looks at")),
)
_TIGHTEST = 20
_VALUES = 12
"""Metadata fields with more values, such as the seed, are not listed."""
_FOLLOWED = 8
"""How many of the rules that broke afterwards are named."""
_LINES = 40
_SECONDS_AROUND = 5.0
_MOST_VALUES = 8_000_000
"""How many values the replay of a report holds."""

Excerpts = Callable[[Part, Path], None]


@dataclass(frozen=True)
class _Details:
    """What the page tells of one broken verdict."""

    anchor: str
    """The indices of its session and its check."""
    check: str
    rule: str
    """The ID of the rule."""
    sentence: str
    first: str
    lines: str
    figure: str
    replay: str
    excerpt: str


@dataclass
class ReportWriter:
    """Writes a report, and is given the results of one session after the other; none of them need be kept.

    Args:
        out: the folder; what is in it already stays.
        excerpts: writes a part of a session into a folder; None to leave excerpts out.
        progress: is told what is being written.
    """

    out: Path
    excerpts: Excerpts | None = None
    progress: Callable[[str], None] = lambda what: None
    _gathered: Gathered = field(default_factory=Gathered)
    _details: list[tuple[str, _Details]] = field(default_factory=list)
    _drawn: Counter[CheckInfo] = field(default_factory=Counter)
    _replays: dict[str, str] = field(default_factory=dict)

    def add(self, one: SessionResult) -> None:
        """Add the results of one session, and write the figures, the replay and the excerpt of what broke.

        Raises:
            OSError: the folder cannot be written.
        """
        results = one.results
        if not results:
            return
        about = {} if one.recording is None else one.recording.about
        is_new = self._gathered.add(results, about)
        broken = [one for one in results if one.outcome == "broken"]
        trace = results[0].trace
        at_a_frame = any(finding.first is not None for one in broken for finding in one.broken)
        excerpt = ""
        if at_a_frame and trace != ACROSS and len(self._replays) < (_MOST_REPLAYED if is_new else _REPLAYED):
            self._replays[trace], excerpt = self._replay(trace, results)
        for result in broken:
            self._drawn[result.check] += 1
            if len(self._details) < _SHOWN or (is_new and len(self._details) < 2 * _SHOWN):
                self._details += [(trace, self._told(result, one, excerpt)) for one in result.broken]

    @property
    def page(self) -> Path:
        """The path of the page."""
        return self.out / "index.html"

    def finish(self, end: RunEnd) -> None:
        """Write the page.

        Args:
            end: the run as a whole.

        Raises:
            OSError: the folder cannot be written.
        """
        gathered = self._gathered
        paths = gathered.traces | {one.trace: one.session for one in end.recordings}
        several = paths.pop(ACROSS, "")
        titles = {**titles_of(paths), ACROSS: several}
        self.out.mkdir(parents=True, exist_ok=True)
        text = render(
            "report.html",
            data=_page_data(gathered, titles),
            details=[(titles[trace], one) for trace, one in self._details],
            shown=_SHOWN,
            groups=[self._group(one, titles) for one in gathered.worst_groups[:_GROUPS]],
            sections=_SECTIONS,
            tightest=[(words, sentence, titles[trace]) for words, sentence, trace in gathered.tightest(_TIGHTEST)],
            more_groups=max(len(gathered.groups) - _GROUPS, 0),
            metadata=gathered.metadata_rows(_VALUES),
            run=end,
            recordings=[(titles[one.trace], fact.words) for one in end.recordings for fact in one.facts],
            counts={outcome: gathered.count(outcome) for outcome in ("broken", "error", "untested", "known", "held")},
        )
        self.page.write_text(text, "utf-8")

    def _told(self, result: Result, finding: Finding, excerpt: str) -> _Details:
        figure, first, replay = "", finding.first, self._replays.get(result.trace, "")
        session = len(self._gathered.traces) - 1
        if self._drawn[result.check] <= FIGURES_OF_A_CHECK:
            written = write_figure(finding, self.out / "figures", f"{session + 1}-{file_name(result.session)}")
            figure = "" if written is None else quote(written.relative_to(self.out).as_posix())
        return _Details(
            anchor=f"{session}-{self._gathered.checks[result.check]}",
            check=result.check.name,
            rule=finding.rule.id,
            sentence=finding.sentence,
            first="" if first is None else breach_words(first),
            lines="\n".join(explanation(finding, _LINES)),
            figure=figure,
            replay=f"{replay}#frame={first.frame}" if replay and first is not None else replay,
            excerpt=excerpt,
        )

    def _replay(self, trace: str, results: Sequence[Result]) -> tuple[str, str]:
        """Write the replay of a session, and the seconds around its first breach as a trace of its own."""
        opened, number = open_trace(trace), len(self._replays) + 1
        label, broken = opened.data.session.label, broken_rules(results)
        self.progress(f"replay of {label}")
        path = self.out / "replays" / f"{number}-{file_name(label)}.html"
        write_replay(_replayed_part(opened, broken[0].first.frame), path, broken=broken)
        excerpt = self.out / "excerpts" / f"{number}-{file_name(label)}.crumbs"
        if self.excerpts is not None:
            self.progress(f"excerpt of {label}")
            excerpt.parent.mkdir(exist_ok=True)
            if excerpt.exists():
                shutil.rmtree(excerpt)
            data = opened.data
            self.excerpts(Part(data, *_around(data.session.clock, broken[0].first.frame)), excerpt)
        links = [quote(one.relative_to(self.out).as_posix()) for one in (path, excerpt)]
        return links[0], links[1] if self.excerpts is not None else ""

    def _group(self, group: Group, titles: Titles) -> dict[str, Any]:
        """Return what the page tells of sessions that broke in the same way."""
        first, replay = group.first, self._replays.get(group.trace, "")
        followed = [f"{check} in {many}" for check, many in group.followed.most_common(_FOLLOWED)]
        more = len(group.followed) - len(followed)
        return {
            "sessions": group.sessions,
            "where": titles[ACROSS] if group.trace == ACROSS else "",
            "named": [titles[one] for one in group.named],
            "first": first,
            "session": titles[group.trace],
            "replay": f"{replay}#frame={first.frame}" if replay and first.frame is not None else replay,
            "followed": followed + ([f"{more} more checks"] if more > 0 else []),
        }


def _replayed_part(trace: Trace, frame: int) -> Trace:
    """Return the part of a session that is replayed: all of it, or, of a long session, the part around a frame.

    A report may have dozens of replays; `breadcrumb replay` makes one of the whole session.
    """
    clock, data = trace.data.session.clock, trace.data
    values = sum(len(data.columns(kind)) * len(data.index(kind)[0]) for kind in trace.kinds)
    if values <= _MOST_VALUES:
        return trace
    size = max(clock.size * _MOST_VALUES // values, 1)
    first = min(max(clock.clock_index_at_or_after(frame) - size // 2, 0), clock.size - size)
    return Trace(Part(data, first, first + size - 1))


def _around(clock: Any, frame: int) -> tuple[int, int]:
    """Return the clock indices of the seconds around a frame."""
    time = clock.times[clock.clock_index_at_or_after(frame)]
    rows = np.searchsorted(clock.times, [time - _SECONDS_AROUND, time + _SECONDS_AROUND], side="right")
    return max(int(rows[0]) - 1, 0), int(rows[1]) - 1


def _page_data(gathered: Gathered, titles: Titles) -> dict[str, Any]:
    """Return the outcomes as the page's script reads them: packed, a row for each session."""
    checks = len(gathered.checks)
    words = list(dict.fromkeys(gathered.words.values()))
    place = {one: index for index, one in enumerate(words)}
    return {
        "checks": [[one.stem, one.name] for one in gathered.checks],
        "sessions": [titles[trace] for trace in gathered.traces],
        "codes": CODES,
        "outcomes": _packed(b"".join(bytes(row).ljust(checks, b"\0") for row in gathered.outcomes)),
        "words": words,
        "said": [[session * checks + check, place[one]] for (session, check), one in gathered.words.items()],
        "rules": [_rule(one) for one in gathered.worst_rules],
        "broken": [
            [index, [_break(one) for one in gathered.broken[trace]]]
            for index, trace in enumerate(gathered.traces)
            if trace in gathered.broken
        ],
    }


def _rule(one: RuleColumn) -> dict[str, Any]:
    has_margin = any(value == value for value in one.margins)
    return {
        "id": one.id,
        "sentence": one.sentence,
        "check": one.check,
        "unit": one.unit,
        "outcomes": _packed(bytes(one.outcomes)),
        "margins": _packed(one.margins.tobytes()) if has_margin else "",
        "allowed": _packed(one.allowed.tobytes()) if has_margin else "",
    }


def _break(one: Break) -> list[Any]:
    return [one.check, one.frame, one.words or one.sentence]


def _packed(content: bytes) -> str:
    return base64.b64encode(content).decode("ascii")
