"""Stand-ins as programs: they say their ports, then serve until they are stopped."""

import json
import signal
import sys
import threading
from collections.abc import Callable
from pathlib import Path

from truegauge.core.cad.model import CadModel
from truegauge.core.errors import DeviceError
from truegauge.core.plan.document import Plan
from truegauge.formats.plan_file import model_of_plan, read_plan


def plan_and_part(path: Path | None) -> tuple[Plan | None, CadModel | None, bytes | None]:
    """Return a plan, its part and the part's file, None where there is none (FormatError: it cannot be read)."""
    if path is None:
        return None, None, None
    file = read_plan(path)
    return file.plan, None if file.part is None else model_of_plan(path, file), file.part


def port_taken(which: str, error: OSError) -> DeviceError:
    """Return what is said where a port cannot be listened on."""
    return DeviceError(f"{which} cannot be used ({error.strerror}): another program listens there?")


def serve(
    says: dict[str, object], say: Callable[[str], None], *, until_closed: bool,
    on_line: Callable[[str], object] | None = None,
) -> None:  # fmt: skip
    """Say ports as a line of JSON, then wait until the program is stopped, or its input ends (`until_closed`).

    `on_line` is called with each line of the input; what it returns is said as a line of JSON.
    """
    say(json.dumps(says))
    sys.stdout.flush()
    ended = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: ended.set())

    def watch() -> None:
        while line := sys.stdin.readline():
            if on_line is not None and line.strip():
                say(json.dumps(on_line(line)))
                sys.stdout.flush()
        if until_closed:
            ended.set()

    if until_closed or on_line is not None:
        threading.Thread(target=watch, daemon=True).start()
    while not ended.wait(0.2):
        pass
