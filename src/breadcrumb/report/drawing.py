"""Figures of a session: where things went, values over time, one value against another, how far apart events are."""

import textwrap
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import wraps
from typing import TYPE_CHECKING, Any, ParamSpec

import numpy as np

from breadcrumb.algebra.angles import plan_labels
from breadcrumb.algebra.meeting import meet
from breadcrumb.algebra.moments import Moments
from breadcrumb.algebra.region import Region
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.algebra.vectors import PART_NAMES
from breadcrumb.errors import Misuse
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY, Floats, Ints, Session
from breadcrumb.report.lanes import LANES, Lane, draw_lanes, span_lanes
from breadcrumb.report.outlines import fill_region, outlines_at
from breadcrumb.report.style import ALLOWED, DOTS, EVENT, INK, PADDING, PATH, SEVERAL, SIZE, WRONG, drawable, name_plan
from breadcrumb.trace.bodies import body_of
from breadcrumb.trace.objects import Objects
from breadcrumb.verdicts.words import amount

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

P = ParamSpec("P")

_MOST_POINTS = 200_000
"""How many points of paths are drawn; of more, every n-th."""
_MOST_LINES = 40
"""Of how many lifetimes values are drawn as lines; of more, as the band that they fill."""
_FEW_LIFETIMES = 60
"""Of how many lifetimes trails are drawn at full strength."""
_PALEST = 0.15
_LANE_HEIGHT, _PANEL_HEIGHT = 0.22, 1.5
"""In inches."""
_TELEPORT = 25
"""How many times as long as an object's usual step a teleport is."""
_BINS = 40
_MOST_BODIES = 40
"""In how many lifetimes bodies are drawn."""


def _plain_text(draw: "Callable[P, Figure]") -> "Callable[P, Figure]":
    """Let a dollar sign in a name be one: names are the game's."""

    @wraps(draw)
    def drawn(*given: P.args, **named: P.kwargs) -> "Figure":
        from matplotlib import rc_context  # here: only figures pay for Matplotlib

        with rc_context({"text.parse_math": False}):
            return draw(*given, **named)

    return drawn


@_plain_text
def draw_paths(*several: Objects | Signal, regions: Sequence[Region] = (), title: str = "") -> "Figure":
    """Draw where objects went in plan: older is paler, a lifetime begins at a triangle and ends at a cross.

    What is many times as long as an object's usual step is a teleport, and dotted. Objects that have a shape are drawn
    with it where they were last, in each of up to forty lifetimes.

    Args:
        several: objects with a position, or positions; each has a colour.
        regions: what is drawn behind, such as walls or the bay.
        title: what stands above.

    Returns:
        A Matplotlib figure, with the axes of the session: y down is drawn down.

    Raises:
        UnknownProperty: an object has no position.
        Misuse: nothing says which axis of three is up.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> len(draw_paths(small_trace().one("skiff")).axes)
        1
    """
    figure, axes = _figure(title or "paths, older is paler")
    positions = [one.signal("position") if isinstance(one, Objects) else one for one in several]
    other = next((one for one in positions if not one.track.unseen and not _is_place(one)), None)
    if other is not None:
        raise Misuse(f"draw: expected positions of two or three numbers, and {other.title} is something else")
    for region in regions:
        fill_region(axes, region.outlines(), EVENT, color=ALLOWED, alpha=0.35)
    every = max(1, sum(len(position) for position in positions) // _MOST_POINTS)
    for one, position, color in zip(several, positions, _colors(len(positions)), strict=True):
        _draw_trail(axes, position.plan, color, every)
        if isinstance(one, Objects) and one.shape is not None and not position.track.unseen:
            _draw_bodies(axes, one, color)
    seen = [position for position in positions if not position.track.unseen]
    if seen:
        name_plan(axes, plan_labels(seen[0]))
    axes.set_aspect("equal", adjustable="datalim")
    axes.grid(alpha=0.25)
    if len(positions) > 1:
        axes.legend(loc="upper left", bbox_to_anchor=(1.0, 1.0), fontsize=9, frameon=False)
    return figure


@_plain_text
def draw_over_time(
    *signals: Signal, events: Sequence[Moments] = (), spans: Sequence[Spans] = (), title: str = ""
) -> "Figure":
    """Draw values over the game time, a panel for each signal, above lanes of spans and of events.

    Args:
        signals: numbers, vectors, flags or texts; of more than 40 lifetimes the band that they fill is drawn.
        events: moments, each in a lane.
        spans: stretches, such as `flares.lifetimes`, each in a lane; those of several objects in a lane for each.
        title: what stands above.

    Returns:
        A Matplotlib figure.

    Raises:
        Misuse: there is nothing to draw.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> trace = small_trace()
        >>> len(draw_over_time(trace.one("skiff").speed, events=[trace.events("bell.rung")]).axes)
        2
    """
    lanes = [*span_lanes(spans), *(Lane(one.label, one.times, one.times, PATH) for one in events)]
    panels = len(signals) + bool(lanes)
    if not panels:
        raise Misuse("draw_over_time: expected a signal, events or spans, found nothing to draw")
    figure, _ = _figure(title or "over time", empty=True)
    below = _LANE_HEIGHT * (min(len(lanes), LANES) + 1) if lanes else 0.0
    figure.set_figheight(max(SIZE[1], below + _PANEL_HEIGHT * len(signals) + 1))
    heights = [_PANEL_HEIGHT] * len(signals) + [below] * bool(lanes)
    axes = figure.subplots(panels, 1, sharex=True, squeeze=False, height_ratios=heights)[:, 0]
    for signal, index in zip(signals, axes, strict=False):
        _draw_values(index, signal)
    if lanes:
        draw_lanes(axes[-1], lanes)
    sessions = [one.track.session for one in signals]
    sessions += [one.session for one in events] + [one.session for one in spans]
    _mark_restarts(axes.tolist(), sessions[0])
    axes[-1].set_xlabel("game time [s]")
    axes[-1].margins(x=PADDING)
    return figure


@_plain_text
def draw_against(first: Signal, second: Signal, *, title: str = "") -> "Figure":
    """Draw one number against another, sample by sample; older is paler.

    Args:
        first: the number that is drawn to the right.
        second: the number that is drawn upward, of the same objects or of one that is there alone.
        title: what stands above.

    Returns:
        A Matplotlib figure.

    Raises:
        Misuse: one of them is no number, or nothing pairs them.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> draw_against(boat.position.x, boat.speed).axes[0].get_xlabel()
        'position.x of the skiff [m]'
    """
    for one in (first, second):
        if len(one.parts) != 1 or one.texts is not None:
            raise Misuse(f"draw_against: expected two numbers, and {one.title} is none; take a part of it, such as .x")
    mine, yours = meet(first, second)
    figure, axes = _figure(title or f"{second.title} against {first.title}")
    there = mine.usable & yours.usable
    age = _age(mine.track.times[there], mine.track.session)
    axes.scatter(mine.parts[0][there], yours.parts[0][there], s=9, color=PATH, alpha=age.tolist(), linewidth=0)
    axes.set_xlabel(_axis(first))
    axes.set_ylabel(_axis(second))
    axes.grid(alpha=0.25)
    return figure


@_plain_text
def draw_intervals(moments: Moments, *, title: str = "") -> "Figure":
    """Draw how far apart moments are: each interval over time, and how often each length occurs.

    Args:
        moments: the moments, of whomever they are.
        title: what stands above.

    Returns:
        A Matplotlib figure.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> len(draw_intervals(small_trace().events("bell.rung")).axes)
        2
    """
    figure, _ = _figure(title or f"intervals of {moments.label}", empty=True)
    above, below = figure.subplots(2, 1)
    gaps, times = np.diff(moments.times), moments.times[1:]
    above.plot(times, gaps, ".", color=PATH, markersize=5)
    above.set_xlabel("game time [s]")
    above.set_ylabel("since the previous one [s]")
    if len(gaps):
        middle = float(np.median(gaps))
        for axes, line in ((above, "axhline"), (below, "axvline")):
            getattr(axes, line)(middle, color=WRONG, linestyle="--", linewidth=1, label=f"median {amount(middle, 's')}")
        below.hist(gaps, bins=_BINS, color=PATH)
        below.legend(fontsize=9)
    below.set_xlabel(f"interval [s], {len(gaps)} of them")
    below.set_ylabel("how often")
    for axes in (above, below):
        axes.grid(alpha=0.25)
    return figure


def _figure(title: str, *, empty: bool = False) -> "tuple[Figure, Axes]":
    from matplotlib.figure import Figure

    figure = Figure(figsize=SIZE, dpi=DOTS, layout="constrained")
    figure.suptitle("\n".join(textwrap.wrap(title, 110)), fontsize=11, color=INK)
    return figure, figure if empty else figure.subplots()  # type: ignore[return-value]


def _colors(many: int) -> list[str]:
    return [SEVERAL[index % len(SEVERAL)] for index in range(many)]


def _age(times: Floats, session: Session) -> Floats:
    """Return how opaque what happened at some times is: the end of the session is fully so."""
    begin, end = float(session.clock.times[0]), float(session.clock.times[-1])
    return _PALEST + (1 - _PALEST) * (times - begin) / ((end - begin) or 1.0)


def has_place(group: Objects) -> bool:
    """Tell whether objects have a position that can be drawn."""
    return "position" in group.properties and _is_place(group.signal("position"))


def _is_place(signal: Signal) -> bool:
    return signal.texts is None and not signal.is_flag and len(signal.parts) in (2, 3)


def _draw_bodies(axes: "Axes", objects: Objects, color: str) -> None:
    """Draw the bodies of objects where they were last known, in each lifetime."""
    from matplotlib.patches import Polygon as Patch

    bodies = body_of(objects)
    there = np.flatnonzero(bodies.place.usable & bodies.finite)
    last = np.append(np.flatnonzero(np.diff(bodies.place.track.lifetime[there])), len(there) - 1)[-_MOST_BODIES:]
    for outline in outlines_at(bodies, there[last]) if len(there) else ():
        axes.add_patch(Patch(drawable(outline), facecolor=color, edgecolor=color, alpha=0.3, linewidth=1))


def _draw_trail(axes: "Axes", position: Signal, color: str, every: int) -> None:
    """Draw the steps of a position within its lifetimes, every n-th sample of each."""
    from matplotlib.collections import LineCollection
    from matplotlib.colors import to_rgba

    track = position.track
    if track.unseen or not len(position):
        return
    firsts = np.repeat(track.starts, np.diff(np.append(track.starts, len(position))))
    shown = (np.arange(len(position)) - firsts) % every == 0
    there = np.flatnonzero(position.usable & shown & np.isfinite(position.parts[0]) & np.isfinite(position.parts[1]))
    points = drawable(np.stack([part[there] for part in position.parts], axis=1))
    joined = np.flatnonzero((track.lifetime[there][1:] == track.lifetime[there][:-1]) & (np.diff(there) == every))
    length = np.hypot(*(points[joined + 1] - points[joined]).T)
    teleports = length > _TELEPORT * np.median(length[length > 0]) if length.any() else length > 0
    axes.plot(*_broken_line(points, joined[teleports]), ":", color=color, linewidth=0.7, alpha=0.6)
    joined = joined[~teleports]
    colors = np.tile(to_rgba(color), (len(joined), 1))
    crowd = min(1.0, _FEW_LIFETIMES / len(track.starts))  # many trails over one another would be one blot
    colors[:, 3] = _age(track.times[there[joined]], track.session) * crowd**0.5
    steps: Any = np.stack([points[joined], points[joined + 1]], axis=1)
    axes.add_collection(LineCollection(steps, colors=colors, linewidths=max(1.3 * crowd, 0.3)))
    begin = np.hstack((True, track.lifetime[there][1:] != track.lifetime[there][:-1]))
    end = np.hstack((begin[1:], True))
    axes.plot(
        *points[begin].T,
        "^",
        color=color,
        markersize=max(6 * crowd, 2),
        markerfacecolor="white",
        label=position.owner or position.name,
    )
    axes.plot(*points[end].T, "x", color=color, markersize=max(6 * crowd, 2))
    axes.autoscale_view()


def _broken_line(points: Floats, steps: Ints) -> Floats:
    """Return a line with a gap behind each of the steps that begin at some points."""
    gaps = np.full((len(steps), points.shape[1]), np.nan)
    return np.stack([points[steps], points[steps + 1], gaps], axis=1).reshape(-1, points.shape[1]).T


def _draw_values(axes: "Axes", signal: Signal) -> None:
    """Draw one signal over time: a line for each lifetime and part, or the band that many lifetimes fill."""
    track = signal.track
    axes.set_ylabel(textwrap.fill(_axis(signal), 22), fontsize=9)
    axes.grid(alpha=0.25)
    if track.unseen or not len(signal):
        axes.set_title(track.unseen or "no sample", fontsize=10, loc="left")
        return
    many = len(track.starts) * len(signal.parts)
    if signal.texts is not None:
        signal = _ranked(signal)
        names = [textwrap.shorten(text, 24) or "''" for text in signal.texts or ()]
        axes.set_yticks(range(len(names)), names, fontsize=9)
    elif signal.is_flag:
        axes.set_yticks((0, 1), ("false", "true"), fontsize=9)
    if many > _MOST_LINES and signal.texts is None:
        _draw_band(axes, signal)
        return
    steps = "steps-post" if signal.is_flag or signal.texts is not None else "default"
    lines = list(_lines(signal))
    names = list(dict.fromkeys(name for name, *_ in lines))
    colors = dict(zip(names, _colors(len(names)), strict=True))
    for name, times, values in lines:
        label = name if name in names else None
        names = [one for one in names if one != name]
        lone = "." if len(times) == 1 else ""
        axes.plot(times, values, marker=lone, color=colors[name], linewidth=1.3, drawstyle=steps, label=label)
    if len(colors) > 1:
        axes.legend(loc="upper left", bbox_to_anchor=(1.0, 1.0), fontsize=8, frameon=False)


def _lines(signal: Signal) -> Iterator[tuple[str, Floats, Floats]]:
    """Return the name, the times and the values of each line: one for each lifetime and part; gaps are not a number."""
    track, session = signal.track, signal.track.session
    ends = np.append(track.starts[1:], len(signal))
    for begin, end in zip(track.starts.tolist(), ends.tolist(), strict=True):
        owner = "" if track.lifetime[begin] == NOBODY else session.who(int(track.lifetime[begin]))
        for part, values in zip(PART_NAMES, signal.parts, strict=False):
            shown = np.where(signal.usable[begin:end], values[begin:end].astype(np.float64), np.nan)
            yield f"{owner} {part}".strip() if len(signal.parts) > 1 else owner, track.times[begin:end], shown


def _ranked(signal: Signal) -> Signal:
    """Return a text with the texts alone that occur in it."""
    texts = signal.texts or ()
    used, codes = np.unique(np.where(signal.usable, signal.parts[0], -1), return_inverse=True)
    skipped = int(used[0] == -1)
    return replace(signal, parts=(codes - skipped,), texts=tuple(texts[code] for code in used[skipped:].tolist()))


def _draw_band(axes: "Axes", signal: Signal) -> None:
    """Draw the least, the mean and the greatest value of all on each frame."""
    size, times = signal.track.session.clock.size, signal.track.session.clock.times
    for part, color in zip(signal.parts, _colors(len(signal.parts)), strict=True):
        there = np.flatnonzero(signal.usable & np.isfinite(part.astype(np.float64)))
        clock_index, values = signal.track.clock_index[there], part[there].astype(np.float64)
        low, high = np.full(size, np.inf), np.full(size, -np.inf)
        np.minimum.at(low, clock_index, values)
        np.maximum.at(high, clock_index, values)
        count = np.bincount(clock_index, minlength=size)
        seen = np.where(count > 0, 1.0, np.nan)  # where there was none, there is a gap
        mean = np.bincount(clock_index, values, size) / np.maximum(count, 1) * seen
        axes.fill_between(
            times, np.where(count, low, np.nan), np.where(count, high, np.nan), color=color, alpha=0.25, linewidth=0
        )
        axes.plot(times, mean, color=color, linewidth=1.3)
    axes.set_title(
        f"{counted(len(signal.track.starts), 'lifetimes')}: from the least to the greatest, and the mean",
        fontsize=9,
        loc="left",
    )


def _mark_restarts(panels: "Sequence[Axes]", session: Session) -> None:
    if session.episodes is None:
        return
    for at in session.clock.times[session.episodes.restarts].tolist():
        for axes in panels:
            axes.axvline(at, color=INK, linewidth=0.8, linestyle=(0, (4, 3)))
        panels[0].annotate("restart", (at, 1), xycoords=("data", "axes fraction"), xytext=(3, 3),
                           textcoords="offset points", fontsize=8, color=INK)  # fmt: skip


def _axis(signal: Signal) -> str:
    return signal.title + (f" [{signal.unit}]" if signal.unit else "")
