"""Sessions of kegs, and a cluster to check them on."""

from collections.abc import Iterator
from pathlib import Path
from types import SimpleNamespace

import pytest

from breadcrumb import Recorder
from clustering import Cluster

NAMES = ("calm", "high", "wild", "mild", "late")
SLOW, FAST = 10, 20


@pytest.fixture(scope="session")
def sessions(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """Five short sessions, of which one breaks a check and only one has a bell; two frame rates, two builds."""
    folder = tmp_path_factory.mktemp("sessions")
    for number, name in enumerate(NAMES):
        keg, rate = SimpleNamespace(x=0.0, y=0.0), (SLOW, FAST)[number % 2]
        with Recorder(folder / f"{name}.crumbs", build=f"1.{number % 3}", tick_rate=rate, seed=number // 2) as rec:
            rec.watch(keg, id="keg-1", kind="keg", x="x", y="y")
            for frame in range(6):
                keg.x, keg.y = frame / rate, frame * (name == "high")
                if name == "calm" and frame == 3:
                    rec.event("ring", by="keg-1")
                rec.frame(frame / rate)
    return [folder / f"{name}.crumbs" for name in NAMES]


@pytest.fixture(scope="session")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    """A cluster for all tests of a process."""
    started = Cluster(tmp_path_factory.mktemp("cluster"))
    yield started
    started.close()
