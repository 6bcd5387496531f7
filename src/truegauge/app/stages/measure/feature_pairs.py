"""What is known of a measured or constructed feature, in words and numbers."""

from collections.abc import Sequence

import numpy as np

from truegauge.core.association.features import Circle, Cone, Countersink, Cylinder, Shape, Slot, Sphere
from truegauge.core.constructions.build import CONSTRUCTIONS
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.plan.features import ConstructedFeature
from truegauge.drawing.units import NumberFormat

_CRITERIA = {"by_use": "criterion by its use", "one_sided": "outside the material"}


def measured_pairs(result: Measured, n: NumberFormat) -> list[tuple[str, str]]:
    """Return what was measured of a feature, each with its name."""
    fit, f = result.fit, result.feature
    pairs = []
    if isinstance(f, Cylinder | Sphere):
        pairs.append(("diameter", f"{n.value(2 * f.radius)} {n.unit}"))
        spread = fit.standard_deviation("radius")
        if spread is not None:
            pairs.append(("standard deviation", f"{_fine(n, 2 * spread)} {n.unit}"))
    if isinstance(f, Cone):
        pairs.append(("angle", f"{np.degrees(2 * f.half_angle_rad):.4f}°"))
    pairs.append(("size by", criterion_text(fit.criterion)))
    if result.nominal.shape in (Shape.PLANE, Shape.CYLINDER, Shape.SPHERE):
        pairs.append(("as datum", criterion_text(result.datum_criterion)))
    pairs += [
        ("form", f"{n.value(result.form)} {n.unit}"),
        ("form by", criterion_text(result.form_criterion)),
        ("rms", f"{n.value(fit.rms)} {n.unit}"),
        ("points used", f"{len(result.rows):,}"),
    ]
    rejection = result.rejection
    if rejection is not None:
        pairs.append(("left out", f"{result.rejected:,}"))
        rule_text = f"{rejection.factor:g} × {_fine(n, rejection.scale)} {n.unit}"
        pairs.append(("beyond", rule_text))
    pairs.append(("condition", f"{fit.condition:.3g}"))
    return pairs


def built_pairs(
    result: Built, feature: ConstructedFeature, n: NumberFormat, names: Sequence[str]
) -> list[tuple[str, str]]:
    """Return what a constructed feature is built of, `names` of its members, and what came of it."""
    f = result.feature
    pairs = [("built as", CONSTRUCTIONS[feature.construction].word if feature.construction in CONSTRUCTIONS
              else feature.construction)]  # fmt: skip
    pairs += [(f"from {k + 1}", name) for k, name in enumerate(names)]
    if isinstance(f, Circle | Countersink | Sphere):
        pairs.append(("diameter", f"{n.value(2 * f.radius)} {n.unit}"))
    if isinstance(f, Countersink):
        pairs.append(("angle", n.of("cone_angle").value(2 * f.half_angle_rad)))
        pairs.append(("depth", f"{n.value(f.depth)} {n.unit}"))
    if isinstance(f, Slot):
        pairs += [("width", f"{n.value(f.width)} {n.unit}"), ("length", f"{n.value(f.length)} {n.unit}")]
    values = f.parameters
    place = next((values[name] for name in ("center", "point", "apex") if name in values), None)
    if place is not None:
        pairs += [(axis, n.value(float(v))) for axis, v in zip("XYZ", place, strict=True)]
    return pairs


def criterion_text(criterion: str) -> str:
    """Return a criterion in words."""
    return _CRITERIA.get(str(criterion), str(criterion).replace("_", " "))


def _fine(numbers: NumberFormat, value: float) -> str:
    """Return a small length with three digits of its own."""
    shown = value / (25.4 if numbers.unit == "inch" else 1.0)
    return f"{shown:.2g}" if shown < 0.01 else numbers.value(value)
