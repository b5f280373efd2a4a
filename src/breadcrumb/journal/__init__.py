"""The journal: what a recording writes, one checksummed record a frame, on the standard library alone.

The file starts with `MAGIC`. Every record is `length, CRC-32 of the body, body` (little-endian, two unsigned 32-bit
numbers; of a frame above 1 KiB, the CRC-32 is that of every 127th byte), and the first byte of a body says what it is:

* `ABOUT`, once, first: a JSON object with the format's version and what is known of the session.
* `FRAME`: `frame (int64), t (float64), length of the notes (uint32), number of blocks (uint16)`, the notes, the blocks.
* `SEAL`, once, last: a JSON object with the number of frames. A journal without it was cut.

Notes are a JSON list in the order in which things happened. Each note is a list that starts with its name:
`table` (number, kind, columns), `appear` (life, id, kind, parent, seen being made), `leave` (life), `text` (code,
text), `event` (name, by, on, data, late), `parameter` (name, value, unit), `declare` (events, kinds), `trouble` (sort,
words).

A block holds one table's rows of this frame: `table (uint16), what it holds (uint8), rows (uint32)`, then, each only
if it differs from the frame before, the lives (uint32 a row), the numbers (float64, row by row, or column by
column if what it holds says so), and the flag and text
columns (a uint16 that counts them, then each: its place among them as uint16, and uint8 or uint32 a row). A table that
has no block is unchanged, so a still object costs nothing.

A missing number is the one NaN whose bits are `MISSING_BITS`; any other NaN is a value that the game had.
"""
