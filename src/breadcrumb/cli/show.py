"""`breadcrumb show`."""

import json
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import click
import numpy as np
from rich.console import RenderableType
from rich.filesize import decimal
from rich.text import Text

from breadcrumb.cli.console import console, fail
from breadcrumb.errors import BreadcrumbError
from breadcrumb.report import around, telling
from breadcrumb.report.facts import event_facts, facts_of, object_facts, plain
from breadcrumb.report.overview import object_view, overview
from breadcrumb.store.working import FOLDER as WORKING
from breadcrumb.store.working import bytes_on_disk
from breadcrumb.trace.opened import Trace, open_trace

_Shown = tuple[Any, Iterable[RenderableType]]
"""What is shown, as plain data and as tables."""


def run(
    trace: Path,
    id: str | None,
    event: str | None,
    when: float | None,
    within: float,
    at: tuple[int | float, ...],
    as_json: bool,
) -> None:
    """Print what is asked of a trace."""
    try:
        opened = open_trace(trace).without_restarts()  # its lifetimes are shown as they were recorded
        only = None if id is None else opened.one(id=id).ids[0]
        shown = [_object(opened, only)] if only is not None and when is None and not at else []
        shown += [_event(opened, event)] if event is not None else []
        shown += [_around(opened, around.row_of(opened, when), within, only)] if when is not None else []
        shown += [_at(opened, [around.row_of(opened, one) for one in at], only)] if at else []
        shown = shown or [_all(opened, trace)]
    except BreadcrumbError as error:
        fail(error)
    if as_json:
        whole = [plain(data) for data, _ in shown]
        click.echo(json.dumps(whole[0] if len(whole) == 1 else whole, indent=1, ensure_ascii=False))
        return
    for number, (_, views) in enumerate(shown):
        console().print(*([Text("")] if number else []), *views)


def _all(trace: Trace, path: Path) -> _Shown:
    facts, size = facts_of(trace), bytes_on_disk(path)
    data = {**plain(facts), "bytes": size and {"trace": size[0], "working": size[1]}}
    return data, [overview(facts), *([] if size is None else [Text(f"\n{_disk_words(*size)}", style="dim")])]


def _disk_words(size: int, working: int) -> str:
    copied = f", and {decimal(working)} in {WORKING}/, which may be deleted at any time" if working else ""
    return f"{decimal(size)} on disk{copied}"


def _object(trace: Trace, id: str) -> _Shown:
    facts = object_facts(trace, id)
    return facts, [object_view(facts)]


def _event(trace: Trace, name: str) -> _Shown:
    facts, each = event_facts(trace, name), around.occurrences(trace, name)
    return {"event": facts, "each": each}, [telling.event_view(facts, each)]


def _around(trace: Trace, row: int, seconds: float, only: str | None) -> _Shown:
    clock = trace.data.session.clock
    first, last = np.searchsorted(clock.times, [clock.times[row] - seconds, clock.times[row] + seconds]).tolist()
    lines = around.timeline(trace, first, min(last, clock.size - 1), only)
    changed, frame = around.before_and_after(trace, row, only), int(clock.frames[row])
    heading = Text(f"frame {frame} ({clock.times[row]:.3f} s), and {seconds:g} s around it", style="bold")
    views: list[RenderableType] = [heading, telling.timeline_view(lines, frame)]
    if changed:
        views += [Text(""), telling.values_view(changed, ["before", f"frame {frame}", "after"])]
    return {"timeline": lines, "before_and_after": changed}, views


def _at(trace: Trace, rows: list[int], only: str | None) -> _Shown:
    clock = trace.data.session.clock
    values = around.values_at(trace, rows, only, only_changed=len(rows) > 1)
    frames = [f"frame {clock.frames[row]}" for row in rows]
    return values, [telling.values_view(values, frames)]
