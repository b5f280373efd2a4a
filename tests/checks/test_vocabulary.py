"""Every check of the vocabulary: held, broken, untested, and undecided or with values missing."""

import pytest

from breadcrumb import Verdict
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values
from vocabulary import ROWS

ALWAYS_DECIDED = {
    "respects_cooldown": "a pair of moments is there or is not",
    "repeats_every": "a tick that may come behind the end is not due yet",
    "never_happens": "each frame is one on which it happened or not",
    "count_stays": "each frame has its lifetimes",
    "silent_once_gone": "the rest of the trace is silent or is not",
    "keeps_types": "a value of another type is a breach, and one that is missing has none",
    "runs_clean": "a value that is missing is no wrong one",
    "reports_error": "all of the trace is looked at",
    "carries_data": "an event has the entry or lacks it",
    "draws_evenly": "a draw has its value",
    "never_missing": "a value is there or is missing",
    "refers_to": "a reference names something that is there, or it does not",
    "same_as": "a value is there in both, or it differs",
    "consistent_with": "what was not measured in all is not compared",
    "only_these_change": "the last known value is what the next one is compared with",
}


def test_every_check_has_a_row() -> None:
    """Nothing in the vocabulary goes without a held, a broken and an untested case, and an undecided one if there can be."""
    modules = (movement, collisions, triggers, spawns, values, rays, session)
    checks = {name for module in modules for name in module.__all__ if name not in ("touching", "first_hit")}
    assert checks == {name.split()[0].rpartition(".")[2] for name in ROWS}
    assert {name for name, row in ROWS.items() if row.undecided is None} == set(ALWAYS_DECIDED)


@pytest.mark.parametrize("name", ROWS)
def test_it_holds_with_the_margin_worked_out_by_hand(name: str) -> None:
    """A held verdict has tested something, and says how far it was from breaking."""
    row = ROWS[name]
    verdict = row.check(row.held)
    assert verdict.outcome == "held", verdict.explain()
    assert verdict.tested > 0
    if row.margin is not None:
        assert verdict.margin is not None
        assert verdict.margin.value == pytest.approx(row.margin, abs=1e-6)
    assert Verdict.from_json(verdict.to_json()) == verdict


@pytest.mark.parametrize("name", ROWS)
def test_it_breaks_and_names_object_frame_and_value(name: str) -> None:
    """The first breach is the one worked out by hand, and so is the margin."""
    row = ROWS[name]
    verdict = row.check(row.broken)
    assert verdict.outcome == "broken", verdict.explain()
    assert verdict.first is not None
    assert (verdict.first.object, verdict.first.frame, verdict.first.measured) == row.breach
    assert verdict.first.allowed
    if row.excess is not None:
        assert verdict.margin is not None
        assert verdict.margin.value == pytest.approx(row.excess, abs=1e-6)
    assert row.breach[2] in verdict.explain()
    assert Verdict.from_json(verdict.to_json()) == verdict


@pytest.mark.parametrize("name", ROWS)
def test_it_is_untested_where_it_was_not_exercised(name: str) -> None:
    """Nothing to test is never a pass, and the verdict says why."""
    verdict = ROWS[name].check(ROWS[name].untested)
    assert verdict.outcome == "untested", verdict.explain()
    assert verdict.why_untested


@pytest.mark.parametrize("name", [name for name, row in ROWS.items() if row.undecided is not None])
def test_what_cannot_be_decided_is_counted_and_breaks_nothing(name: str) -> None:
    """A value that was not recorded, or an effect that may come after the end, is neither held nor broken."""
    row = ROWS[name]
    assert row.undecided is not None
    verdict = row.check(row.undecided)
    assert verdict.outcome in ("held", "untested"), verdict.explain()
    assert verdict.undecided + verdict.missing + sum(part.undecided + part.missing for part in verdict.parts) > 0
