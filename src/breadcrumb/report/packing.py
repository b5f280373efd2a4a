"""Arrays packed for pages: differences, split into byte planes, deflated, in base 64."""

import base64
import zlib
from dataclasses import dataclass, field
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

Packed: TypeAlias = list[Any]
"""How one array is packed, where its bytes begin, and how many values it has."""
_LEVEL = 3
"""The compression level; a higher one saves little and takes longer."""
_WORD = 4
"""The bytes of a word."""
_NO_NUMBER = -(2**31)
_LARGEST = 2**31 - 1


@dataclass
class Packer:
    """Packs arrays, one after the other, into one text."""

    _planes: list[bytes] = field(default_factory=list)
    _size: int = 0

    def put(self, values: NDArray[Any], decimals: int | None = None) -> Packed:
        """Pack an array of one dimension.

        Args:
            values: flags and bytes, whole numbers of 32 bits, or floats.
            decimals: to how many decimals floats are kept, if they need not be kept as they are.

        Returns:
            What the page needs to find them.
        """
        if decimals is not None:
            whole = np.rint(values * 10.0**decimals)
            words = np.where(np.isnan(whole), _NO_NUMBER, whole).astype("<i4")
            return self._put(f"d{decimals}", _in_planes(words), len(values))
        if values.dtype.itemsize == _WORD:
            return self._put("f4" if values.dtype.kind == "f" else "i4", _in_planes(values.view("<i4")), len(values))
        if values.dtype.kind == "f":
            return self._put("f8", values.astype("<f8").tobytes(), len(values))
        return self._put("u1", values.astype("u1").tobytes(), len(values))

    def text(self) -> str:
        """Return all packed arrays, deflated and in base 64."""
        return base64.b64encode(zlib.compress(b"".join(self._planes), _LEVEL)).decode("ascii")

    def _put(self, form: str, content: bytes, many: int) -> Packed:
        begin = self._size
        self._planes.append(content)
        self._size += len(content)
        return [form, begin, many]


def fits(largest: float, decimals: int) -> bool:
    """Tell whether numbers up to a size can be kept to so many decimals."""
    return largest * 10.0**decimals < _LARGEST


def _in_planes(words: NDArray[np.int32]) -> bytes:
    """Return the differences of words, those of either sign as small numbers, their first bytes before their second."""
    steps = np.diff(words, prepend=np.int32(0))  # they wrap round, and so does their sum
    folded = (steps << 1) ^ (steps >> 31)
    return np.ascontiguousarray(folded.view("u1").reshape(-1, _WORD).T).tobytes()
