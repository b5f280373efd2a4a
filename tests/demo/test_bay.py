"""The demo game: the correct build passes at any rate, each fault is caught where it begins, and play is repeatable."""

from collections.abc import Callable
from pathlib import Path

import pytest

from breadcrumb import Trace, open_trace
from breadcrumb.demo.faults import FAULTS
from breadcrumb.run.running import run_checks

Find = Callable[[Trace, Trace], tuple[int, set[str]] | None]
SESSIONS = [(seed, rate) for seed in (1, 2) for rate in ("30", "60", "144", "jitter")]


def _files(examples: Path) -> list[Path]:
    return sorted((examples / "lantern_bay").glob("check_*.py"))


@pytest.mark.parametrize(("seed", "rate"), SESSIONS, ids=[f"{seed} at {rate}" for seed, rate in SESSIONS])
def test_the_correct_build_passes_at_every_rate(seed: int, rate: str, bay: Callable[..., Path], examples: Path) -> None:
    """Nothing is broken and nothing idle, whatever the seed and the frame rate."""
    run = run_checks(_files(examples), [bay(seed=seed, rate=rate)])
    assert {result.check.name: result.outcome for result in run.results if result.outcome != "held"} == {}
    assert run.exit_code == 0


@pytest.mark.parametrize("fault", FAULTS)
def test_a_fault_is_caught_at_the_frame_where_it_begins(
    fault: str, bay: Callable[..., Path], correct: Trace, examples: Path, departure: Find
) -> None:
    """A check about the behaviour breaks on the object and the frame at which the twin sessions part."""
    faulty = bay(fault)
    parting = departure(correct, open_trace(faulty))
    assert parting is not None
    frame, objects = parting
    behaviour = _files(examples)[0].parent / f"check_{FAULTS[fault].behaviour}.py"
    results = run_checks([behaviour], [faulty]).of("broken")
    firsts = [(one.first.frame, one.first.object) for result in results for one in result.findings if one.first]
    assert any(at == frame and who in objects for at, who in firsts), (parting, firsts)


def test_the_same_seed_plays_the_same_session(
    tmp_path: Path, play: Callable[..., Path], departure: Find, correct: Trace
) -> None:
    """Twin sessions of one seed, rate and script agree in every value; another seed plays another session."""
    again = open_trace(play(tmp_path / "again.crumbs"))
    assert departure(correct, again) is None
    other = open_trace(play(tmp_path / "other.crumbs", seed=8))
    assert departure(correct, other) is not None


def test_values_agree_at_all_steady_rates(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """At instants that two rates share, positions are the same within a millionth."""
    slow, fast = (open_trace(bay(rate=rate)).all("skiff").position for rate in ("30", "144"))
    slow_at = {
        (who, round(t * 720)): value for who, t, value in zip(slow.track.life, slow.times, slow.values, strict=True)
    }
    shared = 0
    for who, t, value in zip(fast.track.life, fast.times, fast.values, strict=True):
        twin = slow_at.get((who, round(t * 720)))
        if twin is not None:
            shared += 1
            assert value == pytest.approx(twin, abs=1e-6)
    assert shared > 500
