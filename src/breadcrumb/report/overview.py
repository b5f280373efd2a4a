"""What is in a trace, at a glance in the terminal."""

from collections.abc import Iterator

from rich.console import Group, RenderableType
from rich.markup import escape
from rich.table import Table
from rich.text import Text

from breadcrumb.model.plurals import counted
from breadcrumb.report.facts import EventFacts, ObjectFacts, ParameterFacts, PropertyFacts, TraceFacts, told
from breadcrumb.verdicts.words import number

_LISTED = 40
_NAMES = 4
_RESTARTS = 4
"""How many restarts are named."""
_RIGHT = ("objects", "lifetimes", "least", "most", "mean", "changes", "times", "value", "lifetime", "gap")
_UNEVEN = 1e-6
"""By how many seconds the steps of an even clock may differ."""


def overview(facts: TraceFacts) -> RenderableType:
    """Return a view of a trace: the session, its kinds with their properties, its events, errors and parameters."""
    return Group(*_parts(facts))


def object_view(facts: ObjectFacts) -> RenderableType:
    """Return a view of one object: its lifetimes, its properties, the events by and on it."""
    lifetimes = table("lifetime", "appears", "first seen", "last seen", "leaves", "parent")
    for lifetime in facts.lifetimes[:_LISTED]:
        when = (str(one or "") for one in (lifetime.appears, lifetime.first, lifetime.last, lifetime.leaves))
        lifetimes.add_row(*map(escape, (str(lifetime.lifetime), *when, lifetime.parent)))
    if len(facts.lifetimes) > _LISTED:
        lifetimes.add_row("", f"and {len(facts.lifetimes) - _LISTED} more", style="dim")
    properties = table("property", "unit", "least", "most", "mean", "first", "last", "changes")
    for one in facts.properties:
        least, most = extremes(one)
        properties.add_row(
            *map(escape, (one.name, one.unit, least, most, _mean(one), told(one.first), told(one.last), _changes(one)))
        )
    head = Text.assemble((facts.id, "bold"), f"  {facts.kind}, {counted(len(facts.lifetimes), 'lifetimes')}")
    return Group(head, Text(""), lifetimes, Text(""), properties, Text(""), event_table(facts.events, "event"))


def extremes(one: PropertyFacts) -> tuple[str, str]:
    """Return the least and the greatest value in words."""
    if one.samples == one.missing:
        return "missing", "missing"
    if one.type == "text":
        more = f" of {len(one.texts)}" if len(one.texts) > 2 else ""
        return repr(one.texts[0]), repr(one.texts[-1]) + more
    if one.type == "flag":
        return "false", f"true in {one.mean:.0%}"
    if one.least is None:
        return "no number", "no number"
    return told(one.least), told(one.most) + (f", {one.not_finite} not finite" if one.not_finite else "")


def table(*columns: str) -> Table:
    """Return an empty table; columns of numbers are set to the right."""
    made = Table(box=None, padding=(0, 2, 0, 0), header_style="bold")
    for column in columns:
        made.add_column(escape(column), justify="right" if column in _RIGHT else "left", overflow="fold")
    return made


def _parts(facts: TraceFacts) -> Iterator[RenderableType]:
    yield _heading(facts)
    for note in facts.notes:
        yield Text(f"note: {note}", style="yellow")
    yield Text("")
    yield _kinds(facts)
    if any(kind.shape for kind in facts.kinds):
        yield ""
        yield _shapes(facts)
    yield Text("")
    yield event_table(facts.events, "event")
    if facts.errors:
        yield Text("")
        yield event_table(facts.errors, "error")
    if facts.parameters:
        yield Text("")
        yield _parameters(facts.parameters)


def _heading(facts: TraceFacts) -> Text:
    known = [str(facts.about[key]) for key in ("game", "build", "level") if facts.about.get(key)]
    text = Text.assemble((facts.trace, "bold"), "  " + ", ".join(known))
    if "seed" in facts.about:
        text.append(f", seed {facts.about['seed']}")
    if facts.first is None or facts.last is None:
        return text.append("\nno frame was recorded")
    rate = ""
    if facts.steps:
        least, middle, most = facts.steps
        uneven = f" (steps of {least * 1e3:.3g} to {most * 1e3:.3g} ms)" if most - least > _UNEVEN else ""
        rate = f", {1 / middle:.4g} frames a second{uneven}"
    gaps = f", {counted(facts.gaps, 'gaps')}" if facts.gaps else ""
    if facts.restarts:
        shown = ", ".join(str(one.frame) for one in facts.restarts[:_RESTARTS])
        more = f" and {len(facts.restarts) - _RESTARTS} more" if len(facts.restarts) > _RESTARTS else ""
        gaps += f"\n{counted(len(facts.restarts), 'restarts')}, on frame{'s' * (len(facts.restarts) > 1)} {shown}{more}"
    return text.append(
        f"\n{counted(facts.frames, 'frames')}, {facts.first.frame} to {facts.last.frame}; "
        f"{facts.last.time - facts.first.time:.3f} s of game time{rate}{gaps}"
    )


def _kinds(facts: TraceFacts) -> Table:
    made = table("kind", "objects", "lifetimes", "property", "unit", "least", "most", "changes")
    for kind in facts.kinds:
        head = [kind.kind, str(len(kind.objects)), str(kind.lifetimes)]
        if not kind.lifetimes:
            made.add_row(escape(kind.kind), "0", "0", "declared, never appeared", style="dim")
        elif not kind.properties:
            made.add_row(*map(escape, (*head, "no property recorded")))
        for one in kind.properties:
            made.add_row(*map(escape, (*head, one.name, one.unit, *extremes(one), _changes(one))))
            head = ["", "", ""]
    return made


def _shapes(facts: TraceFacts) -> Table:
    made = table("kind", "shape")
    for kind in facts.kinds:
        if kind.shape:
            made.add_row(escape(kind.kind), escape(kind.shape))
    return made


def event_table(events: list[EventFacts], what: str) -> Table:
    """Return a table of events, or of errors."""
    made = table(what, "times", "first", "last", "typical gap", "by")
    seen = [one for one in events if one.times]
    for one in seen[:_LISTED]:
        gap = f"{number(one.gaps[1])} s" if one.gaps else ""
        made.add_row(*map(escape, (one.name, str(one.times), str(one.first), str(one.last), gap, names(one.by))))
    if len(seen) > _LISTED:
        made.add_row(f"and {len(seen) - _LISTED} more", style="dim")
    for one in events:
        if not one.times:
            made.add_row(escape(one.name), "0", "declared, never happened", style="dim")
    return made


def _parameters(parameters: list[ParameterFacts]) -> Table:
    made = table("parameter", "value", "unit", "")
    for one in parameters:
        changed = f"changed {counted(one.changed, 'times')}" if one.changed else ""
        made.add_row(*map(escape, (one.name, str(one.value), one.unit, changed)))
    return made


def names(several: list[str]) -> str:
    """Return a few names, and how many more there are."""
    more = f" and {len(several) - _NAMES} more" if len(several) > _NAMES else ""
    return ", ".join(several[:_NAMES]) + more


def _mean(one: PropertyFacts) -> str:
    if one.type == "flag" and isinstance(one.mean, float):
        return f"{one.mean:.0%}"
    return "" if one.mean is None else told(one.mean)


def _changes(one: PropertyFacts) -> str:
    return str(one.changes[0]) if len(one.changes) == 1 else f"({', '.join(map(str, one.changes))})"
