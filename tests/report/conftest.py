"""What the tests of pages share: a browser, and the reports that it shows."""

import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from breadcrumb import Recorder
from browsing import HOSTILE, MARKUP, SCRIPT, Page, run_command


@pytest.fixture(scope="session")
def page() -> Iterator[Page]:
    """A browser."""
    from selenium import webdriver

    options = webdriver.ChromeOptions()
    options.binary_location = str(shutil.which("chromium"))
    for argument in ("--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1280,800"):
        options.add_argument(argument)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    service = webdriver.ChromeService(executable_path=shutil.which("chromedriver"))
    driver = webdriver.Chrome(options=options, service=service)
    yield Page(driver)
    driver.quit()


@pytest.fixture(scope="session")
def night(tmp_path_factory: pytest.TempPathFactory, bay: Callable[..., Path], examples: Path) -> Path:
    """A report on a correct and a faulty session, with an excerpt, JUnit XML and lines of JSON."""
    folder = tmp_path_factory.mktemp("night")
    traces = [bay(), bay("whirlpool-to-and-fro")]
    done = run_command(folder, "check", examples / "lantern_bay", *traces, "--report", "out", "--excerpt",
                "--junit", "out/junit.xml", "--json", "out/verdicts.jsonl")  # fmt: skip
    assert done.returncode == 1, done.stderr
    assert "report  out/index.html" in done.stdout
    return folder / "out"


@pytest.fixture(scope="session")
def hostile(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The report on a session in which every name and text tries to be something else."""
    folder = tmp_path_factory.mktemp("hostile")

    class Thing:
        def __init__(self, number: int) -> None:
            self.name, self.n = HOSTILE[number], number
            self.x, self.y, self.text = float(number), 0.0, HOSTILE[-1 - number]

    things = [Thing(number) for number in range(len(HOSTILE))]
    with Recorder(folder / "it.crumbs", game=SCRIPT, build=MARKUP, axes={"x": SCRIPT, "y": "north"}) as rec:
        rec.watch_each(lambda: things, kind=MARKUP, id="name", position=("x", "y"), text="text")
        for frame in range(10):
            for thing in things:
                rec.event(thing.text, by=thing, on=SCRIPT, data={SCRIPT: MARKUP})
            things[0].x += 1
            rec.frame(frame / 10)
    (folder / "check_it.py").write_text(
        f"from breadcrumb.checks import movement\n\n\ndef check_it(trace):\n"
        f"    things = trace.all({MARKUP!r})\n    assert movement.stays_between(things.position.x, 0, 4)\n"
    )
    assert run_command(folder, "check", "check_it.py", "it.crumbs", "--report", "out").returncode == 1
    return folder / "out"


@pytest.fixture(scope="session")
def axe(tmp_path_factory: pytest.TempPathFactory) -> str:
    """The accessibility checker."""
    folder = tmp_path_factory.mktemp("axe")
    subprocess.run(["npm", "install", "--silent", "--no-audit", "--no-fund", "axe-core@4"], cwd=folder, check=True)
    return (folder / "node_modules" / "axe-core" / "axe.min.js").read_text()
