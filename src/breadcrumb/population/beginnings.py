"""What objects are like at the start of a session, and when the game begins anew."""

import numpy as np

from breadcrumb.model.session import NOBODY, Bools, Ints
from breadcrumb.population.events import Objects
from breadcrumb.population.measures import Found, Occasions, Quantity
from breadcrumb.population.properties import in_words, lasting
from breadcrumb.population.signals import Signal
from breadcrumb.population.stretches import Stretches, restarts


def beginning_measures(objects: Objects, kind: str) -> Found:
    """Yield the initial values of the objects of a kind that exist all the time: of all of them, and of each."""
    stretches, signals = objects.signals(kind)
    rows = np.flatnonzero(stretches.is_first & np.isin(stretches.who, lasting(stretches)))
    rows = rows[~_is_played(objects, stretches.who[rows], stretches.clock_index[rows])]
    clock = stretches.clock_index[rows]
    anew = np.isin(clock, restarts(objects.session)) & (clock > 0)
    for words, chosen in (("at the start", rows[clock == 0]), ("after a restart", rows[anew])):
        for one in signals if len(chosen) else ():
            if one.is_recorded:
                aspect = f"{one.part} {words}".strip()
                quantity = Quantity("property", f"{kind}.{one.prop}", aspect, sort="initial value")
                occasions = _as_states(stretches, one, chosen)
                yield quantity, occasions
                if one.unit and one.texts is None:  # a flag, a text or a count can be drawn, and be the same by chance
                    yield from _of_each(objects, quantity, occasions)


def _of_each(objects: Objects, quantity: Quantity, occasions: Occasions) -> Found:
    for who in np.unique(occasions.who).tolist():
        rows = np.flatnonzero(occasions.who == who)
        columns = (occasions.values[rows], occasions.clock_index[rows], occasions.who[rows])
        name = objects.session.names[who]
        yield quantity._replace(basis="player", object=name), Occasions(*columns, occasions.texts)


def _is_played(objects: Objects, who: Ints, clock: Ints) -> Bools:
    """Tell on which objects a player, or nobody, has an effect on that very frame."""
    events, size = objects.session.events, objects.session.clock.size
    of_play = ~objects.is_of_the_game(events.by)
    keys = np.concatenate([side[of_play] * size + events.clock_index[of_play] for side in (events.by, events.on)])
    found: Bools = np.isin(who * size + clock, keys) & (who != NOBODY)
    return found


def _as_states(stretches: Stretches, signal: Signal, rows: Ints) -> Occasions:
    clock, who = stretches.clock_index[rows], stretches.who[rows]
    if signal.texts is not None:
        return Occasions(signal.values[rows], clock, who, signal.texts)
    codes, texts = in_words(signal.values[rows], signal.unit)
    return Occasions(codes, clock, who, texts)
