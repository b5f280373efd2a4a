"""Lanes below a figure over time: stretches and instants, a lane for each thing that they are of."""

import textwrap
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from breadcrumb.algebra.spans import Spans
from breadcrumb.model.session import NOBODY, Floats, Ints
from breadcrumb.report.naming import visible
from breadcrumb.report.style import EVENT

if TYPE_CHECKING:
    from matplotlib.axes import Axes

LANES = 60
"""How many lanes are drawn at the most."""


class Lane(NamedTuple):
    """What is drawn in one lane; arrays of equal length, an entry for each stretch."""

    name: str
    begin: Floats
    end: Floats
    color: str


def span_lanes(several: Sequence[Spans]) -> Iterator[Lane]:
    """Return a lane for each object of the spans."""
    for spans in several:
        session, times = spans.session, spans.session.clock.times
        owners: Ints = (
            np.where(spans.lifetime == NOBODY, NOBODY, session.lifetimes.name[spans.lifetime])
            if len(spans.lifetime)
            else spans.lifetime
        )
        for owner in dict.fromkeys(owners.tolist()):
            mine = owners == owner
            name = spans.label if owner == NOBODY else f"{session.names[owner]}: {spans.label}"
            yield Lane(name, times[spans.first[mine]], times[np.minimum(spans.last[mine], len(times) - 1)], EVENT)


def draw_lanes(axes: "Axes", lanes: Sequence[Lane]) -> None:
    """Draw lanes from top to bottom, each with its name."""
    for index, lane in enumerate(lanes[:LANES]):
        long = lane.end > lane.begin
        axes.barh(index, (lane.end - lane.begin)[long], left=lane.begin[long], height=0.5, color=lane.color, alpha=0.6)
        axes.vlines(lane.begin[~long], index - 0.35, index + 0.35, color=lane.color, linewidth=1.2)
    names = [textwrap.shorten(visible(lane.name), 34, placeholder="...") for lane in lanes[:LANES]]
    axes.set_yticks(range(len(names)), names, fontsize=9)
    axes.set_ylim(len(names) - 0.4, -0.6)
    if len(lanes) > LANES:
        axes.set_title(f"{len(lanes) - LANES} more lanes not shown", fontsize=9, loc="left")
    axes.grid(axis="x", alpha=0.25)
