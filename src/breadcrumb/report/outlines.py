"""Outlines of bodies and regions in plan, for figures."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from breadcrumb.algebra.bodies import Bodies
from breadcrumb.geometry.polygons import Polygons
from breadcrumb.model.session import Floats, Ints

if TYPE_CHECKING:
    from matplotlib.axes import Axes

_CORNERS = 32
"""How many corners stand for a circle."""


def outlines_at(bodies: Bodies, indices: Ints) -> list[NDArray[np.float64]]:
    """Return the outlines in plan of bodies on some samples, of each of their pieces: a row for each corner."""
    pieces = [one if isinstance(one, Polygons) else Polygons.of(one) for one in bodies.in_plan.at(indices)]
    return [
        _outline(piece.corners[:, :, column], float(piece.radius[column]))
        for piece in pieces
        for column in range(len(indices))
        if np.isfinite(piece.corners[:, :, column]).all() and np.isfinite(piece.radius[column])
    ]


def _outline(corners: Floats, radius: float) -> NDArray[np.float64]:
    if not radius:
        return np.asarray(corners)
    from scipy.spatial import ConvexHull  # here: it takes a while to load

    turn = np.linspace(0, 2 * np.pi, _CORNERS, endpoint=False)
    rounded = (corners[:, None] + radius * np.stack((np.cos(turn), np.sin(turn)), axis=1)[None]).reshape(-1, 2)
    return np.asarray(rounded[ConvexHull(rounded).vertices])


def fill_region(axes: "Axes", outlines: Sequence[Sequence[tuple[float, float]]], edge: str, **fill: Any) -> None:
    """Fill what lies within outlines, but for the holes, which go the other way round; and draw their edges."""
    from matplotlib.patches import PathPatch
    from matplotlib.path import Path

    closed = [np.array((*outline, outline[0])) for outline in outlines if outline]
    if not closed:
        return
    axes.add_patch(PathPatch(Path.make_compound_path(*map(Path, closed)), linewidth=0, **fill))
    for corners in closed:
        axes.plot(corners[:, 0], corners[:, 1], color=edge, linewidth=1)
