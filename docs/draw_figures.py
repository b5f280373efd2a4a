"""Draw a figure of each check on Lantern Bay, held on the left and broken on the right.

    python docs/draw_figures.py

The builds that are played here are enough to break each check of the suite once; checks that the suite does not use, or
never breaks, are asked of the correct build in two ways. docs/figures.md shows them all.
"""

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import wraps
from inspect import isfunction
from io import BytesIO
from pathlib import Path
from typing import Any

from figure_cases import cases
from PIL import Image

from breadcrumb import BreadcrumbError, Broken, NeverExercised, Trace, Verdict, open_trace
from breadcrumb.checks import collisions, movement, rays, session, spawns, triggers, values
from breadcrumb.demo.faults import FAULTS
from breadcrumb.demo.play import play
from breadcrumb.report.figures import figure_of
from breadcrumb.run.loading import load_all

HERE = Path(__file__).parent
CHECKS = HERE.parent / "examples" / "lantern_bay"
MODULES = (movement, collisions, triggers, spawns, values, rays, session)
DOTS = 50
"""Half as many dots an inch as a figure usually has."""
FAULTY = (
    "skiff-diagonal", "skiff-backs-up", "skiff-by-centre", "flare-two", "flare-homing", "flare-long", "flare-slides",
    "flare-rapid", "flare-acts-gone", "flare-keeps-speed", "rocket-always-east", "raft-creeps", "raft-label-late",
    "raft-gripped-anywhere", "barrel-tired", "barrel-wrong-part", "barrel-early", "barrel-sunk-twice", "boom-ends-flat",
    "trolley-overruns", "crate-lags", "bridge-linear", "gangway-goes-back", "buoy-high", "buoy-drifts",
    "buoy-spins-per-frame", "blanket-every-frame", "blanket-sound-stays", "blanket-error", "whirlpool-to-and-fro",
    "whirlpool-latched", "muster-one-draw", "berth-solid", "muster-leaves-last", "gull-late", "lamp-turned-away",
    "lamp-snaps", "lamp-flickers", "lamp-glow-plain", "torch-every-frame", "stake-twice", "eddy-pushes",
    "line-one-sided", "lantern-early", "tally-reset", "moths-fast", "ticket-wrong-tariff", "clock-stutters",
    "bay-storm", "bay-not-a-number", "bay-leak",
)  # fmt: skip

Seen = dict[str, Verdict]


def _is_one(check: object) -> bool:
    """Return whether a name in a package of checks is a check."""
    return isfunction(check) and check.__module__.startswith("breadcrumb.checks") and not check.__name__.startswith("_")


@contextmanager
def watching(seen: Callable[[str, Verdict], None]) -> Iterator[None]:
    """Tell of every verdict that a check of the vocabulary gives."""
    was = [(module, name, check) for module in MODULES for name, check in vars(module).items() if _is_one(check)]

    def watched(called: str, check: Callable[..., Any]) -> Callable[..., Any]:
        @wraps(check)
        def judge(*given: Any, **named: Any) -> Any:
            verdict = check(*given, **named)
            if isinstance(verdict, Verdict):
                seen(called, verdict)
            return verdict

        return judge

    for module, name, check in was:
        setattr(module, name, watched(f"{module.__name__.rpartition('.')[2]}.{name}", check))
    try:
        yield
    finally:
        for module, name, check in was:
            setattr(module, name, check)


def verdicts_on(trace: Trace, files: list[Path], outcome: str, kept: Seen) -> None:
    """Keep the first verdict of an outcome that each check gives."""

    def see(name: str, verdict: Verdict) -> None:
        if verdict.outcome == outcome and name not in kept and figure_of(verdict) is not None:
            kept[name] = verdict

    with watching(see):
        for file in files:
            for check in load_all([file]):
                with suppress(Broken, NeverExercised, BreadcrumbError):
                    check.function(trace)


def picture_of(verdict: Verdict) -> Image.Image:
    """Return the figure of a verdict, small."""
    figure = figure_of(verdict)
    assert figure is not None
    content = BytesIO()
    figure.savefig(content, dpi=DOTS, format="png")
    return Image.open(content)


def main() -> None:
    """Play, judge and draw."""
    held: Seen = {}
    broken: Seen = {}
    fault_of: dict[str, str] = {}
    out = HERE / "figures"
    out.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        correct = open_trace(play(Path(folder) / "correct.crumbs"))
        verdicts_on(correct, sorted(CHECKS.glob("check_*.py")), "held", held)
        for fault in FAULTY:
            path = play(Path(folder) / f"{fault}.crumbs", [fault], rate=FAULTS[fault].rate)
            verdicts_on(open_trace(path), [CHECKS / f"check_{FAULTS[fault].routine}.py"], "broken", broken)
            fault_of |= {name: fault for name in broken if name not in fault_of}
            print(fault, len(broken), flush=True)
        for name, case in cases(correct).items():
            if name not in held or name not in broken:
                held[name], broken[name], fault_of[name] = case(True), case(False), ""
    lines = [
        "# Each check on Lantern Bay",
        "",
        "Held in the correct build on the left. On the right it is broken, in a build with the fault that is named or,",
        "where none is, in the correct build, of which something is asked that is not so. Checks about texts, types or",
        "several sessions have no figure; [each-check.md](each-check.md) has an example of each.",
    ]
    for module in MODULES:
        here = [name for name in sorted(held) if name.startswith(module.__name__.rpartition(".")[2]) and name in broken]
        lines += ["", f"## {module.__name__.rpartition('.')[2]}", ""] if here else []
        for name in here:
            left, right = picture_of(held[name]), picture_of(broken[name])
            both = Image.new("RGB", (left.width + right.width, left.height), "white")
            both.paste(left, (0, 0))
            both.paste(right, (left.width, 0))
            both.quantize(64).save(out / f"{name}.png", optimize=True)
            build = f" (`{fault_of[name]}`)" if fault_of[name] else ""
            lines += [
                f"### `{name}`",
                "",
                f"{broken[name].sentence}{build}",
                "",
                f"![held and broken](figures/{name}.png)",
                "",
            ]
    (HERE / "figures.md").write_text("\n".join(lines).rstrip() + "\n", "utf-8")
    print("not shown:", sorted(set(held) - set(broken)), sorted(set(broken) - set(held)))


if __name__ == "__main__":
    main()
