"""What looking at a run costs: a figure in a process that has drawn one, and the report of nine sessions.

python benchmarks/figures.py
"""

import statistics
import subprocess
import sys
import tempfile
import time
from itertools import cycle, islice
from pathlib import Path

from breadcrumb.demo.play import play
from breadcrumb.report.figures import figure_of
from breadcrumb.report.style import save
from breadcrumb.run.finding import find_check_files
from breadcrumb.run.running import run_checks

CHECKS = Path(__file__).parent.parent / "examples" / "lantern_bay"
FAULTS = ("barrel-tired", "whirlpool-to-and-fro", "flare-stays")
CORRECT, FIGURES = 6, 20
COMMAND = "from breadcrumb.cli import main; main()"


def main() -> None:
    """Print one line for each figure."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        plays: list[tuple[str, int, tuple[str, ...]]] = [(f"faulty-{fault}", 7, (fault,)) for fault in FAULTS]
        plays += [(f"correct-{seed}", seed, ()) for seed in range(7, 7 + CORRECT)]
        for label, seed, faults in plays:
            play(folder / f"{label}.crumbs", faults, seed=seed)
        traces = sorted(folder.glob("*.crumbs"))
        run = run_checks(find_check_files(CHECKS), traces)
        every = [one for result in run.results for one in result.findings]
        findings = [one for one in every if one.evidence.first or one.evidence.tightest]
        spent = []
        for finding in islice(cycle(findings), FIGURES):
            begin = time.perf_counter()
            figure = figure_of(finding)
            assert figure is not None
            save(figure, folder / "it.png")
            spent.append(time.perf_counter() - begin)
        usual = statistics.median(spent[1:])
        print(f"a figure: median of the second to the {FIGURES}th {usual:.2f} s, the first {spent[0]:.2f} s")
        words = ("check", CHECKS, *traces, "--report", folder / "out")
        command = [sys.executable, "-c", COMMAND, *map(str, words)]
        for turn in ("first", "second"):
            begin = time.perf_counter()
            subprocess.run(command, capture_output=True, check=False)
            taken = time.perf_counter() - begin
            print(f"report of {len(traces)} sessions, {len(FAULTS)} of them faulty, {turn} time: {taken:.1f} s")


if __name__ == "__main__":
    main()
