"""What a verdict says that it judged, and what its margin is a share of.

The sessions are those of the vocabulary; a sentence is read by whoever sees a check fail, and by nobody more often.
"""

import importlib.util
from pathlib import Path
from typing import Any

import pytest

from breadcrumb import Verdict

_spec = importlib.util.spec_from_file_location("vocabulary", Path(__file__).parent / "test_vocabulary.py")
assert _spec is not None
assert _spec.loader is not None
_vocabulary = importlib.util.module_from_spec(_spec)
_spec.loader.exec_module(_vocabulary)
ROWS: dict[str, Any] = _vocabulary.ROWS

SAID: dict[str, tuple[str, float | None, str]] = {
    # the rule in words, what the margin is a share of, and what the occasions are
    "stays_inside": ("p of every barrel stays inside the box -1..7 x -1..1 with a radius of 0.5 m", None, "samples"),
    "keeps_speed": ("every barrel keeps a speed of 5 m/s (+- 0.5 m/s)", 0.5, "samples"),
    "never_jumps": ("every barrel never jumps farther than 1.5 m a frame", 1.5, "samples"),
    "bounces": ("every barrel bounces at tap (+- 0.1 m/s)", 0.1, "bounces"),
    "leads_to": ("tap leads to ring within 0.25 s", 0.25, "causes"),
    "rests_between": ("ring rests at least 0.3 s in between", 0.3, "pairs"),
    "lasts": ("every spark lasts 0.2 s to 0.3 s", 0.1, "lives"),
    "one_for_each": ("each tap makes exactly one spark within 1 frame, and nothing else does", 1, "causes"),
    "dies_with": ("every sound is gone with its barrel, or within 0.2 s after it", 0.2, "parts"),
    "outlives": ("every sound outlives its barrel by 0.2 s", None, "parts"),
    "keeps_pace": ("a frame takes 0.02 s at the most", 0.02, "frames"),
    "keeps_types": ("no property changes its type", None, "properties"),
    "runs_clean": ("the session runs clean: no script error, every number finite", None, "frames"),
    "same_at_any_rate": ("p.x of every barrel is the same in made by hand as in made by hand (+- 0.1 m)", 0.1, "samples"),
    "stays_between": ("p.x of every barrel stays between 0 m and 7 m (+- 0.5 m)", 7, "samples"),
    "stays_outside": ("p of every barrel stays outside the box 7..9 x -1..1 with a radius of 0.5 m", None, "samples"),
    "stays_on_line": ("p of every barrel stays on its line (+- 0.1 m)", 0.1, "samples"),
    "jumps_to": ("every barrel is at (9, 9) at tap (+- 0.5 m)", 0.5, "moments"),
    "follows": ("every barrel follows a (+- 0.2 m)", 0.2, "samples"),
    "returns_to": ("every barrel is back at (0, 0) 0.3 s after tap (+- 0.25 m), at rest", 0.25, "moments"),
    "lands_on": ("every barrel lands on (2, 0) at tap (+- 0.5 m)", 0.5, "moments"),
    "keeps_velocity": ("every barrel keeps its velocity (+- 0.5 m/s)", 0.5, "samples"),
    "slows_by": ("every barrel slows by 2 each second, to 0 (+- 0.01)", 0.01, "changes of speed"),
    "accelerates_like": ("every barrel accelerates like (p * 0.0) + (0.0, -4.0) (+- 0.1 m/s2)", 0.1, "samples"),
    "moves": ("every barrel moves 0.5 m or more within 0.2 s", None, "samples"),
    "undisturbed": ("every barrel is not disturbed at tap (+- 0.5 m/s)", 0.5, "moments"),
    "steps_by": ("n of every barrel steps by +2 at tap (+- 0.5)", 0.5, "moments"),
    "heads_toward": ("every barrel heads toward (20, 0) at tap (+- 10 deg)", 10.0, "moments"),
    "faces": ("yaw of every barrel faces (0, 9) (+- 2 deg)", 2.0, "samples"),
    "turns_at": ("yaw of every barrel turns at 100 deg/s (+- 1 deg/s)", 1.0, "samples"),
    "eases": ("n of every barrel eases to 3.0 in 0.4 s along quadratic in after tap (+- 0.1)", 0.1, "samples"),
    "arcs": ("n of every barrel hops 1 high in 0.5 s after tap (+- 0.1)", 0.1, "samples"),
    "follows_keys": ("n of every barrel follows 3 keys after tap (+- 0.1)", 0.1, "samples"),
    "oscillates": ("n of a swings 2 about 1 every 0.5 s (+- 0.01)", 0.01, "samples"),
    "equals": ("n of every barrel equals (m * 2) (+- 0.5)", 0.5, "samples"),
    "equals a text": ("state of every barrel equals idle", None, "samples"),
    "unchanged": ("n of every barrel never changes (+- 0.5)", 0.5, "samples"),
    "never_falls": ("n of every barrel never falls (+- 0.5)", None, "samples"),
    "never_rises": ("n of every barrel never rises", None, "samples"),
    "changes_by": ("n of every barrel changes by +2 at tap (+- 0.5), and at no other time", 0.5, "moments"),
    "toggles": ("lit of every barrel turns over at tap, and at no other time", None, "moments"),
    "restores": ("n of every barrel is restored after lit (+- 0.5)", 0.5, "moments"),
    "shows": ("state of every barrel shows n", None, "samples"),
    "alike": ("n of a is alike in every span of lit (+- 0.5)", 0.5, "samples"),
    "conserves": ("n of every barrel stays what it first is (+- 0.5)", 0.5, "samples"),
    "opposes": ("n of every barrel is opposite to m of every barrel (+- 0.5)", 0.5, "samples"),
    "carries_over": ("n of every barrel begins each life with the last one's value +1 (+- 0.5)", 0.5, "samples"),
    "drains": ("n of every barrel falls by 1 every 0.3 s during lit (+- 0.1), and at no other time", 0.1, "samples"),
    "moves_through": ("state of every barrel only changes to a state that may follow", None, "changes"),
    "only_after": ("ring happens only after tap within 0.3 s", 0.3, "effects"),
    "pairs_up": ("in and out come in turns", None, "moments"),
    "repeats_every": ("tap repeats every 0.3 s", None, "moments"),
    "happens_in_order": ("tap, ring, stop happen in this order, 0.3 s apart at most", 0.3, "causes"),
    "never_happens": ("tap never happens", None, "frames"),
    "happens_once": ("tap happens once in each life of every barrel", None, "lives"),
    "carries_data": ("n of tap is 3 (+- 0.5)", 0.5, "moments"),
    "affects_only": ("tap affects n of its own subject only", None, "moments"),
    "never_floods": ("tap happens at most 2 times in 0.2 s", 2.0, "moments"),
    "appears_at": ("every barrel appears at (3, 0) (+- 1 m)", 1.0, "moments"),
    "appears_with": ("every barrel appears with n 3.0 (+- 0.5)", 0.5, "moments"),
    "spreads_over": ("n of every barrel is one of 2 places (+- 0.5)", 0.5, "moments"),
    "leaves_when": ("every barrel leaves within 0.2 s of tap, and only then", 0.2, "causes"),
    "leaves_when outside": ("every barrel is gone within 0.1 s outside the circle of 1.8 about (0, 0)", 0.1, "stays outside"),
    "count_stays": ("there are at least 1 and at most 2 of barrel at a time", 2.0, "frames"),
    "silent_once_gone": ("no event of any barrel once it is gone", None, "lives"),
    "reports_every_touch": ("in tells whenever a touches the circle of 0.6 about (3, 0), and of nothing else", None, "touches and events"),
    "never_overlaps": ("every barrel never overlaps every barrel by more than 0.1 m", None, "samples"),
    "never_touches": ("every barrel never touches the circle of 1 about (9, 0)", None, "samples"),
    "never_skips": ("every barrel never passes through the barrier", None, "samples"),
    "passes_through": ("a passes undisturbed through the circle of 0.6 about (3, 0) (+- 0.5 m/s)", 0.5, "samples"),
    "rests_on": ("every barrel rests on -0.5 (+- 0.1 m)", 0.1, "samples"),
    "ends_where_it_hits": ("end of every barrel is where its ray first meets something, or after 9 m (+- 0.1 m)", 0.1, "samples"),
    "picks_nearest": ("tap picks the nearest barrel within 2 m", None, "picks"),
    "reports_error": ("the session reports 'roll *' once, and no other error", None, "sessions"),
    "only_these_change": ("nothing but barrel.p changes", None, "columns"),
}  # fmt: skip


@pytest.mark.parametrize("name", ROWS)
def test_a_rule_is_said_the_same_whatever_came_of_it(name: str) -> None:
    """The sentence names whose property it is, the limit, the tolerance and the unit, held, broken or undecided."""
    row = ROWS[name]
    sentence, allowed, occasions = SAID[name]
    held: Verdict = row.check(row.held)
    assert (held.sentence, held.of) == (sentence, occasions)
    assert (held.margin and held.margin.allowed) == (None if allowed is None else pytest.approx(allowed))
    assert row.check(row.broken).sentence == sentence
