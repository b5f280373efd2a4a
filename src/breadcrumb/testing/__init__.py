"""Help for tests: small traces made by hand, through the real recorder."""

from breadcrumb.testing.making import make_trace, small_trace

__all__ = ["make_trace", "small_trace"]
