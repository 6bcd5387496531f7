"""The check of a machine by its user: errors on a sphere and of lengths against what its maker states.

In the manner of ISO 10360-5:2020 (25 touches on a sphere: form and size) and ISO 10360-2:2009 (five lengths, three
times each, along one line instead of seven). Conformity is decided by ISO 14253-1 with the uncertainty of the
standards.
"""

from typing import Literal

import numpy as np
from pydantic import Field

from truegauge.core.frozen_model import Frozen
from truegauge.core.uncertainty.stated_errors import StatedErrors

SPHERE_TOUCHES = 25  # ISO 10360-5:2020, 6.3
LENGTHS, REPEATS = 5, 3  # ISO 10360-2:2009, 6.3
_COVERAGE = 2.0
# Standard uncertainties of how warm the standard is, K (where the machine tells it; where nobody does), and of how much
# it expands, as a share of that.
_KNOWN_K, _UNKNOWN_K, _EXPANSION = 0.05, 1.0, 0.1

Verdict = Literal["within", "outside", "undecided", ""]  # empty: nothing is stated


class LengthError(Frozen):
    """One measured length: what it is (mm, at 20 °C), and by how much it was measured too long, mm."""

    length: float
    error: float


class MachineCheck(Frozen):
    """A check as it is kept; lengths and errors in mm. None: that was not checked."""

    at: str
    operator: str = Field(default="", max_length=80)
    temperature_c: float | None = None
    stylus: str = ""
    sphere: str = ""
    form: float | None = None
    size: float | None = None
    sphere_uncertainty: float = 0.0  # standard uncertainty of the diameter
    gauge: str = ""
    gauge_uncertainty: float = 0.0  # standard uncertainty of a length
    gauge_expansion: float = 0.0
    lengths: tuple[LengthError, ...] = Field(default=(), max_length=500)
    stated: StatedErrors = StatedErrors()

    def worst(self) -> LengthError | None:
        """Return the length that is worst against what is stated; without that the one with the largest error."""
        if not self.lengths:
            return None
        return max(self.lengths, key=lambda e: abs(e.error) / (self.allowed(e.length) or 1.0))

    def allowed(self, length: float) -> float:
        """Return the error that is stated for a length, mm; 0 where nothing is."""
        return self.stated.constant + length / 1000 * self.stated.per_metre

    def uncertainty(self, length: float) -> float:
        """Return the expanded uncertainty (k = 2) of the error of a length, mm."""
        warm = self.temperature_c
        kelvin = _UNKNOWN_K if warm is None else float(np.hypot(_KNOWN_K, _EXPANSION * (warm - 20.0)))
        return float(_COVERAGE * np.hypot(self.gauge_uncertainty, length * self.gauge_expansion * kelvin))

    def share(self) -> float | None:
        """Return the largest error as a share of what is stated; None where nothing is stated or measured."""
        shares = [abs(e.error) / limit for e in self.lengths if (limit := self.allowed(e.length)) > 0]
        if self.stated.probing > 0:
            shares += [abs(v) / self.stated.probing for v in (self.form, self.size) if v is not None]
        return max(shares, default=None)

    @property
    def of_form(self) -> Verdict:
        """Whether the form error on the sphere is within what is stated."""
        return "" if self.form is None else _decided(self.form, self.stated.probing, 0.0)

    @property
    def of_size(self) -> Verdict:
        """Whether the size error is."""
        return (
            "" if self.size is None else _decided(self.size, self.stated.probing, _COVERAGE * self.sphere_uncertainty)
        )

    @property
    def of_lengths(self) -> Verdict:
        """Whether the errors of all lengths are: outside as soon as one is."""
        each = [_decided(e.error, self.allowed(e.length), self.uncertainty(e.length)) for e in self.lengths]
        return next((v for v in ("outside", "undecided", "within") if v in each), "")

    @property
    def verdict(self) -> Verdict:
        """All of it together."""
        each = (self.of_form, self.of_size, self.of_lengths)
        return next((v for v in ("outside", "undecided", "within") if v in each), "")


def _decided(error: float, allowed: float, uncertainty: float) -> Verdict:
    """Decide by ISO 14253-1: what the uncertainty leaves open is undecided."""
    if allowed <= 0:
        return ""
    if abs(error) <= allowed - uncertainty:
        return "within"
    return "outside" if abs(error) > allowed + uncertainty else "undecided"


def said(check: MachineCheck) -> str:
    """Say a check in a line, lengths in mm, for reports."""
    parts = [f"machine checked on {check.at.replace('T', ' at ')[:19]}"]
    if check.form is not None:
        parts.append(f"form error on a sphere {check.form:.4f} mm")
    worst = check.worst()
    if worst is not None:
        limit = check.allowed(worst.length)
        parts.append(f"largest error of a length {worst.error:+.4f} mm in {worst.length:.0f} mm"
                     + (f" (stated {limit:.4f})" if limit > 0 else ""))  # fmt: skip
    words = {"within": "within what its maker states", "outside": "OUTSIDE of what its maker states",
             "undecided": "undecided", "": "nothing is stated"}  # fmt: skip
    return ", ".join(parts) + f": {words[check.verdict]}"
