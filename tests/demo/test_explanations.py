"""Every verdict that a fault breaks explains itself: who, when, what was measured, what was allowed, and the difference.

Every fourteenth fault is played; BREADCRUMB_EVERY_FAULT=1 plays all of them.
"""

import os
import re
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from breadcrumb import Verdict, open_trace
from breadcrumb.demo.faults import FAULTS
from breadcrumb.run.results import Result
from breadcrumb.run.running import run_checks

PLAYED = list(FAULTS)[:: 1 if os.environ.get("BREADCRUMB_EVERY_FAULT") else 14]
DIGITS = re.compile(r"[1-9]\d*\.\d{9,}|\d{12,}")
NOT_WORDS = re.compile(r"\bnp\.|array\(|object at|<lambda>|\bNone\b|dtype")
"""Who does things without being an object."""
SHORT = 400
"""The longest line that a terminal still shows in four."""


def _broken(results: tuple[Result, ...]) -> Iterator[Verdict]:
    for result in results:
        yield from (finding for finding in result.findings if finding.outcome == "broken")


@pytest.mark.parametrize("fault", PLAYED)
def test_what_a_fault_breaks_explains_itself(fault: str, bay: Callable[..., Path], examples: Path) -> None:
    """Each broken verdict names an object of the session, a frame of it, and measured and allowed in its own words."""
    path = bay(fault, rate=FAULTS[fault].rate, seconds=FAULTS[fault].seconds)
    trace = open_trace(path)
    known = set(trace.data.session.names)
    checks = sorted((examples / "lantern_bay").glob("check_*.py"))
    broken = list(_broken(run_checks(checks, [path]).results))
    assert broken
    for verdict in broken:
        explained, first = verdict.explain(), verdict.first
        assert explained.startswith(f"BROKEN  {verdict.sentence}\n")
        assert first is not None
        assert not first.object or first.object in known, explained
        assert first.frame in trace.clock.frames
        assert f"  first  frame {first.frame} ({first.time:.3f} s)  " in explained
        assert f"measured {first.measured}, allowed {first.allowed}" in explained
        assert first.measured != first.allowed or first.excess is not None, explained
        told = "\n".join(line for line in explained.splitlines() if line.startswith(("BROKEN", "  first", "  worst")))
        assert not DIGITS.search(told), told
        assert not NOT_WORDS.search(told), told
        assert max(map(len, told.splitlines())) < SHORT, told
        assert verdict.rule.id
        assert verdict.rule.subject.key or verdict.parts
