"""The checks of portable devices: kept device by device, on disk."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from typing import TYPE_CHECKING, Literal

from truegauge.core.device_checks.records import Check, CheckRecord, DeviceRecord
from truegauge.core.errors import FormatError
from truegauge.formats.device_record_file import read_device, write_device

if TYPE_CHECKING:
    from truegauge.app.document.session import Session
    from truegauge.app.stages.devices.portable.line import Line


class CheckBook:
    """Of all devices of a window."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._records: dict[str, DeviceRecord] = {}
        self.clock: Callable[[], datetime.datetime] = lambda: datetime.datetime.now(datetime.UTC)

    def record(self, line: Line) -> DeviceRecord:
        """Return what is known of a device's checks; a record that cannot be read is told, and begun anew in memory."""
        name = line.device.own_identity
        if name not in self._records:
            try:
                self._records[name] = read_device(name)
            except FormatError as error:
                self._session.notify(error)
                self._records[name] = DeviceRecord()
        return self._records[name]

    def due(self, line: Line) -> tuple[Check, ...]:
        """Return the checks of a device that are due."""
        now, record = self.clock(), self.record(line)
        return tuple(c for c in Check if record.is_due(c, now))

    def set_days(self, line: Line, check: Check, days: int) -> None:
        """Let a check be due again after so many days; 0: never."""
        record = self.record(line)
        self._keep(line, record.replace(due=record.due.replace(**{check.value: days})))

    def add(
        self, line: Line, check: Check, value: float, limit: float, words: str, unit: Literal["mm", "K"] = "mm"
    ) -> None:  # fmt: skip
        """Keep what a check has found, judged by a limit (0: nothing is stated)."""
        at = self.clock().isoformat(timespec="seconds")
        made = CheckRecord(check=check, at=at, value=round(value, 9), limit=round(limit, 9), unit=unit, words=words)
        self._keep(line, self.record(line).with_check(made))

    def _keep(self, line: Line, record: DeviceRecord) -> None:
        self._records[line.device.own_identity] = record
        try:
            write_device(line.device.own_identity, record)
        except FormatError as error:
            self._session.notify(error)
