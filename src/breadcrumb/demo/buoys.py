"""Buoys: they heave on the swell and spin."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.motion import wrapped
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

MEAN, SWELL = 0.25, 0.35
PERIOD = ticks(4.4)
SPIN = 27.0
PLACES = {"buoy-1": (3.0, -16.0), "buoy-2": (-30.0, 14.0), "buoy-3": (36.0, 2.0)}

_HIGH, _DRIFT, _HICCUP = 1.6, 0.05, ticks(0.05)


@dataclass(eq=False)
class Buoy:
    """One buoy."""

    name: str
    home: tuple[float, float]
    x: float
    y: float
    z: float = MEAN
    yaw: float = 0.0


class Buoys(Routine):
    """All buoys. They know of no shifts."""

    parameters = (("buoy.mean", MEAN, "m"), ("buoy.swell", SWELL, "m"), ("buoy.period", in_seconds(PERIOD), "s"),
                  ("buoy.spin", SPIN, "deg/s"))  # fmt: skip

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.all = [Buoy(name, place, *place) for name, place in PLACES.items()]
        self._frames = 0

    def frame(self, tick: int) -> None:
        """Show where the swell has them."""
        period = PERIOD - _HICCUP if "buoy-hiccup" in self.faults else PERIOD
        turn = 360.0 * (tick % period) / PERIOD
        wave = math.sin(turn if "buoy-radians" in self.faults else math.radians(turn))
        high = SWELL * (_HIGH if "buoy-high" in self.faults else 1.0) * wave
        for buoy in self.all:
            climbed = buoy.z if "buoy-climbs" in self.faults and self._frames else MEAN
            buoy.z = climbed + high
            if "buoy-drifts" in self.faults:
                buoy.x = buoy.home[0] + _DRIFT * in_seconds(tick)
            spun = self._frames / 60 if "buoy-spins-per-frame" in self.faults else in_seconds(tick)
            buoy.yaw = wrapped(SPIN * spun)
        self._frames += 1

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record them."""
        rec.watch_each(lambda: self.all, kind="buoy", id="name", position=PLACE, yaw="yaw")
