"""Steps over the points: what they leave out is known, because the points were made so."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.clouds.cleaning import clean
from truegauge.core.clouds.normals import estimated_normals
from truegauge.core.clouds.recipe import (
    CropBox,
    CropDistance,
    CropNormal,
    CropOutline,
    Islands,
    Outliers,
    ThinByCurvature,
    ThinEvenly,
    describe,
    works_before,
)
from truegauge.core.clouds.spatial import spatial_order
from truegauge.core.commands.history import History
from truegauge.core.commands.points import SetLimits, SetRecipe
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.nodes.cloud import PreparedPoints
from truegauge.core.plan.document import Plan
from truegauge.core.plan.points import PointLimits
from truegauge.core.samples.sample import Sample

ALL = (
    Outliers(), Islands(), ThinEvenly(), ThinByCurvature(), CropBox(low=(0, 0, 0), high=(1, 1, 1)),
    CropOutline(right=(1, 0, 0), up=(0, 1, 0), outline=((0, 0), (1, 0), (0, 1))), CropDistance(), CropNormal(),
)  # fmt: skip


@pytest.fixture
def sheet(rng):
    """A flat sheet of 100 x 100 mm, 0.5 mm between points, in spatial order."""
    x, y = np.meshgrid(np.arange(0, 100, 0.5), np.arange(0, 100, 0.5))
    points = np.column_stack([x.ravel(), y.ravel(), np.zeros(x.size)])
    return np.ascontiguousarray(points[spatial_order(points)])


def test_outliers_are_left_out_and_the_surface_stays(sheet, rng):
    strays = rng.uniform((0, 0, 5), (100, 100, 60), (60, 3))
    points = np.vstack([sheet, strays])
    kept = clean(points, (Outliers(),)).kept
    assert kept[: len(sheet)].all()
    assert not kept[len(sheet) :].any()


def test_islands_below_the_size_are_left_out(sheet):
    small, large = sheet[:150] * 0.2 + [[0, 0, 30]], sheet[:400] * 0.2 + [[0, 0, 60]]
    points = np.vstack([sheet, small, large])
    kept = clean(points, (Islands(gap=3.0, smallest=200),)).kept
    assert_allclose(
        [kept[: len(sheet)].mean(), kept[len(sheet) : len(sheet) + 150].mean(), kept[-400:].mean()], [1, 0, 1]
    )


def test_thinning_leaves_one_point_a_cube(sheet):
    kept = clean(sheet, (ThinEvenly(spacing=2.0),)).kept
    cubes = np.unique(np.floor((sheet - sheet.min(axis=0)) / 2.0), axis=0)
    assert kept.sum() == len(cubes)
    thin = np.floor((sheet[kept] - sheet.min(axis=0)) / 2.0)
    assert len(np.unique(thin, axis=0)) == len(cubes)


def test_thinning_by_curvature_keeps_more_where_it_curves(sheet):
    t = np.linspace(0, np.pi, 120)
    z = np.arange(0, 100, 0.5)
    rod = np.array([(3 * np.cos(a) + 200, 3 * np.sin(a), b) for a in t for b in z])
    points = np.vstack([sheet, rod])
    kept = clean(points, (ThinByCurvature(fine=0.5, coarse=3.0, sag=0.05),)).kept
    flat_share, curved_share = kept[: len(sheet)].sum() / 100**2, kept[len(sheet) :].sum() / (np.pi * 3 * 100)
    assert curved_share > 8 * flat_share
    assert flat_share == pytest.approx(1 / 9, rel=0.25)


@pytest.mark.parametrize("keep", [True, False])
def test_an_outline_is_cut_through_all_depths(sheet, keep):
    points = np.vstack([sheet, sheet + np.array([0, 0, 40])])
    triangle = CropOutline(right=(1, 0, 0), up=(0, 1, 0), outline=((0, 0), (60, 0), (0, 60)), keep=keep)
    kept = clean(points, (triangle,)).kept
    inside = points[:, 0] + points[:, 1] < 60
    border = np.abs(points[:, 0] + points[:, 1] - 60) < 1e-9
    assert np.array_equal(kept[~border], (inside == keep)[~border])


def test_a_concave_outline_leaves_its_notch_alone(sheet):
    notch = ((0, 0), (90, 0), (90, 90), (45, 30), (0, 90))
    kept = clean(sheet, (CropOutline(right=(1, 0, 0), up=(0, 1, 0), outline=notch),)).kept
    at = {tuple(p[:2]): k for p, k in zip(sheet, kept, strict=True)}
    assert (at[(45.0, 20.0)], at[(45.0, 60.0)], at[(10.0, 60.0)]) == (False, True, False)


def test_a_box_keeps_or_cuts(sheet):
    box = CropBox(low=(10, 10, -1), high=(20, 30, 1))
    inside = ((sheet >= (10, 10, -1)) & (sheet <= (20, 30, 1))).all(axis=1)
    assert np.array_equal(clean(sheet, (box,)).kept, inside)
    assert np.array_equal(clean(sheet, (box.replace(keep=False),)).kept, ~inside)


def test_steps_see_only_what_is_left_and_can_be_off(sheet):
    first = CropBox(low=(0, 0, -1), high=(50, 100, 1))
    done = clean(sheet, (first, first, first.replace(active=False), CropBox(low=(0, 0, -1), high=(50, 20, 1))))
    assert done.left_out[1:3] == (0, 0)
    assert sum(done.left_out) == len(sheet) - done.kept.sum()


@pytest.mark.parametrize("count", [0, 1, 2, 5])
@pytest.mark.parametrize("step", ALL[:6], ids=describe)
def test_a_few_points_are_no_trouble(step, count, rng):
    points = rng.uniform(0, 1, (count, 3))
    assert clean(points, (step,)).kept.shape == (count,)


def test_estimated_normals_are_those_of_the_surface(rng):
    direction = rng.normal(size=(3000, 3))
    direction /= np.linalg.norm(direction, axis=1, keepdims=True)
    found = estimated_normals(30 * direction)
    assert np.degrees(np.arccos(np.abs(np.einsum("ij,ij->i", found, direction)).clip(max=1))).max() < 5


def test_a_recipe_survives_the_plan_and_undo():
    history = History(Plan())
    for k in range(len(ALL)):
        history.run(SetRecipe(ALL[: k + 1]))
    again = Plan.model_validate_json(history.plan.model_dump_json())
    assert again.recipe == ALL
    assert [works_before(s) for s in ALL] == [True, True, True, True, False, False, False, False]
    history.undo()
    assert history.plan.recipe == ALL[:-1]


def test_a_crop_takes_points_from_results_but_not_from_the_sample(model, projector, plan, sample):
    evaluator = Evaluator(model, projector)
    before = evaluator.evaluate(plan, sample)
    cut = CropBox(low=(-10, -10, 50), high=(150, 100, 70), keep=False)
    after = evaluator.evaluate(plan.replace(recipe=(cut,)), sample)
    z = before.cloud.points[:, 2]
    inside = ((before.cloud.points >= cut.low) & (before.cloud.points <= cut.high)).all(axis=1)
    assert after.cloud.left_out == (int(inside.sum()),)
    assert not after.cloud.usable[(z > 50) & (z < 70)].any()
    assert after.result("c10").measured is None  # the top face is gone
    assert after.result("c1").measured == before.result("c1").measured
    assert len(sample.points) == len(after.cloud.points)


def test_thinning_before_the_alignment_aligns_with_fewer_points(model, projector, plan, sample):
    evaluator = Evaluator(model, projector)
    thin = evaluator.evaluate(plan.replace(recipe=(ThinEvenly(spacing=1.5),)), sample)
    assert thin.alignment.points_used < 0.4 * len(sample.points)
    assert thin.result("c4").measured == pytest.approx(42.012, abs=0.002)


def test_limits_of_distance_and_angle_take_deviations_away(model, projector, plan, sample):
    import dataclasses

    evaluator = Evaluator(model, projector)
    cloud = evaluator.evaluate(plan, sample).cloud
    near = SetLimits(PointLimits(max_distance=0.02)).apply(plan)
    limited = evaluator.evaluate(near, sample).cloud
    assert np.abs(limited.found.distance[limited.usable]).max() <= 0.02
    assert limited.usable.sum() < cloud.usable.sum()
    # Normals that look into the material everywhere: with a limit of 90 degrees no point has a face.
    order = evaluator.context(plan, sample).peek(PreparedPoints()).order
    raw = np.zeros_like(sample.points)
    inward = -cloud.found.normals @ evaluator.evaluate(plan, sample).alignment.part_from_scan[:3, :3]
    raw[order] = inward
    turned = Sample.of(sample.data, (dataclasses.replace(sample.scans[0], key="turned", normals=raw),))
    limited = SetLimits(PointLimits(max_angle=np.pi / 6)).apply(plan)
    found = evaluator.evaluate(limited, turned).cloud.found
    plain = cloud.usable & ~cloud.found.on_edge
    assert (found.face[plain] >= 0).mean() < 0.2
