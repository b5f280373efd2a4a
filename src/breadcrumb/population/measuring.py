"""Measuring a session."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from breadcrumb.model.columns import property_and_part
from breadcrumb.model.session import Ints
from breadcrumb.model.trace import TraceData
from breadcrumb.population.beginnings import beginning_measures
from breadcrumb.population.counts import count_measures
from breadcrumb.population.events import Objects, event_measures
from breadcrumb.population.lifetimes import lifetime_measures
from breadcrumb.population.measures import Measures, Occasions
from breadcrumb.population.properties import of_each, property_measures
from breadcrumb.population.scripted import scripted_measures
from breadcrumb.population.sequences import sequence_measures


def measure(data: TraceData, players: Sequence[str]) -> Measures:
    """Return all that a session is measured by."""
    session = data.session
    objects = Objects(data, players)
    found = dict(lifetime_measures(objects))
    for kind in session.kinds:
        stretches, signals = objects.signals(kind)
        found.update(property_measures(kind, stretches, signals))
        found.update(of_each(kind, stretches, signals))
        found.update(beginning_measures(objects, kind))
        found.update(scripted_measures(objects, kind))
    found.update(event_measures(objects))
    found.update(sequence_measures(objects))
    counts = dict(count_measures(objects))
    return Measures(
        session, {quantity: _placed(one, objects.begins) for quantity, one in found.items()}, counts, dict(_types(data))
    )


def _types(data: TraceData) -> Iterator[tuple[str, str]]:
    """Yield what each recorded property has."""
    for kind in data.session.kinds:
        for name in data.columns(kind):
            column = data.column(kind, name)
            words = "texts" if column.texts is not None else "flags" if column.values.dtype == np.bool_ else "numbers"
            yield f"{kind}.{property_and_part(name)[0]}", words


def _placed(one: Occasions, begins: Ints) -> Occasions:
    """Return occasions with the frames of their episodes."""
    episode = np.searchsorted(begins, one.clock_index, side="right") - 1
    return replace(one, moment=one.clock_index - begins[episode])
