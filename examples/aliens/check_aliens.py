"""Checks of the example game that comes with pygame-ce; lengths in pixels, y down, 40 frames a second."""

from breadcrumb import Box, frames, judge
from breadcrumb.checks import movement, session, spawns, triggers

SCREEN = Box((0, 0), (640, 480))
SHOT_SPEED = 440  # px/s: 11 px a frame
MOST_SHOTS = 2
EXPLOSION = frames(12)


def check_session_runs_clean(trace):
    assert session.runs_clean(trace)


def check_shots_move_at_a_constant_speed(trace):
    assert movement.keeps_speed(trace.all("shot"), SHOT_SPEED)


def check_shots_are_gone_above_the_top(trace):
    assert judge(trace.all("shot").top_left.y > 0, "a shot is gone before it leaves the screen at the top")


def check_only_so_many_shots_are_in_the_air(trace):
    shots = trace.one("game").shots_in_the_air
    assert judge(MOST_SHOTS - shots, "at most two shots are in the air")


def check_explosions_last(trace):
    assert spawns.lasts(trace.all("explosion"), EXPLOSION)


def check_each_alien_shot_down_explodes_once(trace):
    explosion = trace.all("explosion")
    begins = explosion.appears.with_data(centre=explosion.position.at(explosion.appears).values)
    assert triggers.leads_to(trace.events("alien.shot"), begins, within=frames(0), match="centre")


def check_the_player_stays_on_the_screen(trace):
    player = trace.one("player")
    assert movement.stays_inside(player.top_left, SCREEN)
    assert movement.stays_inside(player.bottom_right, SCREEN)
