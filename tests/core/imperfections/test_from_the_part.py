"""Imperfections measured from the part as designed: given deviations, whatever the course of the surface."""

import json

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.located import Lie
from truegauge.core.imperfections.area_steps import AreaOutline
from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.reference import Given, Kind, Reference
from truegauge.core.imperfections.search import find_imperfections
from truegauge.core.plan.surface_checks import SurfaceCheck
from truegauge.jobs.imperfections import given_by, surface_of


def waved(count=120_000, seed=0, long=30.0, high=2.0):
    """A designed wave that no smooth reference of its length would follow; places, normals, heights."""
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(0, 150, count), rng.uniform(0, 100, count)
    k = 2 * np.pi / long
    normals = np.column_stack([-high * k * np.cos(k * x), np.zeros(count), np.ones(count)])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    return np.column_stack([x, y, high * np.sin(k * x)]), normals, rng


@pytest.mark.parametrize("wavelength", [0.0, 80.0])
def test_dents_are_told_from_what_is_designed_and_waves_are_followed_when_they_shall_be(wavelength):
    surface, normals, rng = waved()
    off = rng.normal(0, 0.01, len(surface))
    truth = ((40.0, 30.0, -0.4), (95.0, 60.0, 0.3))
    for x, y, depth in truth:
        far = np.hypot(surface[:, 0] - x, surface[:, 1] - y)
        off += depth * np.exp(-((far / 5.0) ** 2))
    if wavelength:  # of the part, not of its design
        off += 0.15 * np.sin(2 * np.pi * surface[:, 1] / 400.0)
    points = surface + off[:, None] * normals
    given = Given(off, normals)
    found = find_imperfections(points, None, Reference(Kind.PART, wavelength), Finding(0.1), given=given)
    assert [round(i.depth, 1) for i in found.imperfections] == [-0.4, 0.3]
    for one, (x, y, depth) in zip(found.imperfections, truth, strict=True):
        assert one.depth == pytest.approx(depth, abs=0.02)
        foot = np.array([x, y, 2.0 * np.sin(2 * np.pi * x / 30.0)])
        assert np.linalg.norm(np.array(one.deepest) - foot) < 0.6  # on the reference
        rise = np.sqrt(1 + (2.0 * 2 * np.pi / 30.0 * np.cos(2 * np.pi * x / 30.0)) ** 2)
        area = np.pi * 25.0 * np.log(abs(depth) / 0.1) * rise
        assert one.area == pytest.approx(area, rel=0.12)
    if not wavelength:
        assert found.quality.rms == pytest.approx(0.01, rel=0.1)


def test_what_is_off_the_part_is_left_out_and_without_a_part_it_is_said():
    surface, normals, rng = waved(40_000)
    off = rng.normal(0, 0.01, len(surface))
    off[surface[:, 0] > 120] = np.nan
    found = find_imperfections(surface, None, Reference(Kind.PART, 0.0), given=Given(off, normals))
    assert found.imperfections == ()
    cells = found.prepared.surface.cells
    assert cells.shape[1] * cells.size == pytest.approx(120, abs=2)
    with pytest.raises(EvaluationError, match="no aligned part"):
        find_imperfections(surface, normals, Reference(Kind.PART, 0.0))


def test_the_bump_of_the_shroud_is_found_on_the_part(evaluator, evaluation, plan, sample):
    """The demo housing has a bump of known height on a free-form face; its scan lies anywhere."""
    truth = next(e for e in json.loads(demo.TRUTH.read_text())["errors"] if e["name"] == "shroud bump")
    lie = Lie.best_known(plan, sample, evaluation.alignments)
    given = given_by(evaluator.projector, lie, sample.points)
    pose = lie.part_from_device
    # An outline around the shroud, drawn on the part seen from +y, as the scan lies.
    right, up = np.array([-1.0, 0, 0]), np.array([0, 0, 1.0])
    corners = np.array([(-100.0, 20.0), (-75.0, 20.0), (-75.0, 40.0), (-100.0, 40.0)])
    shift = np.array([right @ pose[:3, 3], up @ pose[:3, 3]])
    outline = AreaOutline(
        right=tuple(right @ pose[:3, :3]), up=tuple(up @ pose[:3, :3]), outline=tuple(map(tuple, corners - shift))
    )
    check = SurfaceCheck(id="s", reference="part", wavelength=0.0, depth=0.06, min_area=20.0, area=(outline,))
    found = surface_of(check, sample.points, sample.normals, given=given)
    one = found.imperfections[0]
    assert one.kind == "bump"
    height = truth.get("height", 0.15)
    assert one.depth == pytest.approx(height, abs=0.02)
    place = lie.places(np.array([one.deepest]))[0]
    assert (place[0], place[2]) == (pytest.approx(88.0, abs=1.0), pytest.approx(30.0, abs=1.0))
