"""By which rules a quantity is judged."""

from collections.abc import Mapping
from typing import Literal, TypeAlias

from breadcrumb.population.measures import Quantity
from breadcrumb.population.sorts import Sort

Rule: TypeAlias = Literal[
    "constant", "limit", "same limit", "pile", "often", "far", "unreached", "distribution", "state", "no state",
    "share", "count", "gone", "new", "no number", "initial", "absent", "scripted", "unchanging",
]  # fmt: skip

AGREEING = 8
"""From how many references on it is no coincidence if all of them agree."""

_NOT_JUDGED: Mapping[Sort, frozenset[Rule]] = {
    "numeric state": frozenset({"absent", "share"}),
    "restart": frozenset({"limit", "pile", "often", "unreached", "distribution", "constant"}),
    "end": frozenset({"pile"}),
    "duration": frozenset({"pile", "often", "limit"}),
    "state duration": frozenset({"limit", "pile"}),
    "numeric state duration": frozenset({"limit", "pile", "absent"}),
    "steady": frozenset({"limit", "pile", "often", "distribution", "absent"}),
    "interval": frozenset({"pile", "distribution"}),
    "latency": frozenset({"pile", "absent"}),
    "number": frozenset({"pile", "often", "far", "distribution"}),
    "situation": frozenset({"often"}),
    "angle": frozenset({"often"}),
    "change of state": frozenset({"state"}),
}
"""What varies with play by its nature: in sessions of varied play, good ones were outside by these rules."""

_OF_THE_GAME: frozenset[Rule] = frozenset({"distribution", "share", "absent", "far"})
_OF_A_SITUATION: frozenset[Rule] = frozenset({"limit", "pile", "often"})
"""Which say nothing where a player decides when something occurs, and which nothing where a player decides what."""
_OF_ONE_OBJECT: frozenset[Rule] = frozenset({"constant", "limit", "far", "unreached", "state", "no state", "absent"})
"""Which say something of one object, besides what is said of its kind."""

_OF_CHANCE: frozenset[Sort] = frozenset({"step", "rate", "situation", "angle", "change"})
"""What is outside a limit now and then where two things happen on one frame."""


def is_of_chance(quantity: Quantity) -> bool:
    """Tell whether a few occasions outside a limit say nothing."""
    return quantity.sort in _OF_CHANCE


def is_judged(quantity: Quantity, rule: Rule) -> bool:
    """Tell whether a rule says anything of a quantity."""
    if rule in _NOT_JUDGED.get(quantity.sort, ()):
        return False
    if quantity.basis == "game":
        return True
    if quantity.object:
        return rule in _OF_ONE_OBJECT
    return rule not in (_OF_THE_GAME if quantity.basis == "situation" else _OF_THE_GAME | _OF_A_SITUATION)
