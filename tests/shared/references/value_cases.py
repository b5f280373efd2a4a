"""The checks of values, and steps, beside their references."""

from typing import Any

from breadcrumb import Trace
from breadcrumb.checks import movement as movement_checks
from breadcrumb.checks import values as value_checks
from references import values
from references.asking import Case, barrels, draw_duration, draw_scope, draw_window, spans

LEGAL = (
    {"calm": ["glad"], "glad": ["calm", "cross"], "cross": ["calm"]},
    {"calm": ["glad", "cross"], "glad": ["calm", "cross"], "cross": ["calm", "glad"]},
)


def _expected(t: Trace, expected: Any) -> Any:
    return barrels(t)[expected[1:]] if isinstance(expected, str) and expected[0] == "@" else expected


VALUES: dict[str, Case] = {
    "values.equals": Case(
        lambda d: (
            d.choice(
                (
                    {"name": "n", "expected": d.choice((0.0, 1.0, "@m"))},
                    {"name": "mood", "expected": "calm"},
                    {"name": "lit", "expected": True},
                )
            )
            | {"tol": d.choice((0.0, 1.0, 2.0)), "rel_tol": d.choice((0.0, 0.0, 0.5)), "scope": draw_scope(d)}
        ),
        values.equals,
        lambda t, name, expected, tol, rel_tol, scope: value_checks.equals(
            barrels(t)[name], _expected(t, expected), tol=tol, rel_tol=rel_tol, **spans(t, scope)
        ),
    ),
    "values.opposes": Case(
        lambda d: {"tol": d.choice((0.0, 2.0, 4.0))},
        values.opposes,
        lambda t, tol: value_checks.opposes(barrels(t).n, barrels(t).m, tol=tol),
    ),
    "values.shows": Case(
        lambda d: {}, values.shows, lambda t: value_checks.shows(barrels(t).caption, barrels(t).n, form="{:.0f} kg")
    ),
    "values.one_of": Case(
        lambda d: (
            d.choice(({"name": "n", "allowed": [0.0, 1.0, 2.0]}, {"name": "mood", "allowed": ["calm", "glad"]}))
            | {"scope": draw_scope(d)}
        ),
        values.one_of,
        lambda t, name, allowed, scope: value_checks.one_of(barrels(t)[name], allowed, **spans(t, scope)),
    ),
    "values.unchanged": Case(
        lambda d: {
            "name": d.choice(("n", "lit", "mood")),
            "tol": d.choice((0.0, 1.0)),
            "scope": draw_scope(d),
            "excused": d.random() < 0.5,
        },
        values.unchanged,
        lambda t, name, tol, scope, excused: value_checks.unchanged(
            barrels(t)[name], tol=tol, except_at=t.events("hit") if excused else None, **spans(t, scope)
        ),
    ),
    "values.never_falls": Case(
        lambda d: {"tol": d.choice((0.0, 1.0)), "scope": draw_scope(d)},
        lambda scene, tol, scope: values.never_falls(scene, 1, tol, scope),
        lambda t, tol, scope: value_checks.never_falls(barrels(t).n, tol=tol, **spans(t, scope)),
    ),
    "values.never_rises": Case(
        lambda d: {"tol": d.choice((0.0, 1.0)), "scope": draw_scope(d)},
        lambda scene, tol, scope: values.never_falls(scene, -1, tol, scope),
        lambda t, tol, scope: value_checks.never_rises(barrels(t).n, tol=tol, **spans(t, scope)),
    ),
    "values.conserves": Case(
        lambda d: {"tol": d.choice((0.0, 1.0)), "rel_tol": d.choice((0.0, 0.5)), "scope": draw_scope(d)},
        values.conserves,
        lambda t, tol, rel_tol, scope: value_checks.conserves(
            barrels(t).n, tol=tol, rel_tol=rel_tol, **spans(t, scope)
        ),
    ),
    "values.moves_through": Case(
        lambda d: {"legal": d.choice(LEGAL), "scope": draw_scope(d)},
        values.moves_through,
        lambda t, legal, scope: value_checks.moves_through(barrels(t).mood, legal, **spans(t, scope)),
    ),
    "values.restores": Case(
        lambda d: {"name": d.choice(("n", "lit", "mood")), "tol": d.choice((0.0, 1.0))},
        values.restores,
        lambda t, name, tol: value_checks.restores(barrels(t)[name], during=barrels(t).on.spans(), tol=tol),
    ),
    "values.lasts": Case(
        lambda d: dict(zip(("short", "long"), draw_window(d), strict=True)),
        values.lasts,
        lambda t, short, long: value_checks.lasts(barrels(t).lit, (short, long) if short != long else long),
    ),
    "values.carries_over": Case(
        lambda d: {"step": d.choice((0.0, 1.0)), "tol": d.choice((0.0, 1.0))},
        values.carries_over,
        lambda t, step, tol: value_checks.carries_over(barrels(t).n, step, tol=tol),
    ),
    "values.changes_by": Case(
        lambda d: {"amount": d.choice((1.0, -1.0)), "only": d.random() < 0.6, "tol": d.choice((0.0, 0.5))},
        values.changes_by,
        lambda t, amount, only, tol: value_checks.changes_by(
            barrels(t).n, amount, at=t.events("hit"), only=only, tol=tol
        ),
    ),
    "values.toggles": Case(
        lambda d: {"only": d.random() < 0.6},
        values.toggles,
        lambda t, only: value_checks.toggles(barrels(t).lit, at=t.events("hit"), only=only),
    ),
    "movement.steps_by": Case(
        lambda d: {
            "amount": d.choice((1.0, -1.0)),
            "only": d.random() < 0.6,
            "tol": d.choice((0.0, 0.5)),
            "limits": d.choice((None, (0.0, 3.0))),
        },
        values.changes_by,
        lambda t, amount, only, tol, limits: movement_checks.steps_by(
            barrels(t).n, amount, at=t.events("hit"), only=only, tol=tol, limits=limits
        ),
    ),
    "values.drains": Case(
        lambda d: {
            "amount": d.choice((0.5, 1.0)),
            "every": draw_duration(d, 1),
            "low": d.choice((0.0, 1.0)),
            "only": d.random() < 0.6,
            "tol": d.choice((0.0, 1.0, 3.0)),
        },
        values.drains,
        lambda t, amount, every, low, only, tol: value_checks.drains(
            barrels(t).n, amount, every=every, during=barrels(t).on.spans(), low=low, only=only, tol=tol
        ),
    ),
}
