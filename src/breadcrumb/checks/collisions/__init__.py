"""Checks of what happens when things touch; and `touching`, which says when they do."""

from breadcrumb.checks.collisions.bounces import bounces
from breadcrumb.checks.collisions.contacts import never_overlaps, never_touches, passes_through, rests_on
from breadcrumb.checks.collisions.reporting import reports_every_touch
from breadcrumb.checks.collisions.surfaces import touching
from breadcrumb.checks.collisions.tunnelling import never_tunnels

__all__ = [
    "bounces",
    "never_overlaps",
    "never_touches",
    "never_tunnels",
    "passes_through",
    "reports_every_touch",
    "rests_on",
    "touching",
]
