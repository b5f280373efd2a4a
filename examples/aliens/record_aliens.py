"""Record the example game that comes with pygame-ce, which knows nothing of it.

The game is played without a screen by a seeded script, in as many games as make a minute, each into a trace of its own:

    python examples/aliens/record_aliens.py aliens-traces
    breadcrumb check examples/aliens/check_aliens.py aliens-traces

Nothing in the game is changed. Its clock, keys and frame end are pygame's, so they can be replaced from outside; what
is on the screen is read from its sprite groups. `--change Shot.speed=-9` plays a build with another constant.
"""

import argparse
import ast
import os
import random
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from functools import partial
from pathlib import Path
from typing import Any
from unittest.mock import patch

os.environ.setdefault("SDL_VIDEODRIVER", "dummy")
os.environ.setdefault("SDL_AUDIODRIVER", "dummy")
os.environ.setdefault("PYGAME_HIDE_SUPPORT_PROMPT", "1")

import pygame
from pygame.examples import aliens

from breadcrumb import Recorder

FRAMES_A_SECOND = 40
KINDS = {"player": "Player", "alien": "Alien", "shot": "Shot", "bomb": "Bomb", "explosion": "Explosion"}


class ScriptedKeys:
    """Presses keys by a seeded script, in place of a keyboard."""

    def __init__(self, seed: int) -> None:
        self._draw = random.Random(f"keys {seed}")
        self._left = 0
        self._down: set[int] = set()

    def __getitem__(self, key: int) -> bool:
        return key in self._down

    def next_frame(self) -> None:
        """Decide what is down on the next frame."""
        if self._left == 0:
            self._left = self._draw.randint(5, 30)
            way = self._draw.choice((pygame.K_LEFT, pygame.K_RIGHT, pygame.K_UP))
            self._down = {way} | (self._down & {pygame.K_SPACE})
        self._left -= 1
        if self._draw.random() < 0.3:
            self._down ^= {pygame.K_SPACE}


class IdleClock:
    """A clock that never waits."""

    def tick(self, rate: float = 0) -> int:
        """Let no time pass."""
        return 1000 // FRAMES_A_SECOND


class Session:
    """One game while it is recorded."""

    def __init__(self, rec: Recorder, seed: int, most_frames: int) -> None:
        self.rec, self.keys, self.most_frames = rec, ScriptedKeys(seed), most_frames
        self.frames = 0
        self.shown: set[Any] = set()
        self._collide = pygame.sprite.groupcollide
        for kind, name in KINDS.items():
            cls = getattr(aliens, name)
            rec.watch_each(
                partial(self.sprites, cls),
                kind=kind,
                position=("rect.centerx", "rect.centery"),
                top_left=("rect.left", "rect.top"),
                bottom_right=("rect.right", "rect.bottom"),
            )
        rec.watch(self, id="game", kind="game", shots_in_the_air=lambda _: len(self.sprites(aliens.Shot)))
        rec.declare(events=["alien.shot"])

    def sprites(self, cls: type) -> list[Any]:
        """Return the sprites of a class, from the group that holds all of the game's."""
        return [sprite for sprite in self.all_sprites() if type(sprite) is cls]

    def all_sprites(self) -> list[Any]:
        """Return all sprites of the game, once it has made a group for them."""
        group: Any = aliens.Player.containers
        return [] if group is None else list(group.sprites())

    def end_of_frame(self) -> None:
        """Record, in place of showing, what the game has drawn."""
        self.shown = set(self.all_sprites())
        if self.shown:  # the title is shown before there are any
            self.rec.frame(t=self.frames / FRAMES_A_SECOND)
            self.frames += 1
            self.keys.next_frame()

    def collide(self, first: Any, second: Any, *kills: Any) -> dict[Any, list[Any]]:
        """Let pygame find out which aliens were shot, and note it."""
        hits: dict[Any, list[Any]] = self._collide(first, second, *kills)
        for alien in hits:
            shown = alien if alien in self.shown else None  # an alien shot on its first frame never had an id
            self.rec.event("alien.shot", by="player-1", on=shown, data={"centre": alien.rect.center})
        return hits

    def events(self) -> list[Any]:
        """Close the window when the time is up."""
        return [pygame.event.Event(pygame.QUIT)] if self.frames >= self.most_frames else []


def record_game(path: Path, seed: int, most_frames: int, changes: Sequence[str] = ()) -> int:
    """Play one game, which ends when the player dies, and return how many frames it had."""
    random.seed(seed)
    build = f"pygame-ce {pygame.version.ver}" + "".join(f", {change}" for change in changes)
    with (
        Recorder(
            path,
            overwrite=True,
            game="pygame.examples.aliens",
            build=build,
            seed=seed,
            tick_rate=FRAMES_A_SECOND,
            moment="after drawing",
            axes={"x": "right", "y": "down"},
            units=dict.fromkeys(("position", "top_left", "bottom_right"), "px"),
        ) as rec,
        ExitStack() as replaced,
    ):
        aliens.SCORE, aliens.Player.containers = 0, None
        session = Session(rec, seed, most_frames)
        replacements: dict[str, Callable[..., Any]] = {
            "pygame.Clock": IdleClock,
            "pygame.time.wait": lambda milliseconds: milliseconds,
            "pygame.mixer.music.fadeout": lambda milliseconds: None,
            "pygame.display.flip": session.end_of_frame,
            "pygame.key.get_pressed": lambda: session.keys,
            "pygame.event.get": session.events,
            "pygame.sprite.groupcollide": session.collide,
        }
        for name, replacement in replacements.items():
            replaced.enter_context(patch(name, replacement))
        for name, value in map(_parse_change, changes):
            replaced.enter_context(patch(f"pygame.examples.aliens.{name}", value))
        play: Callable[[], None] = aliens.main
        play()
        return session.frames


def record_games(folder: Path, seconds: float = 60, changes: Sequence[str] = (), seed: int = 1) -> Iterator[Path]:
    """Play games, from that of a seed on, until they make so many seconds; yield the trace of each."""
    left = round(seconds * FRAMES_A_SECOND)
    while left > 0:
        path = folder / f"game-{seed}.crumbs"
        left -= record_game(path, seed, left, changes)
        yield path
        seed += 1


def _parse_change(change: str) -> tuple[str, Any]:
    name, _, value = change.partition("=")
    return name, ast.literal_eval(value)


def main() -> None:
    """Record a minute of games into a folder."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument("--seed", type=int, default=1, help="of the first game")
    parser.add_argument("--change", action="append", default=[], metavar="NAME=VALUE", help="such as Shot.speed=-9")
    options = parser.parse_args()
    for path in record_games(options.folder, options.seconds, options.change, options.seed):
        print(path)


if __name__ == "__main__":
    main()
