"""Checks written once more, by brute force over plain dicts, to hold the library against."""
