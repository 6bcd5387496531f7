"""What a plan waits for, and which feature was touched: as its faces say, from both sides of a wall, near edges."""

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.evaluation.located import Lie
from truegauge.core.evaluation.needed import needed_features
from truegauge.core.evaluation.prepared import feature_touched, prepared
from truegauge.core.evaluation.touch_needs import datum_features
from truegauge.core.frames import apply, invert, random_rigid, rotate
from truegauge.core.routes.strategies import Grid
from truegauge.formats.plan_file import read_plan
from truegauge.jobs.routing import places_of_step


@pytest.fixture(scope="module")
def cmm():
    return read_plan(demo.CMM_PLAN).plan


@pytest.mark.parametrize("seed", range(4))
def test_a_touch_belongs_to_the_feature_of_the_face_that_it_lies_on(cmm, evaluator, projector, seed):
    """Places of every feature, touched with noise and a pose that is not quite known."""
    rng = np.random.default_rng(seed)
    pose = random_rigid(rng, 500.0)
    device_from_part = invert(pose)
    wrong = total = 0
    for step in (s for s in cmm.route.steps if getattr(s, "feature", "")):
        places = places_of_step(cmm, evaluator, step)
        for p, n in zip(places.points, places.normals, strict=True):
            radius = float(rng.uniform(0.5, 2.0))
            center = p + (radius + rng.normal(0, 0.2)) * n + rng.normal(0, 0.05, 3)
            out = n + 0.1 * rng.normal(size=3)
            found = feature_touched(
                cmm, projector, Lie(pose), apply(device_from_part, center[None])[0], radius,
                rotate(device_from_part, out[None])[0] / np.linalg.norm(out),
            )  # fmt: skip
            total += 1
            wrong += found != step.feature
    assert total > 150
    assert wrong <= 0.01 * total


def test_the_two_sides_of_a_wall_are_told_apart_by_the_way_back(model, cmm, evaluator, projector):
    """Of all places that lie near another face which looks the other way: the way back decides."""
    steps = [s for s in cmm.route.steps if getattr(s, "feature", "")]
    for step in steps:
        places = places_of_step(cmm, evaluator, step)
        p, n = places.points[0], places.normals[0]
        center = p + 1.0 * n
        assert feature_touched(cmm, projector, Lie(np.eye(4)), center, 1.0, n) == step.feature
        faces = cmm.feature(step.feature).faces
        if all(model.faces[f].surface.kind == SurfaceKind.PLANE for f in faces):  # a bore has another side of its own
            assert feature_touched(cmm, projector, Lie(np.eye(4)), center, 1.0, -n) != step.feature


def test_far_from_every_feature_it_is_none_of_them(cmm, projector, model):
    high = model.box[1] + 40.0
    assert feature_touched(cmm, projector, Lie(np.eye(4)), high, 1.0, np.array([0.0, 0.0, 1.0])) == ""
    own = cmm.features[0]
    plan = cmm.replace(features=(*cmm.features, own.replace(id="twin", name="twin")))
    down, below = np.array([0.0, 0.0, -1.0]), np.array([30.0, 6.0, -1.0])
    assert feature_touched(plan, projector, Lie(np.eye(4)), below, 1.0, down) == own.id
    assert feature_touched(plan, projector, Lie(np.eye(4)), below, 1.0, down, "twin") == "twin"


def test_everything_that_the_characteristics_need_waits_once_datums_first(cmm, evaluator):
    waits = prepared(cmm, evaluator)
    ids = [p.feature for p in waits]
    of_part = {f.id for f in cmm.features}
    needed = {f for c in cmm.characteristics for f in needed_features(cmm, (c.id,))} & of_part
    assert sorted(ids) == sorted(needed)
    datums = datum_features(cmm)
    kinds = [i in datums for i in ids]
    assert kinds == sorted(kinds, reverse=True)
    for p in waits:
        assert p.characteristics == tuple(
            c.number for c in cmm.characteristics if p.feature in needed_features(cmm, (c.id,))
        )
    step = cmm.route.step_of(ids[0])
    asked = cmm.replace(route=cmm.route.with_step(step.replace(strategy=Grid(along=3, across=7))))
    assert next(p.touches for p in prepared(asked, evaluator) if p.feature == ids[0]) == 21
