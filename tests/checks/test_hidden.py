"""What was not recorded breaks nothing: the ends of a session, a pause, and values that are missing."""

from pathlib import Path

import pytest

from hiding import HIDDEN, lines_of, put_away, retold
from vocabulary import FRAMES, ROWS

WHOLE = {("reports_error", "begun late"), ("reports_error", "cut")}
"""What a session made to fail must report, it must report in what was recorded."""
WHOLE |= {("never_missing", how) for how in ("without values", "paused, then without values")}
"""And a value that must never be missing is missing."""
COMPARED = "same_as", "consistent_with"
WHOLE |= {(name, how) for name in COMPARED for how in HIDDEN if how not in ("told twice", "not numbers")}
"""What the accepted session has, the other one must have recorded, too."""


@pytest.mark.parametrize(("name", "how"), [(name, how) for name in ROWS for how in HIDDEN if (name, how) not in WHOLE])
def test_what_was_not_recorded_breaks_nothing(name: str, how: str, tmp_path: Path) -> None:
    """A rule that holds is never broken by hiding a part of the session, wherever that is."""
    row = ROWS[name]
    about, lines = lines_of(row.held)
    for place in range(1, len(lines) - 1):
        trace = retold(about, HIDDEN[how](lines, place), tmp_path / f"{place}.crumbs")
        verdict = row.check(trace)
        assert verdict.outcome != "broken", (place, verdict.explain())


@pytest.mark.filterwarnings("ignore:.*turns by up to")
@pytest.mark.parametrize("name", ROWS)
def test_an_enormous_value_excuses_no_other(name: str, tmp_path: Path) -> None:
    """A rule breaks where it broke, whatever enormous values there are afterwards: rounding does not reach so far."""
    row = ROWS[name]
    about, lines = lines_of(row.broken)
    otherwise = row.check(retold(about, put_away(lines), tmp_path / "away.crumbs"))
    assert otherwise.first is not None
    if row.breach[1] == FRAMES[-1]:  # where they are put away, others may break as well
        assert otherwise.first.frame == row.breach[1]
    else:
        assert (otherwise.first.object, otherwise.first.frame) == row.breach[:2]
