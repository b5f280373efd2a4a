"""What a report of many sessions takes: to write, in memory, and to open in a browser.

    python benchmarks/report.py --sessions 10000 --rules 138

The results are made up: each rule has a margin in each session, and breaks in few of them. They are handed over one
session at a time, and none is kept. The page is opened in Chromium, if there is one.
"""

import argparse
import random
import resource
import statistics
import tempfile
import time
from pathlib import Path

from browser import CAN_OPEN, browser, opened

from breadcrumb.report.reporting import ReportWriter
from breadcrumb.run.results import CheckInfo, Result, RunEnd, SessionResult
from breadcrumb.verdicts.findings import Breach, Margin
from breadcrumb.verdicts.outcomes import Outcome
from breadcrumb.verdicts.rules import Rule, Subject
from breadcrumb.verdicts.verdict import Verdict

BROKEN = 0.0005
"""The share of results that break."""


def session(number: int, checks: list[CheckInfo], rules: list[Rule], draw: random.Random) -> list[Result]:
    """Return made-up results of one session."""
    made = []
    for check, rule in zip(checks, rules, strict=True):
        value = draw.uniform(0.05, 1.0)
        breach = None
        if draw.random() < BROKEN:
            value, breach = -value, Breach("keg-1", 1, 100, 1.5, "9 m", "8 m", "1 m too high")
        verdict = Verdict(
            rule, Outcome("broken" if breach else "held"), f"session-{number}", Margin(value, "m", 1.0), 100,
            breach_count=int(value < 0), first=breach,
        )  # fmt: skip
        made.append(Result.of(check, f"night/session-{number}.crumbs", f"session-{number}", (verdict,)))
    return made


def main() -> None:
    """Print one line for each figure."""
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("--sessions", type=int, default=10_000)
    parser.add_argument("--rules", type=int, default=138)
    asked = parser.parse_args()
    checks = [CheckInfo(f"check_{one}", f"check_{one // 8}.py", one) for one in range(asked.rules)]
    rules = [
        Rule(f"keg {one} stays low", "movement.stays_between", Subject(f"keg {one}", "keg", "keg"), id=f"kegs/{one}")
        for one in range(asked.rules)
    ]
    draw = random.Random(7)
    with tempfile.TemporaryDirectory() as folder:
        writer, taken = _WithoutReplays(Path(folder)), 0.0
        for number in range(asked.sessions):
            results = session(number, checks, rules, draw)
            begin = time.perf_counter()
            writer.add(SessionResult(results[0].trace, tuple(results)))
            taken += time.perf_counter() - begin
        begin = time.perf_counter()
        page = writer.page
        writer.finish(RunEnd(1, asked.sessions, {}, (), (), (), (), (), ()))
        taken += time.perf_counter() - begin
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"written in {taken:.1f} s, {page.stat().st_size / 1e6:.1f} MB, peak of memory {peak:.0f} MB")
        if CAN_OPEN:
            with browser() as driver:
                print(f"opens in {statistics.median(opened(driver, page) for _ in range(3)):.2f} s")


class _WithoutReplays(ReportWriter):
    """A writer of reports on sessions that were never recorded."""

    def _replay(self, trace: str, results: object) -> tuple[str, str]:
        return "", ""


if __name__ == "__main__":
    main()
