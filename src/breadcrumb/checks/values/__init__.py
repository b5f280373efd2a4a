"""Checks of numbers, flags and texts: what they are, how they change, and when."""

from breadcrumb.checks.values.amounts import carries_over, conserves, drains, equals, opposes, same_across, shows
from breadcrumb.checks.values.changes import (
    changes_by,
    moves_through,
    never_falls,
    never_rises,
    restores,
    toggles,
    unchanged,
)
from breadcrumb.checks.values.references import never_missing, refers_to
from breadcrumb.checks.values.sequences import plays_sequence
from breadcrumb.checks.values.states import lasts, one_of

__all__ = [
    "carries_over",
    "changes_by",
    "conserves",
    "drains",
    "equals",
    "lasts",
    "moves_through",
    "never_falls",
    "never_missing",
    "never_rises",
    "one_of",
    "opposes",
    "plays_sequence",
    "refers_to",
    "restores",
    "same_across",
    "shows",
    "toggles",
    "unchanged",
]
