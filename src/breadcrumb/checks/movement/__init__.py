"""Checks of where things are and how they move."""

from breadcrumb.checks.movement.arrivals import follows, lands_on, returns_to, teleports_to
from breadcrumb.checks.movement.curves import eases, follows_arc, follows_keys, oscillates
from breadcrumb.checks.movement.places import (
    never_teleports,
    stays_between,
    stays_inside,
    stays_on_line,
    stays_outside,
)
from breadcrumb.checks.movement.speeds import (
    accelerates_like,
    keeps_speed,
    keeps_velocity,
    moves,
    slows_by,
    undisturbed,
)
from breadcrumb.checks.movement.stepping import steps_by
from breadcrumb.checks.movement.turning import faces, heads_toward, turns_at

__all__ = [
    "accelerates_like",
    "eases",
    "faces",
    "follows",
    "follows_arc",
    "follows_keys",
    "heads_toward",
    "keeps_speed",
    "keeps_velocity",
    "lands_on",
    "moves",
    "never_teleports",
    "oscillates",
    "returns_to",
    "slows_by",
    "stays_between",
    "stays_inside",
    "stays_on_line",
    "stays_outside",
    "steps_by",
    "teleports_to",
    "turns_at",
    "undisturbed",
]
