"""Taking polygons apart into convex ones."""

from functools import lru_cache

import numpy as np

from breadcrumb.errors import Misuse
from breadcrumb.model.session import Floats

Corners = tuple[tuple[float, ...], ...]


@lru_cache(maxsize=64)
def convex_parts(corners: Corners) -> tuple[Corners, ...]:
    """Return a polygon's convex parts: itself, if it is convex, else triangles.

    Raises:
        Misuse: it crosses itself, or it is not convex and Shapely is not installed.
    """
    if is_convex(np.array(corners)):
        return (corners,)
    try:
        import shapely
    except ImportError:
        raise Misuse(
            "a polygon that is not convex needs Shapely; install it with pip install 'breadcrumb[polygons]'"
        ) from None
    whole = shapely.Polygon(corners)
    if not whole.is_valid:
        raise Misuse(f"expected a polygon that does not cross itself, found one of {len(corners)} corners that does")
    triangles = shapely.constrained_delaunay_triangles(whole)
    return tuple(tuple(map(tuple, np.array(one.exterior.coords)[:3].tolist())) for one in triangles.geoms)


def is_convex(corners: Floats) -> bool:
    """Tell whether a polygon turns the same way at all of its corners, and once round."""
    way = np.diff(corners, axis=0, append=corners[:1])
    behind = np.roll(way, -1, axis=0)
    turns = np.arctan2(way[:, 0] * behind[:, 1] - way[:, 1] * behind[:, 0], (way * behind).sum(axis=1))
    return bool((np.all(turns >= 0) or np.all(turns <= 0)) and abs(abs(turns.sum()) - 2 * np.pi) < 1)
