"""The alignments of a plan: frozen models. Lengths in mm, angles in rad.

Each may start from another one (`base`) and is kept beside it; one is in force. `offset` and `turns` place the frame
that its coordinates are reported in (see `core.datums.named_frame`).
"""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field, field_validator

from truegauge.core.datums.named_frame import AxisName
from truegauge.core.frames import as_rigid
from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.references import Refers

FIRST_ALIGNMENT = "a1"
Faces = tuple[int, ...]
ZERO: Three = (0.0, 0.0, 0.0)


class AlignmentBase(Frozen):
    """What all alignments have."""

    id: str = FIRST_ALIGNMENT
    name: str = ""
    base: str = ""
    offset: Three = ZERO
    turns: Three = ZERO


class FaceWeight(Frozen):
    """How much the squares of the distances to some faces count in a best fit."""

    faces: Annotated[Faces, Refers("face", "goes")] = Field(min_length=1)
    weight: float = Field(ge=0, le=1000)


class BestFitAlignment(AlignmentBase):
    """Best fit on the surfaces; from any pose, or from its base.

    Points beyond `trim` robust scales are not used. With `faces` only these count; `locked` freedoms (shifts along
    x, y, z, turns about x, y, z) stay as in the base.
    """

    kind: Literal["best_fit"] = "best_fit"
    name: str = "Best fit"
    trim: float = Field(default=3.0, gt=0.5, le=20)
    faces: Annotated[Faces, Refers("face", "shrinks")] = ()
    weights: tuple[FaceWeight, ...] = ()
    locked: tuple[bool, bool, bool, bool, bool, bool] = (False,) * 6
    criterion: Literal["least_squares", "largest", "within"] = "least_squares"
    tolerance: float = Field(default=0.05, gt=0)
    candidate: int = Field(default=0, ge=0)


class AlignmentDatum(Frozen):
    """A feature in an alignment by datums; `axis` names where its direction points in the reported frame."""

    feature: Annotated[str, Refers("feature", "goes")]
    axis: AxisName | None = None


class DatumAlignment(AlignmentBase):
    """Alignment by datums in their order."""

    kind: Literal["datums"] = "datums"
    datums: tuple[AlignmentDatum, ...] = ()


class ReferencePlace(Frozen):
    """A reference point: a place on the part and the directions that it holds (letters of x, y, z, n for its normal).

    With a `feature` the place is that of the feature (a hole's centre).
    """

    name: str
    place: Three = ZERO
    normal: Three = (0.0, 0.0, 1.0)
    held: str = "n"
    feature: Annotated[str, Refers("feature", "goes")] = ""


class ReferencePointAlignment(AlignmentBase):
    """Alignment by reference points; measured within `radius` mm of each."""

    kind: Literal["reference_points"] = "reference_points"
    points: tuple[ReferencePlace, ...] = ()
    radius: float = Field(default=1.5, gt=0, le=50)


class MatchedPlace(Frozen):
    """A nominal point with its weights along x, y and z; measured as a feature, or as a touch of its name."""

    name: str
    place: Three = ZERO
    weights: Three = (1.0, 1.0, 1.0)
    used: bool = True
    feature: Annotated[str, Refers("feature", "goes")] = ""


class MatchedPointAlignment(AlignmentBase):
    """Alignment by matched points; touches are matched by name, by order, or by their distances."""

    kind: Literal["matched_points"] = "matched_points"
    points: tuple[MatchedPlace, ...] = ()
    matching: Literal["name", "order", "geometry"] = "name"
    tolerance: float = Field(default=1.0, gt=0)
    with_scale: bool = False


class GuideTarget(Frozen):
    """A target of a guided alignment: where on the part, and which way the surface or the hole's axis points."""

    name: str
    kind: Literal["surface", "hole", "sphere"] = "surface"
    place: Three
    direction: Three
    diameter: float = 0.0


class GuidedAlignment(AlignmentBase):
    """Guided alignment: the sample holds touches of the targets."""

    kind: Literal["guided"] = "guided"
    targets: tuple[GuideTarget, ...] = ()


class GivenAlignment(AlignmentBase):
    """A transform typed in, or known from a device: part coordinates from those before, row by row."""

    kind: Literal["given"] = "given"
    matrix: tuple[float, ...] = tuple(np.eye(4).ravel().tolist())

    @field_validator("matrix")
    @classmethod
    def _rigid(cls, value: tuple[float, ...]) -> tuple[float, ...]:
        if len(value) != 16:
            raise ValueError(f"a matrix has 16 numbers, not {len(value)}")
        matrix = np.array(value).reshape(4, 4)
        if np.linalg.det(matrix[:3, :3]) < 0:
            raise ValueError("the matrix is left-handed: it mirrors the part; change the sign of one axis")
        as_rigid(matrix)
        return value


AnyAlignment = Annotated[
    BestFitAlignment
    | DatumAlignment
    | ReferencePointAlignment
    | MatchedPointAlignment
    | GuidedAlignment
    | GivenAlignment,
    Field(discriminator="kind"),
]
KIND_NAMES = {
    "best_fit": "best fit",
    "datums": "by datums",
    "reference_points": "reference points",
    "matched_points": "matched points",
    "guided": "guided",
    "given": "given transform",
}


def features_of(alignment: AnyAlignment) -> tuple[str, ...]:
    """Return the features that an alignment measures, by id."""
    if isinstance(alignment, DatumAlignment):
        return tuple(d.feature for d in alignment.datums)
    if isinstance(alignment, ReferencePointAlignment | MatchedPointAlignment):
        return tuple(p.feature for p in alignment.points if p.feature)
    return ()


def needs_base(alignment: AnyAlignment) -> bool:
    """Tell whether an alignment must start from another one: features are found in aligned points only."""
    return bool(features_of(alignment)) or isinstance(alignment, ReferencePointAlignment | DatumAlignment)
