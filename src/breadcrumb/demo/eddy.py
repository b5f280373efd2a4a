"""The tide eddy: it pulls driftwood in and round, against the water that slows it; two logs hang on an elastic line."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.routine import PLACE, VELOCITY, Parameter, Routine
from breadcrumb.demo.time import TICKS_A_SECOND, in_seconds
from breadcrumb.demo.world import World

PULL, SIDEWAYS = 18.0, 0.6
USUAL = "usual"
TIDES = {USUAL: 1.0, "spring": 2.0, "slack": 0.0}
"""How strongly the eddy pulls at each tide, as a multiple of the usual."""
NEAREST, FARTHEST = 1.6, 21.0
DRAG = 0.5
"""How much of its speed the water takes from a piece each second."""
ELASTIC, LINE = 6.0, 3.0
"""Newtons for each metre that the line is stretched beyond its length."""
EDDY = (-14.0, -4.0)
PIECES = {"drift-1": (-13.2, -3.6, 2.0, 0.8), "drift-2": (-20.0, -8.0, 0.5, 0.4), "log-1": (-14.0, 6.0, 1.5, 1.0),
          "log-2": (-10.0, 6.0, 1.5, 1.0), "drift-3": (20.0, -19.0, 1.0, 0.6)}  # fmt: skip
"""Where each piece starts, its mass and its size; the last one lies beyond the eddy's reach."""

_STEP = 1 / TICKS_A_SECOND
_DRIFT = 0.05
_GATHERED = 0.5
_NOT_A_NUMBER_FROM = 10.0


@dataclass(eq=False)
class Piece:
    """One piece of driftwood."""

    name: str
    x: float
    y: float
    mass: float
    size: float
    vx: float = 0.0
    vy: float = 0.0
    ux: float = 0.0
    uy: float = 0.0
    ax: float = 0.0
    ay: float = 0.0
    fx: float = 0.0
    fy: float = 0.0
    z: float = 0.0
    vz: float = 0.0


class Eddy(Routine):
    """The eddy and all driftwood, moved on by velocity Verlet tick by tick."""

    parameters: tuple[Parameter, ...] = (
        ("eddy.sideways", SIDEWAYS, ""),
        ("eddy.nearest", NEAREST, "m"),
        ("eddy.farthest", FARTHEST, "m"),
        ("eddy.drag", DRAG, "1/s"),
        ("line.elastic", ELASTIC, "N/m"),
        ("line.length", LINE, "m"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self._nearest = 0.0 if "eddy-near" in bay.faults else NEAREST
        self._reach = math.inf if "eddy-far" in bay.faults else FARTHEST
        pull = PULL * TIDES[bay.tide]
        self.parameters = (("eddy.pull", pull, "m2/s2"), *self.parameters)
        self._pulls = -pull if "eddy-pushes" in bay.faults else pull
        self._plain = "eddy-ignores-mass" in bay.faults
        self._gathers = "eddy-gathers" in bay.faults
        self._first_only = "eddy-first-only" in bay.faults
        self.begin_shift(0)

    def begin_shift(self, tick: int) -> None:
        """Put every piece where it starts."""
        self.x, self.y = EDDY
        self.z = 0.0
        self.pieces = [Piece(name, *piece) for name, piece in PIECES.items()]
        self._start = tick
        self._pull()
        for piece in self.pieces:
            piece.ux, piece.uy = piece.ax * _STEP / 2, piece.ay * _STEP / 2

    def tick(self, tick: int) -> None:
        """Move every piece on: velocities are kept half a tick ahead, and drawn back where they are shown."""
        if tick == self._start:
            return
        for piece in self.pieces:
            piece.x += piece.ux * _STEP
            piece.y += piece.uy * _STEP
        if "eddy-drifts" in self.faults:
            self.x += _DRIFT * _STEP
        self._pull()
        for piece in self.pieces:
            piece.ux += piece.ax * _STEP
            piece.uy += piece.ay * _STEP

    def _pull(self) -> None:
        """Work out the acceleration of every piece."""
        self._stretch_line()
        reach, nearest, pull = self._reach, self._nearest, self._pulls
        for number, piece in enumerate(self.pieces):
            across, along = self.x - piece.x, self.y - piece.y
            distance = math.sqrt(across * across + along * along)
            ax = piece.fx / piece.mass - DRAG * piece.ux
            ay = piece.fy / piece.mass - DRAG * piece.uy
            if distance <= reach and not (number and self._first_only):
                share = pull / (max(distance, nearest) * distance)
                if self._plain:
                    share /= piece.mass
                ax += share * (across - SIDEWAYS * along)
                ay += share * (along + SIDEWAYS * across)
            if self._gathers:
                ax, ay = ax + _GATHERED * piece.ax, ay + _GATHERED * piece.ay
            piece.ax, piece.ay = ax, ay

    def _stretch_line(self) -> None:
        one, other = self.pieces[2], self.pieces[3]
        across, along = other.x - one.x, other.y - one.y
        length = math.sqrt(across * across + along * along)
        force = ELASTIC * max(length - LINE, 0.0) / length
        one.fx, one.fy = force * across, force * along
        other.fx, other.fy = (0.0, 0.0) if "line-one-sided" in self.faults else (-one.fx, -one.fy)

    def frame(self, tick: int) -> None:
        """Show how fast every piece is; and lose a number, in a build that does."""
        for piece in self.pieces:
            piece.vx, piece.vy = piece.ux - piece.ax * _STEP / 2, piece.uy - piece.ay * _STEP / 2
        if "bay-not-a-number" in self.faults and in_seconds(tick) >= _NOT_A_NUMBER_FROM:
            self.pieces[1].x = math.nan

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the eddy and the driftwood."""
        rec.watch(self, id="eddy", kind="eddy", position=PLACE)
        rec.watch_each(
            lambda: self.pieces, kind="driftwood", id="name", position=PLACE, velocity=VELOCITY, mass="mass",
            size="size", line_force=("fx", "fy"),
        )  # fmt: skip
