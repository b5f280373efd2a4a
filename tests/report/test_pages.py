"""The report and the replay, in a real browser: what they show, what they never do, and how they are used."""

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any
from xml.etree import ElementTree as ET

import numpy as np
import pytest

from breadcrumb import Recorder, open_trace
from breadcrumb.geometry.polygons import Polygons
from breadcrumb.report.replaying import replay_page
from breadcrumb.testing import make_trace
from breadcrumb.trace.bodies import body_of
from forms import ARMS, FORMS, WORLDS, arm, scene

MISSING = [name for name in ("chromium", "chromedriver", "npm") if shutil.which(name) is None]
pytestmark = [
    pytest.mark.skipif(
        bool(MISSING) and "BREADCRUMB_CI" not in os.environ, reason=f"{', '.join(MISSING)} not installed"
    ),
    pytest.mark.xdist_group("pages"),  # one process makes the report and starts the browser
]
Cli = Callable[..., CompletedProcess[str]]

SCRIPT = "</script><script>window.hacked = 1</script>"
MARKUP = "<img src=x onerror='window.hacked = 2'>"
HOSTILE = (SCRIPT, MARKUP, "x" * 3000, "\u202egnirts", "$\\frac{1}{2}$")


class Page:
    """A page in a headless browser."""

    def __init__(self, driver: Any) -> None:
        self.driver = driver

    def open(self, path: Path, fragment: str = "") -> None:
        """Open a page from its file."""
        self.driver.get("about:blank")
        self.driver.get_log("browser")
        self.driver.get_log("performance")
        self.driver.get(path.resolve().as_uri() + fragment)

    def run(self, script: str) -> Any:
        """Return what a script in the page returns."""
        return self.driver.execute_script(script)

    def find(self, selector: str) -> list[Any]:
        """Return the elements of a selector."""
        return list(self.driver.find_elements("css selector", selector))

    def texts(self, selector: str) -> list[str]:
        """Return the texts of the elements of a selector."""
        return [str(one.text) for one in self.find(selector)]

    def press(self, *keys: str) -> None:
        """Press keys on the page itself."""
        for key in keys:
            self.find("body")[0].send_keys(key)

    def fill(self, selector: str, text: str) -> None:
        """Type into a field."""
        (field,) = self.find(selector)
        field.clear()
        field.send_keys(text)

    def choose(self, selector: str, value: str) -> None:
        """Choose from a list."""
        from selenium.webdriver.support.select import Select

        Select(self.find(selector)[0]).select_by_value(value)

    def requests(self) -> list[str]:
        """Return the addresses that the page asked for since it was opened, without its own data."""
        messages = [json.loads(entry["message"])["message"] for entry in self.driver.get_log("performance")]
        sent = [one["params"]["request"]["url"] for one in messages if one["method"] == "Network.requestWillBeSent"]
        return [url for url in sent if not url.startswith(("data:", "about:"))]

    def complaints(self) -> list[str]:
        """Return what was written to the console."""
        return [str(entry["message"]) for entry in self.driver.get_log("browser")]


@pytest.fixture(scope="module")
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


def _run(folder: Path, *args: str | Path) -> CompletedProcess[str]:
    script = "from breadcrumb.cli import main; main()"
    return subprocess.run(
        [sys.executable, "-c", script, *map(str, args)], cwd=folder, capture_output=True, text=True, check=False
    )


@pytest.fixture(scope="module")
def night(tmp_path_factory: pytest.TempPathFactory, bay: Callable[..., Path], examples: Path) -> Path:
    """A report on a correct and a faulty session, with an excerpt, JUnit XML and lines of JSON."""
    folder = tmp_path_factory.mktemp("night")
    traces = [bay(), bay("whirlpool-to-and-fro")]
    done = _run(folder, "check", examples / "lantern_bay", *traces, "--report", "out", "--excerpt",
                "--junit", "out/junit.xml", "--json", "out/verdicts.jsonl")  # fmt: skip
    assert done.returncode == 1, done.stderr
    assert "report  out/index.html" in done.stdout
    return folder / "out"


@pytest.fixture(scope="module")
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
    assert _run(folder, "check", "check_it.py", "it.crumbs", "--report", "out").returncode == 1
    return folder / "out"


def test_the_report_opens_from_a_file_and_asks_for_nothing_else(page: Page, night: Path) -> None:
    """No request goes anywhere but to the report's own files, and the console stays empty."""
    page.open(night / "index.html")
    page.run("document.querySelectorAll('details').forEach((one) => { one.open = true; })")
    page.run("document.querySelectorAll('img').forEach((one) => { one.loading = 'eager'; })")
    page.driver.implicitly_wait(1)
    assert page.run("return [...document.images].length") > 0
    assert all(url.startswith(night.resolve().as_uri()) for url in page.requests())
    assert page.complaints() == []
    assert page.texts("h1") == ["169 checks on 2 sessions"]


def test_the_table_filters_sorts_and_turns_pages(page: Page, night: Path) -> None:
    """Broken ones stand first; a filter leaves what it names; a head sorts, and sorts the other way; pages turn."""
    page.open(night / "index.html")
    assert page.texts("#table tbody tr:first-child td")[0] == "broken"
    assert len(page.find("#table tbody tr")) == 100
    assert page.texts("#how-many") == ["1 to 100 of 338"]
    page.find("#later")[0].click()
    assert page.texts("#how-many") == ["101 to 200 of 338"]
    page.choose("#outcome", "broken")
    broken = page.texts("#table tbody tr td:nth-child(2)")
    assert "check_a_boat_rests_after_it_was_moved" in broken
    page.choose("#outcome", "")
    page.fill("#text", "check_buoys")
    assert {"buoy" in text for text in page.texts("#table tbody tr td:nth-child(2)")} == {True}
    page.fill("#text", " ")
    for order in (False, True):
        page.find("[data-sort=check]")[0].click()
        shown = page.texts("#table tbody tr td:nth-child(2)")
        assert shown == sorted(shown, reverse=order)
    page.find("[data-sort=margin]")[0].click()
    assert page.run("return document.querySelector('[data-sort=margin]').parentNode.ariaSort") == "ascending"
    assert page.texts("#table tbody tr:first-child td")[3].endswith("(0% of 1)")


def test_what_broke_is_told_and_one_click_shows_the_moment(page: Page, night: Path) -> None:
    """The verdict with its figure is on the page, and its replay opens at the broken frame with the object selected."""
    page.open(night / "index.html")
    told = page.run("return document.querySelector('main').textContent")
    assert "frame 111 (1.850 s)  heron: resting is false" in told
    unseen = told.partition("What no check looks at")[2]
    assert all(what in unseen for what in ("kind barge", "barge.position", "event input.pointer"))
    assert not any(what in unseen for what in ("skiff", "bell.rung", "kind flare"))
    link = page.run(
        "return [...document.querySelectorAll('details')].find((one) => one.textContent.includes('rests_after'))"
        ".querySelector('a.replay').href"
    )
    page.driver.get(link)
    assert page.run("return breadcrumbReplay.frameOf()") == 111
    assert page.run("return breadcrumbReplay.selected") == "heron"
    assert "check_a_boat_rests_after_it_was_moved" in page.texts("#broken-words")[0]
    assert page.texts("#values tr:nth-child(2)") == ["position (15.092, -3.6, 0) m"]


def test_what_broke_first_stands_first_and_is_one_click_away(page: Page, night: Path) -> None:
    """The rule that broke first in a session heads the page, with what followed; its link opens the replay at that frame."""
    page.open(night / "index.html")
    (article,) = page.find("article")
    assert article.text.startswith("1 of 2 sessions a boat that was moved rests")
    assert "with sensor.begin, whirlpool.moved" in article.text
    assert "Then: check_a_rested_boat_never_gets_into_a_whirlpool in 1" in article.text
    (order,) = page.texts("#session-table ol")
    assert order.index("rests_after_it_was_moved") < order.index("frame 111") < order.index("never_gets_into")
    page.driver.get(article.find_element("css selector", "a.replay").get_attribute("href"))
    assert (page.run("return breadcrumbReplay.frameOf()"), page.complaints()) == (111, [])


def test_each_rule_shows_its_margin_in_every_session(page: Page, night: Path) -> None:
    """Broken rules come first; a dot is drawn for each session, and a click on it leaves that check and session in the table."""
    page.open(night / "index.html")
    assert page.texts("#rule-table tbody tr:first-child td:nth-child(2)") == ["1 broken 1 held"]
    page.fill("#rule-text", "keep_their_speed")
    assert page.texts("#rule-count") == ["1"]
    drawn = "const c = document.querySelector('#rule-table canvas'); return new Set(c.getContext('2d').getImageData(0, 0, c.width, c.height).data).size"
    assert page.run(drawn) > 4
    page.find("#rule-table canvas")[0].click()
    assert page.texts("#table tbody tr td:nth-child(2)") == ["check_barrels_keep_their_speed"]


def test_a_narrow_screen_holds_the_report(page: Page, night: Path) -> None:
    """At 390 pixels nothing is wider than the page."""
    try:
        page.driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride", {"width": 390, "height": 800, "deviceScaleFactor": 1, "mobile": True}
        )
        page.open(night / "index.html")
        assert page.run("return document.documentElement.scrollWidth") == 390
    finally:
        page.driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})


def test_the_excerpt_opens_like_any_trace(night: Path) -> None:
    """The seconds around the first breach are a trace of their own, with the same values."""
    (excerpt,) = (night / "excerpts").iterdir()
    trace = open_trace(excerpt)
    assert trace.clock.frames[[0, -1]].tolist() == [0, 411]
    assert trace.one(id="heron").position.values[111].tolist() == pytest.approx([15.0917, -3.6, 0.0], abs=1e-3)


def test_machines_read_the_outcomes(night: Path) -> None:
    """JUnit XML and the lines of JSON have the same counts as the page."""
    root = ET.parse(night / "junit.xml").getroot()
    *results, end = map(json.loads, (night / "verdicts.jsonl").read_text().splitlines())
    rules = [(one["rule"]["id"], Path(each["trace"]).name, one) for each in results for one in each["findings"]]
    for outcome, element in {"broken": "failure", "untested": "skipped"}.items():
        told = {
            (f"{case.get('classname')}/{case.get('name')}", suite.get("name"))
            for suite in root
            for case in suite
            if case.find(element) is not None
        }
        assert told == {(id, session) for id, session, one in rules if one["outcome"] == outcome} != set()
    assert sum(int(suite.get("tests", 0)) for suite in root) == len(rules)
    assert len(results) == 338 == sum(end["counts"].values())
    assert end["exit_code"] == 1
    id = "whirlpools/a_boat_rests_after_it_was_moved/judge/skiff.resting"
    (first,) = (one["first"] for each, _, one in rules if each == id and one["outcome"] == "broken")
    assert (first["frame"], first["object"], first["measured"]) == (111, "heron", "false")


def test_a_replay_is_stepped_played_and_searched(page: Page, bay: Callable[..., Path], tmp_path: Path) -> None:
    """Keys step and play, the bar and the events jump, an object is found by its name, and nothing is asked for."""
    assert _run(tmp_path, "replay", bay(), "--out", "it.html").returncode == 0
    page.open(tmp_path / "it.html", "#frame=600")
    frame = "return breadcrumbReplay.frameOf()"
    assert page.run(frame) == 600
    page.press("\ue014", "\ue014", "\ue012")  # right, right, left
    assert page.run(frame) == 601
    page.press(" ")
    page.driver.implicitly_wait(0)
    page.run("return new Promise((done) => setTimeout(done, 600))")
    page.press(" ")
    assert page.run(frame) > 610
    stopped = page.run(frame)
    page.run("return new Promise((done) => setTimeout(done, 200))")
    assert page.run(frame) == stopped
    page.fill("#filter", "whirlpool.moved")
    assert page.texts("#how-many") == ["14"]
    page.find("#events button")[0].click()
    assert page.run(frame) == 111
    assert page.run("return breadcrumbReplay.selected") == "heron"
    page.run("const bar = document.getElementById('bar'); bar.value = 3000; bar.dispatchEvent(new Event('input'))")
    assert page.texts("#now") == ["frame 3000 of 4320 50.000 s episode 2"]
    page.fill("#object", "lamp-quay\n")
    assert page.texts("#values tr:first-child") == ["lamp lamp-quay"]
    assert page.find("#next-broken")[0].get_attribute("disabled")
    assert page.complaints() == []
    assert page.requests() == [(tmp_path / "it.html").resolve().as_uri()]


def test_what_is_drawn_moves_with_the_session(page: Page, bay: Callable[..., Path], tmp_path: Path) -> None:
    """The picture of another frame is another one, and other axes show it from another side."""
    _run(tmp_path, "replay", bay(), "--out", "it.html", "--at", "20s")
    page.open(tmp_path / "it.html")
    picture = "return document.getElementById('sea').toDataURL()"
    pictures = [page.run(picture)]
    page.press("\ue010")  # end
    pictures.append(page.run(picture))
    page.choose("#upward", "2")
    pictures.append(page.run(picture))
    assert len(set(pictures)) == 3
    assert page.run("return breadcrumbReplay.frameOf()") == 4320


def test_hostile_names_are_only_ever_text(page: Page, hostile: Path) -> None:
    """Markup and scripts in names, texts and data are shown as they are, and none of them runs."""
    page.open(hostile / "index.html")
    assert MARKUP in page.run("return document.body.textContent")
    assert page.run("return window.hacked === undefined && document.querySelectorAll('img[src=x]').length === 0")
    (replay,) = (hostile / "replays").iterdir()
    page.open(replay)
    page.fill("#object", SCRIPT + "\n")
    shown = page.run("return document.body.innerText")
    assert SCRIPT in shown
    assert MARKUP in shown
    assert page.run("return window.hacked === undefined && document.querySelectorAll('img').length === 0")
    assert page.complaints() == []


@pytest.fixture(scope="module")
def axe(tmp_path_factory: pytest.TempPathFactory) -> str:
    """The accessibility checker."""
    folder = tmp_path_factory.mktemp("axe")
    subprocess.run(["npm", "install", "--silent", "--no-audit", "--no-fund", "axe-core@4"], cwd=folder, check=True)
    return (folder / "node_modules" / "axe-core" / "axe.min.js").read_text()


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_the_pages_are_accessible(page: Page, night: Path, axe: str, scheme: str) -> None:
    """In light and in dark, the accessibility checker finds nothing serious on either page."""
    media = {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
    page.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", media)
    for path in (night / "index.html", next((night / "replays").iterdir())):
        page.open(path)
        page.run(axe)
        found = page.run("return axe.run().then((found) => found.violations)")
        serious = [one for one in found if one["impact"] in ("serious", "critical")]
        assert not serious, [(one["id"], one["nodes"][0]["html"][:200]) for one in serious]


def test_options_that_need_a_report_say_so(bay: Callable[..., Path], examples: Path, tmp_path: Path) -> None:
    """`--excerpt` without a report is an error, and a report that cannot be written says why."""
    check = examples / "lantern_bay" / "check_buoys.py"
    done = _run(tmp_path, "check", check, bay(), "--excerpt")
    assert (done.returncode, "belong to --report FOLDER" in done.stderr) == (2, True)
    (tmp_path / "file").write_text("")
    done = _run(tmp_path, "check", check, bay(), "--report", "file")
    assert (done.returncode, "the report cannot be written there" in done.stderr) == (2, True)


def test_a_replay_tells_what_is_missing_and_who_is_not_there(page: Page, tmp_path: Path) -> None:
    """A missing number, flag or text, and a vector of which a part is, are told as such; so is who is not there."""
    known: dict[str, Any] = {"n": 3.5, "lit": True, "state": "idle", "at": (1.0, 2.0), "position": (0.0, 0.0)}
    states: list[dict[str, Any]] = [
        {},
        {"heron": known},
        {"heron": known | dict.fromkeys(("n", "lit", "state")) | {"at": (None, 2.0)}},
        {},
    ]
    trace = make_trace(states, kinds={"heron": "skiff"}, units={"n": "m"})
    (tmp_path / "it.html").write_text(replay_page(trace), "utf-8")
    told = []
    for frame in range(4):
        page.open(tmp_path / "it.html", f"#frame={frame}")
        told.append([text for text in page.texts("#values tr") if "position" not in text])
    missing = "missing or no number"
    assert told == [
        ["skiff not there"],
        ["skiff heron", "n 3.5 m", "at (1, 2)", "lit true", "state idle"],
        ["skiff heron", f"n {missing} m", f"at ({missing}, {missing})", "lit missing", "state missing"],
        ["skiff not there"],
    ]


@pytest.mark.parametrize("form", [*FORMS, *ARMS])
def test_a_replay_shows_bodies_where_checks_have_them(page: Page, form: str, tmp_path: Path) -> None:
    """The points that the page joins to a body, and the radius that rounds them, are those that checks judge."""
    trace = scene(FORMS[form], WORLDS["y down"], -3.0, 2.0) if form in FORMS else arm(form)
    (tmp_path / "bodies.html").write_text(replay_page(trace, at=1), "utf-8")
    page.open(tmp_path / "bodies.html")
    seen = page.run("return breadcrumbReplay.bodyOf('a')")
    assert page.complaints() == []
    wanted = set()
    for piece in body_of(trace.all("crate")).at(np.array([1])):
        halves: Any = [] if isinstance(piece, Polygons) else piece.halves[:, :, 0]
        corners: list[Any] = list(piece.corners[:, :, 0]) if isinstance(piece, Polygons) else [piece.centre[:, 0]]
        for half in halves:
            corners = [corner + sign * half for corner in corners for sign in (-1, 1)]
        wanted |= {tuple(np.round(corner, 5).tolist()) for corner in corners}
        assert seen["radius"] == pytest.approx(float(piece.radius[0]))
    assert {tuple(round(part, 5) + 0.0 for part in point) for point in seen["points"]} == wanted
