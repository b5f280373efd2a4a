"""The wall between NumPy and Arrow: arrays cross it as buffers, which neither copies nor imports anything more."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from breadcrumb.model.session import Bools, ColumnData, Ints


def int_array(values: Ints, valid: Bools | None = None) -> Any:
    """Return whole numbers as Arrow; those that are not valid become null."""
    return pa.Array.from_buffers(pa.int64(), len(values), [_bits(valid), _buffer(values.astype("<i8", copy=False))])


def float_array(values: NDArray[Any], valid: Bools | None = None) -> Any:
    """Return numbers as Arrow; those that are not valid become null."""
    return pa.Array.from_buffers(pa.float64(), len(values), [_bits(valid), _buffer(values.astype("<f8", copy=False))])


def flag_array(values: NDArray[Any], valid: Bools | None = None) -> Any:
    """Return flags as Arrow; those that are not valid become null."""
    return pa.Array.from_buffers(pa.bool_(), len(values), [_bits(valid), _bits(values)])


def text_array(texts: Sequence[str | None]) -> Any:
    """Return texts as Arrow; None becomes null."""
    encoded = [b"" if text is None else text.encode("utf-8", "replace") for text in texts]
    ends = np.cumsum([0, *map(len, encoded)], dtype=np.int64).astype("<i4")
    valid = np.array([text is not None for text in texts], np.bool_)
    return pa.Array.from_buffers(
        pa.string(), len(texts), [_bits(valid), _buffer(ends), pa.py_buffer(b"".join(encoded))]
    )


def coded_array(indices: Ints, texts: Sequence[str], valid: Bools | None = None) -> Any:
    """Return texts as Arrow, given as indices into a list of the distinct ones."""
    indices = pa.Array.from_buffers(pa.int32(), len(indices), [_bits(valid), _buffer(indices.astype("<i4"))])
    return pa.DictionaryArray.from_arrays(indices, text_array(texts))


def column_array(column: ColumnData) -> Any:
    """Return one column of a kind's table as Arrow."""
    if column.texts is not None:
        return coded_array(column.values, column.texts, column.valid)
    write = flag_array if column.values.dtype == np.bool_ else float_array
    return write(column.values, column.valid)


def column_data(array: Any) -> ColumnData:
    """Return one Arrow column as NumPy; the opposite of `column_array`.

    Raises:
        TypeError: it holds neither numbers nor flags nor texts.
        ValueError: it refers to a text that it does not hold.
    """
    array = _numbers_or_codes(_one_chunk(array))
    valid = _valid(array)
    if pa.types.is_dictionary(array.type):
        indices = _plain(array.indices, np.dtype(array.indices.type.to_pandas_dtype())).astype(np.int64)
        if valid is not None:
            indices = np.where(valid, indices, 0)
        texts = tuple(array.dictionary.to_pylist()) or ("",)
        if len(indices) and not 0 <= indices.min() <= indices.max() < len(texts):
            raise ValueError(f"expected codes of {len(texts)} texts, found {indices.max()}")
        return ColumnData(indices, valid, texts)
    if pa.types.is_boolean(array.type):
        return ColumnData(_unpack(array.buffers()[1], array), valid)
    numbers = _plain(array, np.dtype("<f8"))
    return ColumnData(numbers if valid is None else np.where(valid, numbers, np.nan), valid)


def _numbers_or_codes(array: Any) -> Any:
    """Return a column as one of the types that we write, whoever wrote it."""
    kind = array.type
    if pa.types.is_string(kind) or pa.types.is_large_string(kind):
        return _cast(array, pa.string()).dictionary_encode()
    if pa.types.is_integer(kind) or pa.types.is_floating(kind):
        return _cast(array, pa.float64(), safe=False)
    if pa.types.is_boolean(kind) or (pa.types.is_dictionary(kind) and pa.types.is_string(kind.value_type)):
        return array
    raise TypeError(f"expected numbers, flags or texts, found {kind}")


def ints(array: Any, missing: int) -> Ints:
    """Return whole numbers as NumPy, with a stand-in for null.

    Raises:
        TypeError: it holds something else.
    """
    array = _one_chunk(array)
    if not pa.types.is_integer(array.type):
        raise TypeError(f"expected whole numbers, found {array.type}")
    array = _cast(array, pa.int64())
    values = _plain(array, np.dtype("<i8"))
    valid = _valid(array)
    return values if valid is None else np.where(valid, values, missing)


def _cast(array: Any, kind: Any, **how: Any) -> Any:
    """Return an array of another type; one that has it already loads none of Arrow's functions, which takes 0.1 s."""
    return array if array.type == kind else array.cast(kind, **how)


def _one_chunk(array: Any) -> Any:
    combined = array.combine_chunks() if isinstance(array, pa.ChunkedArray) else array
    if isinstance(combined, pa.ChunkedArray):
        combined = combined.chunk(0)
    return combined


def _plain(array: Any, dtype: np.dtype[Any]) -> NDArray[Any]:
    if not len(array):
        return np.zeros(0, dtype)
    return np.frombuffer(array.buffers()[1], dtype, len(array), array.offset * dtype.itemsize)


def _valid(array: Any) -> Bools | None:
    bits = array.buffers()[0]
    return None if bits is None or not array.null_count else _unpack(bits, array)


def _unpack(bits: Any, array: Any) -> Bools:
    every = np.unpackbits(np.frombuffer(bits, np.uint8), count=array.offset + len(array), bitorder="little")
    return every[array.offset :].astype(np.bool_)


def _bits(flags: NDArray[Any] | None) -> Any:
    return None if flags is None else _buffer(np.packbits(flags.astype(np.bool_), bitorder="little"))


def _buffer(values: NDArray[Any]) -> Any:
    return pa.py_buffer(np.ascontiguousarray(values))
