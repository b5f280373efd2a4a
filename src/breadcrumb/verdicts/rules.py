"""Rules: which check was asked of what, with which parameters, as plain data."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, TypeAlias

Plain: TypeAlias = Any
"""Texts, numbers, flags, None, and lists and mappings of them: what JSON can hold."""


@dataclass(frozen=True, slots=True)
class Subject:
    """What a rule is about: the first argument of its check."""

    label: str = ""
    """What it is called in messages."""
    key: str = ""
    """What it was taken from: a kind, an id or an event, with property and part; `lamp.position.x`."""
    kind: str = ""
    """The kind of its objects, if it is about objects."""


@dataclass(frozen=True, slots=True)
class Rule:
    """What was asked, whatever came of it."""

    sentence: str
    """The rule in words."""
    check: str = ""
    """The check, with its module: `movement.stays_inside`."""
    subject: Subject = Subject()
    parameters: Mapping[str, Plain] = field(default_factory=dict)
    """The arguments of the check that are not its default, but for the subject and the scope."""
    scope: Mapping[str, Plain] = field(default_factory=dict)
    """Which part of the session it is about: `at`, `during`, `except_during`, `except_at`, `match`."""
    id: str = ""
    """What identifies the rule in results, from session to session and build to build; empty outside of a run."""
    given_id: str = ""
    """What the check was given as `id=`."""
    digest: str = ""
    """Of the code of the check function, with the constants and helpers it names; empty outside of a run."""

    @property
    def check_name(self) -> str:
        """The bare name of the check."""
        return self.check.rpartition(".")[2]


def common_key(keys: list[str]) -> str:
    """Return the beginning that keys share, whole parts of them only.

    Example:
        >>> common_key(["lamp.position.x", "lamp.position.y"]), common_key(["lamp", "skiff"])
        ('lamp.position', '')
    """
    shared: list[str] = []
    for parts in zip(*(key.split(".") for key in keys), strict=False):
        if len(set(parts)) > 1:
            break
        shared.append(parts[0])
    return ".".join(shared)
