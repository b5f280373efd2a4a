"""Checks of rays: where a beam ends, what is picked or reported; and `first_hit`, which says what a ray meets."""

from breadcrumb.checks.rays.beams import ends_where_it_hits, first_hit, picks_nearest
from breadcrumb.checks.rays.recorded import reports_first_hit

__all__ = ["ends_where_it_hits", "first_hit", "picks_nearest", "reports_first_hit"]
