"""Values that cannot be changed: what a check is given must be the same for the next one."""

from collections.abc import Mapping
from typing import Any, NoReturn

import numpy as np


def _refuse(*_: Any, **__: Any) -> NoReturn:
    raise TypeError("a recorded session cannot be changed; make a copy with dict() or list()")


class FrozenDict(dict[str, Any]):
    """A mapping that cannot be changed; it equals a dict of the same content, and pickles."""

    __setitem__ = __delitem__ = __ior__ = clear = pop = popitem = setdefault = update = _refuse

    def __reduce__(self) -> Any:
        return FrozenDict, (dict(self),)


class FrozenList(list[Any]):
    """A list that cannot be changed; it equals a list of the same content, and pickles."""

    __setitem__ = __delitem__ = __iadd__ = __imul__ = append = clear = extend = insert = pop = remove = _refuse
    reverse = sort = _refuse

    def __reduce__(self) -> Any:
        return FrozenList, (list(self),)


def frozen(value: Any) -> Any:
    """Return plain data that cannot be changed, all the way down.

    Example:
        >>> frozen({"aim": [1, {"x": 2}]})["aim"] == [1, {"x": 2}]
        True
    """
    if isinstance(value, Mapping):
        return value if isinstance(value, FrozenDict) else FrozenDict({key: frozen(one) for key, one in value.items()})
    return FrozenList(map(frozen, value)) if isinstance(value, list | tuple) else value


def read_only(*arrays: Any) -> None:
    """Let nobody write to arrays from now on; what is no array stays as it is."""
    for array in arrays:
        if isinstance(array, np.ndarray):
            array.flags.writeable = False
