"""What several good sessions did, against which others are judged."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from breadcrumb.model.plurals import counted
from breadcrumb.population.counts import judge_count
from breadcrumb.population.measures import Measures, Occasions, Quantity
from breadcrumb.population.numbers import Numbers
from breadcrumb.population.outside import Outside
from breadcrumb.population.rules import Rule, is_judged
from breadcrumb.population.scripted import Scripted
from breadcrumb.population.states import States

_NOT_RECORDED = "not recorded"
_CERTAIN = 50.0
"""The surprise of what is recorded, and was not, or the other way round."""
_NEVER, _TWICE = 4, 2
"""How often something occurs in each reference if it is missed."""
_LONGER = 1.1
"""How many times as long as the longest reference a session is if it is longer."""
_AS_FAR_AS_PLAYED: frozenset[Rule] = frozenset({"same limit", "unchanging", "far"})
"""The rules that say something only of as much play as the references have."""
_FREQUENCY: frozenset[Rule] = frozenset({"count", "often"})
_ORDER = "event before"
"""The rules, and the aspect, that depend on how often a player does something."""
_NEW = ("by", "number at a time")
"""The aspects that tell that an event, or a kind, is new."""


@dataclass(frozen=True, eq=False)
class Known:
    """What the references did."""

    quantities: dict[Quantity, Numbers | States | Scripted]
    counts: dict[Quantity, tuple[int, ...]]
    begun: frozenset[str]
    """The events on a restart of any."""
    seconds: tuple[float, ...]
    """How long each reference is."""
    types: tuple[dict[str, str], ...]
    """The properties that each reference has, and their types."""
    played: dict[str, int]
    """How often each event that only players cause occurs, at most."""

    @classmethod
    def of(cls, references: Sequence[Measures], step: float) -> "Known":
        """Return it, given the measures of each reference and the usual step."""
        found: dict[Quantity, Numbers | States | Scripted] = {}
        for quantity in dict.fromkeys(quantity for one in references for quantity in one.occasions):
            have = [one.occasions[quantity] for one in references if quantity in one.occasions]
            each = tuple(one for one in have if len(one.values))
            if not each or len({one.texts is None for one in each}) > 1:
                continue
            is_in_all = len(each) == len(references)
            if quantity.sort == "scripted":
                if is_in_all:
                    found[quantity] = Scripted.of(quantity, each, [one.session.names for one in references])
            elif each[0].texts is not None:
                found[quantity] = States.of(quantity, each, is_in_all=is_in_all)
            else:
                found[quantity] = Numbers.of(quantity, each, step, len(references))
        names = dict.fromkeys(quantity for one in references for quantity in one.counts)
        return cls(
            found,
            {name: tuple(one.counts.get(name, 0) for one in references) for name in names},
            frozenset().union(*(one.begun for one in references)),
            tuple(one.seconds for one in references),
            tuple(one.types for one in references),
            {name: max(one.played.get(name, 0) for one in references) for one in references for name in one.played},
        )

    def judge(self, candidate: Measures) -> Iterator[Outside]:
        """Yield what is outside; a session longer than the references may go further than any of them."""
        is_longer = candidate.seconds > _LONGER * max(self.seconds)
        more = self._played_more(candidate)
        for one in self._outside(candidate):
            depends_on_player = one.quantity.name in more and (one.rule in _FREQUENCY or one.quantity.aspect == _ORDER)
            if not depends_on_player and not (is_longer and one.rule in _AS_FAR_AS_PLAYED):
                yield one

    def _played_more(self, candidate: Measures) -> set[str]:
        """Return the events that a player causes more often than in any reference, and what occurs with them."""
        share = max(candidate.seconds / max(self.seconds), 1.0)
        more = [name for name, many in candidate.played.items() if many > share * self.played.get(name, many)]
        return {name for event in more for name in candidate.together_with(event)}

    def _outside(self, candidate: Measures) -> Iterator[Outside]:
        is_played = not candidate.begun <= self.begun
        for quantity, mine in candidate.occasions.items():
            known = self.quantities.get(quantity)
            if not len(mine.values) or (is_played and _can_be_played(quantity)):
                continue
            if quantity.sort == "initial value" and not quantity.object and _is_drawn(mine, known):
                continue
            if known is None:
                if quantity.aspect in _NEW:
                    yield _new(quantity, mine)
            elif isinstance(known, Scripted):
                yield from known.judge(mine, candidate.session.names)
            elif isinstance(known, States) == (mine.texts is not None):
                yield from (one for one in known.judge(mine) if not self._is_of_its_kind(one))
        yield from self._gone(candidate)
        yield from self._properties(candidate)
        for quantity, each in self.counts.items():
            expected = [count * candidate.seconds / seconds for count, seconds in zip(each, self.seconds, strict=True)]
            yield from judge_count(quantity, each, expected, candidate.counts.get(quantity, 0))

    def _is_of_its_kind(self, found: Outside) -> bool:
        """Tell whether an object begins as others of its kind do, as where it is drawn who does."""
        if found.rule != "initial" or not found.quantity.object:
            return False
        kind = self.quantities.get(found.quantity._replace(basis="game", object=""))
        return isinstance(kind, States) and set(found.candidate.split(", ")) <= kind.seen

    def _gone(self, candidate: Measures) -> Iterator[Outside]:
        """Yield what every reference has often, and the candidate never."""
        share = min(candidate.seconds / max(self.seconds), 1.0)
        for quantity, known in self.quantities.items():
            mine = candidate.occasions.get(quantity)
            if (
                (mine is None or not len(mine.values))
                and known.fewest * share >= (_NEVER if quantity.what == "event" else _TWICE)
                and known.usual * share >= _NEVER
                and self._is_expected(quantity, candidate)
            ):
                yield Outside(
                    quantity, "never occurs", f"{known.fewest} times or more", "never", (), 3.0 * known.fewest, "absent"
                )

    def _properties(self, candidate: Measures) -> Iterator[Outside]:
        """Yield which properties are new, missing, or of another type, of kinds that both have."""
        kinds = {name.partition(".")[0] for types in self.types for name in types}
        mine = {name: one for name, one in candidate.types.items() if name.partition(".")[0] in kinds}
        for name in dict.fromkeys((*self.types[0], *mine)):
            known = {types.get(name, _NOT_RECORDED) for types in self.types}
            told = candidate.types.get(name, _NOT_RECORDED)
            if len(known) > 1 or told in known or not candidate.has_kind(name.partition(".")[0]):
                continue
            usual = known.pop()
            words = "missing" if told == _NOT_RECORDED else "new" if usual == _NOT_RECORDED else "has another type"
            rule: Rule = "gone" if words == "missing" else "new"
            yield Outside(Quantity("property", name, "property"), words, usual, told, (), _CERTAIN, rule)

    def _is_expected(self, quantity: Quantity, candidate: Measures) -> bool:
        """Tell whether something must occur; of one object, only if it is in play: another property of it changes."""
        if not quantity.object:
            return is_judged(quantity, "absent")
        return any(
            one.object == quantity.object and one.name != quantity.name and one.sort == "rest" and len(mine.values)
            for one, mine in candidate.occasions.items()
        )


def _can_be_played(quantity: Quantity) -> bool:
    """Tell whether what is played on the first frame can be why something begins otherwise."""
    return quantity.sort == "restart" or (quantity.sort == "initial value" and bool(quantity.object))


def _is_drawn(mine: Occasions, known: Numbers | States | Scripted | None) -> bool:
    """Tell whether the objects of a kind may begin otherwise by chance: there is one, or not all of them do."""
    one, kept = len(np.unique(mine.who)) < 2, isinstance(known, States) and mine.counts.keys() & known.seen
    return one or bool(kept)


def _new(quantity: Quantity, mine: Occasions) -> Outside:
    rows = tuple(np.argsort(mine.clock_index, kind="stable").tolist())
    return Outside(quantity, "new", "none", counted(len(rows), "times"), rows, 10.0 * min(len(rows), 4), "new")
