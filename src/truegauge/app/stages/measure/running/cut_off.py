"""Runs that were cut off: their journals, one for each machine."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING

from platformdirs import user_state_path

if TYPE_CHECKING:
    from truegauge.runs.journal import RunAbout
    from truegauge.runs.state import RunState


def journal_folder() -> Path:
    """Return where the journals of runs are kept until they are over."""
    return user_state_path("truegauge") / "runs"


def journal_of(machine: str) -> Path:
    """Return where the run on a machine is kept."""
    words = re.sub(r"[^A-Za-z0-9.]+", "-", machine).strip("-.")[:60] or "machine"
    return journal_folder() / f"{words}.tgrun"


def read_unfinished(path: Path) -> tuple[RunAbout, RunState] | None:
    """Return what a journal says; None where there is none (FormatError: it is damaged)."""
    from truegauge.runs.journal import Journal

    return Journal.read(path) if path.exists() else None
