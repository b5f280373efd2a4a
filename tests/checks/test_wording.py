"""What a verdict says that it judged, and what its margin is a share of.

The sessions are those of the vocabulary; a sentence is read by whoever sees a check fail, and by nobody more often.
"""

import pytest

from breadcrumb import Verdict
from vocabulary import ROWS

SAID: dict[str, tuple[str, float | None, str]] = {
    "stays_inside": ("p of every barrel stays inside the box -1..7 x -1..1 with a radius of 0.5 m", None, "samples"),
    "keeps_speed": ("every barrel keeps a speed of 5 m/s (± 0.5 m/s)", 0.5, "samples"),
    "never_teleports": ("every barrel never moves more than 1.5 m from one frame to the next", 1.5, "samples"),
    "bounces": ("every barrel bounces at tap (± 0.1 m/s)", 0.1, "bounces"),
    "leads_to": ("tap leads to ring within 0.25 s, and no more often", 0.25, "causes"),
    "respects_cooldown": ("ring respects a cooldown of 0.3 s for each subject", 0.3, "pairs"),
    "lasts": ("every spark lasts 0.2 s to 0.3 s", 0.1, "lifetimes"),
    "one_for_each": ("each tap makes exactly one spark within 1 frame, and nothing else makes one, regardless of subject", 1, "occasions"),
    "dies_with": ("every sound is gone with its barrel, or within 0.2 s after it", 0.2, "parts"),
    "outlives": ("every sound outlives its barrel by 0.2 s", None, "parts"),
    "keeps_pace": ("a frame takes at most 0.02 s", 0.02, "frames"),
    "keeps_types": ("no property of the session changes its type", None, "properties"),
    "runs_clean": ("the session runs clean: no script error, every number finite", None, "frames"),
    "same_at_any_rate": ("what is measured is the same at any frame rate (± 0.1 m)", 0.1, "samples"),
    "stays_between": ("p.x of every barrel stays between 0 m and 7 m (± 0.5 m)", 7, "samples"),
    "stays_outside": ("p of every barrel stays outside the box 7..9 x -1..1 with a radius of 0.5 m", None, "samples"),
    "stays_on_line": ("p of every barrel moves along (2, 0) only (± 0.1 m)", 0.1, "samples"),
    "teleports_to": ("every barrel is at (9, 9) at tap (± 0.5 m)", 0.5, "moments"),
    "follows": ("every barrel follows a at an offset of (0, 0) (± 0.2 m)", 0.2, "samples"),
    "returns_to": ("every barrel is back at (0, 0) 0.3 s after tap, at rest (± 0.25 m)", 0.25, "moments"),
    "lands_on": ("every barrel lands on (2, 0) at tap (± 0.5 m)", 0.5, "moments"),
    "keeps_velocity": ("every barrel keeps its velocity (± 0.5 m/s)", 0.5, "samples"),
    "slows_by": ("every barrel slows by 2 each second, to 0 (± 0.01)", 0.01, "changes of speed"),
    "accelerates_like": ("every barrel accelerates like p * 0.0 + (0.0, -4.0) (± 0.1 m/s2)", 0.1, "samples"),
    "moves": ("every barrel moves 0.5 m or more within 0.2 s", None, "samples"),
    "undisturbed": ("every barrel goes on undisturbed at tap (± 0.5 m/s)", 0.5, "moments"),
    "steps_by": ("n of every barrel steps by +2 at tap within (0, 4), and at no other time (± 0.5)", 0.5, "occasions"),
    "heads_toward": ("every barrel heads toward (20, 0) at tap (± 10 deg)", 10, "moments"),
    "faces": ("yaw of every barrel faces (0, 9) (± 2 deg)", 2, "samples"),
    "turns_at": ("yaw of every barrel turns at 100 deg/s (± 1 deg/s)", 1, "samples"),
    "eases": ("n of every barrel eases to 3 in 0.4 s along quadratic in after tap (± 0.1)", 0.1, "samples"),
    "follows_arc": ("n of every barrel follows an arc 1 high in 0.5 s after tap (± 0.1)", 0.1, "samples"),
    "follows_keys": ("n of every barrel follows 3 key points after tap (± 0.1)", 0.1, "samples"),
    "oscillates": ("n of a oscillates by 2 about 1 with a period of 0.5 s (± 0.01)", 0.01, "samples"),
    "equals": ("n of every barrel equals (m * 2) (± 0.5)", 0.5, "samples"),
    "equals a text": ("state of every barrel equals 'idle'", None, "samples"),
    "unchanged": ("n of every barrel never changes (± 0.5)", 0.5, "samples"),
    "never_falls": ("n of every barrel never falls (± 0.5)", None, "samples"),
    "never_rises": ("n of every barrel never rises", None, "samples"),
    "changes_by": ("n of every barrel changes by +2 at tap, and at no other time (± 0.5)", 0.5, "occasions"),
    "toggles": ("lit of every barrel toggles at tap, and at no other time", None, "occasions"),
    "restores": ("n of every barrel is restored after lit (± 0.5)", 0.5, "moments"),
    "shows": ("state of every barrel shows n as '{:.0f} C'", None, "samples"),
    "same_across": ("n of a is the same across every span of lit, relative to its start (± 0.5)", 0.5, "samples"),
    "conserves": ("n of every barrel stays what it first is (± 0.5)", 0.5, "samples"),
    "opposes": ("n of every barrel is equal and opposite to m of every barrel (± 0.5)", 0.5, "samples"),
    "carries_over": ("n of every barrel begins each lifetime with the last one's value +1 (± 0.5)", 0.5, "samples"),
    "drains": ("n of every barrel falls by 1 every 0.3 s during lit, and at no other time (± 0.1)", 0.1, "samples"),
    "one_of": ("n of every barrel is one of 3, 4", None, "samples"),
    "values.lasts": ("lit of every barrel lasts 0.1 s to 0.4 s", 0.3, "stretches"),
    "moves_through": ("state of every barrel only changes to a state that may follow", None, "changes"),
    "only_after": ("ring happens only after tap within 0.3 s", 0.3, "effects"),
    "pairs_up": ("in and out alternate", None, "moments"),
    "repeats_every": ("tap repeats every 0.3 s, regardless of subject", None, "moments"),
    "happens_in_order": ("tap, ring, stop happen in this order, at most 0.3 s apart", 0.3, "occasions"),
    "never_happens": ("tap never happens", None, "frames"),
    "happens_once": ("tap happens once in each lifetime of every barrel", None, "lifetimes"),
    "carries_data": ("n of tap is 3 (± 0.5)", 0.5, "moments"),
    "affects_only": ("tap affects n of its own subject only", None, "moments"),
    "respects_rate_limit": ("tap happens at most 2 times in 0.2 s, regardless of subject", 2, "moments"),
    "appears_at": ("every barrel appears at (3, 0) (± 1 m)", 1, "moments"),
    "appears_with": ("every barrel appears with n 3 (± 0.5)", 0.5, "moments"),
    "spreads_over": ("n of every barrel is one of 2 places, all of them, evenly (± 0.5)", 0.5, "occasions"),
    "leaves_when": ("every barrel leaves within 0.2 s of tap, and only then", 0.2, "occasions"),
    "leaves_when outside": ("every barrel leaves within 0.1 s of leaving the circle of 1.8 about (0, 0)", 0.1, "stays outside"),
    "count_stays": ("the number of barrel objects is at least 1 and at most 2", 2, "frames"),
    "silent_once_gone": ("no event is by or on any barrel once it is gone", None, "lifetimes"),
    "reports_every_touch": ("in reports every time a touches the circle of 0.6 about (3, 0), and at no other time", None, "touches and events"),
    "never_overlaps": ("every barrel never overlaps every barrel by more than 0.1 m with radii of 0.5 m and 0.5 m", None, "samples"),
    "never_touches": ("every barrel never touches the circle of 1 about (9, 0) with a radius of 0.5 m", None, "samples"),
    "never_tunnels": ("every barrel never tunnels through the barrier from (7, -1) to (7, 1)", None, "samples"),
    "passes_through": ("a passes undisturbed through the circle of 0.6 about (3, 0) (± 0.5 m/s)", 0.5, "samples"),
    "rests_on": ("every barrel rests on -0.5 m, its lowest point 0.5 m below its position (± 0.1 m)", 0.1, "samples"),
    "ends_where_it_hits": ("end of every barrel is where its ray first meets a shape, or after 9 m (± 0.1 m)", 0.1, "samples"),
    "appears_apart": ("every barrel appears at least 3 m from the one before", 3, "appearances"),
    "appears_alike": ("every barrel always appears alike, but for p, position (± 0.5)", 0.5, "moments"),
    "leads_to_only_if": ("tap leads to ring within 1 frame if p.x < 3, and to none if not, tested within 1 of the limit on both sides", 1, "causes"),
    "never_missing": ("n of every barrel is never missing", None, "samples"),
    "plays_sequence": ("n of every barrel plays 3 pictures after tap, each for its time", None, "samples"),
    "refers_to": ("state of every barrel names a barrel that is there, or none", None, "samples"),
    "picks_nearest": ("tap picks the nearest barrel within 2 m", None, "picks"),
    "reports_first_hit": ("tap reports the first that it meets within 30 (± 0.1)", 0.1, "rays"),
    "draws_evenly": ("tap is drawn within its bounds, evenly", None, "occasions"),
    "reports_error": ("the session reports the error 'roll *' once, and no other error", None, "sessions"),
    "only_these_change": ("nothing but barrel.p changes", None, "columns"),
    "consistent_with": ("everything is consistent with the accepted sessions", None, "values"),
    "same_as": ("everything is the same as in the accepted session", None, "values"),
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
