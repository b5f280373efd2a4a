"""The checks of triggers beside their references."""

from breadcrumb import Duration
from breadcrumb.checks import triggers
from references import timing
from references.asking import Case, draw_duration, draw_scope, draw_window, spans
from references.drawing import STEP

TRIGGERS: dict[str, Case] = {
    "triggers.leads_to": Case(
        lambda d: {
            "within": draw_window(d),
            "times": d.choice((1, 1, 2)),
            "unless": d.random() < 0.3,
            "retrigger": d.random() < 0.3,
            "scope": draw_scope(d),
            "only": d.random() < 0.7,
        },
        timing.leads_to,
        lambda t, within, times, unless, retrigger, only, scope: triggers.leads_to(
            t.events("tap"),
            t.events("ring"),
            within=within,
            times=times,
            retrigger=retrigger,
            only=only,
            unless=t.events("stop") if unless else None,
            **spans(t, scope),
        ),
    ),
    "triggers.only_after": Case(
        lambda d: {"within": draw_window(d), "scope": draw_scope(d)},
        timing.only_after,
        lambda t, within, scope: triggers.only_after(
            t.events("ring"), t.events("tap"), within=within, **spans(t, scope)
        ),
    ),
    "triggers.pairs_up": Case(
        lambda d: {"match": d.choice(("subject", "pair"))},
        timing.pairs_up,
        lambda t, match: triggers.pairs_up(t.events("in"), t.events("out"), match=match),
    ),
    "triggers.happens_in_order": Case(
        lambda d: {"within": draw_duration(d)},
        timing.happens_in_order,
        lambda t, within: triggers.happens_in_order(t.events("tap"), t.events("ring"), within=within),
    ),
    "triggers.respects_cooldown": Case(
        lambda d: {
            "at_least": draw_duration(d, 1, 4),
            "match": d.choice(("subject", "pair", "any", "times")),
            "slip": d.choice((0, 0, 1)),
            "scope": {},
        },
        lambda scene, at_least, match, slip, scope: timing.respects_cooldown(
            scene, at_least, match, slip * (1 if at_least.unit == "frames" else STEP), scope
        ),
        lambda t, at_least, match, slip, scope: triggers.respects_cooldown(
            t.events("hit"),
            at_least,
            match=match,
            time_tol=Duration(slip * (1 if at_least.unit == "frames" else STEP), at_least.unit) if slip else None,
            **spans(t, scope),
        ),
    ),
    "triggers.respects_rate_limit": Case(
        lambda d: {"limit": d.randint(1, 2), "per": draw_duration(d, 1), "match": d.choice(("any", "subject"))},
        timing.respects_rate_limit,
        lambda t, limit, per, match: triggers.respects_rate_limit(t.events("tap"), limit, per=per, match=match),
    ),
    "triggers.happens_once": Case(
        lambda d: {}, timing.happens_once, lambda t: triggers.happens_once(t.events("ring"), each=t.all("barrel"))
    ),
    "triggers.happens_once in all": Case(
        lambda d: {}, timing.happens_once_in_all, lambda t: triggers.happens_once(t.events("ring"))
    ),
    "triggers.never_happens": Case(
        lambda d: {"scope": draw_scope(d)},
        timing.never_happens,
        lambda t, scope: triggers.never_happens(t.events("stop"), **spans(t, scope)),
    ),
    "triggers.carries_data": Case(
        lambda d: {"expected": d.choice((1, 1, 2))},
        timing.carries_data,
        lambda t, expected: triggers.carries_data(t.events("tap"), "times", expected),
    ),
    "triggers.affects_only": Case(
        lambda d: {"name": d.choice(("n", "lit", "mood"))},
        timing.affects_only,
        lambda t, name: triggers.affects_only(t.events("hit"), t.all("barrel")[name]),
    ),
}
