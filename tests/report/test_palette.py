"""Colours can be told from their ground and from one another, also with the common kinds of colour blindness."""

import itertools
import re
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from breadcrumb.report import style

PAGES = Path(style.__file__).parent / "pages"
REPLAY = (PAGES / "map.js").read_text(encoding="utf-8")
CSS = (PAGES / "page.css").read_text(encoding="utf-8")

Colour = NDArray[np.float64]

NOT_OURS = ("1b2b34", "c2185b", "455a64", "b0bec5", "d1495b", "00798c", "6a4c93", "8d5524", "ff6b81")
"""Exact codes of known themes and palettes."""

SEEN: dict[str, list[list[float]]] = {
    "in full colour": [[1, 0, 0], [0, 1, 0], [0, 0, 1]],
    "with protanopia": [
        [0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998],
    ],
    "with deuteranopia": [
        [0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881],
    ],
    "with tritanopia": [
        [1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900],
    ],
}  # fmt: skip
"""What becomes of linear red, green and blue (Machado, Oliveira and Fernandes, 2009, full severity)."""

NONTEXT, TEXT = 3.0, 4.5
"""The least contrast of graphics and of text (WCAG 2.2, 1.4.11 and 1.4.3)."""
APART = 0.055
"""The least distance in Oklab of two colours of one figure; near 0.02 a difference can just be seen."""


def _rgb(code: str) -> Colour:
    return np.array([int(code[at : at + 2], 16) for at in (1, 3, 5)]) / 255


def _linear(colour: Colour) -> Colour:
    return np.asarray(np.where(colour <= 0.04045, colour / 12.92, ((colour + 0.055) / 1.055) ** 2.4))


def _contrast(one: str, other: str) -> float:
    light = [float(_linear(_rgb(code)) @ [0.2126, 0.7152, 0.0722]) + 0.05 for code in (one, other)]
    return max(light) / min(light)


def _oklab(linear: Colour) -> Colour:
    """Return a colour in Oklab (Ottosson, 2020), in which distances are as people see them."""
    cones = np.array(
        [
            [0.4122214708, 0.5363325363, 0.0514459929],
            [0.2119034982, 0.6806995451, 0.1073969566],
            [0.0883024619, 0.2817188376, 0.6299787005],
        ]
    )
    lab = np.array(
        [
            [0.2104542553, 0.7936177850, -0.0040720468],
            [1.9779984951, -2.4285922050, 0.4505937099],
            [0.0259040371, 0.7827717662, -0.8086757660],
        ]
    )
    return np.asarray(lab @ np.cbrt(cones @ np.clip(linear, 0, 1)))


def _listed(name: str) -> list[str]:
    found = re.search(rf"const {name} = \[(.*?)\];", REPLAY, re.DOTALL)
    assert found is not None
    return re.findall(r"#[0-9a-f]{6}", found[1])


def _variables() -> list[dict[str, str]]:
    """Return the colours of the page's light theme, and of its dark one."""
    light, dark = CSS.split("prefers-color-scheme: dark", 1)
    themes = [dict(re.findall(r"--(\w+): (#[0-9a-f]{6})", part)) for part in (light, dark)]
    return [themes[0], {**themes[0], **themes[1]}]


LIGHT, DARK = _variables()
GROUNDS: dict[str, tuple[list[str], str]] = {
    "figures": (list(style.SEVERAL), "#ffffff"),
    "replay, light": (_listed("COLOURS"), LIGHT["ground"]),
    "replay, dark": (_listed("DARK"), DARK["ground"]),
}


@pytest.mark.parametrize("where", GROUNDS)
def test_each_colour_stands_out_from_its_ground(where: str) -> None:
    """Lines and marks have the contrast that graphics need."""
    colours, ground = GROUNDS[where]
    assert len(set(colours)) == len(colours) >= 8
    assert {code: ratio for code in colours if (ratio := _contrast(code, ground)) < NONTEXT} == {}


@pytest.mark.parametrize("seen", SEEN)
@pytest.mark.parametrize("where", GROUNDS)
def test_any_two_colours_of_a_figure_stay_apart(where: str, seen: str) -> None:
    """No two colours of a figure look alike, whoever looks at it."""
    colours, _ = GROUNDS[where]
    looks = {code: _oklab(np.array(SEEN[seen]) @ _linear(_rgb(code))) for code in colours}
    near = {
        pair: distance
        for pair in itertools.combinations(colours, 2)
        if (distance := float(np.linalg.norm(looks[pair[0]] - looks[pair[1]]))) < APART
    }
    assert near == {}


@pytest.mark.parametrize("theme", [LIGHT, DARK], ids=["light", "dark"])
def test_text_can_be_read_on_every_ground(theme: dict[str, str]) -> None:
    """Ink and outcomes have the contrast that text needs, on the page and on its raised parts."""
    for name in ("ink", "quiet", "accent", "wrong", "held", "untested"):
        for ground in ("ground", "raised"):
            assert _contrast(theme[name], theme[ground]) >= TEXT, (name, ground)


def test_ink_can_be_read_on_figures() -> None:
    """Labels, limits and marks of figures stand out from white."""
    assert _contrast(style.INK, "#ffffff") >= TEXT
    for code in (style.PATH, style.WRONG, style.EVENT):
        assert _contrast(code, "#ffffff") >= NONTEXT


def test_no_colour_is_the_code_of_a_known_theme() -> None:
    """None of the exact codes that name a known theme or palette is in the sources."""
    sources = [file for pattern in ("*.py", "*.css", "*.js", "*.html") for file in PAGES.parent.rglob(pattern)]
    assert len(sources) > 10
    found = [(file.name, code) for file in sources for code in NOT_OURS if code in file.read_text("utf-8").lower()]
    assert found == []
