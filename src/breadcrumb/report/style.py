"""What all figures share: colours, sizes, and how a plan is laid out."""

import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

import numpy as np

from breadcrumb.algebra.angles import PlanAxis
from breadcrumb.report.naming import visible

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure
    from matplotlib.text import Text

INK: Final = "#1c2731"
PATH: Final = "#2b5fa4"
ALLOWED: Final = "#c9e4d2"
ALLOWED_LINE: Final = "#4e9a70"
"""Of a band so thin that it is a line."""
WRONG: Final = "#c4432e"
EVENT: Final = "#77695a"
PADDING: Final = 0.015
"""The share of the time axis that is left free at its ends, so that what is at an end is seen."""
SIZE: Final = (12.8, 8.0)
_BEYOND_MEASURE = 1e100
DOTS: Final = 100
_OPTIONS: Final[dict[str, dict[str, Any]]] = {".png": {"pil_kwargs": {"compress_level": 1}}}
"""How files are written, by their suffix: more compression takes as long as drawing, and saves a third."""
SEVERAL: Final = (
    *("#2b5fa4", "#c4432e", "#462222", "#3c8ef4", "#14218a"),
    *("#a08696", "#614155", "#e86917", "#846671", "#813605"),
)
"""Colours that stay apart from one another, seen with any of the common kinds of colour blindness, and from white."""


def save(figure: "Figure", path: Path) -> None:
    """Write a figure to a file; what no font has, such as control characters, is shown as its escape sequence."""
    for text in _texts(figure):
        text.set_text(visible(text.get_text()))
    from matplotlib import rc_context

    with warnings.catch_warnings(), rc_context({"text.hinting": "none"}):  # to fit glyphs to pixels takes long
        warnings.filterwarnings("ignore", "Glyph .* missing from", UserWarning)  # it is drawn as a box
        figure.savefig(path, **_OPTIONS.get(path.suffix, {}))


def _texts(figure: "Figure") -> "Iterator[Text]":
    """Yield the texts of a figure that may hold names of the game; those at ticks are set as visible ones."""
    from matplotlib.axis import Axis
    from matplotlib.legend import Legend
    from matplotlib.text import Text

    yield from figure.texts
    for child in (one for axes in figure.axes for one in axes.get_children()):
        if isinstance(child, Text):
            yield child
        elif isinstance(child, Axis):
            yield child.label
        elif isinstance(child, Legend):
            yield from child.get_texts()


def drawable(values: Any) -> Any:
    """Return numbers that axes can take: what is beyond all measure is drawn at the end of it."""
    return np.clip(values, -_BEYOND_MEASURE, _BEYOND_MEASURE)


def name_plan(axes: "Axes", plan: tuple[PlanAxis, PlanAxis]) -> None:
    """Give the axes of a plan the names and the ways that the session has for them."""
    first, second = plan
    axes.set_xlabel(first.label)
    axes.set_ylabel(second.label)
    axes.xaxis.set_inverted(first.is_reversed)
    axes.yaxis.set_inverted(second.is_reversed)
