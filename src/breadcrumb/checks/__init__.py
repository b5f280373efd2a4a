"""Checks, one module for each thing that they look at. Each is a function that returns a verdict."""
