"""Steps that choose where on a scan imperfections are looked for, in coordinates of the scan."""

from typing import Annotated, Literal

from pydantic import Field

from truegauge.core.frozen_model import Frozen

Way = Literal["only", "also", "not"]
Place = tuple[float, float, float]


class _AreaStep(Frozen):
    """What a step encloses is all that is kept of the area, is added to it, or is taken out."""

    way: Way = "only"


class AreaOutline(_AreaStep):
    """Inside an outline drawn over the view: seen along `right` x `up`, corners (right, up) in mm.

    Only what faces who drew it, unless `deep`.
    """

    kind: Literal["outline"] = "outline"
    right: Place
    up: Place
    outline: tuple[tuple[float, float], ...] = Field(min_length=3, max_length=20_000)
    deep: bool = False


class AreaPatch(_AreaStep):
    """Inside a line along the surface: `corners` on it, in mm."""

    kind: Literal["patch"] = "patch"
    corners: tuple[Place, ...] = Field(min_length=3, max_length=20_000)


class AreaBrush(_AreaStep):
    """No farther than `radius` mm from a line painted on the surface, through `places`."""

    kind: Literal["brush"] = "brush"
    places: tuple[Place, ...] = Field(min_length=1, max_length=20_000)
    radius: float = Field(gt=0, le=1e4)


class AreaSmooth(_AreaStep):
    """What is reached from `place` without crossing a crease that turns by more than `turn` rad."""

    kind: Literal["smooth"] = "smooth"
    place: Place
    turn: float = Field(default=0.25, gt=0, le=1.6)


class AreaGrown(Frozen):
    """The area, wider by `by` mm all around; negative: narrower."""

    kind: Literal["grown"] = "grown"
    by: float = Field(ge=-1e4, le=1e4)


AreaStep = Annotated[AreaOutline | AreaPatch | AreaBrush | AreaSmooth | AreaGrown, Field(discriminator="kind")]
