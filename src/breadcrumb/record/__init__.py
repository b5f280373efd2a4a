"""Recording from a running Python game: the standard library, the journal, and nothing else before the file."""
