"""What was touched? The kind of feature that touches by hand are likely to lie on."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Normals, Points
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cone, Cylinder, Feature, Plane, Shape, Sphere
from truegauge.core.association.squares import RULES
from truegauge.core.errors import AssociationError
from truegauge.core.probing.compensation import compensated_by_approach

_KINDS = (Shape.PLANE, Shape.SPHERE, Shape.CYLINDER, Shape.CONE)  # simple ones first
_ENOUGH = 0.02  # mm of form that a simpler kind may have more than the best one
_SQUARE = np.cos(np.radians(40.0))  # how far from square to the surface a hand touches


@dataclass(frozen=True, slots=True, eq=False)
class Suggestion:
    """A kind that the touches fit: the feature, and its form (mm) so far; form means nothing without touches to spare.

    `inside` tells a hole from a pin.
    """

    feature: Feature
    form: float
    to_spare: int
    inside: bool

    @property
    def text(self) -> str:
        """Say it in a few words."""
        f = self.feature
        if isinstance(f, Plane):
            return "plane"
        if isinstance(f, Cylinder):
            return f"{'hole' if self.inside else 'pin'} Ø{2 * f.radius:.2f}"
        if isinstance(f, Sphere):
            return f"{'socket' if self.inside else 'ball'} Ø{2 * f.radius:.2f}"
        if isinstance(f, Cone):
            return f"cone {np.degrees(2 * f.half_angle_rad):.1f}°"
        return str(f.shape)


def suggest(centers: Points, approach: Normals, radii: Floats) -> list[Suggestion]:
    """Return the kinds that touches may lie on, the likeliest first; none for fewer than three touches.

    A kind must fit the way that the touches came, all from the side of its surface that is not material. Of those that
    do, the simplest whose form is hardly larger than the smallest comes first.
    """
    points = compensated_by_approach(centers, approach, radii)
    found = []
    for shape in _KINDS:
        if len(points) < RULES[shape].least:
            continue
        try:
            fit = associate(shape, points)
        except AssociationError:
            continue
        cosine = np.einsum("ij,ij->i", fit.feature.outward(centers), -approach)
        side = 1.0 if cosine.sum() > 0 else -1.0
        if shape != Shape.PLANE and not _is_seen(fit.feature, points):
            continue
        if (side * cosine).min() < _SQUARE:
            continue
        spare = len(points) - RULES[shape].least
        found.append(Suggestion(fit.feature, fit.form, spare, shape != Shape.PLANE and side < 0))
    if not found:
        return []
    best = min((s.form for s in found if s.to_spare), default=0.0)
    good = [s for s in found if s.form <= best + _ENOUGH and (s.to_spare or not any(t.to_spare for t in found))]
    rest = sorted((s for s in found if s not in good), key=lambda s: s.form)
    return good + rest


def _is_seen(feature: Feature, points: Points) -> bool:
    """Tell whether a round feature is of a size that its touches can hold: no sliver of something huge."""
    size = float(np.linalg.norm(np.ptp(points, axis=0)))
    radius = getattr(feature, "radius", None)
    return radius is None or radius < 3 * size
