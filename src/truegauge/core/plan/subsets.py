"""Saved choices of what is measured in a partial run."""

from typing import Annotated

from pydantic import Field

from truegauge.core.frozen_model import Frozen
from truegauge.core.references import Refers


class Subset(Frozen):
    """A choice by name: characteristics (ids), and features that are measured beside what those need."""

    name: str = Field(min_length=1, max_length=80)
    characteristics: Annotated[tuple[str, ...], Refers("characteristic", "shrinks")] = ()
    features: Annotated[tuple[str, ...], Refers("feature", "shrinks")] = ()
