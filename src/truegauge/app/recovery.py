"""Keeping the unsaved plan beside the user's files, so that a killed process loses seconds of work, not hours."""

import contextlib
import json
import os
from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer

from truegauge.app.session import Session
from truegauge.core.errors import FormatError
from truegauge.core.plan.sample import SampleData
from truegauge.formats.plan_file import write_plan
from truegauge.formats.sample_file import write_sample

_DELAY_MS = 2000


def recovery_folder() -> Path:
    """Return where unsaved work is kept."""
    return user_state_path("truegauge") / "unsaved"


@dataclass(frozen=True, slots=True)
class Recovered:
    """Unsaved work of a process that is gone."""

    plan: Path
    sample: Path | None
    plan_path: Path | None
    sample_data: SampleData | None = None  # touches and temperatures, newer than the sample's file

    def discard(self) -> None:
        """Delete it."""
        for path in (self.plan, self.sample, self.plan.with_suffix(".json")):
            if path is not None:
                path.unlink(missing_ok=True)


def find_recovered(folder: Path) -> Recovered | None:
    """Return the newest unsaved work whose process is gone."""
    if not folder.is_dir():
        return None
    for plan in sorted(folder.glob("*.tgplan"), key=lambda p: p.stat().st_mtime, reverse=True):
        if plan.stem.isdigit() and _alive(int(plan.stem)):
            continue
        sample = plan.with_suffix(".tgsample")
        origin, data = None, None
        with contextlib.suppress(OSError, ValueError):
            beside = json.loads(plan.with_suffix(".json").read_text())
            origin = beside.get("plan_path")
            data = SampleData.model_validate_json(json.dumps(beside["sample"])) if beside.get("sample") else None
        return Recovered(plan, sample if sample.exists() else None, Path(origin) if origin else None, data)
    return None


def _alive(pid: int) -> bool:
    if pid == os.getpid():
        return True
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    try:  # the number may belong to another program by now
        return b"truegauge" in Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return True


class Keeper(QObject):
    """Writes the plan shortly after each edit while it is not saved, and the sample once."""

    def __init__(self, session: Session, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session, self._folder = session, folder
        self._plan = folder / f"{os.getpid()}.tgplan"
        self._kept_sample = ""
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self.keep)
        session.plan_changed.connect(self._soon)
        session.sample_changed.connect(self._soon)
        session.sample_data_changed.connect(self._soon)

    def _soon(self) -> None:
        if not self._timer.isActive():  # edits that keep coming must not put it off
            self._timer.start()

    def keep(self) -> None:
        """Write now."""
        s = self._session
        if s.history.is_saved and s.sample_is_saved:
            self.discard()
            return
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            write_plan(self._plan, s.plan, s.part_content)
            data = s.sample.data.model_dump(mode="json") if s.sample is not None else None
            beside = {"plan_path": str(s.plan_path or ""), "sample": data}
            self._plan.with_suffix(".json").write_text(json.dumps(beside))
            if s.sample is not None and s.sample.key != self._kept_sample:
                write_sample(self._plan.with_suffix(".tgsample"), s.sample, s.sample_contents)
                self._kept_sample = s.sample.key
        except (FormatError, OSError) as error:
            s.notify(f"your unsaved work cannot be kept safe ({error}); save the plan soon")

    def discard(self) -> None:
        """Forget what was kept: it is saved, or the user closed the window."""
        self._timer.stop()
        self._kept_sample = ""
        Recovered(self._plan, self._plan.with_suffix(".tgsample"), None).discard()
