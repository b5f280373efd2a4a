"""Judging: from what a check measured on each occasion to a verdict with its evidence."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from breadcrumb.algebra.durations import is_number
from breadcrumb.algebra.rounding import NoiseOf
from breadcrumb.algebra.signals import Signal
from breadcrumb.algebra.spans import Spans
from breadcrumb.errors import Misuse
from breadcrumb.model.plurals import counted
from breadcrumb.model.session import NOBODY, Bools, Floats, Ints, Session
from breadcrumb.verdicts.collecting import active_collector
from breadcrumb.verdicts.evidence import Evidence
from breadcrumb.verdicts.excerpts import PlotSource, excerpt_at
from breadcrumb.verdicts.findings import STRETCHES_KEPT, Breach, Margin, Stretch, Tally
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.sweeping import Broken, MarginOf, Runs, Swept, sweep, tallies
from breadcrumb.verdicts.verdict import UNNAMED, Verdict
from breadcrumb.verdicts.words import WHY_UNDECIDED, difference_visible

_LONGEST_NAME = 40


class Phrase(NamedTuple):
    """What is said of one breach."""

    measured: str
    allowed: str
    words: str


@dataclass(frozen=True, eq=False)
class Evaluation:
    """What a check looked at, one entry for each occasion; arrays of equal length."""

    session: Session
    clock_index: Ints
    """The clock index."""
    lifetime: Ints
    """The lifetime it is about, or NOBODY."""
    name: Ints
    """The object it is about, as an index into the session's names, or NOBODY."""
    margin: Floats
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
    plot: PlotSource | None = None
    swept: Swept | None = None
    """What a look at every sample found, if only some of them are kept here: the broken ones, or the tightest."""

    def __post_init__(self) -> None:
        if len(self.margin) and np.isnan(self.margin.min()):  # a value that is no number never fits
            object.__setattr__(self, "margin", np.where(np.isnan(self.margin), -np.inf, self.margin))

    @classmethod
    def of_samples(
        cls,
        signal: Signal,
        margin: Floats | MarginOf,
        phrase: Callable[[int], Phrase],
        *,
        noise: NoiseOf = lambda _: 0.0,
        skipped: int = 0,
        **more: Any,
    ) -> "Evaluation":
        """Return the case of a rule about every sample of a signal.

        Args:
            signal: what is judged.
            margin: the distance to breaking of each sample, or a function that gives those of a block of samples.
            phrase: what to say of a sample.
            noise: gives how far rounding may have moved some of the distances; so much below 0 still counts as 0.
            skipped: how many samples without a value were never due.
            more: what else there is to know, as in the attributes.
        """
        track = signal.track
        picked = track.source is not None
        exact = bool(more.get("exact", False))
        margin_of = margin if callable(margin) else margin.__getitem__
        swept = sweep(track, margin_of, signal.valid, noise, exact=exact, skipped=skipped)
        indices = swept.indices
        more = {
            "unit": signal.unit,
            "plot": PlotSource(signal),
            "unseen": track.unseen,
            "runs": not picked,
            "of": "moments" if picked else "samples",
            **more,
        }
        return cls(
            track.session, track.clock_index[indices], track.lifetime[indices], track.name_at(indices), swept.margin,
            lambda index: phrase(int(indices[index])), swept=swept, **more,
        )  # fmt: skip

    def verdict(self) -> Verdict:
        """Return the verdict: broken by any breach, held if an occasion was judged, else untested.

        The check that asked for it gives it its rule, and demands more occasions if it was told to.
        """
        swept, margins = self.swept, self.margin
        tightest = self._tightest if len(margins) else NOBODY
        broken = np.flatnonzero(margins < 0) if len(margins) and margins[tightest] < 0 else np.zeros(0, np.int64)
        tested, missing = (len(margins), 0) if swept is None else (swept.tested, swept.missing)
        outcome = Outcome.BROKEN if len(broken) else Outcome.HELD if tested else Outcome.UNTESTED
        first = worst = margin = None
        evidence = Evidence()
        if len(broken):
            at_first = broken[np.argmin(self.clock_index[broken])]
            first, worst = self._breach(int(at_first)), self._breach(tightest)
            evidence = Evidence(self._excerpt(int(at_first), broken), self._excerpt(tightest, broken))
        elif tested and active_collector() is None:  # a runner keeps none of what held
            evidence = Evidence(tightest=self._excerpt(tightest, broken))
        if tested and not self.exact and np.isfinite(margins[tightest]):
            margin = Margin(float(margins[tightest]), self.unit, self.allowed)
        tallies = self._tallies(broken) if swept is None else swept.tallies
        return Verdict(
            UNNAMED, outcome, self.session.label, margin, tested, self.of, self.undecided, missing,
            "" if outcome is not Outcome.UNTESTED else self._why_untested(missing), len(broken), first, worst,
            self._stretches(broken), tallies, evidence,
        )  # fmt: skip

    @property
    def _tightest(self) -> int:
        """The occasion with the smallest margin, of several the first in time."""
        equal = np.flatnonzero(self.margin == self.margin.min())
        return int(equal[np.argmin(self.clock_index[equal])])

    def _why_untested(self, missing: int) -> str:
        if self.unseen:
            return self.unseen
        if self.undecided:
            return f"{self.undecided} undecided: {WHY_UNDECIDED}"
        return f"{counted(missing, self.of)} without a value" if missing else f"no {self.of} to judge"

    def _breach(self, index: int) -> Breach:
        clock, clock_index, name = self.session.clock, int(self.clock_index[index]), int(self.name[index])
        lifetime = int(self.lifetime[index])
        with difference_visible(float(self.margin[index])):
            measured, allowed, words = self.phrase(index)
        return Breach(
            object="" if name == NOBODY else self.session.names[name],
            lifetime=0 if lifetime == NOBODY else int(self.session.lifetimes.ordinal[lifetime]),
            frame=int(clock.frames[clock_index]),
            time=float(clock.times[clock_index]),
            measured=measured,
            allowed=allowed,
            words=words,
            excess=self._degree(-self.margin[index]),
        )

    def _degree(self, value: float) -> float | None:
        """Return by how much something is right or wrong, if that is a number."""
        return float(value) if not self.exact and np.isfinite(value) else None

    def _excerpt(self, index: int, broken: Ints) -> Any:
        if self.plot is None:
            return None
        lifetime, clock_index = int(self.lifetime[index]), int(self.clock_index[index])
        mine = broken[self.lifetime[broken] == lifetime] if lifetime != NOBODY else broken
        return excerpt_at(self.session, self.plot, lifetime, int(self.name[index]), clock_index, self.clock_index[mine])

    def _stretches(self, broken: Ints) -> tuple[Stretch, ...]:
        if not len(broken):
            return ()
        frames, names = self.session.clock.frames, self.session.names
        begins = np.ones(len(broken), np.bool_)
        if self.runs:
            index = broken if self.swept is None else self.swept.indices[broken]
            begins[1:] = (np.diff(index) > 1) | (np.diff(self.lifetime[broken]) != 0)
        first = np.flatnonzero(begins)
        last = np.hstack((first[1:], len(broken))) - 1
        order = np.argsort(self.clock_index[broken[first]], kind="stable")[:STRETCHES_KEPT]
        return tuple(
            Stretch(
                "" if self.name[broken[a]] == NOBODY else names[self.name[broken[a]]],
                int(frames[self.clock_index[broken[a]]]),
                int(frames[self.clock_index[broken[b]]]),
            )
            for a, b in zip(first[order], last[order], strict=True)
        )

    def _tallies(self, broken: Ints) -> tuple[Tally, ...]:
        bounds = np.flatnonzero(np.concatenate(((True,), self.name[1:] != self.name[:-1], (True,))))
        runs = Runs(self.name, bounds[:0], self.margin)
        if len(self.name):
            begins = bounds[:-1]
            runs = Runs(self.name[begins], bounds[1:] - begins, np.minimum.reduceat(self.margin, begins))
        return tallies(self.session, runs, Broken(self.name[broken], self.clock_index[broken]), exact=self.exact)


def within_scope(
    signal: Signal,
    during: Spans | None,
    except_during: Spans | None,
    reach: int = 0,
    exempt: Bools | None = None,
) -> Signal:
    """Return the samples that a check is asked about, and that are not exempt.

    A value that is derived over a step (`reach=1`) belongs to the spans if both ends of the step do, and a lifetime's
    first sample has none.
    """
    track = signal.track
    if during is None and except_during is None and not reach:
        return signal
    keep = np.ones(track.size, np.bool_)
    if during is not None:
        keep &= during.over(track)
    if except_during is not None:
        keep &= ~except_during.over(track, excuses=True)
    if reach:
        keep[1:] &= keep[:-1]
        keep &= ~track.first_of_lifetime
    if exempt is not None:
        keep &= ~exempt
    return signal.take(np.flatnonzero(keep))


def forgive_noise(distance: Floats, noise: float | Floats) -> Floats:
    """Return distances to breaking in which what rounding alone explains counts as held."""
    return np.where((distance < 0) & (distance >= -np.asarray(noise)), 0.0, distance)


def tolerance(tol: float, what: str = "tol") -> float:
    """Return a tolerance in the property's unit.

    Raises:
        Misuse: it is a duration, negative or no number.
    """
    if not is_number(tol) or not tol >= 0:
        raise Misuse(f"{what}: expected a number from 0 up in the property's unit, found {tol!r}")
    return float(tol)
