"""The ticket hatch, and the harbour clock beside it."""

import math

import breadcrumb
from breadcrumb.demo.boats import Skiff
from breadcrumb.demo.routine import PLACE, Routine, due
from breadcrumb.demo.time import in_seconds, ticks
from breadcrumb.demo.world import World

PLACE_OF_HATCH = (-10.0, -12.0)
ALONGSIDE = 3.5
ROLL = 40
TARIFFS = (3, 5, 4)
HOUR = ticks(10)
JUMP = 9.0
EVERY = ticks(0.7)

_STALLED, _DEAF = ticks(0.3), ticks(0.5)
_STUTTERS = 10


class Hatch(Routine):
    """One hatch, which gives a boat alongside a ticket at the tariff of that hour; and the clock."""

    events = ("clock.jump", "error", "sensor.begin", "ticket.issued")
    parameters = (
        ("hatch.alongside", ALONGSIDE, "m"),
        ("hatch.hour", in_seconds(HOUR), "s"),
        ("clock.jump", JUMP, "deg"),
        ("clock.every", in_seconds(EVERY), "s"),
    )

    def __init__(self, bay: World) -> None:
        super().__init__(bay)
        (self.x, self.y), self.z = PLACE_OF_HATCH, 1.0
        self.tickets = 0 if bay.roll_is_empty or "ticket-empty-roll" in self.faults else ROLL
        self.caption = ""
        self.angle = 0.0
        self._issued = 0
        self._jumps = 0
        self._shown = False

    def begin_shift(self, tick: int) -> None:
        """Open the hatch, and set the clock to 0."""
        self._alongside: set[str] = set()
        self._start = self._looked = tick
        self._stalled = 0
        self._jumped = -_DEAF
        self.angle = 0.0

    def tariff(self, tick: int) -> int:
        """Return the tariff of the hour."""
        return TARIFFS[(tick - self._start) // HOUR % len(TARIFFS)]

    def tick(self, tick: int) -> None:
        """Issue a ticket to each boat that comes alongside."""
        for boat in self.bay.boats:
            near = (boat.x - self.x) ** 2 + (boat.y - self.y) ** 2 < ALONGSIDE**2
            if not near:
                self._alongside.discard(boat.name)
            elif boat.name not in self._alongside:
                self._alongside.add(boat.name)
                self.emit("sensor.begin", by=boat.name, on="hatch")
                if not ("hatch-deaf" in self.faults and tick - self._jumped < _DEAF):
                    self._issue(boat, tick)

    def _issue(self, boat: Skiff, tick: int) -> None:
        if not self.tickets:
            self.emit("error", by="hatch", data={"message": "hatch: the roll is empty"})
            return
        if "clock-stalls" in self.faults:
            self._stalled += _STALLED
        tariff = TARIFFS[0] if "ticket-wrong-tariff" in self.faults else self.tariff(tick)
        if "ticket-wrong-boat" in self.faults:
            boat = next(other for other in self.bay.boats if other is not boat)
        for _ in range(2 if "ticket-twice" in self.faults else 1):
            self.tickets -= 1
            self._issued += 1
            self.emit("ticket.issued", by="hatch", on=boat.name, data={"number": self._issued, "tariff": tariff})

    def frame(self, tick: int) -> None:
        """Jump on when it is due, and show the tariff."""
        for at in due(self._start + self._stalled, EVERY, self._looked, tick):
            self._jumps += 1
            self._jumped = at
            if not ("clock-stutters" in self.faults and self._jumps % _STUTTERS == 0):
                self.angle += JUMP
                self.emit("clock.jump", by="clock")
        self._looked = tick
        blank = "hatch-blank" in self.faults and not self._shown
        self.caption = "" if blank else f"{self.tariff(tick)} d"
        self._shown = True

    @property
    def hand(self) -> tuple[float, float, float, float]:
        """The turn of the clock's hand about its axis, as a quaternion."""
        half = math.radians(self.angle) / (1 if "clock-half-angle" in self.faults else 2)
        return 0.0, 0.0, math.sin(half), math.cos(half)

    def watch(self, rec: breadcrumb.Recorder) -> None:
        """Record the hatch and the clock."""
        rec.watch(self, id="hatch", kind="hatch", position=PLACE, caption="caption", tickets="tickets")
        rec.watch(self, id="clock", kind="clock", hand=lambda hatch: hatch.hand)
