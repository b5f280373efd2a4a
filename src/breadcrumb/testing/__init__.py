"""For tests: small traces made by hand, and what every store and every sender of frame lines must fulfil."""

from breadcrumb.testing.conformance import assert_kept, assert_sent, script_as_json, sender_script, store_sessions
from breadcrumb.testing.making import make_trace, small_trace
from breadcrumb.testing.names import odd_names
from breadcrumb.testing.sameness import differences

__all__ = [
    "assert_kept",
    "assert_sent",
    "differences",
    "make_trace",
    "odd_names",
    "script_as_json",
    "sender_script",
    "small_trace",
    "store_sessions",
]
