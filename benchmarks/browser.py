"""A browser for the benchmarks of pages."""

import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

CAN_OPEN = bool(shutil.which("chromium") and shutil.which("chromedriver"))


@contextmanager
def browser() -> Iterator[Any]:
    """Give a headless Chromium of 1280 by 800 pixels."""
    from selenium import webdriver

    options = webdriver.ChromeOptions()
    options.binary_location = str(shutil.which("chromium"))
    for argument in ("--headless=new", "--no-sandbox", "--disable-gpu", "--window-size=1280,800"):
        options.add_argument(argument)
    driver = webdriver.Chrome(options, webdriver.ChromeService(shutil.which("chromedriver")))
    try:
        yield driver
    finally:
        driver.quit()


def opened(driver: Any, page: Path, fragment: str = "", ready: str = "true") -> float:
    """Open a page and return how many seconds pass until it is ready."""
    driver.get("about:blank")
    begin = time.perf_counter()
    driver.get(page.resolve().as_uri() + fragment)
    while not driver.execute_script(f"return Boolean({ready})"):
        time.sleep(0.01)
    return time.perf_counter() - begin
