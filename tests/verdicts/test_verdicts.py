import pytest

from breadcrumb import Broken, NeverExercised, Trace, Verdict, all_of, any_of, frames, judge
from breadcrumb.checks import triggers
from breadcrumb.testing import make_trace
from breadcrumb.verdicts.collecting import collecting
from breadcrumb.verdicts.rules import Rule


@pytest.fixture(scope="module")
def trace() -> Trace:
    """A trolley that leaves its rail twice."""
    places = [12.0, 13.71, 13.98, 14.43, 14.58, 13.0, 14.2, 14.0, 13.0]
    return make_trace(
        [{"trolley": {"x": x}} for x in places],
        kinds={"trolley": "trolley"},
        events=[(1, "input.drag", "trolley"), (6, "bell", "quay")],
        units={"x": "m"},
        name="night shift",
    )


EXPLANATION = """\
BROKEN  the trolley keeps to its rail
  session  night shift
  first  frame 3 (0.300 s)  trolley: 0.43 m short; measured -0.43 m, allowed 0 or more
  worst  frame 4 (0.400 s)  trolley: 0.58 m short; measured -0.58 m, allowed 0 or more
  3 of 9 samples broken, in 2 stretches: trolley frames 3-4, trolley frame 6
  9 samples tested
    frame  14 - x [m]  events
        1        0.29  input.drag trolley
        2        0.02
  >     3       -0.43
        4       -0.58
        5           1
        6        -0.2  bell quay"""


def test_a_failure_explains_itself(trace: Trace) -> None:
    """Summary, first and worst breach, stretches, and the values around with their events, word for word."""
    verdict = judge(14 - trace.one("trolley").x, "the trolley keeps to its rail")
    assert verdict.explain() == EXPLANATION
    assert verdict.explain(4).splitlines()[-1] == "  ... 9 more lines"


def test_asserting_raises_what_the_outcome_says(trace: Trace) -> None:
    """Held passes, broken raises its explanation, untested raises unless a runner listens."""
    x = trace.one("trolley").x
    held, broken = judge(x < 20, "a"), judge(x < 14, "b")
    untested = judge(x.during((x > 99).spans()) < 1, "c")
    assert held
    with pytest.raises(Broken, match="BROKEN  b"):
        assert broken
    with pytest.raises(NeverExercised, match="never tested"):
        assert untested
    with collecting() as found:
        assert held
        assert untested
        with pytest.raises(Broken):
            assert broken
    assert found.counted(returned=True) == ([held, untested, broken], 0)


JOINED = {
    # outcomes of the parts -> all_of, any_of
    "held held": ("held", "held"),
    "held untested": ("untested", "held"),
    "untested untested": ("untested", "untested"),
    "broken held": ("broken", "held"),
    "broken untested": ("broken", "untested"),
    "broken broken": ("broken", "broken"),
}


@pytest.mark.parametrize("parts", JOINED)
def test_joined_verdicts_keep_every_part(parts: str) -> None:
    """All must hold, or one must; the parts and their reasons stay."""
    several = [Verdict(Rule(f"rule {n}"), outcome, tested=1) for n, outcome in enumerate(parts.split())]  # type: ignore[arg-type]
    for join, outcome in zip((all_of, any_of), JOINED[parts], strict=True):
        for order in (several, several[::-1]):
            verdict = join(*order)
            assert verdict.outcome == outcome
            assert verdict.parts == tuple(order)
            assert verdict.tested == 2
            assert f"- {several[0].outcome}: rule 0" in verdict.explain()


def test_of_several_equally_wrong_the_worst_is_the_first_in_time() -> None:
    """Neither the order of the objects nor how effects are dealt out decides which of them is told."""
    states, events = [{"a": {"x": 0.0}, "b": {"x": 0.0}}] * 6, [(1, "call", "b"), (3, "call", "a")]
    trace = make_trace(states, kinds={"a": "keg", "b": "keg"}, events=events, declare=["come"])
    verdict = triggers.leads_to(trace.events("call"), trace.events("come"), within=frames(0))
    assert verdict.worst is not None
    assert (verdict.worst.object, verdict.worst.frame, verdict.breach_count) == ("b", 1, 2)


def test_evidence_is_small_whatever_the_session(trace: Trace) -> None:
    """A verdict keeps copies of two seconds around the first and the worst breach, and no more."""
    states = [{"a": {"x": float(n % 50)}} for n in range(20_000)]
    long = make_trace(states, kinds={"a": "thing"}, times=[n * 1e-4 for n in range(20_000)])
    verdict = judge(40 - long.one("thing").x, "small")
    assert verdict.evidence.first is not None
    assert verdict.evidence.worst is not None
    assert len(verdict.evidence.first.values) <= 2000
    assert len(verdict.to_json()) < 200_000
    assert verdict.breach_count == 20_000 // 50 * 9
    assert len(verdict.stretches) == 200
