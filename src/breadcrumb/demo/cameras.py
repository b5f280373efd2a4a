"""The cameras, the window that they fill, and the pointer on it."""

import math
from dataclasses import dataclass

import breadcrumb
from breadcrumb.demo.routine import PLACE, Routine
from breadcrumb.demo.script import Input
from breadcrumb.demo.world import World

WINDOWS = ((1280, 800), (1600, 900))
"""The window in pixels, in the first shift and from half-time on; y points down."""
VIEW_HEIGHT = 50.0
"""How many metres of the bay the window shows from top to bottom, seen from above."""
FIELD_OF_VIEW = 60.0

Point = tuple[float, float, float]


@dataclass(eq=False)
class Camera:
    """One camera: straight ahead of yaw and pitch, with a field of view, or with parallel rays."""

    name: str
    x: float
    y: float
    z: float
    yaw: float
    pitch: float
    field_of_view: float | None
    view_height: float | None
    width: int = WINDOWS[0][0]
    height: int = WINDOWS[0][1]

    def way(self, across: float, down: float) -> Point:
        """Return the direction of the ray through a pixel."""
        assert self.field_of_view is not None
        half = math.tan(math.radians(self.field_of_view) / 2)
        right = (2 * across / self.width - 1) * half * self.width / self.height
        up = (1 - 2 * down / self.height) * half
        yaw, pitch = math.radians(self.yaw), math.radians(self.pitch)
        level, lift = math.cos(pitch) - up * math.sin(pitch), math.sin(pitch) + up * math.cos(pitch)
        x = level * math.cos(yaw) + right * math.sin(yaw)
        y = level * math.sin(yaw) - right * math.cos(yaw)
        length = math.sqrt(x * x + y * y + lift * lift)
        return x / length, y / length, lift / length

    def water(self, across: float, down: float) -> tuple[float, float]:
        """Return the point of the water below a pixel, of a camera that looks straight down with parallel rays."""
        assert self.view_height is not None
        scale = self.view_height / self.height
        return (across - self.width / 2) * scale + self.x, (self.height / 2 - down) * scale + self.y

    def pixel(self, x: float, y: float) -> tuple[float, float]:
        """Return the pixel that shows a point of the water, the other way round."""
        assert self.view_height is not None
        scale = self.view_height / self.height
        return (x - self.x) / scale + self.width / 2, self.height / 2 - (y - self.y) / scale


class Cameras(Routine):
    """The camera above the bay and the ones on the shore; the window grows at half-time."""

    handles = ("point",)
    events = ("input.pointer",)
    parameters = (("view.height", VIEW_HEIGHT, "m"), ("view.field", FIELD_OF_VIEW, "deg"))

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        self.above = Camera("eye-above", 0.0, 0.0, 60.0, 90.0, -90.0, None, VIEW_HEIGHT)
        self.shore = Camera("eye-shore", -22.0, -5.0, 5.0, 180.0, -12.0, FIELD_OF_VIEW, None)
        self.customs = Camera("eye-customs", -36.0, 16.0, 1.2, 0.0, 0.0, FIELD_OF_VIEW, None)
        self.all = [self.above, self.shore, self.customs]
        self.x, self.y = self.above.width / 2, self.above.height / 2

    def begin_shift(self, tick: int) -> None:
        """Size the window."""
        for camera in self.all:
            camera.width, camera.height = WINDOWS[1 if self.bay.is_second_shift else 0]

    def announce(self, one: Input) -> None:
        """Move the pointer, and say where it is."""
        if one.value is None:
            self.x, self.y = self.above.pixel(self.bay.player.x, self.bay.player.y)
        else:
            self.x, self.y = one.value[0] * self.above.width, one.value[1] * self.above.height
        self.emit("input.pointer", by="player", data={"screen": [self.x, self.y]})

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record where cameras are and look, and the pointer."""
        rec.watch_each(
            lambda: self.all, kind="camera", id="name", position=PLACE, yaw="yaw", pitch="pitch",
            field_of_view="field_of_view", view_height="view_height", screen=("width", "height"),
        )  # fmt: skip
        rec.watch(self, id="pointer", kind="pointer", screen=("x", "y"))
