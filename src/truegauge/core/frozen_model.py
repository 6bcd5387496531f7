"""The base of every document model: strict, unchangeable, without surprises."""

from typing import Any, Self

from pydantic import BaseModel, ConfigDict, model_validator

from truegauge.core.typed_number import within_reach

Three = tuple[float, float, float]  # a place or a direction in a document
Two = tuple[float, float]


class Frozen(BaseModel):
    """Base of every document model. Its numbers are finite and within what can be measured."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True, allow_inf_nan=False)

    def replace(self, **changes: Any) -> Self:
        """Return a validated copy with changes."""
        return type(self).model_validate({**{k: getattr(self, k) for k in type(self).model_fields}, **changes})

    @model_validator(mode="after")
    def _numbers_are_within_reach(self) -> Self:
        for name, value in self.__dict__.items():
            try:
                if type(value) is float:
                    within_reach(value)
                elif type(value) is tuple and value and type(value[0]) in (float, tuple):
                    _all_within_reach(value)
            except ValueError as error:
                raise ValueError(f"{name}: {error}") from None
        return self


def _all_within_reach(values: tuple[Any, ...]) -> None:
    for value in values:
        if type(value) is float:
            within_reach(value)
        elif type(value) is tuple:
            _all_within_reach(value)
