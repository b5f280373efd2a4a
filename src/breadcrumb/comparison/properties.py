"""Properties of objects that two sessions have."""

from collections.abc import Callable, Iterator, Mapping, Sequence

import numpy as np

from breadcrumb.align.lifetimes import LifetimePairs
from breadcrumb.align.samples import pair_samples, window_samples
from breadcrumb.align.timing import Timing
from breadcrumb.comparison.differences import Difference
from breadcrumb.comparison.values import Apart, on_frames
from breadcrumb.comparison.windows import within_a_step
from breadcrumb.model.columns import property_of
from breadcrumb.model.session import Session
from breadcrumb.model.trace import TraceData
from breadcrumb.verdicts.words import amount


def property_differences(
    reference: TraceData,
    candidate: TraceData,
    timing: Timing,
    pairs: LifetimePairs,
    tolerances: Mapping[str, float],
    is_ignored: Callable[..., bool],
) -> Iterator[tuple[int, list[Difference]]]:
    """Yield for each property of each kind how many values were compared, and a difference for each lifetime."""
    for kind in (kind for kind in reference.session.kinds if kind in candidate.session.kinds):
        compared = _comparing(reference, candidate, timing, pairs, kind)
        columns = [name for side in (reference, candidate) for name in side.columns(kind)]
        for name in dict.fromkeys(map(property_of, columns)):
            if is_ignored(kind, f"{kind}.{name}"):
                continue
            parts, others = (
                [one for one in side.columns(kind) if property_of(one) == name] for side in (reference, candidate)
            )
            if set(parts) != set(others):
                yield 0, [_of_other_parts(reference, kind, name, parts, others)]
                continue
            unit = reference.session.unit_of(kind, name)
            tol = tolerances.get(f"{kind}.{name}", tolerances.get(name, 0.0))
            apart = compared(parts, unit, tol)
            found = _of_lifetimes(reference.session, timing, pairs, apart, kind, name, unit)
            yield apart.compared, list(found)


def _comparing(
    reference: TraceData, candidate: TraceData, timing: Timing, pairs: LifetimePairs, kind: str
) -> Callable[[Sequence[str], str, float], Apart]:
    """Return what compares a property of a kind, given its columns, its unit and the tolerance."""
    if timing.by == "frame":
        samples = pair_samples(reference, candidate, kind, pairs)
        return lambda parts, unit, tol: on_frames(
            reference, candidate, kind, parts, samples, timing.reference, unit, tol
        )
    windows = window_samples(reference, candidate, kind, pairs, timing)
    return lambda parts, unit, tol: within_a_step(reference, candidate, kind, parts, windows, timing, unit, tol)


def _of_other_parts(
    reference: TraceData, kind: str, name: str, mine: Sequence[str], yours: Sequence[str]
) -> Difference:
    """Return the difference of a property that one session alone has, or has with other parts."""
    clock = reference.session.clock
    words = "missing" if not yours else "extra" if not mine else "has other parts"
    return Difference(
        "property", f"{kind}.{name}", "", int(clock.frames[0]), float(clock.times[0]), words,
        ", ".join(mine) or "none", ", ".join(yours) or "none", last=int(clock.frames[-1]),
    )  # fmt: skip


def _of_lifetimes(
    session: Session, timing: Timing, pairs: LifetimePairs, apart: Apart, kind: str, name: str, unit: str
) -> Iterator[Difference]:
    """Yield the difference of each lifetime of which values are apart."""
    rows = apart.rows
    numbers, begins, counts = np.unique(apart.pair[rows], return_index=True, return_counts=True)
    for pair, begin, count in zip(numbers.tolist(), begins.tolist(), counts.tolist(), strict=True):
        mine = rows[begin : begin + count]
        first, distance = int(mine[0]), apart.distance[mine]
        frame, time = timing.moment(apart.side, int(apart.clock_index[first]))
        last, _ = timing.moment(apart.side, int(apart.clock_index[mine[-1]]))
        texts = apart.texts(first)
        yield Difference(
            "property", f"{kind}.{name}", session.who(int(pairs.reference[pair])), frame, time,
            apart.words(float(distance[0]), amount(float(distance[0]), unit)), *apart.told(first, unit), count, last,
            float(np.nanmax(distance)) if np.isfinite(distance).any() else None, unit,
            tuple(text for text in texts if text in session.names),
        )  # fmt: skip
