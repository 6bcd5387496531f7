"""Saved views: what the eye sees, what is shown, and its tags. Frozen models; lengths in mm."""

from typing import Annotated, Literal

from pydantic import Field

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.references import Refers

Box = tuple[Three, Three]
TagPart = Literal["number", "name", "measured", "deviation", "limits", "frame", "gauge", "dx", "dy", "dz", "total"]
USUAL_PARTS: tuple[TagPart, ...] = ("number", "name", "frame", "measured", "deviation", "gauge")


class Eye(Frozen):
    """An orthographic eye: `target` in the middle, `back` towards the eye, `up`, and the height shown, mm."""

    target: Three
    back: Three
    up: Three
    height: float = Field(gt=0)


class PinnedTag(Frozen):
    """A tag that was put somewhere: its middle as shares of the picture, y down."""

    characteristic: Annotated[str, Refers("characteristic", "goes")]
    x: float
    y: float


class TagSettings(Frozen):
    """Which tags a view shows, what they say, and where they stand.

    `shown`: the selected one and what is outside or near ("needed"), "all", "outside", those "listed", or "none".
    """

    shown: Literal["needed", "all", "outside", "listed", "none"] = "needed"
    listed: Annotated[tuple[str, ...], Refers("characteristic", "shrinks")] = ()
    hidden: Annotated[tuple[str, ...], Refers("characteristic", "shrinks")] = ()
    pinned: tuple[PinnedTag, ...] = ()
    parts: tuple[TagPart, ...] = USUAL_PARTS
    layout: Literal["around", "sides", "rows"] = "sides"


class SavedView(Frozen):
    """A view of the part that can be gone back to, and goes into the report rendered anew for each sample."""

    id: str
    name: str
    eye: Eye
    show: Literal["part", "map", "scan"] = "map"
    points: bool = False
    needles: bool = False
    opacity: float = Field(default=1.0, ge=0.05, le=1)
    edges_only: bool = False
    hidden: Annotated[tuple[int, ...], Refers("face", "shrinks")] = ()
    section_box: Box | None = None
    scale: DeviationScale | None = None  # None: that of the plan
    tags: TagSettings = TagSettings()
    in_report: bool = True
