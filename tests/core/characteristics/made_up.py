"""A family that the program does not have: how far the points of a bore reach along its axis."""

from dataclasses import dataclass

import numpy as np
import pytest

from truegauge.core.association.features import Cylinder
from truegauge.core.characteristics.kind import Told, plus_minus
from truegauge.core.characteristics.of_features import OfFeatures
from truegauge.core.characteristics.registry import KINDS, register


def along(feature, points):
    heights = (points - feature.point) @ feature.direction
    return float(np.ptp(heights))


def is_bore(features):
    return len(features) == 1 and isinstance(features[0].feature, Cylinder)


@dataclass(frozen=True, kw_only=True)
class Reach(OfFeatures):
    """The length of a bore that has points."""

    def tell(self, context, c, limits):
        told = super().tell(context, c, limits)
        return Told(told.value, notes=("between the outermost points",))

    def anchor(self, context, c):
        return np.array([1.0, 2.0, 3.0])

    def why(self, context, c, numbers):
        return [("reach", numbers.value(self.tell(context, c, (None, None)).value))]

    def problems(self, plan, c, nominals):
        return ["a reach has no negative nominal."] if c.nominal < 0 else []


REACH = Reach(
    name="reach", label="reach of points", symbol="distance", rank=8, fits=is_bore,
    nominal=lambda features: features[0].length, value=lambda found: along(found[0].feature, found[0].points),
    limits=plus_minus(lambda features: features[0].length),
)  # fmt: skip


@pytest.fixture
def reach():
    """The family, known as long as the test runs."""
    register(REACH)
    yield REACH
    del KINDS[REACH.name]
