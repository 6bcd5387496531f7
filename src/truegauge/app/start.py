"""The way into the window for commands: loads it, then runs it."""

import gc
from pathlib import Path


def run(files: list[Path], *, as_examples: bool = False) -> int:
    """Open the window with these files and stay until it is closed; plans that are examples are saved elsewhere."""
    # Nothing that is loaded now is garbage; from then on the window's own collector looks after it.
    gc.disable()
    from truegauge.app.main import run as run_window

    return run_window(files, as_examples=as_examples)
