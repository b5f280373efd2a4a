"""The replay, in a real browser: what it shows of a session, and how it is used."""

import math
import shutil
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from breadcrumb import Recorder, compare, open_trace
from breadcrumb.geometry.polygons import Polygons
from breadcrumb.report import pieces
from breadcrumb.report.judged import departures
from breadcrumb.report.replaying import write_replay
from breadcrumb.testing import make_trace
from breadcrumb.trace.bodies import body_of
from browsing import IN_A_BROWSER, Page, run_command
from forms import ARMS, FORMS, WORLDS, arm, scene

pytestmark = IN_A_BROWSER


def test_a_replay_is_stepped_played_and_searched(page: Page, bay: Callable[..., Path], tmp_path: Path) -> None:
    """Keys step and play, the bar and the events jump, an object is found by its name, and nothing is asked for."""
    assert run_command(tmp_path, "replay", bay(), "--out", "it.html").returncode == 0
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
    run_command(tmp_path, "replay", bay(), "--out", "it.html", "--at", "20s")
    page.open(tmp_path / "it.html")
    picture = "return document.getElementById('sea').toDataURL()"
    pictures = [page.run(picture)]
    page.press("\ue010")  # end
    pictures.append(page.run(picture))
    page.choose("#upward", "2")
    pictures.append(page.run(picture))
    assert len(set(pictures)) == 3
    assert page.run("return breadcrumbReplay.frameOf()") == 4320


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
    write_replay(trace, tmp_path / "it.html")
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
    write_replay(trace, tmp_path / "bodies.html", at=1)
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


FRAMED: dict[str, tuple[tuple[float, float], float, int]] = {
    # where a third keg is by turns until it is used, how far the one that walks gets, and how many metres wide all is
    "all in use": ((20.0, 20.0), 30.0, 30),
    "one that is put away": ((-10_000.0, -10_000.0), 30.0, 30),
    "one at the end of numbers": ((3.4e38, 1e38), 30.0, 30),
    "one that walks far": ((20.0, 20.0), 900.0, 900),
}


@pytest.mark.parametrize("name", FRAMED)
def test_what_is_put_away_is_no_part_of_the_picture(page: Page, name: str, tmp_path: Path) -> None:
    """At first a page shows all places but those far away where objects rest that are not in use."""
    away, far, wide = FRAMED[name]
    states = [
        {
            "walker": {"position": (n * 30.0 / 560 if n < 560 else 30.0 + (n - 560) * (far - 30.0) / 39, 1.0)},
            "crate": {"position": (10.0, 5.0)},
            "spare": {"position": (away[n % 2], 4.0) if n < 500 else (12.0 + n % 7, 4.0)},
        }
        for n in range(600)
    ]
    write_replay(make_trace(states, kinds=dict.fromkeys(states[0], "keg")), tmp_path / "far.html")
    page.open(tmp_path / "far.html")
    view = page.run("return [document.getElementById('sea').clientWidth / breadcrumbReplay.map.view.scale]")[0]
    assert view == pytest.approx(wide / 0.9, rel=0.01)
    assert page.complaints() == []


@pytest.fixture(scope="module")
def tired(bay: Callable[..., Path], tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The replay of a session in which barrels lose speed, and leave a region."""
    folder = tmp_path_factory.mktemp("tired")
    (folder / "check_it.py").write_text(
        "from breadcrumb import Box\nfrom breadcrumb.checks import movement\n\n\n"
        "def check_barrels_stay_in_the_west(trace):\n"
        "    assert movement.stays_inside(trace.all('barrel').position, Box((-50, -30), (23, 30)))\n\n\n"
        "def check_barrels_are_fast(trace):\n"
        "    assert movement.stays_between(trace.all('barrel').speed, 1.8, 3)\n"
    )
    args = ("--check", folder / "check_it.py", "--out", folder / "it.html")
    assert run_command(folder, "replay", bay("barrel-tired"), *args).returncode == 0
    return folder / "it.html"


def test_broken_rules_are_listed_in_order_of_time_with_what_was_judged_on_each_frame(page: Page, tired: Path) -> None:
    """A click on a rule goes to where it broke first; its strip tells what was measured and allowed on this frame."""
    page.open(tired)
    listed = page.texts("#rules button")
    times = [float(text.split()[0]) for text in listed]
    assert (len(times), times) == (2, sorted(times))
    (at,) = (index for index, text in enumerate(listed) if "stays between" in text)
    page.find("#rules button")[at].click()
    frame = page.run("return breadcrumbReplay.frameOf()")
    (caption,) = page.run("return breadcrumbReplay.strips.captions")
    assert "allowed at least 1.8 and at most 3 m/s, broken" in caption
    assert f"frame {frame} " in listed[at]
    assert "measured" in page.texts("#broken-words")[0]
    page.press("\ue012")  # left
    (before,) = page.run("return breadcrumbReplay.strips.captions")
    assert ("broken" in before, before != caption) == (False, True)
    assert page.texts("#broken-words") == [""]


def test_a_check_that_cannot_run_is_told_beside_the_page(tmp_path: Path, bay: Callable[..., Path]) -> None:
    """A page without broken rules is not mistaken for a session that holds: what went wrong is printed as an error."""
    (tmp_path / "check_it.py").write_text("def check_it(trace):\n    raise ValueError('no')\n")
    done = run_command(tmp_path, "replay", bay(), "--check", "check_it.py", "--out", "it.html")
    assert (done.returncode, "check_it: check_it.py:2: ValueError: no" in done.stderr) == (0, True)


def test_messages_and_strips_lie_beside_the_picture(page: Page, tired: Path) -> None:
    """What is told of a breach, and the strips, cover nothing of the picture."""
    page.open(tired)
    places = page.run(
        "return ['sea', 'side', 'broken-words', 'strips', 'tools'].map((id) => document.getElementById(id)"
        ".getBoundingClientRect()).map((box) => [box.top, box.bottom])"
    )
    places.sort()
    assert all(one[1] <= other[0] for one, other in pairwise(places)), places


def test_strips_are_added_and_a_click_on_one_goes_there(page: Page, tired: Path) -> None:
    """A property and an event become strips; a click in a strip goes to its time; a strip is removed again."""
    page.open(tired, "#frame=1200&object=barrel-1")
    for key in ("barrel-1~position~0", "event~contact"):
        page.choose("#strip-list", key)
    captions = page.run("return breadcrumbReplay.strips.captions")
    assert [caption.split(" of ")[0].split()[0] for caption in captions[-2:]] == ["position.x", "contact"]
    strip = page.find(".strip")[-1]
    page.click_at(strip, 0.75)
    assert page.run("return breadcrumbReplay.frameOf()") == pytest.approx(1200 + 60 * 2.5, abs=8)
    page.find(".strip-box button")[0].click()
    assert len(page.run("return breadcrumbReplay.strips.captions")) == len(captions) - 1


def test_the_address_shows_a_colleague_the_same(page: Page, tired: Path) -> None:
    """Frame, object, rule, strips, axes and what is seen are in the address; opened anew, it shows the same picture."""
    page.open(tired, "#frame=1200&object=barrel-2")
    page.find("#rules button")[1].click()
    page.choose("#strip-list", "event~contact")
    page.press("+", "+", "v", "\ue014")
    page.wait_for("location.hash.includes('seen=') && location.hash.includes('strip=')")
    seen = (
        "return [breadcrumbReplay.frameOf(), breadcrumbReplay.selected, breadcrumbReplay.strips.captions, "
        "breadcrumbReplay.map.axes, breadcrumbReplay.map.view]"
    )
    page.run("return new Promise((done) => setTimeout(done, 400))")
    before, address = page.run(seen), page.run("return location.href")
    page.driver.get("about:blank")
    page.go(address)
    page.run("return new Promise((done) => setTimeout(done, 400))")
    after = page.run(seen)
    assert after[:-1] == before[:-1]
    assert after[-1] == pytest.approx(before[-1], rel=1e-4)


def test_a_rule_shows_the_region_that_it_judged_against(page: Page, tired: Path) -> None:
    """The region of the chosen rule is part of the picture."""
    page.open(tired, "#frame=1200&rule=0")
    picture = "return document.getElementById('sea').toDataURL()"
    without = page.run(picture)
    page.open(tired, "#frame=1200&rule=1")
    assert page.run(picture) != without


VALUES = (0.1, -3.25, 123456.789, 1e-7, 1e30, None, -0.0, 16777217.0, 7.0, 7.0)


def test_a_long_session_is_loaded_in_pieces_with_every_number_as_it_is(
    page: Page, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of a session in pieces each frame shows its own values; those between two samples are the last ones before."""
    monkeypatch.setattr(pieces, "_WHOLE", 0)
    monkeypatch.setattr(pieces, "_VALUES", 12)
    states: list[dict[str, Any]] = [
        {
            "heron": {"n": VALUES[frame % len(VALUES)], "lit": frame % 3 == 0, "state": f"s{frame // 4}", "fixed": 5.5,
                      "position": (frame / 3, -frame * 1000.0)},
            **({"tern": {"n": float(frame), "position": (0.25, frame / 7)}} if frame % 10 < 2 or frame > 30 else {}),
        }
        for frame in range(40)
    ]  # fmt: skip
    trace = make_trace(states, kinds={"heron": "skiff", "tern": "bird"})
    write_replay(trace, tmp_path / "it #1%?.html")
    assert len(list((tmp_path / "it #1%?.pieces").iterdir())) > 9
    page.open(tmp_path / "it #1%?.html", "#frame=0&object=heron")
    for frame in (0, 39, 5, 17, 4, 20, 11):
        page.run(
            f"const bar = document.getElementById('bar'); bar.value = {frame}; bar.dispatchEvent(new Event('input'))"
        )
        page.wait_for("breadcrumbReplay.loaded")
        n, state = states[frame]["heron"]["n"], states[frame]["heron"]
        told = dict(text.split(" ", 1) for text in page.texts("#values tr")[1:])
        assert told["n"] == (
            "missing or no number" if n is None else page.run(f"return String(Number(({n}).toPrecision(6)))")
        )
        assert (told["lit"], told["state"], told["fixed"]) == (str(state["lit"]).lower(), state["state"], "5.5")
        assert [float(part) for part in told["position"].strip("()").split(", ")] == pytest.approx(
            list(state["position"]), rel=1e-5, abs=1e-4
        )
    assert page.complaints() == []


def test_between_two_samples_a_piece_has_the_one_before(
    page: Page, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is recorded on each seventh frame only is seen in every piece in between, as it was last."""
    monkeypatch.setattr(pieces, "_WHOLE", 0)
    monkeypatch.setattr(pieces, "_VALUES", 2)
    buoy = SimpleNamespace(x=0.0)
    with Recorder(tmp_path / "it.crumbs") as rec:
        rec.watch(buoy, id="buoy", kind="buoy", every=7, position=("x", "x"), n="x")
        for frame in range(22):
            buoy.x = float(frame)
            rec.frame(frame / 10)
    write_replay(open_trace(tmp_path / "it.crumbs"), tmp_path / "it.html")
    page.open(tmp_path / "it.html", "#frame=0&object=buoy")
    told = []
    for frame in (0, 6, 7, 13, 20, 21):
        page.run(
            f"const bar = document.getElementById('bar'); bar.value = {frame}; bar.dispatchEvent(new Event('input'))"
        )
        page.wait_for("breadcrumbReplay.loaded")
        told.append([text.split()[1] for text in page.texts("#values tr") if text.startswith("n ")])
    assert told == [["0"], ["0"], ["7"], ["7"], ["14"], ["21"]]


def test_a_missing_piece_is_told(page: Page, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """If the folder beside the page is gone, the page says which file it looks for."""
    monkeypatch.setattr(pieces, "_WHOLE", 0)
    monkeypatch.setattr(pieces, "_VALUES", 5)
    write_replay(
        make_trace([{"heron": {"position": (float(n), 1.0)}} for n in range(20)], kinds={"heron": "skiff"}),
        tmp_path / "it.html",
    )
    shutil.rmtree(tmp_path / "it.pieces")
    page.driver.get((tmp_path / "it.html").as_uri())
    page.wait_for("document.getElementById('part').textContent")
    assert page.texts("#part")[0].startswith("it.pieces/")
    assert "keep the folder beside this page" in page.texts("#part")[0]


def test_a_session_in_space_is_seen_from_above_and_from_the_side(page: Page, tired: Path) -> None:
    """The height stands below the plan, as far across; in the plane of height there is one picture."""
    page.open(tired, "#frame=600")
    shown = "return !document.getElementById('side').hidden"
    assert page.run(shown)
    assert page.run("return breadcrumbReplay.side.axes") == [0, 2]
    page.choose("#upward", "2")
    assert not page.run(shown)


def test_a_narrow_screen_holds_the_replay(page: Page, tired: Path) -> None:
    """At 390 pixels nothing is wider than the page."""
    with page.narrow():
        page.open(tired)
        assert page.run("return document.documentElement.scrollWidth") == 390


def drifting(rate: float, way: float = 1.0, tub: bool = False) -> Any:
    """Make a session of two kegs, of which one goes its own way from half a second on, and of a tub that may be there."""
    states: list[dict[str, dict[str, Any]]] = []
    for t in np.arange(0, 2, 1 / rate):
        a, b = (max(t - 0.5, 0) * way, 1.0), (5 * t, 3.0)
        states.append({"a": {"position": a}, "b": {"position": b}} | ({"c": {"position": (9.0, 9.0)}} if tub else {}))
    return make_trace(states, kinds={"a": "keg", "b": "keg", "c": "tub"}, times=[n / rate for n in range(len(states))])


@pytest.mark.parametrize("rate", [20, 10, 40])
@pytest.mark.parametrize("has_pieces", [False, True], ids=["one page", "pieces"])
def test_a_second_session_is_shown_as_outlines(
    page: Page, rate: float, has_pieces: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """At each time an outline is where its object was in the reference, unless both are at one place; it is not selected."""
    if has_pieces:
        monkeypatch.setattr(pieces, "_WHOLE", 10)
        monkeypatch.setattr(pieces, "_VALUES", 40)
    write_replay(drifting(20, way=3.0), tmp_path / "it.html", reference=drifting(rate, tub=True))
    for frame, outlines in ((6, ["c"]), (30, ["a", "c"])):
        page.open(tmp_path / "it.html", f"#frame={frame}")
        page.wait_for("breadcrumbReplay.loaded")
        assert sorted(page.run("return breadcrumbReplay.map.hollow")) == outlines
    assert "dashed outlines: made by hand" in page.texts("#beside")[0]
    page.fill("#object", "c\n")
    assert page.run("return breadcrumbReplay.selected") is None
    assert page.complaints() == []


def test_a_replay_shows_where_it_differs_from_the_reference(
    page: Page, bay: Callable[..., Path], tmp_path: Path
) -> None:
    """What begins each group of differences is listed with both values, marked, and reached with one key."""
    done = run_command(tmp_path, "replay", bay("barrel-tired"), "--reference", bay(), "--out", "it.html")
    assert done.returncode == 0, done.stderr
    page.open(tmp_path / "it.html", "#frame=0")
    assert page.texts("#rules > li > button") == [
        "0.417 s frame 25 barrel-1: position of barrel-1 0.0001215 m off, and 50 differences follow"
    ]
    page.press("b")
    assert page.run("return breadcrumbReplay.frameOf()") == 25
    assert "in the reference (21.9015, 12.8961, 0) m" in page.texts("#broken-words")[0]
    page.run("document.querySelector('#rules summary').click()")
    followed = page.texts("#rules details button")
    assert (len(followed), followed[1].split(":")[0]) == (50, "frame 224 barrel-1")
    page.run("document.querySelectorAll('#rules details button')[1].click()")
    assert page.run("return breadcrumbReplay.frameOf()") == 224


BESIDE: dict[str, tuple[Any, Any, list[str]]] = {
    # a property of the candidate's keg over time, of the reference's, and what the strip tells on frame 12
    "a number": (lambda t: 2.0 * t, lambda t: t, ["n of a 2.4, in the reference 1.2"]),
    "a text": (lambda t: "lit", lambda t: "out" if t > 1 or t < 0.3 else "lit", ["n of a lit, in the reference out"]),
    "a flag": (lambda t: True, lambda t: t < 1, ["n of a true, in the reference false"]),
    "a vector": (lambda t: (2.0 * t, 1.0), lambda t: (t, 1.0), ["n.x of a 2.4, in the reference 1.2"]),
    "no number": (
        lambda t: 1.0 if t < 1 else math.nan, lambda t: 1.0, ["n of a missing or no number, in the reference 1"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", BESIDE)
def test_what_differs_is_drawn_in_both_over_time(page: Page, name: str, tmp_path: Path) -> None:
    """The strip of a difference has the values of both sessions, the reference's dashed, and tells both."""
    mine, yours, told = BESIDE[name]
    made = [make_trace([{"a": {"n": of(n / 10)}} for n in range(20)], kinds={"a": "keg"}) for of in (yours, mine)]
    ways, captions = {}, []
    for side, (reference, broken) in {"alone": (None, ()), "beside": (made[0], departures(compare(*made)))}.items():
        write_replay(made[1], tmp_path / f"{side}.html", reference=reference, broken=broken)
        page.open(tmp_path / f"{side}.html", "#frame=12&object=a&rule=0" if broken else "#frame=12&strip=a~n~0")
        captions = page.run("return breadcrumbReplay.strips.captions")
        ways[side] = page.run(INK)
    assert [one.strip() for one in captions] == told
    courses = page.run("return breadcrumbReplay.strips.courses")
    assert len(courses) == 1
    for course, of in zip(courses[0], (mine, yours), strict=True):
        assert course == [as_drawn(of(n / 10)) for n in range(20)]
    assert ways["beside"] > ways["alone"] + 20
    assert page.complaints() == []


def as_drawn(value: Any) -> Any:
    """Return a value as its course has it: of a vector the first part, nothing for what is no number."""
    first = value[0] if isinstance(value, tuple) else value
    if isinstance(first, bool | str):
        return str(first).lower()
    return None if math.isnan(first) else pytest.approx(first, rel=1e-6)


INK = """
    const canvas = document.querySelector(".strip"), paint = canvas.getContext("2d");
    const ink = getComputedStyle(document.documentElement).getPropertyValue("--ink").trim();
    const wanted = [1, 3, 5].map((at) => parseInt(ink.slice(at, at + 2), 16));
    const { data } = paint.getImageData(0, 0, canvas.width, canvas.height);
    let many = 0;
    for (let at = 0; at < data.length; at += 4) if (wanted.every((one, part) => Math.abs(data[at + part] - one) < 24) && data[at + 3] > 100) many++;
    return many;
"""
"""How many pixels of the first strip have the colour of a reference."""
