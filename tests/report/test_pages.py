"""The report, in a real browser: what it shows, what it never does, and how it is used."""

import json
from collections.abc import Callable
from pathlib import Path
from xml.etree import ElementTree as ET

import pytest

from breadcrumb import open_trace
from browsing import IN_A_BROWSER, MARKUP, SCRIPT, Page, run_command

pytestmark = IN_A_BROWSER


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
    page.go(link)
    assert page.run("return breadcrumbReplay.frameOf()") == 111
    assert page.run("return breadcrumbReplay.selected") == "heron"
    assert "check_a_boat_rests_after_it_was_moved" in page.texts("#broken-words")[0]
    assert page.texts("#values tr:nth-child(2)") == ["position (15.0917, -3.6, 0) m"]


def test_what_broke_first_stands_first_and_is_one_click_away(page: Page, night: Path) -> None:
    """The rule that broke first in a session heads the page, with what followed; its link opens the replay at that frame."""
    page.open(night / "index.html")
    (article,) = page.find("article")
    assert article.text.startswith("1 of 2 sessions a boat that was moved rests")
    assert "with sensor.begin, whirlpool.moved" in article.text
    assert "Then: check_a_rested_boat_never_gets_into_a_whirlpool in 1" in article.text
    (order,) = page.texts("#session-table ol")
    assert order.index("rests_after_it_was_moved") < order.index("frame 111") < order.index("never_gets_into")
    page.go(article.find_element("css selector", "a.replay").get_attribute("href"))
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
    with page.narrow():
        page.open(night / "index.html")
        assert page.run("return document.documentElement.scrollWidth") == 390


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
    done = run_command(tmp_path, "check", check, bay(), "--excerpt")
    assert (done.returncode, "belong to --report FOLDER" in done.stderr) == (2, True)
    (tmp_path / "file").write_text("")
    done = run_command(tmp_path, "check", check, bay(), "--report", "file")
    assert (done.returncode, "the report cannot be written to file" in done.stdout) == (2, True)
