"""What happened around a frame, and what everything was like, as tables in the terminal."""

from rich.console import Group, RenderableType
from rich.markup import escape
from rich.text import Text

from breadcrumb.report.around import Held, Line, Occurrence
from breadcrumb.report.facts import EventFacts, data_words, told
from breadcrumb.report.overview import event_table, table
from breadcrumb.verdicts.words import number

_MOST_ROWS = 200


def timeline_view(lines: list[Line], frame: int) -> RenderableType:
    """Return a table of what happened, in which the frame in question is marked."""
    made = table("", "frame", "time [s]", "what", "object", "")
    for line in _some(lines, frame):
        often = f" x{line.times}" if line.times > 1 else ""
        now = line.frame == frame
        cells = (">" if now else "", str(line.frame), f"{line.time:.3f}", line.what, line.object, line.words + often)
        made.add_row(*map(escape, cells), style="bold" if now else "dim" if line.what == "change" else "")
    return Group(made, _more(len(lines), "lines"))


def values_view(values: list[Held], columns: list[str]) -> RenderableType:
    """Return a table of values side by side, under the names of the frames."""
    made = table("kind", "object", "property", *columns, "unit")
    before = ""
    for held in values[:_MOST_ROWS]:
        name = "" if held.object == before else held.object
        before = held.object
        cells = (held.kind if name else "", name, held.property, *map(told, held.values), held.unit)
        made.add_row(*map(escape, cells))
    return Group(made, _more(len(values), "values"))


def event_view(facts: EventFacts, each: list[Occurrence]) -> RenderableType:
    """Return the events of one name, and how far apart they are."""
    made = table("frame", "time [s]", "gap", "by", "on", "data")
    for one in each[:_MOST_ROWS]:
        gap = "" if one.gap is None else f"{number(one.gap)} s"
        made.add_row(*map(escape, (str(one.frame), f"{one.time:.3f}", gap, one.by, one.on, data_words(one.data))))
    parts: list[RenderableType] = [event_table([facts], "event")]
    if facts.gaps:
        least, middle, most = map(number, facts.gaps)
        parts += [Text(""), Text(f"gaps: {least} s minimum, {middle} s median, {most} s maximum")]
    return Group(*parts, Text(""), made, _more(len(each), "events"))


def _some(lines: list[Line], frame: int) -> list[Line]:
    """Return the lines nearest to the frame, if there are too many."""
    if len(lines) <= _MOST_ROWS:
        return lines
    near = sorted(range(len(lines)), key=lambda index: abs(lines[index].frame - frame))[:_MOST_ROWS]
    return [lines[index] for index in sorted(near)]


def _more(many: int, what: str) -> Text:
    return Text(
        f"and {many - _MOST_ROWS} more {what}; --json has them all" if many > _MOST_ROWS else "", style="dim", end=""
    )
