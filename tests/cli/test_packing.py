import subprocess
from collections.abc import Callable
from pathlib import Path

from breadcrumb import open_trace
from breadcrumb.testing import differences

Cli = Callable[..., "subprocess.CompletedProcess[str]"]


def test_a_trace_is_packed_checked_and_unpacked(cli: Cli, tmp_path: Path, bay: Callable[..., Path]) -> None:
    """A zipped trace is shown and checked like its folder, by its name or its URL, and unpacks to the same."""
    assert cli("convert", bay(seconds=20), "night.crumbs.zip").returncode == 0
    shown = cli("show", "night.crumbs.zip")
    assert (shown.returncode, shown.stderr) == (0, "")
    assert cli("show", f"file://{tmp_path}/night.crumbs.zip").stdout == shown.stdout
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import Box\n"
        "from breadcrumb.checks import movement\n"
        "def check_it(trace):\n"
        "    assert movement.stays_inside(trace.one(id='heron'), Box((-1, -1), (1, 1)))\n"
    )
    done = cli("check", "check_it.py", tmp_path)
    assert done.returncode == 1
    assert (tmp_path / "night.figures" / "it--it--stays_inside--heron.png").exists()
    assert cli("convert", "night.crumbs.zip", "again.crumbs").returncode == 0
    assert differences(open_trace(bay(seconds=20)), open_trace(tmp_path / "again.crumbs")) == ()
    for words, said in {
        ("night.crumbs.zip", "again.crumbs"): "again.crumbs exists",
        ("again.crumbs", "s3://a/b.crumbs"): "not written to it",
        ("a.jsonl", "b.crumbs.zip"): "become a folder first",
        ("none.crumbs.zip", "b.crumbs"): "found nothing",
    }.items():
        done = cli("convert", *words)
        assert (done.returncode, said in done.stderr, done.stderr.count("\n")) == (2, True, 1), done.stderr
