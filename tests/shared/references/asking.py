"""How a check and its reference are asked the same: one case of each, and what is drawn for it."""

import random
from collections.abc import Callable
from typing import Any, NamedTuple

from breadcrumb import Duration, Trace, Verdict, frames, seconds
from references.drawing import STEP
from references.plain import Answer


class Case(NamedTuple):
    """One check and its reference; `draw` gives the arguments of both."""

    draw: Callable[[random.Random], dict[str, Any]]
    plainly: Callable[..., Answer]
    check: Callable[..., Verdict]


def draw_duration(draw: random.Random, least: int = 0, most: int = 3) -> Duration:
    """Draw a duration of a few frames, or as long in seconds."""
    count = draw.randint(least, most)
    return frames(count) if draw.random() < 0.5 else seconds(count * STEP)


def draw_window(draw: random.Random) -> tuple[Duration, Duration]:
    """Draw an earliest and a latest duration of one unit."""
    make = frames if draw.random() < 0.5 else lambda count: seconds(count * STEP)
    early = draw.choice((0, 0, 0, 1, 2))
    return make(early), make(early + draw.randint(0, 2))


def draw_scope(draw: random.Random) -> dict[str, Any]:
    """Draw whether a check is asked about all, or about what lies in the spans of the flag, or outside."""
    return draw.choice(({}, {}, {"during": True}, {"except_during": True}))


def spans(t: Trace, scope: dict[str, Any]) -> dict[str, Any]:
    """Return the scope of a check: the spans of the flag `on`."""
    return {name: t.all("barrel").on.spans() for name in scope}


def barrels(t: Trace) -> Any:
    """Return the group that is judged."""
    return t.all("barrel")


def excuses(t: Trace, excused: bool) -> dict[str, Any]:
    """Return the moments that excuse a barrel, if they do."""
    return {"except_at": t.events("hit")} if excused else {}
