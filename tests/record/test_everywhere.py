"""Recording, opening and checking need nothing that only POSIX has."""

import subprocess
import sys
from pathlib import Path

SCRIPT = """
import os, signal, sys
for name in ("writev", "fdatasync", "register_at_fork", "fork", "getuid", "geteuid", "mkfifo", "kill", "O_NONBLOCK",
             "pread", "statvfs", "getpgid", "setsid", "fchmod", "fchown", "chown"):
    if hasattr(os, name):
        delattr(os, name)
for name in ("SIGALRM", "SIGKILL", "SIGHUP", "SIGUSR1", "setitimer", "pthread_sigmask"):
    if hasattr(signal, name):
        delattr(signal, name)

class NotThere:
    def find_spec(self, name, path=None, target=None):
        if name in ("fcntl", "resource", "pwd", "grp", "termios"):
            raise ModuleNotFoundError(f"No module named {name!r}", name=name)

sys.meta_path.insert(0, NotThere())
for name in ("fcntl", "resource", "pwd", "grp", "termios"):
    sys.modules.pop(name, None)
from types import SimpleNamespace
from breadcrumb import Recorder, open_trace
from breadcrumb.cli import main
boat = SimpleNamespace(x=0.0)
many = [SimpleNamespace(x=float(n)) for n in range(10_000)]
with Recorder("a.crumbs") as rec:
    rec.watch(boat, id="heron", kind="skiff", x="x")
    rec.watch_each(lambda: many, kind="drop", x="x")
    for boat.x in range(5):
        rec.frame(boat.x)
        if boat.x == 3:
            rec.continue_in("b.crumbs")
with Recorder("b.crumbs", overwrite=True) as rec:
    rec.frame(0)
assert open_trace("a.crumbs").one("skiff").x.values.tolist() == [0, 1, 2, 3]
assert "fcntl" not in sys.modules
main(["check", "check_it.py", "a.crumbs", "--report", "page"])
"""


def test_recorder_opening_and_check_work_without_what_only_posix_has(tmp_path: Path) -> None:
    """With calls, signals and modules taken away that Windows does not have, a session is recorded, opened and checked."""
    (tmp_path / "check_it.py").write_text(
        "from breadcrumb import judge\n\ndef check_it(trace):\n    assert judge(trace.all('skiff').x < 4, 'near')\n"
    )
    done = subprocess.run([sys.executable, "-c", SCRIPT], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, ""), done.stderr
    assert "1 check on 1 session: 1 held" in done.stdout
