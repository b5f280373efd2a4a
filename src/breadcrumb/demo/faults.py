"""The faults of Lantern Bay. Each is a switch that the game's code asks about at the line that it changes."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Self


@dataclass(frozen=True, slots=True)
class Fault:
    """One way in which the game can be broken."""

    name: str
    routine: str
    line: str
    """What a player would see."""
    rate: str = "60"
    """A frame rate at which it shows; most show at any."""
    seconds: int = 72
    """How long a session must be for it to show."""


class UnknownFault(ValueError):
    """A fault that the demo does not have."""


_LISTED = {
    "skiffs": {
        "skiff-diagonal": "diagonal keys give 1.41 times the top speed",
        "skiff-backs-up": "slowing down overshoots 0, and the boat backs up",
        "skiff-north-open": "the north edge is not checked",
        "skiff-by-centre": "the hull's radius is left out at the edges",
        "skiff-hull-small": "at the edges the hull is a tenth smaller than it is",
    },
    "flares": {
        "flare-two": "every throw makes two flares",
        "flare-homing": "a flare keeps turning toward the pointer",
        "flare-from-origin": "a flare starts at the world's origin",
        "flare-mirrored": "the screen's y is not turned over, so north is south",
        "flare-carried": "the skiff's own speed is added to the flare's",
        "flare-stuck": "thrown with the pointer on the skiff, it hangs there",
        "flare-long": "a flare bursts one frame late",
        "flare-stays": "a flare that left the bay is not removed",
        "flare-rapid": "no pause between flares while the key is down",
        "flare-dead-time": "a new press has to wait as a repeat does",
        "flare-meets-thrower": "a flare bursts on the boat that threw it",
        "flare-slides": "a flare moves on while it bursts",
        "flare-skips-picture": "the third picture of the burst is never shown",
        "flare-acts-gone": "a flare that is gone bursts again",
        "flare-keeps-speed": "a flare of a reused id starts with the last one's velocity",
    },
    "rockets": {
        "rocket-always-east": "rockets leave eastward, wherever the bow points",
        "rocket-fixed-speed": "rockets leave as if the skiff went at its top speed",
    },
    "raft": {
        "raft-same-way": "the raft leaves toward the draw",
        "raft-no-cap": "the raft has no top speed",
        "raft-gripped-anywhere": "the raft can be gripped from anywhere",
        "raft-turns-in-glide": "gripping it in its glide turns it",
        "raft-keeps-stretch": "a grip starts with the stretch of the last one",
        "raft-creeps": "the raft never quite stops",
        "raft-label-late": "the label shows the stretch of the frame before",
        "raft-not-let-go": "letting go off the raft is missed",
    },
    "basin": {
        "barrel-skips-wall": "a fast barrel passes through the wall",
        "barrel-sticks": "a barrel turns round on every tick on which it overlaps the wall",
        "barrel-tired": "a barrel loses 8 % of its speed at each bounce",
        "barrel-wrong-part": "the other part of the velocity flips at the slanting wall",
        "barrel-early": "a barrel turns 0.3 m before the wall",
        "barrel-by-centre": "a barrel's radius is left out, so it sinks into the wall by half",
        "barrel-sunk-twice": "a barrel that passes the gate sinks twice",
        "barrel-per-frame": "a barrel's speed is counted per frame; shows at other rates than 60",
        "gate-ignored": "barrels pass the gate while it is shut",
        "barrel-survives": "barrels of the last shift are still there in the next one",
        "barrel-small": "at the walls a barrel is a tenth smaller than it is",
        "contact-wrong-wall": "a contact is told to the wall behind the one that was met",
        "contact-every-frame": "a contact with a wall is told again on the next frame",
    },
    "boom": {
        "boom-ends-flat": "barrels bounce off the boom's round ends as off its face",
        "boom-overshoots": "the limit is tested before the step, so that the last one overshoots",
        "boom-behind": "barrels bounce off the boom's back, too",
        "boom-drifts": "the boom's body moves on after a step, without its picture",
        "boom-thick": "the boom's body is twice as thick as its picture",
    },
    "crane": {
        "trolley-overruns": "the trolley runs off its rail",
        "trolley-sags": "the trolley sinks a little whenever it moves",
        "trolley-jumps": "the trolley's middle snaps to the pointer",
        "trolley-clings": "the trolley goes on after the drag has ended",
        "crate-shoved": "the magnet pushes the crate that it meets",
        "crate-keeps-sinking": "a held crate keeps a speed of its own and sinks",
        "crate-floats": "a crate's weight is not given back",
        "crate-wrong-weight": "a crate is given another weight than its own",
        "crate-lags": "a held crate hangs a frame behind",
        "cable-pushes": "the cable pushes the held crate aside",
        "cable-pushes-second": "the cable pushes all held crates but the first",
        "magnet-early": "the magnet rises before it met anything",
        "magnet-empty": "the magnet rises alone",
        "crate-sunk": "a dropped crate comes to rest with its middle on the quay",
    },
    "bridge": {
        "bridge-linear": "the leaves move evenly, without easing",
        "bridge-short": "the leaves stop 1 deg short",
        "bridge-counts-frames": "the bridge takes 156 frames, whatever the rate; shows at other rates than 60",
        "bridge-snaps": "opening again starts from 0",
        "bridge-no-wait": "the bridge moves at once when the bell rings",
        "bridge-done-early": "the bridge is said to be done 0.3 s early",
        "leaf-late": "one leaf trails the other",
        "gangway-goes-back": "the second call starts at the first place",
        "gangway-no-turn": "the gangway's wheel stands still",
        "bridge-lamp-plain": "the bridge's lamp does not swell",
        "bridge-jumps-on-closing": "closing half-way starts from the top",
        "leaf-flat": "the east leaf's body stays flat while its picture rises",
    },
    "buoys": {
        "buoy-radians": "degrees are given where radians belong",
        "buoy-high": "buoys heave 1.6 times as high",
        "buoy-climbs": "the swell is added to the last height",
        "buoy-hiccup": "the rest of each period is dropped",
        "buoy-drifts": "buoys drift east",
        "buoy-spins-per-frame": "the spin counts frames; shows at other rates than 60",
    },
    "blankets": {
        "blanket-every-frame": "a blanket warms on every tick of the touch",
        "blanket-overheats": "warmth has no limit",
        "blanket-any": "barrels use blankets up",
        "blanket-two-parts": "hull and deck are warmed one by one",
        "blanket-other-boat": "the other boat is warmed",
        "blanket-silent": "the sound dies with the blanket",
        "blanket-sound-stays": "the sound never ends",
        "blanket-bobs-on": "a blanket that is gone still bobs",
        "blanket-error": "a barrel's touch raises an error",
    },
    "whirlpools": {
        "whirlpool-to-and-fro": "a boat that arrives is taken back at once",
        "whirlpool-one-side": "the rest after an arrival works at one end only",
        "whirlpool-on-top": "a boat arrives on the other whirlpool, not north of it",
        "whirlpool-wrong-exit": "a boat arrives 1.4 m too far east",
        "whirlpool-short-rest": "a boat can be taken again after 0.7 s",
        "whirlpool-takes-all": "every boat is moved, not only the one that entered",
        "whirlpool-shared-rest": "one boat's rest keeps the other from being taken",
        "whirlpool-latched": "a boat's rest never ends",
    },
    "muster": {
        "muster-leaves-last": "the last of the crew is left out",
        "muster-stops": "one who is ashore ends the muster for those behind",
        "muster-error": "one who is ashore raises an error",
        "muster-six-berths": "the seventh berth is never drawn",
        "muster-one-draw": "all stand on one berth",
        "muster-same-night": "each shift draws the same berths",
        "muster-old-timer": "the timer of the last shift goes on calling",
        "muster-first-only": "only the first muster of a shift places anyone",
        "berth-solid": "a berth pushes who stands on it aside",
    },
    "gull": {
        "gull-start-moves": "the start of the hop moves along",
        "gull-first-hop": "the first hop starts at the world's origin",
        "gull-high": "hops are 1.6 m high",
        "gull-tent": "hops are as high, with straight sides",
        "gull-lands-short": "a hop ends before the skiff is reached",
        "gull-late": "the rest of a frame is dropped at each landing",
    },
    "lamps": {
        "lamp-turned-away": "lamps point away from their skiffs",
        "lamp-absolute": "the bearing is right at one place only",
        "lamp-tilts": "the head tilts",
        "lamp-long-way": "across 180 deg the head turns through the back",
        "lamp-world-end": "the light's end is given in the world's space",
        "lamp-stale-end": "the light keeps its last end where it meets nothing",
        "lamp-snaps": "the light ends at the lamp where it meets nothing",
        "lamp-stops-at-sensor": "the light ends on whirlpools, too",
        "lamp-shown-at-start": "lamps burn before they are lit",
        "lamp-flickers": "a lamp switches on every frame the key is down",
        "lamp-glow-plain": "the glow rises evenly",
        "lamp-glow-low": "the glow rests at the wrong value",
        "lamp-small-hull": "the light passes the outer tenth of a hull",
        "lamp-old-hull": "the light ends where a hull was on the last frame",
    },
    "torch": {
        "torch-stays-pale": "a crate stays pale",
        "torch-repaints": "a crate is painted white afterwards",
        "torch-error": "a rock in the way raises an error",
        "torch-far": "crates beyond 8 m turn pale, too",
        "torch-through-rock": "crates behind the rock turn pale",
        "torch-two-pale": "the crate behind the first one turns pale, too",
        "torch-every-frame": "a crate is found again on every frame",
        "torch-off-centre": "the ray misses the middle of the second window",
    },
    "stakes": {
        "stake-many": "a tap sets three stakes",
        "stake-at-pointer": "a stake stands at the tap's pixels",
        "stake-no-pause": "there is no pause between taps",
        "stake-latched": "after a tap on the sky no tap counts",
        "stake-on-sky": "a tap on the sky sets a stake, too",
        "stake-upright": "the slope is ignored",
        "stake-sunk": "stakes stand half in the ground",
        "stake-twice": "touch and click both count",
    },
    "eddy": {
        "eddy-near": "the pull has no limit near the eddy",
        "eddy-pushes": "the eddy pushes",
        "eddy-ignores-mass": "heavy and light pieces are pulled same_across",
        "eddy-gathers": "each tick adds to the last one's pull",
        "eddy-first-only": "only the first piece is pulled",
        "eddy-far": "the eddy pulls beyond its reach",
        "eddy-drifts": "the eddy itself drifts",
        "line-one-sided": "the elastic line pulls one log only",
    },
    "lanterns": {
        "lantern-returns-often": "a lantern comes back once for each let-go",
        "lantern-early": "the wait counts from the first let-go",
        "lantern-leaves-hand": "a lantern comes back out of the hand",
        "lantern-keeps-speed": "a lantern that came back still moves",
        "lantern-default-wait": "the lantern at the shed kept a wait of 18 s",
        "lantern-forgets-turn": "a lantern comes back turned",
        "lantern-home-unset": "lanterns come back to the world's origin",
        "lantern-shared-home": "the lantern at the shed comes back to the quay's hook",
        "lantern-frozen": "a lantern cannot be thrown twice",
        "pocket-lamp-late": "the pocket lamp comes back a frame late",
    },
    "tally": {
        "tally-reset": "each box lands on the ground",
        "tally-every-frame": "the stack grows on every frame",
        "tally-wrong-stack": "all boxes land on one stack",
        "tally-survives": "a new shift does not clear the stacks",
        "tally-old-step": "the third box still has the old height",
    },
    "moths": {
        "moths-eat-moths": "the swarm itself shrinks",
        "moths-all-lamps": "all lamps lose oil",
        "moths-never-stop": "the oil falls on when the swarm is gone",
        "moths-fast": "the oil falls every 0.6 s",
        "moths-once": "the oil falls only once",
        "moths-below-zero": "the oil falls below 0",
        "moths-one-off-all-off": "one swarm's going stops them all",
        "moths-count-frames": "the oil falls every 54 frames; shows at other rates than 60",
    },
    "hatch": {
        "ticket-wrong-tariff": "tickets cost what they cost in the first hour",
        "ticket-wrong-boat": "the other boat gets the ticket",
        "ticket-twice": "a boat gets two tickets",
        "ticket-empty-roll": "the roll is empty from the start",
        "hatch-blank": "the caption is empty on frame 0",
        "hatch-deaf": "a boat that comes while the clock jumps gets no ticket",
        "clock-stutters": "one jump of the clock in ten is missed",
        "clock-half-angle": "the whole angle is given where its half belongs",
        "clock-stalls": "each ticket delays the clock",
    },
    "pennants": {
        "pennant-one-time": "all pennants take the time and the wait of the red one",
        "pennant-tied": "the white pennant moves along with the red one, without its wait",
        "pennant-two-writers": "the wind sets the red pennant's height as well",
        "pennant-lost": "a pennant has no height on the frame on which it begins to rise",
        "pennant-over-top": "the highest pennant is told to end above the mast",
        "halyard-skips-stage": "the halyard is up at once, without hoisting",
    },
    "mast": {
        "mast-half-reach": "boats are hailed in half of its reach only",
        "mast-square": "boats are hailed in a square instead of a circle",
        "mast-carries": "the rest of a frame is carried over to the next look",
        "mast-errors": "an error is told on every frame, each with another number",
        "puff-close": "a puff rises anywhere, also where the last one did",
        "puff-keeps-size": "a puff that is used again begins as large as it ended",
        "puff-grows-on": "a puff that is gone still grows",
        "puff-unturned": "a puff's place on the headland is not turned",
        "beacon-even": "each picture of the beacon is shown as long as the others",
        "beacon-old-target": "the beacon goes on naming a flare that is gone",
        "spot-stays": "the beam has an end where it meets nothing",
        "spot-forgets": "the last end of the beam is at the mast once it meets nothing",
    },
    "bay": {
        "bay-leak": "what left stays in the game's list",
        "shift-twice": "the second shift is told to start twice",
        "bay-storm": "a ripple is told 150 times in one frame",
        "bay-starved": "one loop never yields, and all stand still for 0.8 s",
        "bay-not-a-number": "a position is no number any more",
    },
}
"""What goes wrong, by routine."""

_ELSEWHERE = dict.fromkeys(
    ("barrel-per-frame", "bridge-counts-frames", "buoy-spins-per-frame", "moths-count-frames"), "30"
)
"""The frame rate of faults that do not show at 60."""
_LONG = {"muster-six-berths": 220}
"""The length of sessions of faults that show over time alone."""

FAULTS: dict[str, Fault] = {
    name: Fault(name, routine, line, _ELSEWHERE.get(name, "60"), _LONG.get(name, 72))
    for routine, lines in _LISTED.items()
    for name, line in lines.items()
}

SWITCHES = {"asleep": "never armed: nothing happens, and no error", "twice": "after the restart it runs twice a frame"}
"""What can be done to every routine, as `asleep:gull`."""

ROUTINES = tuple(name for name in _LISTED if name != "bay")


class Faults(frozenset[str]):
    """The faults that are switched on.

    Example:
        >>> on = Faults(["flare-two", "asleep:gull"])
        >>> "flare-two" in on, "flare-long" in on, on.has("asleep", "gull")
        (True, False, True)
    """

    def __new__(cls, names: Iterable[str] = ()) -> Self:
        """Switch on these."""
        wanted = sorted(names)
        for name in wanted:
            switch, _, routine = name.partition(":")
            if name not in FAULTS and not (switch in SWITCHES and routine in ROUTINES):
                raise UnknownFault(f"no fault {name!r}; breadcrumb demo --list-faults names them all")
        return super().__new__(cls, wanted)

    def has(self, switch: str, routine: str) -> bool:
        """Tell whether a routine is asleep or runs twice."""
        return f"{switch}:{routine}" in self
