"""Playing Lantern Bay and recording it, as any game would be recorded."""

from collections.abc import Iterable
from pathlib import Path

import breadcrumb
from breadcrumb.demo import basin, boats, flares, inputs, whirlpools
from breadcrumb.demo.bay import Bay
from breadcrumb.demo.faults import Faults
from breadcrumb.demo.time import RATES, frame_ends, in_seconds, ticks

EVENTS = (
    "barrel.sunk", "contact", "error", "flare.burst", "flare.thrown", "gate.open", "gate.shut", "input.key",
    "input.pointer", "input.steer", "sensor.begin", "shift.start", "whirlpool.moved",
)  # fmt: skip

_UNITS = {"position": "m", "velocity": "m/s", "speed": "m/s", "heading": "deg", "screen": "px"}


def play(
    path: Path,
    faults: Iterable[str] = (),
    *,
    seed: int = 7,
    rate: str = "60",
    seconds: int = 60,
    overwrite: bool = False,
) -> Path:
    """Play a session and record it.

    Args:
        path: the trace to make, `NAME.crumbs`.
        faults: what is broken in this build.
        seed: draws the barrels, the pointer and, at the rate `jitter`, the lengths of frames.
        rate: `30`, `60`, `144` or `jitter`.
        seconds: how long, of game time; half of it is one shift.
        overwrite: replace a trace of that name.

    Returns:
        The path of the trace.
    """
    switched_on = Faults(faults)
    last = ticks(seconds)
    bay = Bay(switched_on, seed, last // 2)
    build = "0.9.2 with " + ", ".join(sorted(faults)) if faults else "0.9.2"
    with breadcrumb.Recorder(
        path,
        overwrite=overwrite,
        game="Lantern Bay",
        build=build,
        level="harbour",
        seed=seed,
        tick_rate=int(rate) if rate in RATES else rate,
        moment="after scripts",
        axes={"x": "east", "y": "north", "z": "up", "handedness": "right"},
        angles={"unit": "deg", "zero": "east", "sense": "counter-clockwise"},
        units=_UNITS,
    ) as rec:
        _watch(rec, bay)
        _note_parameters(rec)
        previous = 0
        for end in frame_ends(rate, last, seed):
            for tick in range(previous + 1 if end else 0, end + 1):
                bay.tick(tick, ends_frame=tick == end)
            for event in bay.events:
                rec.event(**event)
            bay.events.clear()
            rec.frame(t=in_seconds(end))
            previous = end
    return path


def _watch(rec: breadcrumb.Recorder, bay: Bay) -> None:
    place = ("x", "y", "z")
    rec.declare(events=EVENTS)
    for boat in bay.boats:
        rec.watch(boat, id=boat.name, kind="skiff", position=place, heading="heading", speed="speed", resting="resting")
    rec.watch(bay.pointer, id="pointer", kind="pointer", screen=("x", "y"))
    rec.watch_each(lambda: bay.crates, kind="crate", id="name", position=place)
    rec.watch_each(lambda: bay.whirlpools.ends, kind="whirlpool", id="name", position=place)
    rec.watch_each(
        lambda: bay.flares.alive,
        kind="flare",
        id="name",
        position=place,
        velocity=("vx", "vy", "vz"),
        picture="picture",
    )
    rec.watch_each(lambda: bay.basin.barrels, kind="barrel", id="name", position=place, velocity=("vx", "vy", "vz"))


def _note_parameters(rec: breadcrumb.Recorder) -> None:
    for name, value, unit in (
        ("skiff.cap", boats.CAP, "m/s"),
        ("skiff.slowing", boats.SLOWING, "m/s2"),
        ("skiff.radius", boats.HULL_RADIUS, "m"),
        ("flare.speed", flares.SPEED, "m/s"),
        ("flare.height", flares.HEIGHT, "m"),
        ("flare.burning", in_seconds(flares.BURNING), "s"),
        ("flare.picture", in_seconds(flares.PICTURE), "s"),
        ("flare.first_repeat", in_seconds(flares.FIRST_REPEAT), "s"),
        ("flare.repeat", in_seconds(flares.REPEAT), "s"),
        ("barrel.radius", basin.RADIUS, "m"),
        ("barrel.every", in_seconds(basin.EVERY), "s"),
        ("whirlpool.radius", whirlpools.RADIUS, "m"),
        ("whirlpool.offset", whirlpools.NORTH_OF_IT, "m"),
        ("whirlpool.rest", in_seconds(whirlpools.REST), "s"),
        ("view.height", inputs.VIEW_HEIGHT, "m"),
    ):
        rec.parameter(name, value, unit)
