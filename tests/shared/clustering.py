"""A cluster of processes on this machine, to check sessions on."""

import contextlib
import socket
import subprocess
import sys
from pathlib import Path


class Cluster:
    """A scheduler and two workers, each a process of its own, in a folder that knows nothing of the check files."""

    def __init__(self, folder: Path) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.address = f"tcp://127.0.0.1:{free.getsockname()[1]}"
        self._folder, self._started = folder, list[subprocess.Popen[bytes]]()
        self._start("scheduler", "--port", self.address.rpartition(":")[2])
        self.workers = [self.start_worker(), self.start_worker()]

    def start_worker(self) -> "subprocess.Popen[bytes]":
        """Start one more worker."""
        return self._start("worker", self.address, "--nthreads", "1", "--no-nanny")

    def _start(self, *words: str) -> "subprocess.Popen[bytes]":
        script = f"from distributed.cli.dask_{words[0]} import main; main()"
        command = [sys.executable, "-c", script, *words[1:], "--no-dashboard"]
        process = subprocess.Popen(command, cwd=self._folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self._started.append(process)
        return process

    def close(self) -> None:
        """End all processes."""
        for one in self._started:
            with contextlib.suppress(ProcessLookupError):
                one.kill()
            one.wait()
