"""A page in a headless browser, for tests that look at what is shown."""

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from subprocess import CompletedProcess
from typing import Any

import pytest

MISSING = [name for name in ("chromium", "chromedriver", "npm") if shutil.which(name) is None]
IN_A_BROWSER = [
    pytest.mark.skipif(
        bool(MISSING) and "BREADCRUMB_CI" not in os.environ, reason=f"{', '.join(MISSING)} not installed"
    ),
    pytest.mark.xdist_group("pages"),  # one process makes the report and starts the browser
]
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
        self.go(path.resolve().as_uri() + fragment)

    def go(self, address: str) -> None:
        """Open an address, and wait until a replay that is there has what it shows."""
        self.driver.get(address)
        ready = "!document.getElementById('sea') || (window.breadcrumbReplay && breadcrumbReplay.loaded)"
        self.wait_for(ready)

    def wait_for(self, condition: str) -> None:
        """Wait until an expression of the page is true."""
        from selenium.webdriver.support.ui import WebDriverWait

        WebDriverWait(self.driver, 20).until(lambda driver: driver.execute_script(f"return Boolean({condition})"))

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

    def click_at(self, element: Any, share: float) -> None:
        """Click into an element, at a share of its width."""
        from selenium.webdriver.common.action_chains import ActionChains

        across = int(element.size["width"] * (share - 0.5))
        ActionChains(self.driver).move_to_element_with_offset(element, across, 0).click().perform()

    @contextmanager
    def narrow(self) -> Iterator[None]:
        """Show pages within on a screen of a phone's width."""
        size = {"width": 390, "height": 800, "deviceScaleFactor": 1, "mobile": True}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
        try:
            yield
        finally:
            self.driver.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})

    def requests(self) -> list[str]:
        """Return the addresses that the page asked for since it was opened, without its own data."""
        messages = [json.loads(entry["message"])["message"] for entry in self.driver.get_log("performance")]
        sent = [one["params"]["request"]["url"] for one in messages if one["method"] == "Network.requestWillBeSent"]
        return [url for url in sent if not url.startswith(("data:", "about:"))]

    def complaints(self) -> list[str]:
        """Return what was written to the console."""
        return [str(entry["message"]) for entry in self.driver.get_log("browser")]


def run_command(folder: Path, *args: str | Path) -> CompletedProcess[str]:
    """Run the command in a folder."""
    script = "from breadcrumb.cli import main; main()"
    return subprocess.run(
        [sys.executable, "-c", script, *map(str, args)], cwd=folder, capture_output=True, text=True, check=False
    )
