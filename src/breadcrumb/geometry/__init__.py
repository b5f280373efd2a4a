"""Distances between bodies of size and turn, on arrays alone."""
