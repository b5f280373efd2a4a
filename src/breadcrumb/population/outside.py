"""What a session does that good ones do not, as data."""

from dataclasses import dataclass

from breadcrumb.population.measures import Quantity
from breadcrumb.population.rules import Rule


@dataclass(frozen=True, slots=True)
class Outside:
    """A quantity of the candidate that is outside what the references did."""

    quantity: Quantity
    words: str
    reference: str
    candidate: str
    rows: tuple[int, ...]
    """The occasions that are outside, in order of time; none if something is missing."""
    surprise: float
    """How improbable it is by chance: the negative logarithm, by rough reckoning."""
    rule: Rule

    @property
    def rank(self) -> tuple[bool, float]:
        """What comes first: what something does before what participants of events are like; then the surest."""
        return self.quantity.is_of_participants, -self.surprise
