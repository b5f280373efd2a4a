"""Figures of verdicts, drawn from their evidence alone."""

import textwrap
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from breadcrumb.report.naming import digest, file_name, visible
from breadcrumb.report.outlines import fill_region
from breadcrumb.report.style import (
    ALLOWED,
    ALLOWED_LINE,
    DOTS,
    EVENT,
    INK,
    PADDING,
    PATH,
    SIZE,
    WRONG,
    drawable,
    name_plan,
    save,
)
from breadcrumb.run.results import ACROSS, CheckInfo, Result, RunEnd, SessionResult
from breadcrumb.verdicts.evidence import Excerpt, Mark, OperandExcerpt, Stay
from breadcrumb.verdicts.findings import Finding
from breadcrumb.verdicts.words import breach_words

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from matplotlib.typing import HashableList

_LANES = 9
_OPERANDS = 4
"""How many operands of a condition are drawn besides the first."""
_OPERAND_HEIGHT = 1.5
"""In inches."""
_LONGEST_NAME = 60
_TICKS = 7
_THIN = 0.02
"""A band of a smaller share of the axis is thin."""
_TITLE, _SMALL = 11, 9
_LINE_HEIGHT = 1.3
_EDGE, _HEAD, _FOOT, _BETWEEN, _AXIS, _TICK = 0.1, 0.25, 0.55, 0.6, 0.85, 0.24
"""In inches: what is free at the edges, above the first panel, below the last one, and between two of them; what an
axis takes with its name and numbers, and a tick."""
_HERE = Path("breadcrumb.figures")
FIGURES_OF_A_CHECK = 3
"""In how many sessions in which a check broke there is a figure of it."""
_MOST_DRAWN = 200
"""Among how many broken results these are looked for."""


def figure_of(finding: Finding) -> "Figure | None":
    """Draw the evidence of a verdict: the judged signal with its allowed band, the path, the events.

    Args:
        finding: a verdict; a broken one is drawn at its first breach, a held one at its smallest margin.

    Returns:
        A Matplotlib figure, or None if the verdict kept no evidence.
    """
    from matplotlib import rc_context  # here: only figures pay for Matplotlib

    excerpt = finding.evidence.first or finding.evidence.tightest
    if excerpt is None:
        return None
    # names are the game's, and a dollar sign in them is one; a title with a place of its own need not look for it
    with rc_context({"text.parse_math": False, "axes.titley": 1.0}):
        return _draw(finding, excerpt)


@dataclass
class FigureWriter:
    """Writes figures of broken rules, and is given the results of one session after the other.

    Of each check there are figures in the first few sessions in which it broke.

    Args:
        out: the folder; None for `NAME.figures` beside each trace.
    """

    out: Path | None = None
    written: dict[tuple[str, str], Path] = field(default_factory=dict)
    """The path of each figure, by the path of the trace and the ID of the rule."""
    _drawn: Counter[CheckInfo] = field(default_factory=Counter)
    _names: dict[str, str] = field(default_factory=dict)
    """The first session of each name, by the path of its trace."""

    def add(self, one: SessionResult) -> None:
        """Write the figures of one session; where nothing can be written beside its trace, beside the user instead.

        Raises:
            OSError: the folder cannot be written.
        """
        for result in one.results:
            if result.outcome == "broken" and self._takes(result.check):
                try:
                    self._write(result)
                except OSError:
                    if self.out is not None:
                        raise
                    self.out = _HERE
                    self._write(result)

    def finish(self, end: RunEnd) -> None:
        """Do nothing: all is written."""

    def _takes(self, check: CheckInfo) -> bool:
        self._drawn[check] += 1
        return self._drawn[check] <= FIGURES_OF_A_CHECK and self._drawn.total() <= _MOST_DRAWN

    def _write(self, result: Result) -> None:
        name = file_name(result.session)
        if self._names.setdefault(name, result.trace) != result.trace:
            name = f"{name}-{digest(result.trace)}"
        folder = _beside(result, name) if self.out is None else self.out
        for finding in result.broken:
            path = write_figure(finding, folder, "" if self.out is None else name)
            if path is not None:
                self.written[result.trace, finding.rule.id] = path


def write_figure(finding: Finding, folder: Path, prefix: str = "") -> Path | None:
    """Write the figure of a verdict into a folder, under the ID of its rule.

    Args:
        finding: the verdict.
        folder: the folder, which is made if need be.
        prefix: what tells it from the same rule's figure in another session.

    Returns:
        Its path, or None if the verdict kept no evidence.

    Raises:
        OSError: the folder cannot be written.
    """
    figure = figure_of(finding)
    if figure is None:
        return None
    folder.mkdir(parents=True, exist_ok=True)
    name = file_name(finding.rule.id.replace("/", "--"))
    path = folder / (f"{prefix}-{name}.png" if prefix else f"{name}.png")
    save(figure, path)
    return path


def _beside(result: Result, name: str) -> Path:
    """Return where figures go by themselves; several sessions, or a trace at a URL, have no folder to lie beside."""
    if result.trace == ACROSS:
        return _HERE
    folder = Path(result.trace).parent
    return (folder if folder.is_dir() else Path()) / f"{name}.figures"


def _draw(finding: Finding, excerpt: Excerpt) -> "Figure":
    from matplotlib.figure import Figure

    operands = excerpt.operands[:_OPERANDS]
    width, height = SIZE
    figure = Figure((width, height + _OPERAND_HEIGHT * max(len(operands) - 1, 0)), DOTS)
    rows = [*(["signal"] if excerpt.values else []), *(f"operand {index}" for index in range(len(operands))), "events"]
    mosaic: list[HashableList[str]] = [[row, "path"] if excerpt.path else [row] for row in rows]
    heights = {"signal": 3 if not operands else 2, "events": 2}
    axes = figure.subplot_mosaic(mosaic, height_ratios=[heights.get(row, 1.4) for row in rows])
    title = "\n".join(textwrap.wrap(f"{finding.outcome.upper()}: {finding.sentence}", 110))
    about = breach_words(finding.first) if finding.first is not None else "the smallest margin"
    title += "\n" + "\n".join(textwrap.wrap(f"{finding.session}, {about}", 140))
    figure.suptitle(title, fontsize=_TITLE, color=INK, va="top", y=1 - _EDGE / figure.get_figheight())
    if excerpt.values:
        _draw_signal(axes["signal"], excerpt)
    labels = [one for row, operand in zip(rows[1:], operands, strict=False)
              for one in _draw_operand(axes[row], excerpt, operand)]  # fmt: skip
    for row in rows[:-1]:
        axes[row].sharex(axes["events"])
        axes[row].tick_params(labelbottom=False)  # the numbers below the last panel are those of all
    labels += _draw_events(axes["events"], excerpt)
    if excerpt.path:
        _draw_path(axes["path"], excerpt)
    _lay_out(figure, labels, len(rows), 1 + title.count("\n"), has_path=bool(excerpt.path))
    return figure


def _lay_out(figure: "Figure", labels: Sequence[str], rows: int, titles: int, *, has_path: bool) -> None:
    """Set the margins by the lines of the title and the names of lanes.

    A layout that Matplotlib finds itself, by drawing everything twice, takes longer than the figure.
    """
    width, height = figure.get_size_inches()
    for axes in figure.axes:
        axes.locator_params(
            axis="x", nbins=_TICKS
        )  # each tick is a line, a mark and a text: half of what drawing takes
    left = max([_AXIS, *(_width_of(label) + _TICK for label in labels)])
    top = height - titles * _TITLE * _LINE_HEIGHT / 72 - 2 * _EDGE - _HEAD
    panels = (top - _FOOT - (rows - 1) * _BETWEEN) / rows
    columns = 2 if has_path else 1
    panel = (width - left - _EDGE - (columns - 1) * _AXIS) / columns
    figure.subplots_adjust(
        left=left / width, right=1 - _EDGE / width, top=top / height, bottom=_FOOT / height,
        hspace=_BETWEEN / panels, wspace=_AXIS / panel,
    )  # fmt: skip


def _width_of(text: str) -> float:
    """Return how wide the name of a lane is, in inches."""
    from matplotlib.font_manager import FontProperties
    from matplotlib.textpath import text_to_path

    width, *_ = text_to_path.get_text_width_height_descent(text, FontProperties(size=_SMALL), ismath=False)
    return float(width) / 72


def _draw_signal(axes: "Axes", excerpt: Excerpt) -> None:
    times = np.array(excerpt.times)
    values = _floats(excerpt.values)
    low, high = _floats(excerpt.low), _floats(excerpt.high)
    span = _shown_range([values, low, high])
    _draw_band(axes, times, low, high, span)
    line = "-" if len(set(excerpt.frames)) == len(times) else ""  # several on a frame follow no course
    axes.plot(times, values, line, color=PATH, linewidth=1.4, marker=".", markersize=4, label=excerpt.name, zorder=3)
    broken = np.isin(excerpt.frames, excerpt.broken)
    if broken.any():
        axes.plot(times[broken], values[broken], ".", color=WRONG, markersize=8, label="broken", zorder=4)
        for start, end in _stretches(broken, times):
            axes.axvspan(start, end, color=WRONG, alpha=0.12, linewidth=0, zorder=0)
    if excerpt.operands and set(excerpt.values) <= {0.0, 1.0, None}:
        axes.set_yticks((0, 1), ("false", "true"), fontsize=_SMALL)
    else:
        axes.locator_params(axis="y", nbins=_TICKS)
    _mark_now(axes, excerpt)
    axes.set_ylabel(excerpt.name + (f" [{excerpt.unit}]" if excerpt.unit else ""))
    axes.set_title(f"{excerpt.object}: {excerpt.name}" if excerpt.object else excerpt.name, fontsize=10, loc="left")
    axes.grid(alpha=0.25)
    axes.legend(loc="best", fontsize=9, framealpha=0.9)


def _draw_operand(axes: "Axes", excerpt: Excerpt, operand: OperandExcerpt) -> list[str]:
    """Draw what a condition compares besides the signal above; return what texts are called at the axis.

    Numbers have their own band, texts are steps.
    """
    times, values = np.array(excerpt.times), operand.values
    texts = [value for value in dict.fromkeys(values) if isinstance(value, str)]
    low, high = _floats(operand.low), _floats(operand.high)
    numbers = _floats(tuple(texts.index(one) if isinstance(one, str) else one for one in values))
    labels = [textwrap.shorten(visible(text), 24, placeholder="...") for text in texts]
    if texts:
        axes.set_yticks(range(len(texts)), labels, fontsize=_SMALL)
    else:
        _draw_band(axes, times, low, high, _shown_range([numbers, low, high]))
    axes.plot(times, numbers, color=PATH, linewidth=1.2, drawstyle="steps-post" if texts else "default", zorder=3)
    axes.plot(times, numbers, ".", color=PATH, markersize=4, zorder=3)
    _mark_now(axes, excerpt)
    name = textwrap.shorten(operand.name, _LONGEST_NAME, placeholder="...")
    axes.set_title(name + (f" [{operand.unit}]" if operand.unit else ""), fontsize=10, loc="left")
    axes.grid(alpha=0.25)
    return labels


def _draw_band(axes: "Axes", times: Any, low: Any, high: Any, span: tuple[float, float]) -> None:
    """Draw what is allowed, up to the ends of what is shown."""
    if len(low) or len(high):
        bottom = low if len(low) else np.full(len(times), span[0])
        top = high if len(high) else np.full(len(times), span[1])
        is_thin = np.nanmax(top - bottom, initial=0.0) < _THIN * (span[1] - span[0])
        axes.fill_between(times, bottom, top, color=ALLOWED, label="allowed", linewidth=0, zorder=1)
        for border in (low, high):
            if len(border):  # a thin band would be hidden by the line that lies in it
                look = (ALLOWED_LINE, 0.8, 3.5) if is_thin else (ALLOWED, 2.0, 1)
                axes.plot(times, border, color=look[0], linewidth=look[1], zorder=look[2])
    axes.set_ylim(*span)


def _draw_events(axes: "Axes", excerpt: Excerpt) -> list[str]:
    """Draw a lane for each lifetime and each event name: the object's own, then the nearest; return their names."""
    stays: dict[str, list[Stay]] = {}
    for stay in sorted(excerpt.stays, key=lambda stay: stay.object != excerpt.object):
        stays.setdefault(f"{stay.object} is there", []).append(stay)
    marks: dict[str, list[Mark]] = {}
    far = {mark: abs(mark.frame - excerpt.frame) for mark in excerpt.marks}
    for mark in sorted(excerpt.marks, key=lambda mark: (mark.who != excerpt.object, far[mark])):
        marks.setdefault(f"{mark.name}  {mark.who}".strip(), []).append(mark)
    lanes = [*stays, *marks]
    for lane, name in enumerate(lanes[:_LANES]):
        own = excerpt.object and excerpt.object in name.split()
        color = PATH if own else EVENT
        for stay in stays.get(name, ()):
            axes.barh(lane, stay.last - stay.first, left=stay.first, height=0.35, color=color, alpha=0.5)
        times = [mark.time for mark in marks.get(name, ())]
        axes.plot(times, [lane] * len(times), "|", color=color, markersize=13, markeredgewidth=2)
    shown = [textwrap.shorten(visible(name), 34, placeholder="...") for name in lanes[:_LANES]]
    axes.set_yticks(range(len(shown)), shown, fontsize=_SMALL)
    axes.set_ylim(max(len(shown), 1) - 0.4, -0.6)
    more = f", {len(lanes) - _LANES} more not shown" if len(lanes) > _LANES else ""
    what = "lifetimes and events" if stays else "events"
    axes.set_title(f"{what}{more}" if shown else "no events within two seconds", fontsize=10, loc="left")
    axes.set_xlabel("game time [s]")
    if excerpt.begin < excerpt.end:
        padding = PADDING * (excerpt.end - excerpt.begin)  # so that what is at an end is seen
        axes.set_xlim(excerpt.begin - padding, excerpt.end + padding)
    axes.grid(axis="x", alpha=0.25)
    _mark_now(axes, excerpt)
    return shown


def _draw_path(axes: "Axes", excerpt: Excerpt) -> None:
    x, y = drawable(np.array(excerpt.path)).T
    color, label, alpha = (ALLOWED, "allowed", 0.5) if excerpt.belongs_inside else (WRONG, "not allowed", 0.15)
    fill_region(axes, excerpt.outlines, EVENT, color=color, label=label, alpha=alpha)
    for index, line in enumerate(excerpt.lines):
        label = "" if index else "judged by"
        axes.plot(*np.array(line).T, color=WRONG, linewidth=1.2, linestyle="--", zorder=2, label=label)
        axes.plot(*line[-1], "x", color=WRONG, markersize=8, zorder=4)
    axes.plot(x, y, color=PATH, linewidth=1.2, alpha=0.7, zorder=2)
    age = np.linspace(0.15, 1.0, len(x))
    axes.scatter(x, y, s=10, color=PATH, alpha=age.tolist(), zorder=3, label="path, older is paler")
    broken = np.isin(excerpt.path_frames, excerpt.broken)
    axes.scatter(x[broken], y[broken], s=16, color=WRONG, zorder=4, label="broken")
    if excerpt.frame in excerpt.path_frames:
        now = excerpt.path_frames.index(excerpt.frame)
        axes.plot(x[now], y[now], "o", color=WRONG, markersize=12, fillstyle="none", markeredgewidth=2, zorder=5)
    axes.set_title(f"path of {excerpt.object}, within two seconds", fontsize=10, loc="left")
    axes.set_aspect("equal", adjustable="datalim")
    if excerpt.path_axes is not None:
        name_plan(axes, excerpt.path_axes)
    axes.grid(alpha=0.25)
    axes.legend(loc="best", fontsize=9, framealpha=0.9)


def _mark_now(axes: "Axes", excerpt: Excerpt) -> None:
    now = _time_of(excerpt)
    if now is not None:
        axes.axvline(now, color=WRONG if excerpt.broken else EVENT, linewidth=1.2, linestyle="--")


def _time_of(excerpt: Excerpt) -> float | None:
    known = dict(zip(excerpt.frames, excerpt.times, strict=True)) | {mark.frame: mark.time for mark in excerpt.marks}
    return known.get(excerpt.frame)


def _stretches(flags: Any, times: Any) -> list[tuple[float, float]]:
    edges = np.flatnonzero(np.diff(np.hstack((False, flags, False)).astype(int)))
    last = len(times) - 1
    return [
        (float(times[start]), float(times[min(end, last)])) for start, end in zip(edges[::2], edges[1::2], strict=True)
    ]


def _shown_range(several: list[Any]) -> tuple[float, float]:
    every = np.concatenate(several)
    every = every[np.isfinite(every)]
    if not len(every):
        return 0.0, 1.0
    bottom, top = float(every.min()), float(every.max())
    padding = 0.08 * (top - bottom) or max(abs(top), 1.0) * 0.05
    return bottom - padding, top + padding


def _floats(values: tuple[float | None, ...]) -> Any:
    return drawable(np.array([np.nan if value is None else value for value in values], np.float64))
