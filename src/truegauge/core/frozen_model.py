"""The base of every document model: strict, unchangeable, without surprises."""

from typing import Any, Self

from pydantic import BaseModel, ConfigDict


class Frozen(BaseModel):
    """Base of every document model."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    def replace(self, **changes: Any) -> Self:
        """Return a validated copy with changes."""
        return type(self).model_validate({**{k: getattr(self, k) for k in type(self).model_fields}, **changes})
