"""`breadcrumb draw`."""

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.cli.console import fail, say
from breadcrumb.errors import BreadcrumbError, Misuse
from breadcrumb.model.columns import property_and_part
from breadcrumb.model.session import NOBODY
from breadcrumb.report import drawing
from breadcrumb.report.around import row_of
from breadcrumb.report.style import save
from breadcrumb.trace.objects import Objects
from breadcrumb.trace.opened import Trace, open_trace

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_PICTURES = (".png", ".svg", ".pdf")
_PARTS = "xyzw"
_KINDS = 10
"""Of how many kinds paths are drawn if none is named."""


def run(
    trace: Path,
    paths: tuple[str, ...],
    signals: tuple[str, ...],
    events: tuple[str, ...],
    lifetimes: tuple[str, ...],
    against: tuple[str, str] | None,
    intervals: str | None,
    begin: float | None,
    end: float | None,
    out: Path | None,
) -> None:
    """Draw what is asked of a trace."""
    try:
        shown = _part(open_trace(trace), begin, end)
        figures: dict[str, Figure] = {}
        if paths:
            figures["paths"] = drawing.draw_paths(*(_objects(shown, name) for name in paths))
        if signals or events or lifetimes:
            figures["over-time"] = drawing.draw_over_time(
                *(_signal(shown, name) for name in signals),
                events=[shown.events(name) for name in events],
                spans=[_objects(shown, name).lifetimes for name in lifetimes],
            )
        if against is not None:
            figures["against"] = drawing.draw_against(*(_signal(shown, name) for name in against))
        if intervals is not None:
            figures["intervals"] = drawing.draw_intervals(shown.events(intervals))
        for path in _written(figures or _everything(shown), _targets(trace, out)):
            say(path)
    except BreadcrumbError as error:
        fail(error)


def _part(trace: Trace, begin: float | None, end: float | None) -> Trace:
    if begin is None and end is None:
        return trace
    session = trace.data.session
    first = 0 if begin is None else row_of(trace, begin)
    last = session.clock.size - 1 if end is None else row_of(trace, end)
    if last < first:
        raise Misuse(f"--to: expected a frame that is not before frame {session.clock.frames[first]}")
    return trace.during(Spans.of_lifetimes(session, "what is drawn", *(np.array([at]) for at in (NOBODY, first, last))))


def _objects(trace: Trace, name: str) -> Objects:
    """Return the object of an id, or all of a kind."""
    if name in trace.kinds:
        return trace.all(name)
    return trace.one(id=name)


def _signal(trace: Trace, spec: str) -> Signal:
    """Return what NAME.PROPERTY or NAME.PROPERTY.x stands for; a dot in the property's own name is written %2E."""
    known = {*trace.kinds, *trace.data.session.names}
    cuts = [index for index, letter in enumerate(spec) if letter == "."]
    cut = next((index for index in reversed(cuts) if spec[:index] in known), cuts[0] if cuts else -1)
    if cut < 0:
        raise Misuse(f"expected an object or a kind and its property, such as heron.speed; found {spec!r}")
    name, part = property_and_part(spec[cut + 1 :])
    signal = _objects(trace, spec[:cut]).signal(name)
    if not part:
        return signal
    if part not in _PARTS[: len(signal.parts)] or len(signal.parts) == 1:
        raise Misuse(f"{signal.title} has no part {part!r}; it has {len(signal.parts)}")
    chosen: Signal = getattr(signal, part)
    return chosen


def _everything(trace: Trace) -> "dict[str, Figure]":
    """Return where everything that moves went, and a lane for each event."""
    placed = [group for group in map(trace.all, trace.kinds) if drawing.has_place(group)]
    ways = {group: float(np.nansum(group.signal("position").step_length().values)) for group in placed}
    moving = sorted((group for group in placed if ways[group] > 0), key=lambda group: -ways[group])
    more = f"; {len(moving) - _KINDS} more kinds that move with --path" if len(moving) > _KINDS else ""
    title = f"paths, older is paler; teleports are dotted{more}"
    figures = {"paths": drawing.draw_paths(*moving[:_KINDS], title=title)} if moving else {}
    events = [trace.events(name) for name in trace.event_names]
    if events:
        figures["over-time"] = drawing.draw_over_time(events=events, title="all events")
    if not figures:
        raise Misuse(f"{trace.data.session.label} has nothing that moves, and no event: there is nothing to draw")
    return figures


def _targets(trace: Path, out: Path | None) -> tuple[Path, str | None]:
    """Return the folder, and the name of the file if there is one."""
    if out is None:
        return (trace.parent if trace.parent.is_dir() else Path()) / f"{trace.stem}.figures", None
    if out.suffix.lower() in _PICTURES:
        return out.parent, out.name
    return out, None


def _written(figures: "dict[str, Figure]", target: tuple[Path, str | None]) -> Iterator[Path]:
    folder, name = target
    if name is not None and len(figures) > 1:
        raise Misuse(f"--out {name}: expected a folder, since there are {len(figures)} figures: {', '.join(figures)}")
    for kind, figure in figures.items():
        path = folder / (name or f"{kind}.png")
        try:
            folder.mkdir(parents=True, exist_ok=True)
            save(figure, path)
        except OSError as error:
            raise Misuse(f"{path} cannot be written ({error.strerror}); name another place with --out") from None
        yield path
