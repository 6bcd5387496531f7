"""What is known of a camera: how it was calibrated, by what, when, and until when that holds. A frozen model."""

import datetime
from typing import Literal, Self

import numpy as np
from pydantic import Field, field_validator, model_validator

from truegauge.core.frozen_model import Frozen, Two
from truegauge.core.silhouette.calibrating import Calibration
from truegauge.core.silhouette.lens import Lens

_LEAST_SIDE = 1e-5  # mm of a pixel


def due_date(text: str) -> str:
    """Return a date that somebody typed, as it is kept; empty for none.

    Raises
    ------
    ValueError
        It is no date, in words.
    """
    plain = text.strip()
    if not plain:
        return ""
    try:
        return datetime.date.fromisoformat(plain).isoformat()
    except ValueError:
        raise ValueError(f"{plain!r} is no date: type it as 2027-06-30") from None


class LensRecord(Frozen):
    """A calibrated camera: its lens (`core.silhouette.lens`), pictures of `shape` (rows, columns) and no others.

    `scale_u` is the relative standard uncertainty of lengths, `left` px rms what residuals were. Times are ISO 8601
    with their zone; `due_at` empty: never.
    """

    camera: str = Field(default="", max_length=300)
    shape: tuple[int, int]
    center: Two
    matrix: tuple[float, float, float, float]
    distortion: float = 0.0
    center_at: Two = (0.0, 0.0)
    blur: float = Field(gt=0, le=50)
    scale_u: float = Field(default=0.0, ge=0, le=1)
    left: float = Field(default=0.0, ge=0)
    by: Literal["plate", "pins", "given"] = "given"
    notes: tuple[str, ...] = ()
    made_at: str = Field(default="", max_length=40)
    due_at: str = Field(default="", max_length=40)

    @field_validator("made_at", "due_at")
    @classmethod
    def _is_a_time(cls, value: str) -> str:
        if value:
            datetime.datetime.fromisoformat(value)
        return value

    @model_validator(mode="after")
    def _has_a_size(self) -> Self:
        a, b, c, d = self.matrix
        if abs(a * d - b * c) < _LEAST_SIDE**2:
            raise ValueError("a pixel of no size: the camera is not calibrated")
        if min(self.shape) < 1:
            raise ValueError("pictures of no size")
        return self

    @classmethod
    def of(
        cls, found: Calibration, shape: tuple[int, int], *, camera: str = "", made_at: str = "", due_at: str = ""
    ) -> Self:  # fmt: skip
        """Return the record of a calibration."""
        lens = found.lens
        (a, b), (c, d) = lens.matrix.tolist()
        x, y = lens.center.tolist()
        at = tuple(lens.center_at.tolist())
        return cls.model_validate({
            "camera": camera, "shape": (int(shape[0]), int(shape[1])), "center": (x, y), "matrix": (a, b, c, d),
            "distortion": float(lens.distortion), "center_at": at,
            "blur": float(lens.blur), "scale_u": float(found.scale_u),
            "left": float(found.left), "by": found.by, "notes": found.notes, "made_at": made_at, "due_at": due_at,
        })  # fmt: skip

    @property
    def calibration(self) -> Calibration:
        """What sizes are measured by."""
        a, b, c, d = self.matrix
        lens = Lens(
            np.array(self.center), np.array([[a, b], [c, d]]), self.distortion, self.blur, np.array(self.center_at)
        )
        return Calibration(lens, self.scale_u, self.left, self.by, self.notes)

    @property
    def optics(self) -> tuple[object, ...]:
        """What values depend on."""
        return (self.shape, self.center, self.matrix, self.distortion, self.center_at, self.blur, self.scale_u)


class PinCheck(Frozen):
    """A pin that was looked at to see whether the calibration still holds: mm, when, how far off it may be."""

    diameter: float = Field(gt=0, le=5000)
    measured: float = Field(gt=0, le=5000)
    limit: float = Field(gt=0, le=10)
    made_at: str = Field(default="", max_length=40)

    @property
    def deviation(self) -> float:
        """Measured less known, mm."""
        return self.measured - self.diameter

    @property
    def holds(self) -> bool:
        """Whether it is within its limit."""
        return abs(self.deviation) <= self.limit


class CameraRecord(Frozen):
    """What is kept of a camera: its calibration, those before, and checks on pins since."""

    lens: LensRecord | None = None
    before: tuple[LensRecord, ...] = Field(default=(), max_length=50)
    checks: tuple[PinCheck, ...] = Field(default=(), max_length=200)

    def calibrated(self, lens: LensRecord) -> Self:
        """Return the record with another calibration in force."""
        earlier = self.before if self.lens is None else (self.lens, *self.before)[:50]
        return self.replace(lens=lens, before=earlier, checks=())

    def checked(self, check: PinCheck) -> Self:
        """Return the record with one check more."""
        return self.replace(checks=(*self.checks, check)[-200:])

    def trouble(self, now: str) -> str:
        """Return in words why nothing may be measured with it at a time (ISO 8601), empty where all is well."""
        if self.lens is None:
            return "the camera is not calibrated: nothing is measured in mm before it is"
        if self.lens.due_at and self.lens.due_at <= now[: len(self.lens.due_at)]:
            return f"the calibration of the camera was due on {self.lens.due_at}"
        if self.checks and not self.checks[-1].holds:
            off = 1000 * self.checks[-1].deviation
            return f"the last check on a pin was {off:+.1f} µm off: calibrate the camera again"
        return ""
