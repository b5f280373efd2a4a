"""Checks of a session as a whole."""

from breadcrumb.checks.session.accepted import consistent_with, same_as
from breadcrumb.checks.session.changing import only_these_change
from breadcrumb.checks.session.errors import reports_error, runs_clean
from breadcrumb.checks.session.pace import keeps_pace, same_at_any_rate
from breadcrumb.checks.session.types import keeps_types

__all__ = [
    "consistent_with",
    "keeps_pace",
    "keeps_types",
    "only_these_change",
    "reports_error",
    "runs_clean",
    "same_as",
    "same_at_any_rate",
]
