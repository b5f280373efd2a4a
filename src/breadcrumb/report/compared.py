"""A comparison of sessions in a terminal: where they first differ, and what followed."""

from collections import Counter
from collections.abc import Iterator

from rich.console import Group as Lines
from rich.console import RenderableType
from rich.text import Text

from breadcrumb.comparison.differences import Comparison, Difference, Group
from breadcrumb.model.plurals import counted

_GROUPS = 8
_FOLLOWED = 6
"""How many kinds of differences that followed are listed."""


def comparison_view(found: Comparison) -> RenderableType:
    """Return what is printed of a comparison."""
    return Lines(*_parts(found))


def _parts(found: Comparison) -> Iterator[Text]:
    for note in found.notes:
        yield Text.assemble(("NOTE    ", "bold"), note)
    for number, group in enumerate(found.groups[:_GROUPS]):
        yield from _group(group, "FIRST" if number == 0 else "ALSO", found)
        yield Text("")
    if len(found.groups) > _GROUPS:
        yield Text(f"        and {len(found.groups) - _GROUPS} more groups of differences\n")
    differing = sum(1 + len(group.followed) for group in found.groups)
    compared = "values, events and lifetimes" if found.references == 1 else "occasions"
    end = f"{found.candidate} and {found.reference}: {found.compared} {compared} compared; "
    if not differing:
        equal = "all are equal" if found.references == 1 else "none differs from all references"
        yield Text.assemble(end, (equal, "bold green"))
        return
    told = f"{counted(differing, 'differences')} in {counted(len(found.groups), 'groups')}"
    yield Text.assemble(end, (told, "bold red"))


def _group(group: Group, head: str, found: Comparison) -> Iterator[Text]:
    first = group.first
    where = f"  frame {first.frame} ({first.time:.3f} s)  {first.words}"
    yield Text.assemble((f"{head:8}", "bold red" if head == "FIRST" else "bold"), (first.called, "bold"), where)
    width = max(len(found.reference), len(found.candidate))
    yield Text(f"        {found.reference:{width}}  {first.reference}")
    yield Text(f"        {found.candidate:{width}}  {first.candidate}")
    if first.times > 1:
        yield Text(f"        {_lasts(first, is_of_several=found.references > 1)}")
    if group.followed:
        yield from _followed(group)


def _lasts(one: Difference, *, is_of_several: bool) -> str:
    largest = f", at most {one.largest:.4g} {one.unit}".rstrip() if one.largest is not None and one.unit else ""
    often = f"{one.times} times" if one.what == "event" or is_of_several else f"on {one.times} frames"
    return f"{often}, until frame {one.last}{largest}"


def _followed(group: Group) -> Iterator[Text]:
    """Say what followed: each event, kind and property once, with how many objects, in order of time."""
    first: dict[tuple[str, str], Difference] = {}
    for one in group.followed:
        first.setdefault(one.symptom, one)
    many = Counter(one.symptom for one in group.followed)
    yield Text(f"        then {len(group.followed)} more:", style="dim")
    for symptom, one in list(first.items())[:_FOLLOWED]:
        others = f" and {many[symptom] - 1} more" if many[symptom] > 1 else ""
        yield Text(f"          frame {one.frame}  {one.called}{others}: {one.words}")
    if len(first) > _FOLLOWED:
        yield Text(f"          and {len(first) - _FOLLOWED} more")
