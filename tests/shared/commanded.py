"""What every command says and writes of two small sessions, as one text that is approved."""

import re
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

from breadcrumb import Recorder

CHECKS = """
from breadcrumb import frames, judge, seconds
from breadcrumb.checks import movement, spawns, triggers, values


def check_kegs_stay_on_the_quay(trace):
    assert movement.stays_between(trace.all("keg").position.x, 0, 6)


def check_a_tap_opens_a_keg(trace):
    assert triggers.leads_to(trace.events("tap").with_subject("by"), trace.events("open"), within=frames(2))


def check_kegs_drain(trace):
    \"\"\"Beer only ever falls.\"\"\"
    assert values.never_rises(trace.all("keg").beer)
    assert judge(trace.all("keg").beer >= 0, "no keg owes beer")


def check_nothing_is_rung(trace):
    assert triggers.leads_to(trace.events("ring"), trace.events("open"), within=seconds(1))


def check_sparks_are_short(trace):
    assert spawns.lasts(trace.all("spark"), seconds(0.3), time_tol=frames(1))


def check_by_hand(trace):
    assert trace.one(id="keg-1").beer.values[-1] > 2


def check_it_cannot(trace):
    assert values.unchanged(trace.all("keg").position.norm().nothing)


def check_forgotten(trace):
    values.unchanged(trace.all("keg").label)
"""

CALLS = (
    "show kegs.crumbs", "show kegs.crumbs --object keg-1 --at 3", "show kegs.crumbs --at 0 --at 1.1s",
    "show kegs.crumbs --at 1.1", "show kegs.crumbs --event tap",
    "show kegs.crumbs --around 5 --within 0.2", "show kegs.crumbs --json", "show kegs.crumbs --object keg-9", "show nothing.crumbs",
    "check check_kegs.py kegs.crumbs more.crumbs --report night --json night.jsonl --junit night.xml", "check check_kegs.py more.crumbs",
    "check check_no.py kegs.crumbs", "replay kegs.crumbs --check check_kegs.py --out replay.html --no-open --at 4",
    "replay more.crumbs --out more.html --no-open", "draw kegs.crumbs --out figures", "draw kegs.crumbs --out all.svg",
    "draw kegs.crumbs --signal keg-1.bear",
    "draw kegs.crumbs --signal keg.beer --event tap --lifetimes spark --from 1 --to 0.9s --out some.svg", "convert kegs.crumbs kegs.jsonl",
    "draw kegs.crumbs --intervals tap --against keg-1.beer keg-1.position.x --path keg --out figures", "convert kegs.jsonl kegs.crumbs",
    "convert kegs.jsonl again.crumbs", "show again.crumbs",
)  # fmt: skip
WRITTEN = ("night.jsonl", "night.xml", "kegs.jsonl", "night/*.html", "replay.html", "more.html")
Run = Callable[..., Any]
"""Runs the command with some words in the folder."""


def record(path: Path, faulty: bool) -> None:
    """Record a small session: two kegs, sparks, taps, a restart, a pause, a parameter that changes."""
    kegs = [SimpleNamespace(id=f"keg-{n}", position=(float(n), 0.5), beer=5.0, label="ale", open=False) for n in (1, 2)]
    sparks: list[SimpleNamespace] = []
    with Recorder(path, started_at="2026-03-01T20:00:00Z", game="Kegs", build="7", seed=3, axes={"x": "east", "y": "north"},
                  units={"position": "m", "beer": "l"}) as rec:  # fmt: skip
        rec.declare(events=["ring"], restarts=["round.start"])
        rec.parameter("keg.tap", 0.5, unit="l")
        rec.watch_each(lambda: kegs, kind="keg", id="id", position="position", beer="beer", label="label", open="open")
        rec.watch_each(lambda: sparks, kind="spark", id="id", position="position")
        for frame in range(16):
            for keg in kegs:
                keg.position = (keg.position[0] + (0.75 if faulty else 0.25), keg.position[1])
                keg.beer = keg.beer - 0.5 if keg.open else keg.beer
            if frame in (0, 8):
                rec.event("round.start")
            if frame in (3, 5, 11):
                rec.event("tap", by="keg-1", on=kegs[1].id if frame == 5 else None, data={"strength": frame / 2})
                sparks.append(SimpleNamespace(id=f"spark-{frame}", position=(frame, 2.0)))
            if frame == (8 if faulty else 4) or frame in (6, 12):
                rec.event("open", by="keg-1")
                kegs[0].open = not kegs[0].open
            if frame in (6, 8, 14):
                sparks.pop(0)
            if frame == 10:
                rec.parameter("keg.tap", 0.75, unit="l")
            if faulty and frame == 9:
                kegs[1].beer += 2
                rec.event("error", data={"message": "a keg <b>leaks</b>"})
            rec.frame(frame / 10)


def _same_everywhere(text: str, folder: Path) -> str:
    """Return a text without what differs from run to run: places, durations, versions, styles and scripts."""
    text = text.replace(str(folder), "FOLDER")
    text = re.sub(r"(?s)<(script|style)\b(?![^>]*json)[^>]*>.*?</\1>", r"<\1/>", text)
    text = re.sub(r'"duration":[\d.e-]+|time="[\d.]+"|"digest":"\w+"|\bin \d+(\.\d+)? m?s\b', "VARIES", text)
    text = re.sub(r"nonce-\w+|\"(start|piece)\": \"[\w+/=]+\"", "PACKED", text)
    return re.sub(r'"trace": \d+|\d+(\.\d+)? kB', "SIZE", text)


def said(run: Run, folder: Path) -> str:
    """Return what all commands say and write in a folder."""
    return "\n".join(_parts(run, folder)) + "\n"


def _parts(run: Run, folder: Path) -> Iterator[str]:
    record(folder / "kegs.crumbs", faulty=True)
    record(folder / "more.crumbs", faulty=False)
    (folder / "check_kegs.py").write_text(CHECKS)
    for call in CALLS:
        done = run(*call.split())
        yield f"== {call}: {done.returncode}"
        yield _same_everywhere(done.stdout + done.stderr, folder)
    for pattern in WRITTEN:
        for path in sorted(folder.glob(pattern)):
            yield f"== {path.relative_to(folder)}"
            yield _same_everywhere(path.read_text(), folder)
