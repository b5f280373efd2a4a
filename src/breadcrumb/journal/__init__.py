"""The journal: what a recording writes, one checksummed record a frame, on the standard library alone.

`docs/journal.md` describes the file byte by byte.
"""
