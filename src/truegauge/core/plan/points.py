"""How points are chosen: which have a deviation, and which belong to features. Lengths in mm, angles in rad."""

from pydantic import Field

from truegauge.core.frozen_model import Frozen


class Extraction(Frozen):
    """How points are chosen for features, mm and rad (see `core.features.extraction`).

    Points whose normal is turned from the surface's by more than `max_angle` are left out (None: any). A feature of
    which less than `low_coverage` (a share) has points is warned about.
    """

    reach: float = Field(default=0.6, gt=0)
    edge_margin: float = Field(default=0.4, ge=0)
    averaging: float = Field(default=2.5, ge=0)
    reject: float = Field(default=5.0, ge=0)
    max_angle: float | None = Field(default=None, gt=0, le=3.15)
    low_coverage: float = Field(default=0.4, ge=0, le=1)


class ShapeExtraction(Frozen):
    """How points are chosen for all features of a shape (`core.association.Shape`)."""

    shape: str
    extraction: Extraction


class PointLimits(Frozen):
    """Which points have a deviation: no farther than `max_distance` (mm; None: a share of the part's size).

    Points whose own normal is turned from the surface's by more than `max_angle` (rad; None: any) have none.
    """

    max_distance: float | None = Field(default=None, gt=0)
    max_angle: float | None = Field(default=None, gt=0, le=3.15)
