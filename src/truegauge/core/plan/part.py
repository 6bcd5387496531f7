"""The part of a plan: its file, and what it is made of."""

from pydantic import Field, field_validator

from truegauge.core.frozen_model import Frozen


class PartReference(Frozen):
    """The CAD file that the plan was made on: its name, and the SHA-256 of its content."""

    file_name: str = Field(max_length=255)
    sha256: str

    @field_validator("file_name")
    @classmethod
    def _is_a_name(cls, value: str) -> str:
        if not value or value in (".", "..") or any(c in "/\\" or not c.isprintable() for c in value):
            raise ValueError(f"{value[:60]!r} is no plain name of a file")
        return value


class PartMaterial(Frozen):
    """What the part is made of, for its size at the reference temperature: expansion in 1/K."""

    name: str
    expansion: float = Field(ge=-1e-5, le=1e-3)
