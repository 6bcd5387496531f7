"""What the maker of a device states as its largest errors (ISO 10360), as standard uncertainties (ISO 14253-2)."""

from math import sqrt

from pydantic import Field

from truegauge.core.frozen_model import Frozen

_EVEN = sqrt(3)  # a stated limit is taken as the half width of an even distribution


class StatedErrors(Frozen):
    """Largest permissible errors: `probing` of form and size on a sphere (mm), of lengths `constant` + L x `per_metre`.

    All zero: nothing is stated, and only what the points say counts.
    """

    name: str = ""
    probing: float = Field(default=0.0, ge=0, le=10)
    constant: float = Field(default=0.0, ge=0, le=10)
    per_metre: float = Field(default=0.0, ge=0, le=10)

    @property
    def stated(self) -> bool:
        """Whether anything is stated."""
        return self.probing > 0 or self.constant > 0 or self.per_metre > 0

    def of_length(self, length: float) -> float:
        """Return the standard uncertainty (mm) of a length (mm) for the errors of length."""
        return (self.constant + abs(length) / 1000 * self.per_metre) / _EVEN

    @property
    def of_probing(self) -> float:
        """Return the standard uncertainty (mm) of one probed place."""
        return self.probing / _EVEN

    @property
    def of_scale(self) -> float:
        """Return the standard uncertainty of the scale, without unit."""
        return self.per_metre / 1000 / _EVEN
