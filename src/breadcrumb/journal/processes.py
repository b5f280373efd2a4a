"""Which process this is: one that was forked off must not write what its parent records.

The number of forks that lie between this process and the first one is counted, since asking the system costs a call.
"""

import os


class _Forks:
    count = 0


def generation() -> int:
    """Return how many forks this process is away from the first one.

    Example:
        >>> generation() == generation()
        True
    """
    return _Forks.count


def _count() -> None:
    _Forks.count += 1


if hasattr(os, "register_at_fork"):  # where processes are not forked there is nothing to tell apart
    os.register_at_fork(after_in_child=_count)
