"""The stand-in as a process of its own, started by the application; it ends with the one that started it."""

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from truegauge.core.errors import DeviceError


class StandInProcess:
    """A running stand-in: its port, that of its hands, and their token."""

    def __init__(self, plan: Path | None, *, seed: int = 1, pace: float = 1.0, faults: tuple[str, ...] = ()) -> None:
        command = [sys.executable, "-m", "truegauge.cli", "cmm-sim", "--port", "0", "--hands", "0", "--seed", str(seed),
                   "--pace", str(pace), "--until-closed"]  # fmt: skip
        if plan is not None:
            command += ["--part", str(plan)]
        for fault in faults:
            command += ["--fault", fault]
        self._said = tempfile.TemporaryFile("w+")  # noqa: SIM115 - a pipe that nobody reads would fill up
        self._process = subprocess.Popen(
            command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=self._said, text=True
        )  # fmt: skip
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        try:
            told = json.loads(line)
            self.port, self.hands, self.token = int(told["port"]), int(told["hands"]), str(told["token"])
        except (ValueError, KeyError, TypeError) as error:
            self._process.kill()
            self._process.wait()
            self._said.seek(0)
            said = self._said.read().strip().splitlines()
            raise DeviceError(f"the stand-in did not start: {said[-1] if said else 'it ended at once'}") from error

    def close(self) -> None:
        """End it."""
        if self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(5.0)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
        for stream in (self._process.stdin, self._process.stdout, self._said):
            if stream is not None:
                stream.close()
