"""What is kept of the checks of a device: each with its date and limit; which are due."""

from __future__ import annotations

import datetime
from enum import StrEnum
from typing import Literal

from pydantic import Field, field_validator

from truegauge.core.frozen_model import Frozen


class Check(StrEnum):
    """What is checked."""

    SEAT = "seat"
    SPHERE = "sphere"
    DRIFT = "drift"
    PART = "part"
    SCANNER = "scanner"
    WARM = "warm"

    @property
    def called(self) -> str:
        """Its name."""
        return _TITLES[self]

    @property
    def short(self) -> str:
        """Its name on a button."""
        return _SHORT[self]

    @property
    def how(self) -> str:
        """What to do, in a sentence."""
        return _HOW[self]


_TITLES = {
    Check.SEAT: "One seat, several elbows",
    Check.SPHERE: "A known sphere",
    Check.DRIFT: "The device stands still",
    Check.PART: "The part is fixed",
    Check.SCANNER: "Scanner against probe",
    Check.WARM: "The device is warm",
}
_SHORT = {
    Check.SEAT: "One seat",
    Check.SPHERE: "Sphere",
    Check.DRIFT: "Device still",
    Check.PART: "Part fixed",
    Check.SCANNER: "Scanner, probe",
    Check.WARM: "Device warm",
}
_HOW = {
    Check.SEAT: "Put the tip into one seat (a hole or a cone) five times, each time with the elbow elsewhere.",
    Check.SPHERE: "Touch a sphere of known diameter nine times, all over.",
    Check.DRIFT: "Put the tip into the seat of a reference point again.",
    Check.PART: "Touch one place of the part now, and the same place again later.",
    Check.SCANNER: "Measure a plane or a sphere by touches and by a scan; then choose it here.",
    Check.WARM: "Connect a gauge of the device's temperature, and wait.",
}
NEEDED = {Check.SEAT: 5, Check.SPHERE: 9, Check.DRIFT: 1, Check.PART: 2}  # touches


class CheckRecord(Frozen):
    """One check: `value` is what is judged against `limit` (0: nothing is stated), in mm or kelvin; `at` is UTC."""

    check: Check = Field(strict=False)
    at: str = Field(max_length=40)  # ISO 8601, with its zone
    value: float
    limit: float = Field(ge=0)
    unit: Literal["mm", "K"] = "mm"
    words: str = Field(default="", max_length=400)

    @field_validator("at")
    @classmethod
    def _is_a_time(cls, at: str) -> str:
        if datetime.datetime.fromisoformat(at).tzinfo is None:
            raise ValueError("the time of a check has no zone")
        return at

    @property
    def verdict(self) -> Literal["within", "outside", ""]:
        """How it is judged; empty where nothing is stated to judge it by."""
        if self.limit <= 0:
            return ""
        return "within" if abs(self.value) <= self.limit else "outside"


class DueDays(Frozen):
    """After how many days each check is due again; 0: never."""

    seat: int = Field(default=1, ge=0, le=3650)
    sphere: int = Field(default=7, ge=0, le=3650)
    drift: int = Field(default=1, ge=0, le=3650)
    part: int = Field(default=1, ge=0, le=3650)
    scanner: int = Field(default=7, ge=0, le=3650)
    warm: int = Field(default=1, ge=0, le=3650)

    def of(self, check: Check) -> int:
        """Return the days of a check."""
        return int(getattr(self, check.value))


class DeviceRecord(Frozen):
    """What is known of the checks of one device, the latest last."""

    checks: tuple[CheckRecord, ...] = ()
    due: DueDays = DueDays()

    def last(self, check: Check) -> CheckRecord | None:
        """Return the latest of a kind."""
        return next((c for c in reversed(self.checks) if c.check == check), None)

    def due_on(self, check: Check) -> datetime.datetime | None:
        """Return when a check is due again (UTC); None: never, or it was not done yet."""
        last, days = self.last(check), self.due.of(check)
        if last is None or days == 0:
            return None
        return datetime.datetime.fromisoformat(last.at) + datetime.timedelta(days=days)

    def is_due(self, check: Check, now: datetime.datetime) -> bool:
        """Tell whether a check is due: not done yet, or too long ago. A clock that was set back makes it due too."""
        last, on = self.last(check), self.due_on(check)
        if self.due.of(check) == 0:
            return False
        return last is None or on is None or now >= on or now < datetime.datetime.fromisoformat(last.at)

    def with_check(self, made: CheckRecord, most: int = 500) -> DeviceRecord:
        """Return it with one more."""
        return self.replace(checks=(*self.checks, made)[-most:])
