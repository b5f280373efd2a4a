"""Checks of what follows from what, how often, and when."""

from breadcrumb.checks.triggers.affecting import affects_only
from breadcrumb.checks.triggers.events import (
    carries_data,
    happens_in_order,
    happens_once,
    never_happens,
    only_after,
    pairs_up,
)
from breadcrumb.checks.triggers.limits import leads_to_only_if
from breadcrumb.checks.triggers.pairing import leads_to
from breadcrumb.checks.triggers.timing import repeats_every, respects_cooldown, respects_rate_limit

__all__ = [
    "affects_only",
    "carries_data",
    "happens_in_order",
    "happens_once",
    "leads_to",
    "leads_to_only_if",
    "never_happens",
    "only_after",
    "pairs_up",
    "repeats_every",
    "respects_cooldown",
    "respects_rate_limit",
]
