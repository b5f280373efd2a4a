"""Judging: from what a check measured on each occasion to a verdict with its evidence."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np

from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session
from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.excerpts import Picture, excerpt_at, level
from breadcrumb.verdicts.findings import Breach, Margin, Outcome, Stretch, Tally
from breadcrumb.verdicts.sweeping import OBJECTS_KEPT, NoiseOf, SlackOf, Swept, sweep
from breadcrumb.verdicts.verdict import Verdict
from breadcrumb.verdicts.words import amount

_STRETCHES_KEPT = 200
_LONGEST_NAME = 40


class Phrase(NamedTuple):
    """What is said of one breach."""

    measured: str
    allowed: str
    words: str


@dataclass(frozen=True, eq=False)
class Case:
    """What a check looked at, one entry for each occasion; arrays of equal length."""

    session: Session
    row: Ints
    """The row of the clock."""
    life: Ints
    """The life it is about, or NOBODY."""
    name: Ints
    """The object it is about, as a place in the session's names, or NOBODY."""
    slack: Floats
    """The distance to breaking; negative where the rule is broken."""
    phrase: Callable[[int], Phrase]
    """Says of an occasion what was measured and allowed."""
    of: str = "samples"
    unit: str = ""
    exact: bool = False
    """Whether being right has no degrees; then there is no margin."""
    allowed: float | None = None
    """What the margin is a share of."""
    undecided: int = 0
    runs: bool = False
    """Whether the occasions are consecutive samples, so that breaches form stretches."""
    unseen: str = ""
    """Why there is nothing to judge, if the names were not seen."""
    picture: Picture | None = None
    swept: Swept | None = None
    """What a look at every sample found, if only some of them are kept here: the broken ones, or the tightest."""

    def __post_init__(self) -> None:
        wrong = np.isnan(self.slack)  # a value that is no number never fits
        if wrong.any():
            object.__setattr__(self, "slack", np.where(wrong, -np.inf, self.slack))

    @classmethod
    def of_samples(
        cls,
        signal: Signal,
        slack: Floats | SlackOf,
        phrase: Callable[[int], Phrase],
        *,
        noise: NoiseOf = lambda: 0.0,
        skipped: int = 0,
        **more: Any,
    ) -> "Case":
        """Return the case of a rule about every sample of a signal.

        Args:
            signal: what is judged.
            slack: the distance to breaking of each sample, or a function that gives those of a block of samples.
            phrase: what to say of a sample.
            noise: gives how far rounding may have moved each distance; so much below 0 still counts as 0.
            skipped: how many samples without a value were never due.
            more: what else there is to know, as in the attributes.
        """
        track = signal.track
        picked = track.source is not None
        exact = bool(more.get("exact", False))
        slack_of = slack if callable(slack) else slack.__getitem__
        swept = sweep(track, slack_of, signal.valid, noise, exact=exact, skipped=skipped)
        places = swept.places
        more = {
            "unit": signal.unit,
            "picture": Picture(signal),
            "unseen": track.unseen,
            "runs": not picked,
            "of": "moments" if picked else "samples",
            **more,
        }
        return cls(
            track.session, track.row[places], track.life[places], track.name_at(places), swept.slack,
            lambda place: phrase(int(places[place])), swept=swept, **more,
        )  # fmt: skip

    def verdict(self, sentence: str, occasions: int = 1) -> Verdict:
        """Return the verdict: broken by any breach, held if enough occasions were judged, else idle."""
        swept = self.swept
        slack = self.slack
        broken = np.flatnonzero(slack < 0)
        tested, missing = (len(slack), 0) if swept is None else (swept.tested, swept.missing)
        outcome, why = _outcome(len(broken), tested, occasions, self, missing)
        first = worst = None
        evidence = Evidence()
        margin = None
        if len(broken):
            at_first = broken[np.argmin(self.row[broken])]
            at_worst = broken[np.argmin(slack[broken])]
            first, worst = self._breach(int(at_first)), self._breach(int(at_worst))
            evidence = Evidence(self._excerpt(int(at_first), broken), self._excerpt(int(at_worst), broken))
        elif tested and outcome == "held":
            evidence = Evidence(tightest=self._excerpt(int(np.argmin(slack)), broken))
        if tested and not self.exact and np.isfinite(slack.min()):
            margin = Margin(float(slack.min()), self.unit, self.allowed)
        tallies = self._tallies(broken) if swept is None else swept.tallies
        return Verdict(
            sentence, outcome, self.session.label, margin, tested, self.of, self.undecided, missing, why,
            len(broken), first, worst, self._stretches(broken), tallies, evidence,
        )  # fmt: skip

    def _breach(self, place: int) -> Breach:
        clock, row, name = self.session.clock, int(self.row[place]), int(self.name[place])
        life = int(self.life[place])
        measured, allowed, words = self.phrase(place)
        return Breach(
            object="" if name == NOBODY else self.session.names[name],
            life=0 if life == NOBODY else int(self.session.lives.ordinal[life]),
            frame=int(clock.frames[row]),
            time=float(clock.times[row]),
            measured=measured,
            allowed=allowed,
            words=words,
            excess=self._degree(-self.slack[place]),
        )

    def _degree(self, value: float) -> float | None:
        """Return by how much something is right or wrong, if that is a number."""
        return float(value) if not self.exact and np.isfinite(value) else None

    def _excerpt(self, place: int, broken: Ints) -> Any:
        if self.picture is None:
            return None
        life, row = int(self.life[place]), int(self.row[place])
        mine = broken[self.life[broken] == life] if life != NOBODY else broken
        return excerpt_at(self.session, self.picture, life, int(self.name[place]), row, self.row[mine])

    def _stretches(self, broken: Ints) -> tuple[Stretch, ...]:
        if not len(broken):
            return ()
        frames, names = self.session.clock.frames, self.session.names
        begins = np.ones(len(broken), np.bool_)
        if self.runs:
            place = broken if self.swept is None else self.swept.places[broken]
            begins[1:] = (np.diff(place) > 1) | (np.diff(self.life[broken]) != 0)
        first = np.flatnonzero(begins)
        last = np.r_[first[1:], len(broken)] - 1
        order = np.argsort(self.row[broken[first]], kind="stable")[:_STRETCHES_KEPT]
        return tuple(
            Stretch(
                "" if self.name[broken[a]] == NOBODY else names[self.name[broken[a]]],
                int(frames[self.row[broken[a]]]),
                int(frames[self.row[broken[b]]]),
            )
            for a, b in zip(first[order], last[order], strict=True)
        )

    def _tallies(self, broken: Ints) -> tuple[Tally, ...]:
        code = self.name + 1  # so that nobody, who is NOBODY, counts as well
        size = len(self.session.names) + 1
        tested = np.bincount(code, minlength=size)
        breaches = np.bincount(code[broken], minlength=size)
        worst = np.full(size, np.inf)
        np.minimum.at(worst, code, self.slack)
        first = np.full(size, np.iinfo(np.int64).max)
        np.minimum.at(first, code[broken], self.row[broken])
        names, frames = ("", *self.session.names), self.session.clock.frames
        return tuple(
            Tally(
                names[k],
                int(tested[k]),
                int(breaches[k]),
                int(frames[first[k]]) if breaches[k] else None,
                self._degree(worst[k]),
            )
            for k in np.flatnonzero(tested)[:OBJECTS_KEPT].tolist()
        )


def judge(
    condition: Signal,
    words: str,
    *,
    during: Spans | None = None,
    except_during: Spans | None = None,
    occasions: int = 1,
) -> Verdict:
    """Assert any condition: a flag that must be true, or a margin that must not be negative, on every sample.

    Args:
        condition: a flag signal, or a signal of numbers of which 0 and more are fine, in the unit of the margin. It
            may have been picked at moments, and is then judged at each.
        words: the rule in words.
        during: judge only the samples inside these spans.
        except_during: judge only the samples outside these spans.
        occasions: how many samples there must be at the least.

    Returns:
        A verdict. It is idle if there is no sample with a value. Its margin is the smallest number; none for flags.

    Raises:
        Misuse: the condition is a vector or a text.

    Example:
        >>> from breadcrumb.testing import small_trace
        >>> boat = small_trace().one("skiff")
        >>> judge(boat.position.x < 5, "the boat stays west of the pier").outcome
        'held'
    """
    if len(condition.parts) != 1 or condition.texts is not None:
        raise Misuse(f"judge: expected true or false or a number on each sample, and {condition.name} is neither")
    condition = _named_shortly(within_scope(condition, during, except_during))
    values = condition.parts[0]
    if condition.is_flag:
        return Case.of_samples(
            condition, lambda block: values[block] - 1.0, lambda place: Phrase("false", "true", "not so"), exact=True
        ).verdict(words, occasions)

    def phrase(place: int) -> Phrase:
        short = amount(-float(values[place]), condition.unit)
        return Phrase(amount(float(values[place]), condition.unit), "0 or more", f"{short} short")

    picture = Picture(condition, low=level(0.0))
    case = Case.of_samples(
        condition,
        lambda block: values[block].astype(np.float64),
        phrase,
        noise=lambda: condition.noise,
        picture=picture,
    )
    return case.verdict(words, occasions)


def within_scope(
    signal: Signal,
    during: Spans | None,
    except_during: Spans | None,
    reach: int = 0,
    exempt: Bools | None = None,
) -> Signal:
    """Return the samples that a check is asked about, and that are not exempt.

    A value that is derived over a step (`reach=1`) belongs to the spans if both ends of the step do, and a life's first
    sample has none.
    """
    track = signal.track
    if during is None and except_during is None and not reach:
        return signal
    keep = np.ones(track.size, np.bool_)
    if during is not None:
        keep &= during.over(track)
    if except_during is not None:
        keep &= ~except_during.over(track)
    if reach:
        keep[1:] &= keep[:-1]
        keep &= ~track.first_of_life
    if exempt is not None:
        keep &= ~exempt
    return signal.take(np.flatnonzero(keep))


def _named_shortly(condition: Signal) -> Signal:
    """Return the condition under a name that fits a figure; what it means is in the words of the rule anyway."""
    if len(condition.name) <= _LONGEST_NAME:
        return condition
    return replace(condition, name="condition" if condition.is_flag else "margin")


def forgive_noise(distance: Floats, noise: float | Floats) -> Floats:
    """Return distances to breaking in which what rounding alone explains counts as held."""
    return np.where((distance < 0) & (distance >= -np.asarray(noise)), 0.0, distance)


def _outcome(breaches: int, tested: int, occasions: int, case: Case, missing: int) -> tuple[Outcome, str]:
    if breaches:
        return "broken", ""
    if tested >= max(1, occasions):
        return "held", ""
    if tested:
        return "idle", f"{tested} of {occasions} occasions"
    if case.unseen:
        return "idle", case.unseen
    if case.undecided:
        return "idle", f"{case.undecided} undecided: the trace ends, or has a gap, before they could be judged"
    return "idle", f"none of {missing} {case.of} has a value" if missing else f"no {case.of} to judge"


def tolerance(tol: float | None, what: str) -> float:
    """Return a tolerance in the property's unit.

    Raises:
        Misuse: it is a duration, negative or no number.
    """
    if tol is None:
        return 0.0
    if not is_number(tol) or not tol >= 0:
        raise Misuse(f"{what}: expected tol as a number from 0 up in the property's unit, found {tol!r}")
    return float(tol)
