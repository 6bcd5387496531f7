"""The features of a plan: faces of the part, and what is built from features."""

from typing import Annotated, Literal

from pydantic import Field

from truegauge.core.frozen_model import Frozen
from truegauge.core.plan.points import Extraction
from truegauge.core.references import Refers

# "by_use": size by least squares, form by the minimum zone, datums outside the material.
CriterionName = Literal[
    "by_use", "least_squares", "minimum_zone", "minimum_circumscribed", "maximum_inscribed", "one_sided"
]
# What can be selected: the faces of a feature of the part, or the id of a constructed feature.
Group = tuple[int, ...] | str


class FormFilterSetting(Frozen):
    """The filter before form is read: cut-off in undulations per revolution and in mm (see `core.filters`)."""

    kind: Literal["none", "gaussian", "robust_gaussian"] = "none"
    upr: float | None = Field(default=50.0, gt=0)
    cutoff: float | None = Field(default=2.5, gt=0)


class NominalFeature(Frozen):
    """A feature of the part: the faces (indices in the CAD model) that it consists of, and how it is associated.

    With an `extraction` of its own its points are chosen by that.
    """

    id: str
    name: str
    faces: Annotated[tuple[int, ...], Refers("face", "lost")] = Field(min_length=1)
    criterion: CriterionName = "by_use"
    form_filter: FormFilterSetting = FormFilterSetting()
    extraction: Extraction | None = None

    @property
    def group(self) -> Group:
        """What selecting it selects."""
        return self.faces


class ConstructedFeature(Frozen):
    """A feature built from others (`members`, by id); `values` in mm are what the construction asks for."""

    id: str
    name: str
    construction: str
    members: Annotated[tuple[str, ...], Refers("feature", "goes")] = Field(min_length=1)
    values: tuple[float, ...] = ()

    @property
    def group(self) -> Group:
        """What selecting it selects."""
        return self.id
