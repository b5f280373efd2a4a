"""Checks of what appears, how long it lasts, when it is gone, and what is drawn at random."""

from breadcrumb.checks.spawns.beginnings import appears_at, appears_with, spreads_over
from breadcrumb.checks.spawns.drawing import draws_evenly
from breadcrumb.checks.spawns.endings import count_stays, dies_with, leaves_when, outlives, silent_once_gone
from breadcrumb.checks.spawns.lifetimes import lasts, one_for_each
from breadcrumb.checks.spawns.starting import appears_alike, appears_apart

__all__ = [
    "appears_alike",
    "appears_apart",
    "appears_at",
    "appears_with",
    "count_stays",
    "dies_with",
    "draws_evenly",
    "lasts",
    "leaves_when",
    "one_for_each",
    "outlives",
    "silent_once_gone",
    "spreads_over",
]
