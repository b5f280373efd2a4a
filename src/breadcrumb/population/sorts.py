"""What quantities can be of."""

from typing import Literal, TypeAlias

What: TypeAlias = Literal["event", "lifetime", "property"]

Side: TypeAlias = Literal["both", "highest", "lowest"]
"""Which limits numbers have: the highest of all, or of what is a maximum by itself, none below it."""


Basis: TypeAlias = Literal["game", "situation", "player"]
"""What a quantity rests on: on the game, on the situation in which a player brings something about, or on what the
player does. The last has limits only if nearly all occasions reach them, and so has what is of one object."""


Sort: TypeAlias = Literal[
    "value",
    "numeric state",
    "restart",
    "initial value",
    "scripted",
    "end",
    "presence",
    "rest",
    "step",
    "duration",
    "state duration",
    "numeric state duration",
    "speed",
    "rate",
    "steady",
    "interval",
    "latency",
    "number",
    "situation",
    "situation state",
    "angle",
    "change",
    "change of state",
]
"""What quantities are of: a value, a number of which there are a few, how a session begins anew, what objects are like
at its beginning and on each second, with what an object begins or ends, whether there is a value, one at rest, a step,
how long something moves or rests, how long a state lasts, how fast something is, how it speeds up and turns, how fast
it steadily is, when it occurs again, how long after something else, how many there are; what a participant is like, and
how it changes."""
