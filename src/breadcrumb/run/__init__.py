"""Running check files on traces; results are data."""
