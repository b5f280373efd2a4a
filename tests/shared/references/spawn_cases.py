"""The checks of spawns beside their references."""

from typing import Any

from breadcrumb import Trace
from breadcrumb.checks import spawns as spawn_checks
from references import spawns
from references.asking import Case, barrels, draw_duration, draw_scope, draw_window, spans


def _part_and_owner(t: Trace) -> tuple[Any, Any]:
    seen = set(barrels(t).ids)
    owner, part = spawns.owner_and_part(seen)
    return (t.one(id=part), t.one(id=owner)) if seen else (barrels(t), barrels(t))


SPAWNS: dict[str, Case] = {
    "spawns.appears_at": Case(
        lambda d: {"place": d.choice(((0.0, 0.0), "lamp")), "tol": d.choice((0.0, 2.0, 4.0))},
        spawns.appears_at,
        lambda t, place, tol: spawn_checks.appears_at(barrels(t), t.one("lamp") if place == "lamp" else place, tol=tol),
    ),
    "spawns.appears_with": Case(
        lambda d: {
            "wanted": d.choice(({"n": 1.0}, {"mood": "calm"}, {"n": 1.0, "lit": True})),
            "tol": d.choice((0.0, 1.0)),
        },
        spawns.appears_with,
        lambda t, wanted, tol: spawn_checks.appears_with(barrels(t), wanted, tol=tol),
    ),
    "spawns.lasts": Case(
        lambda d: dict(zip(("short", "long"), draw_window(d), strict=True)),
        spawns.lasts,
        lambda t, short, long: spawn_checks.lasts(barrels(t), (short, long) if short != long else long),
    ),
    "spawns.count_stays": Case(
        lambda d: (
            d.choice(({"least": 1, "most": None}, {"least": None, "most": 1}, {"least": 1, "most": 2}))
            | {"scope": draw_scope(d)}
        ),
        spawns.count_stays,
        lambda t, least, most, scope: spawn_checks.count_stays(
            barrels(t), at_least=least, at_most=most, **spans(t, scope)
        ),
    ),
    "spawns.silent_once_gone": Case(
        lambda d: {}, spawns.silent_once_gone, lambda t: spawn_checks.silent_once_gone(barrels(t))
    ),
    "spawns.one_for_each": Case(
        lambda d: {"within": draw_window(d), "only": d.random() < 0.6},
        spawns.one_for_each,
        lambda t, within, only: spawn_checks.one_for_each(t.events("born"), barrels(t), within=within, only=only),
    ),
    "spawns.leaves_when": Case(
        lambda d: {"within": draw_window(d), "only": d.random() < 0.6},
        spawns.leaves_when,
        lambda t, within, only: spawn_checks.leaves_when(barrels(t), t.events("stop"), within=within, only=only),
    ),
    "spawns.dies_with": Case(
        lambda d: {"within": d.choice((None, draw_duration(d)))},
        spawns.dies_with,
        lambda t, within: spawn_checks.dies_with(*_part_and_owner(t), within=within),
    ),
    "spawns.outlives": Case(
        lambda d: dict(zip(("short", "long"), draw_window(d), strict=True)),
        spawns.outlives,
        lambda t, short, long: spawn_checks.outlives(*_part_and_owner(t), delay=(short, long)),
    ),
}
