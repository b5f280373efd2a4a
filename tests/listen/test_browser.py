"""The sender for JavaScript on a page in a real browser."""

import functools
import http.server
import os
import shutil
import subprocess
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from breadcrumb.testing import assert_sent, script_as_json

HERE = Path(__file__).parent
SENDER = HERE.parents[1] / "clients" / "javascript" / "breadcrumb-sender.js"
BROWSER = shutil.which("chromium")
ALONE = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
pytestmark = pytest.mark.skipif(BROWSER is None and "BREADCRUMB_CI" not in os.environ, reason="no Chromium installed")


class _Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *words: Any) -> None:
        """Say nothing of what was asked for."""


@pytest.fixture
def page(tmp_path: Path) -> Iterator[str]:
    """The address of a page that plays the script through the sender."""
    site = tmp_path / "site"
    site.mkdir()
    shutil.copy(HERE / "send.html", site)
    shutil.copy(SENDER, site)
    (site / "script.jsonl").write_text(script_as_json(), "utf8")
    handler = functools.partial(_Quiet, directory=site)
    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler) as server:
        threading.Thread(target=server.serve_forever).start()
        yield f"http://127.0.0.1:{server.server_port}/send.html"
        server.shutdown()


@pytest.fixture
def browse(tmp_path: Path) -> Iterator[Callable[[str], None]]:
    """Open a page in a browser, which is closed at the end."""
    opened: list[subprocess.Popen[bytes]] = []

    def open_page(address: str) -> None:
        profile = f"--user-data-dir={tmp_path / 'profile'}"
        # a port of its own for tools keeps a headless browser from leaving once the page is loaded
        command = [str(BROWSER), *ALONE, profile, "--remote-debugging-port=0", address]
        opened.append(subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))

    yield open_page
    for one in opened:
        one.kill()
        one.wait()


@pytest.mark.parametrize("late", [0.0, 4.0], ids=["in time", "late"])
def test_a_page_sends_every_value(
    late: float, page: str, browse: Callable[[str], None], listen: Callable[..., Any], free_port: int
) -> None:
    """Over a WebSocket the script becomes the trace that it means, bit for bit, whether or not anybody hears it at once."""
    if late:
        browse(f"{page}?port={free_port}")
        time.sleep(late)
    listening = listen("--port", str(free_port))
    if not late:
        browse(f"{page}?port={free_port}")
    assert_sent(listening.trace("Lantern-Bay-1.crumbs"))
