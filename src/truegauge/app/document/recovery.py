"""Keeping unsaved work beside the user's files, so that a killed process loses seconds of work, not hours.

Each session has a folder of its own, locked while it lives. `about.json` names the files that belong together; it is
replaced whole after they are written, and what it does not name any more is deleted after that: at no moment is there
half a copy.
"""

import datetime
import json
import logging
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from platformdirs import user_state_path
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.document import Document
from truegauge.app.document.jobs import background_thread
from truegauge.app.document.opened import Kept
from truegauge.core.errors import FormatError, TrueGaugeError
from truegauge.core.plan.document import Plan
from truegauge.core.samples.document import SampleData
from truegauge.core.samples.sample import Sample
from truegauge.formats.files import Content, Stamp, write_whole
from truegauge.formats.owned_folder import OwnedFolder, make_owned, take_abandoned
from truegauge.formats.plan_file import write_plan
from truegauge.formats.sample_file import write_sample

log = logging.getLogger(__name__)
_DELAY_MS = 2000
_ABOUT = "about.json"


def recovery_folder() -> Path:
    """Return where unsaved work is kept."""
    return user_state_path("truegauge") / "unsaved"


@dataclass(frozen=True, slots=True)
class Recovered:
    """Unsaved work of a session that is gone; nobody else can take it while this is held."""

    folder: OwnedFolder
    work: Kept
    kept_at: datetime.datetime


def find_recovered(folder: Path) -> list[Recovered]:
    """Return the unsaved work of sessions that are gone, the newest first."""
    found = []
    for own in take_abandoned(folder):
        if not (own.path / _ABOUT).exists():  # ended before there was anything
            own.remove()
            continue
        try:
            found.append(_recovered(own))
        except (OSError, ValueError, KeyError, TypeError, RecursionError):
            log.warning("%s holds unsaved work that cannot be read; it is left there", own.path, exc_info=True)
            own.release()
    return sorted(found, key=lambda r: r.kept_at, reverse=True)


def _recovered(own: OwnedFolder) -> Recovered:
    path = own.path
    about: dict[str, Any] = json.loads((path / _ABOUT).read_bytes())
    data = SampleData.model_validate_json(json.dumps(about["sample_data"])) if about["sample_data"] else None
    stamp = Stamp(*about["stamp"]) if about["stamp"] else None
    work = Kept(
        path / about["plan"], path / about["sample"] if about["sample"] else None, data,
        Path(about["plan_path"]) if about["plan_path"] else None, stamp,
        bool(about["plan_is_saved"]), bool(about["sample_is_saved"]), str(about["name"]),
        {str(name): (str(series), int(number)) for name, (series, number) in about.get("devices", {}).items()},
    )  # fmt: skip
    return Recovered(own, work, datetime.datetime.fromtimestamp((path / _ABOUT).stat().st_mtime))


@dataclass(frozen=True, slots=True, eq=False)
class _Work:
    """What is to be kept, as it is at one moment."""

    plan: Plan
    part: bytes | None
    plan_path: Path | None
    stamp: Stamp | None
    sample: Sample | None
    contents: tuple[Content, ...]
    plan_is_saved: bool
    sample_is_saved: bool
    devices: dict[str, tuple[str, int]]


class Keeper(QObject):
    """Writes what is not saved shortly after each edit, on a thread of its own: the window never waits for a disk."""

    _failed = Signal(str)

    def __init__(self, document: Document, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._parent_folder = document, folder
        self._own: OwnedFolder | None = None  # the session's folder, once there is something to keep
        self._number = 0
        self._plan_kept: tuple[Plan, str] | None = None
        self._sample_kept: tuple[str, str] = ("", "")
        self._said, self._is_closed = "", False
        self._thread = background_thread("keeper")
        self._last: Future[bool] | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self.keep)
        self._failed.connect(self._on_failed)
        document.keeper = self.keep
        document.plan_changed.connect(self._soon)
        document.sample_changed.connect(self._soon)
        document.sample_data_changed.connect(self._soon)

    def _soon(self) -> None:
        if not self._is_closed and not self._timer.isActive():  # edits that keep coming must not put it off
            self._timer.start()

    def keep(self, then: Callable[[], None] | None = None) -> None:
        """Write now, in the background; `then` is called on that thread once it is written, not if it fails.

        Where all is in the user's files, `then` is called at once.
        """
        s = self._document
        if self._is_closed:
            return
        if s.history.is_saved and s.sample_is_saved:
            self.discard()
            if then is not None:
                then()
            return
        if self._last is not None and not self._last.done() and then is None:
            self._soon()  # the disk is slow: no queue of copies
            return
        work = _Work(
            s.plan, s.part_content, s.plan_path, s.plan_stamp, s.sample, s.sample_contents, s.history.is_saved,
            s.sample_is_saved, dict(s.devices),
        )  # fmt: skip
        self._last = self._thread.submit(self._write, work, then or _nothing)

    def _write(self, work: _Work, then: Callable[[], None]) -> bool:
        try:
            own = self._folder()
            self._number += 1
            if self._plan_kept is None or self._plan_kept[0] is not work.plan:
                name = f"plan-{self._number}.tgplan"
                write_plan(own / name, work.plan, work.part)
                self._plan_kept = (work.plan, name)
            sample, data = work.sample, None
            if sample is not None and not sample.pictures:  # what a camera sees is there again
                data = sample.data.model_dump(mode="json")
            key = sample.scans_key if sample is not None and len(work.contents) else ""
            if key != self._sample_kept[0]:
                name = f"sample-{self._number}.tgsample" if key else ""
                if key and sample is not None:
                    write_sample(own / name, sample, work.contents)
                self._sample_kept = (key, name)
            stamp = work.stamp
            about = {
                "plan": self._plan_kept[1], "sample": self._sample_kept[1], "sample_data": data,
                "plan_path": str(work.plan_path or ""), "name": work.plan.name,
                "stamp": [stamp.size, stamp.modified_ns, stamp.content] if stamp is not None else None,
                "plan_is_saved": work.plan_is_saved, "sample_is_saved": work.sample_is_saved,
                "devices": work.devices,
            }  # fmt: skip
            write_whole(own / _ABOUT, json.dumps(about).encode())
            for path in own.iterdir():
                if path.name not in (_ABOUT, self._plan_kept[1], self._sample_kept[1]) and path.name[0] != ".":
                    path.unlink(missing_ok=True)
        except (TrueGaugeError, OSError, ValueError) as error:
            self._failed.emit(error.reason if isinstance(error, FormatError) else str(error))
            return False
        self._said = ""
        then()
        return True

    def _folder(self) -> Path:
        """Return the session's folder, made anew where somebody has deleted it."""
        if self._own is None or not self._own.path.is_dir():
            self._forget()
            self._own = make_owned(self._parent_folder, f"{datetime.datetime.now():%Y%m%d-%H%M%S}-")
        return self._own.path

    def _forget(self) -> None:
        if self._own is not None:
            self._own.release()
        self._own = self._plan_kept = None
        self._sample_kept = ("", "")

    def _on_failed(self, reason: str) -> None:
        if reason != self._said:  # once, not every two seconds
            self._said = reason
            self._document.notify(f"your unsaved work cannot be kept safe ({reason}); save the plan soon")

    def discard(self) -> None:
        """Forget what was kept: it is saved, or the user let it go."""
        self._timer.stop()

        def remove() -> bool:
            if self._own is not None:
                self._own.remove()
                self._own = None
            self._forget()
            return True

        self._last = self._thread.submit(remove)

    def wait(self) -> bool:
        """Wait until what was begun is written; False where that failed."""
        return self._last is None or self._last.result()

    def close(self) -> None:
        """End; what is kept stays for the next start."""
        self._is_closed = True
        self._timer.stop()
        self._thread.shutdown(wait=True)
        if self._own is not None:
            self._own.release()
            self._own = None


def _nothing() -> None:
    """Nothing is to be done after it."""
