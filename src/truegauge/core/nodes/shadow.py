"""What a picture of a sample tells of the silhouette of a plan: all of it at once."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import TYPE_CHECKING, ClassVar

from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.node import Node
from truegauge.core.silhouette.measuring import Measured, Measurer

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.lens import LensRecord
    from truegauge.core.plan.silhouette import Silhouette
    from truegauge.core.samples.contributions import ShadowPicture


def lens_for(silhouette: Silhouette, picture: ShadowPicture) -> LensRecord:
    """Return the calibration that a picture is measured by: of its camera; of one from a file that of the plan.

    Raises
    ------
    EvaluationError
        There is none, or it is for pictures of another size.
    """
    own = picture.file.lens or (silhouette.lens if not picture.file.camera else None)
    if own is None:
        raise EvaluationError("the camera is not calibrated: nothing is measured in mm before it is")
    shape = picture.pixels.shape
    if tuple(own.shape) != shape:
        words = f"{shape[1]} x {shape[0]} pixels, the camera was calibrated with {own.shape[1]} x {own.shape[0]}"
        raise EvaluationError(f"the picture has {words}")
    return own


@dataclass(frozen=True)
class SeenShadow(Node[Measured]):
    """The silhouette of the plan in the picture of the sample."""

    of_features: ClassVar[bool] = False

    def key(self, context: Context) -> Hashable:
        plan, sample = context.plan, context.measured_sample

        def make() -> Hashable:
            own = plan.silhouette
            return (None, None) if own is None else (own.content, None if own.lens is None else own.lens.optics)

        return (context.contents.kept("silhouette", make), tuple(p.key for p in sample.pictures))

    def compute(self, context: Context) -> Measured:
        plan, pictures = context.plan, context.measured_sample.pictures
        if plan.silhouette is None:
            raise EvaluationError("the plan has no silhouette")
        if not pictures:
            raise EvaluationError("the sample has no picture")
        picture = pictures[-1]
        known = lens_for(plan.silhouette, picture)
        return Measurer(plan.silhouette.recipe, known.calibration).measure(picture.pixels)
