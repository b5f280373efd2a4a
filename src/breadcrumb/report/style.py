"""What all figures share: colours, sizes, and how a plan is laid out."""

from typing import TYPE_CHECKING, Final

from breadcrumb.algebra.angles import PlanAxis

if TYPE_CHECKING:
    from matplotlib.axes import Axes

INK: Final = "#1b2b34"
PATH: Final = "#20639b"
ALLOWED: Final = "#bfe3d0"
WRONG: Final = "#d1495b"
EVENT: Final = "#7a6c5d"
ROOM: Final = 0.015
"""The share of the time axis that is left free at its ends, so that what is at an end is seen."""
SIZE: Final = (12.8, 8.0)
DOTS: Final = 100
SEVERAL: Final = (
    *("#20639b", "#d1495b", "#2e8b57", "#c77d0a", "#6a4c93", "#00798c", "#8d5524", "#c2185b"),
    *("#5b7f00", "#455a64"),
)
"""Colours that stay apart from one another, and from white, for objects side by side."""


def name_plan(axes: "Axes", plan: tuple[PlanAxis, PlanAxis]) -> None:
    """Give the axes of a plan the names and the ways that the session has for them."""
    first, second = plan
    axes.set_xlabel(first.label)
    axes.set_ylabel(second.label)
    axes.xaxis.set_inverted(first.is_reversed)
    axes.yaxis.set_inverted(second.is_reversed)
