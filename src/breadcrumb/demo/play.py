"""Playing Lantern Bay and recording it, as any game would be recorded."""

from collections.abc import Iterable, Sequence
from pathlib import Path

import breadcrumb
from breadcrumb.demo.bay import Bay, declared
from breadcrumb.demo.eddy import USUAL
from breadcrumb.demo.faults import Faults
from breadcrumb.demo.mast import HEADLAND_TURN, MAST
from breadcrumb.demo.script import Input
from breadcrumb.demo.testers import script_of
from breadcrumb.demo.time import RATES, SECONDS, frame_ends, in_seconds, ticks

_UNITS = {
    "position": "m", "velocity": "m/s", "speed": "m/s", "heading": "deg", "screen": "px", "warmth": "C", "stretch": "m",
    "angle": "deg", "yaw": "deg", "pitch": "deg", "wheel": "deg", "reach": "m", "top": "m", "oil": "l",
    "light_end": "m", "field_of_view": "deg", "view_height": "m", "mass": "kg", "size": "m", "line_force": "N",
    "radius": "m", "bridge_lamp.size": "", "height": "m", "beam": "deg", "spot": "m", "last_spot": "m", "place": "m",
}  # fmt: skip


def play(
    path: Path,
    faults: Iterable[str] = (),
    *,
    seed: int = 7,
    rate: str = "60",
    seconds: int = SECONDS,
    script: Sequence[Input] | None = None,
    roll_is_empty: bool = False,
    tide: str = USUAL,
    build: str = "",
    overwrite: bool = False,
) -> Path:
    """Play a session and record it.

    Args:
        path: the trace to make, `NAME.crumbs`.
        faults: what is broken in this build.
        seed: draws the barrels, the berths, the pointer and, at the rate `jitter`, the lengths of frames.
        rate: `30`, `60`, `144` or `jitter`.
        seconds: how long, of game time; half of it is one shift.
        script: the inputs of each shift, if not the usual ones.
        roll_is_empty: whether the ticket hatch has run out, which is no fault; the level of the session says so.
        tide: how strongly the eddy pulls: `usual`, twice as strongly at `spring`, not at all at `slack`.
        build: the name of the build, if its faults are not to be told.
        overwrite: replace a trace of that name.

    Returns:
        The path of the trace.
    """
    last = ticks(seconds)
    faults = sorted(faults)
    inputs = script_of(seed) if script is None else script
    bay = Bay(Faults(faults), seed, rate, last // 2, inputs, roll_is_empty=roll_is_empty, tide=tide)
    with breadcrumb.Recorder(
        path,
        overwrite=overwrite,
        game="Lantern Bay",
        build=build or "0.9.2" + (f" with {', '.join(faults)}" if faults else ""),
        seed=seed,
        level="harbour, with an empty roll" if roll_is_empty else "harbour",
        tide=tide,
        tick_rate=int(rate) if rate in RATES else rate,
        moment="after scripts",
        axes={"x": "east", "y": "north", "z": "up", "handedness": "right"},
        angles={"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
        units=_UNITS,
        spaces={"screen": "screen", "light_end": "parent", "place": "headland"},
        areas={"headland": {"origin": [*MAST, 0.0], "turn": HEADLAND_TURN}},
        fixed_step=in_seconds(1),
    ) as rec:
        rec.declare(events=declared(bay.routines.values()), restarts=["shift.start"])
        bay.watch(rec)
        for routine in bay.routines.values():
            for name, value, unit in routine.parameters:
                rec.parameter(name, value, unit)
        previous = played = 0
        for end in frame_ends(rate, last, seed):
            for tick in range(previous + 1 if end else 0, end + 1):
                bay.tick(tick, ends_frame=tick == end)
            for event in bay.events:
                rec.event(**event)
            bay.events.clear()
            rec.frame(t=in_seconds(end), steps=bay.played - played)
            previous, played = end, bay.played
    return path
