"""The command line: the only package that prints, parses arguments and exits."""

from breadcrumb.cli.main import main

__all__ = ["main"]
