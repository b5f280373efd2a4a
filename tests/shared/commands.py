"""Running the command as a process that a server forks, which has loaded what it needs: each call takes less time."""

import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path

SERVER = """
import json, os, signal, sys, traceback
import numpy, pandas, pyarrow.parquet, rich.table, matplotlib.figure
from breadcrumb.cli import main
from breadcrumb.report import reporting
from breadcrumb.run import running

def run(call):
    os.chdir(call["cwd"])
    for name, flags, fd in (("in", os.O_RDONLY, 0), ("out", os.O_WRONLY, 1), ("err", os.O_WRONLY, 2)):
        os.dup2(os.open(call[name], flags), fd)
    sys.stdin, sys.stdout, sys.stderr = (open(fd, mode, closefd=False) for fd, mode in ((0, "r"), (1, "w"), (2, "w")))
    sys.argv = ["breadcrumb", *call["words"]]
    signal.setitimer(signal.ITIMER_REAL, call["timeout"])
    try:
        main(prog_name="breadcrumb")
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else 0 if end.code is None else 1
    except BaseException:
        traceback.print_exc()
        code = 1
    else:
        code = 0
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(code)

answers = os.fdopen(os.dup(1), "w")
os.dup2(2, 1)
for line in sys.stdin:
    pid = os.fork()
    if not pid:
        run(json.loads(line))
    answers.write(f"{os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1])}\\n")
    answers.flush()
"""


class Commands:
    """A process that forks another one for each command."""

    def __init__(self) -> None:
        self._server = subprocess.Popen(
            [sys.executable, "-c", SERVER], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )

    def run(self, words: list[str], cwd: Path, timeout: int) -> "subprocess.CompletedProcess[str]":
        """Run the command with these words in a folder, without input; return what it said and its exit code."""
        with tempfile.TemporaryDirectory() as folder:
            out, err = Path(folder) / "out", Path(folder) / "err"
            out.touch()
            err.touch()
            call = {"words": words, "cwd": str(cwd), "in": os.devnull, "out": str(out), "err": str(err)}
            assert self._server.stdin is not None
            assert self._server.stdout is not None
            self._server.stdin.write(json.dumps({**call, "timeout": timeout}) + "\n")
            self._server.stdin.flush()
            code = int(self._server.stdout.readline())
            return subprocess.CompletedProcess(words, code, out.read_text(), err.read_text())

    def close(self) -> None:
        """End the server."""
        self._server.communicate()
