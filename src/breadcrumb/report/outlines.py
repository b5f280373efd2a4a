"""Outlines of bodies in plan, for figures."""

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull

from breadcrumb.algebra.bodies import Bodies
from breadcrumb.geometry.polygons import Polygons
from breadcrumb.model.session import Floats, Ints

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
    turn = np.linspace(0, 2 * np.pi, _CORNERS, endpoint=False)
    rounded = (corners[:, None] + radius * np.stack((np.cos(turn), np.sin(turn)), axis=1)[None]).reshape(-1, 2)
    return np.asarray(rounded[ConvexHull(rounded).vertices])
