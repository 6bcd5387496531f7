"""Association against point sets whose answer is known by construction (tests/data/fits/README.md)."""

import json
from pathlib import Path

import numpy as np
import pytest

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape
from truegauge.core.association.fit import Criterion

FITS = Path(__file__).parents[2] / "data" / "fits"
CASES = sorted(p.stem for p in FITS.glob("*.json"))


def _angle(a, b, sense):
    along = float(np.dot(a, b))
    return np.arctan2(np.linalg.norm(np.cross(a, b)), along if sense else abs(along))


@pytest.mark.parametrize("name", CASES)
def test_reference_case_is_met_within_its_tolerance(name):
    case = json.loads((FITS / f"{name}.json").read_text())
    plane = case.get("given", {}).get("plane")
    fit = associate(
        Shape(case["shape"]), np.array(case["points"]), Criterion(case["association"]),
        plane_normal=np.array(plane["normal"]) if plane else None,
    )  # fmt: skip
    expected, tolerance = case["expected"], case["tolerance"]
    got = fit.feature.parameters
    for key, value in expected.items():
        if key in ("form", "rms"):
            assert abs(getattr(fit, key) - value) <= tolerance["form_mm"], key
        elif key in ("direction", "normal"):
            assert _angle(got[key], value, case["shape"] == "cone") <= tolerance["angle_rad"], key
        elif key == "half_angle_rad":
            assert abs(got[key] - value) <= tolerance["angle_rad"], key
        else:
            assert np.linalg.norm(np.subtract(got[key], value)) <= tolerance["length_mm"], key
