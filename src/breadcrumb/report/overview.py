"""What is in a trace, at a glance."""

from collections.abc import Iterator, Sequence
from itertools import groupby

import numpy as np
from rich.console import Group, RenderableType
from rich.markup import escape
from rich.table import Table
from rich.text import Text

from breadcrumb.model.session import Ints, Session
from breadcrumb.model.trace import TraceData
from breadcrumb.trace.opened import Trace
from breadcrumb.verdicts.words import number

_LISTED = 40
_TEXTS = 4


def overview(trace: Trace) -> RenderableType:
    """Return a view of a trace: the session, its kinds with their properties, its events."""
    return Group(*_parts(trace))


def _parts(trace: Trace) -> Iterator[RenderableType]:
    session = trace.data.session
    yield _heading(session)
    for note in session.notes:
        yield Text(f"note: {note}", style="yellow")
    yield Text("")
    yield _objects(trace)
    yield Text("")
    yield _events(session)
    if session.parameters:
        yield Text("")
        yield _parameters(session)


def _heading(session: Session) -> Text:
    about, clock = session.about, session.clock
    known = [str(about[key]) for key in ("game", "build", "level") if about.get(key)]
    text = Text.assemble((session.label, "bold"), "  " + ", ".join(known))
    if "seed" in about:
        text.append(f", seed {about['seed']}")
    if not clock.size:
        return text.append("\nno frame was recorded")
    steps = np.diff(clock.times)
    moving = steps[steps > 0]
    rate = f", {1 / float(np.median(moving)):.4g} frames a second" if len(moving) else ""
    uneven = len(moving) and float(moving.max() - moving.min()) > 1e-6
    varies = f" (steps of {moving.min() * 1e3:.3g} to {moving.max() * 1e3:.3g} ms)" if uneven else ""
    gaps = int((np.diff(clock.frames) > 1).sum())
    text.append(
        f"\n{clock.size} frames, {clock.frames[0]} to {clock.frames[-1]}; "
        f"{clock.times[-1] - clock.times[0]:.3f} s of game time{rate}{varies}{f', {gaps} gaps' if gaps else ''}"
    )
    return text


def _objects(trace: Trace) -> Table:
    table = _table("kind", "objects", "lives", "property", "unit", "least", "most", "changes")
    session, data = trace.data.session, trace.data
    for place, kind in enumerate(session.kinds):
        lives = np.flatnonzero(session.lives.kind == place)
        head = [kind, str(len(np.unique(session.lives.name[lives]))), str(len(lives))]
        properties: dict[str, list[str]] = {}
        for column in data.columns(kind):
            properties.setdefault(column.split(".")[0], []).append(column)
        for name, columns in properties.items():
            facts = zip(*(_column_facts(data, kind, column) for column in columns), strict=True)
            least, most, changes = (_together(several) for several in facts)
            table.add_row(*map(escape, (*head, name, session.unit_of(kind, name), least, most, changes)))
            head = ["", "", ""]
        if not properties:
            table.add_row(*map(escape, (*head, "no property recorded")))
    for kind in sorted(set(session.declared_kinds) - set(session.kinds)):
        table.add_row(escape(kind), "0", "0", "declared, never there", style="dim")
    return table


def _together(parts: Sequence[str]) -> str:
    """Return the facts of a property's parts in one cell."""
    return parts[0] if len(parts) == 1 else f"({', '.join(parts)})"


def _column_facts(data: TraceData, kind: str, column: str) -> tuple[str, str, str]:
    """Return the least and the greatest value and the number of changes within lives."""
    found = data.column(kind, column)
    life, _ = data.index(kind)
    same_life = life[1:] == life[:-1]
    known = same_life if found.valid is None else same_life & found.valid[1:] & found.valid[:-1]
    changes = str(int(((found.values[1:] != found.values[:-1]) & known).sum()))
    there = found.values if found.valid is None else found.values[found.valid]
    if not len(there):
        return "missing", "missing", changes
    if found.texts is not None:
        texts = [repr(found.texts[code]) for code in np.unique(there).tolist()]
        return texts[0], texts[-1] if len(texts) < 3 else f"{texts[-1]} of {len(texts)}", changes
    if found.values.dtype == np.bool_:
        return "false", f"true in {there.mean():.0%}", changes
    finite = there[np.isfinite(there)]
    if not len(finite):
        return "no number", "no number", changes
    odd = len(there) - len(finite)
    return number(float(finite.min())), number(float(finite.max())) + (f", {odd} not finite" if odd else ""), changes


def _events(session: Session) -> Table:
    table = _table("event", "times", "first", "last", "typical gap", "by")
    events, clock = session.events, session.clock
    for place, name in enumerate(events.kinds[:_LISTED]):
        rows = events.row[events.kind == place]
        gaps = np.diff(clock.times[rows])
        gap = f"{number(float(np.median(gaps)))} s" if len(gaps) else ""
        who = events.by[events.kind == place]
        table.add_row(
            *map(
                escape,
                (name, str(len(rows)), _when(session, rows[0]), _when(session, rows[-1]), gap, _who(session, who)),
            )
        )
    if len(events.kinds) > _LISTED:
        table.add_row(f"and {len(events.kinds) - _LISTED} more", style="dim")
    for name in sorted(set(session.declared_events) - set(events.kinds)):
        table.add_row(escape(name), "0", "declared, never happened", style="dim")
    return table


def _parameters(session: Session) -> Table:
    table = _table("parameter", "value", "unit", "")
    for name, several in groupby(sorted(session.parameters, key=lambda one: one.name), key=lambda one: one.name):
        values = list(several)
        changed = f"changed {len(values) - 1} times" if len(values) > 1 else ""
        table.add_row(*map(escape, (name, str(values[-1].value), values[-1].unit, changed)))
    return table


def _table(*columns: str) -> Table:
    table = Table(box=None, padding=(0, 2, 0, 0), header_style="bold")
    for column in columns:
        right = column in ("objects", "lives", "least", "most", "changes", "times", "value")
        table.add_column(column, justify="right" if right else "left", overflow="fold")
    return table


def _when(session: Session, row: int) -> str:
    return f"{session.clock.frames[row]} ({session.clock.times[row]:.3f} s)"


def _who(session: Session, places: Ints) -> str:
    names = [session.names[place] for place in np.unique(places[places >= 0]).tolist()]
    more = f" and {len(names) - _TEXTS} more" if len(names) > _TEXTS else ""
    return ", ".join(names[:_TEXTS]) + more
