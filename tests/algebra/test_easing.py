"""The standard easing curves, against values at the quarters of the time that were worked out by hand."""

import pytest

from breadcrumb import Verdict, seconds
from breadcrumb.checks import movement
from breadcrumb.testing import make_trace

QUARTERS = {
    # the share of the way at a quarter, half and three quarters of the time, on the way in
    "quadratic": (1 / 16, 1 / 4, 9 / 16),
    "cubic": (1 / 64, 1 / 8, 27 / 64),
    "quartic": (1 / 256, 1 / 16, 81 / 256),
    "quintic": (1 / 1024, 1 / 32, 243 / 1024),
    "sine": (0.0761204675, 0.2928932188, 0.6173165676),
    "exponential": (0.0055242717, 0.03125, 0.1767766953),
    "circular": (0.0317541634, 0.1339745962, 0.3385621722),
    "back": (-0.0641365625, -0.0876975, 0.1825903125),
    "elastic": (-0.0055242717, -0.015625, 0.0883883476),
    "bounce": (0.02734375, 0.234375, 0.52734375),
}
SHARES = {
    "linear": (0.25, 0.5, 0.75),
    "smoothstep": (0.15625, 0.5, 0.84375),
    **{f"{name} in": shares for name, shares in QUARTERS.items()},
    **{f"{name} out": (1 - c, 1 - b, 1 - a) for name, (a, b, c) in QUARTERS.items()},
    **{f"{name} in-out": (b / 2, 0.5, 1 - b / 2) for name, (_, b, _) in QUARTERS.items()},
}


def eased(shares: tuple[float, ...], curve: str) -> Verdict:
    """Judge a door that goes from 10 to 90 degrees in 0.4 s by way of these shares, and rests there."""
    states = [{"door": {"turn": 10.0 + 80.0 * share}} for share in (0.0, *shares, 1.0, 1.0)]
    trace = make_trace(states, kinds={"door": "door"}, events=[(0, "pushed", "door")], units={"turn": "deg"})
    pushed = trace.events("pushed")
    return movement.eases(trace.one("door").turn, at=pushed, to=90.0, over=seconds(0.4), curve=curve, tol=1e-6)


@pytest.mark.parametrize("curve", SHARES)
def test_a_curve_goes_where_its_formula_says(curve: str) -> None:
    """What follows the curve holds, and what is off it by a degree on one frame is broken there, by so much."""
    assert eased(SHARES[curve], curve).outcome == "held"
    for place in range(3):
        shares = tuple(share + (place == number) / 80 for number, share in enumerate(SHARES[curve]))
        verdict = eased(shares, curve)
        assert verdict.first is not None
        assert (verdict.breach_count, verdict.first.frame) == (1, place + 1)
        assert verdict.first.words == "1 deg too high"


@pytest.mark.parametrize("curve", ["back in", "back out", "elastic in", "elastic out"])
def test_a_curve_that_swings_beyond_its_ends_still_ends_on_them(curve: str) -> None:
    """It begins where it was and ends where it should, whatever lies in between."""
    shares = SHARES[curve]
    assert min(shares) < 0 or max(shares) > 1
    broken = eased((*shares[:2], shares[2] + 0.05), curve)
    assert broken.breach_count == 1
    assert broken.margin is not None
    assert broken.margin.value == pytest.approx(-4.0, abs=1e-5)
