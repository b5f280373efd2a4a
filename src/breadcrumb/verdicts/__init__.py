"""Verdicts: what a check found, as data, and the words that explain it."""
