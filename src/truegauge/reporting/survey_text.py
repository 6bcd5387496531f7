"""What was measured of a face, in words."""

import numpy as np

from truegauge.core.nodes.survey import FaceSurvey
from truegauge.drawing.units import NumberFormat


def survey_text(found: FaceSurvey, numbers: NumberFormat) -> str:
    """Return size, deviation, points and coverage of a measured face."""
    if found.feature is None and found.points < 10:
        return f"measured: {found.points} points, {100 * found.coverage:.0f} % covered"
    parts = []
    if found.feature is not None:
        kind = str(found.feature.shape).replace("_", " ")
        parts.append(f"measured {kind}{_size(found, numbers)}")
    else:
        parts.append("measured")
    parts.append(
        f"deviation {numbers.signed(found.mean)} ({numbers.signed(found.least)} to {numbers.signed(found.greatest)})"
    )
    parts.append(f"{found.points:,} points, {100 * found.coverage:.0f} % covered")
    return " · ".join(parts)


def _size(found: FaceSurvey, numbers: NumberFormat) -> str:
    assert found.feature is not None
    radius = found.feature.parameters.get("radius")
    if radius is not None:
        return f" Ø{numbers.value(2 * float(radius))}"
    angle = found.feature.parameters.get("half_angle")
    return "" if angle is None else f" {2 * np.degrees(float(angle)):.3f}°"
