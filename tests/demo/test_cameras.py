"""The demo game's cameras, against the angles at which their rays leave."""

import math

import pytest

from breadcrumb.demo.cameras import Camera


@pytest.mark.parametrize("pitch", [0.0, -12.0, 40.0])
@pytest.mark.parametrize("yaw", [0.0, 30.0, 90.0, 180.0, 260.0])
def test_a_ray_leaves_at_the_angle_of_its_pixel(yaw: float, pitch: float) -> None:
    """The middle of the screen is straight ahead; its right edge lies half a field of view clockwise of that."""
    camera = Camera("eye", 0.0, 0.0, 5.0, yaw, pitch, 60.0, None)
    x, y, z = camera.way(camera.width / 2, camera.height / 2)
    assert math.degrees(math.atan2(y, x)) % 360 == pytest.approx(yaw)
    assert math.degrees(math.asin(z)) == pytest.approx(pitch)
    x, y, z = camera.way(camera.width / 2, 0.0)
    assert math.degrees(math.asin(z)) == pytest.approx(pitch + 30.0)
    level = Camera("eye", 0.0, 0.0, 5.0, yaw, 0.0, 60.0, None)
    x, y, z = level.way(level.width, level.height / 2)
    across = math.degrees(math.atan(math.tan(math.radians(30.0)) * level.width / level.height))
    assert math.degrees(math.atan2(y, x)) % 360 == pytest.approx((yaw - across) % 360)
