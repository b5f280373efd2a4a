"""The buoys: they heave on the swell, spin, and stay where they are moored."""

import numpy as np

from breadcrumb import seconds
from breadcrumb.checks import movement, values

MEAN, SWELL, PERIOD = 0.25, 0.35, 4.4  # m, m, s
SPIN = 27.0  # deg/s


def check_buoys_heave_on_the_swell(trace):
    height = trace.all("buoy").position.z
    assert movement.oscillates(height, centre=MEAN, amplitude=SWELL, period=seconds(PERIOD), tol=0.001)


def check_buoys_follow_the_swell_from_the_start(trace):
    height = trace.all("buoy").position.z
    assert values.equals(height, MEAN + SWELL * np.sin(2 * np.pi * height.times / PERIOD), tol=1e-6)


def check_buoys_stay_where_they_are_moored(trace):
    assert values.unchanged(trace.all("buoy").position.x)
    assert values.unchanged(trace.all("buoy").position.y)


def check_buoys_spin(trace):
    assert movement.turns_at(trace.all("buoy").yaw, SPIN, tol=0.001)
