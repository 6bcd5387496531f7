"""One sample of touches and scans: each feature by what was measured of it, as if there were only that."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.scanner_check import scanner_against_probe
from truegauge.core.frames import apply, rotate
from truegauge.core.nodes.aligned import AlignedCloud, ScannedCloud, colors_of
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.samples.document import ProbedTouch, SampleData
from truegauge.core.samples.sample import Sample

RADIUS = 1.5
TOUCHED = ("side B", "main bore")


def touches_of(evaluation, model, projector, plan, names, seed=4, off=0.0):
    """Return touches of features where the scan has the part, `off` mm outside of the designed surface."""
    rng, found = np.random.default_rng(seed), []
    pose = np.linalg.inv(evaluation.alignments[plan.in_force].part_from_scan)
    mesh = model.mesh
    for f in plan.features:
        if f.name not in names:
            continue
        rows = np.flatnonzero(np.isin(mesh.triangle_face, f.faces))
        for k in rng.choice(rows, 14):
            place = rng.dirichlet(np.ones(3)) @ mesh.vertices[mesh.triangles[k]]
            foot = projector.deviations(place[None])
            out = np.asarray(foot.normals, dtype=float)
            center = apply(pose, foot.feet + (RADIUS + off) * out)[0]
            way = -rotate(pose, out)[0]
            found.append(ProbedTouch(place=tuple(center), approach=tuple(way / np.linalg.norm(way)), radius=RADIUS,
                                     feature=f.id, stylus="arm"))  # fmt: skip
    return tuple(found)


@pytest.fixture(scope="module")
def both(evaluation, model, projector, plan, sample):
    return sample.with_probed(touches_of(evaluation, model, projector, plan, TOUCHED))


def measured(evaluator, plan, sample, name):
    feature = next(f for f in plan.features if f.name == name)
    return evaluator.context(plan, sample).measured(feature.group)


def test_touched_features_go_by_their_touches_and_all_others_by_the_scan(evaluator, plan, sample, both):
    for feature in plan.features:
        alone, now = (measured(evaluator, plan, s, feature.name) for s in (sample, both))
        if feature.name not in TOUCHED:
            assert type(alone) is type(now)
            if not isinstance(alone, NotComputed):
                assert_allclose(now.feature.pose.origin, alone.feature.pose.origin, atol=1e-12)
                assert_allclose(now.feature.pose.sizes, alone.feature.pose.sizes, atol=1e-12)
    bore = measured(evaluator, plan, both, "main bore")
    assert len(bore.rows) == 14
    assert bore.feature.radius == pytest.approx(21.0, abs=1e-6)
    assert measured(evaluator, plan, sample, "main bore").feature.radius == pytest.approx(21.006, abs=0.001)


def test_the_points_of_touches_come_after_those_of_the_scan(evaluator, plan, both):
    context = evaluator.context(plan, both)
    every, scanned = context.need(AlignedCloud()), context.need(ScannedCloud())
    count = len(scanned.points)
    assert len(every.points) == count + 28 == len(every.usable) == len(every.removed) == len(every.found.normals)
    assert not every.usable[count:].any()
    assert every.statistics == scanned.statistics
    bore = measured(evaluator, plan, both, "main bore")
    off = np.linalg.norm(every.points[bore.rows][:, :2] - bore.feature.pose.origin[:2], axis=1)
    assert_allclose(off, 21.0, atol=1e-3)
    colors = colors_of(context)
    assert colors is None or len(colors) == len(every.points)


def test_one_touch_more_leaves_scanned_features_as_they_are(evaluator, plan, both):
    more = both.with_probed((*both.probed, both.probed[-1].replace(row=3)))
    one, two = (measured(evaluator, plan, s, "cross bore") for s in (both, more))
    assert one is two


def test_results_of_both_are_those_of_each(evaluator, plan, sample, both, evaluation):
    def by_name(found):
        return {r.characteristic.name: r for r in found.results}

    now, scanned = by_name(evaluator.evaluate(plan, both)), by_name(evaluation)
    assert now["cross bore"].measured == scanned["cross bore"].measured
    assert now["main bore"].measured == pytest.approx(42.0, abs=1e-5)
    assert now["main bore"].measured != scanned["main bore"].measured


def test_a_sample_of_both_is_saved_and_opened_again(both, tmp_path, plan, evaluator):
    from truegauge import demo
    from truegauge.formats.sample_file import read_sample, write_sample

    path = tmp_path / "both.tgsample"
    write_sample(path, both, (demo.SCAN.read_bytes(),))
    again, _ = read_sample(path)
    assert again.probed == both.probed
    assert len(again.points) == len(both.points)
    assert measured(evaluator, plan, again, "main bore").feature.radius == pytest.approx(21.0, abs=1e-6)


def test_the_scanner_is_compared_with_the_probe(evaluator, plan, sample, model, projector, evaluation):
    """Touches 0.02 mm outside of the designed surfaces: the scan is off by that, and by what is wrong with the part."""
    off = sample.with_probed(touches_of(evaluation, model, projector, plan, ("side C", "cross bore"), off=0.02))
    ids = {f.name: f.id for f in plan.features}
    plane = measured(evaluator, plan, sample, "side C").feature
    apart = float(np.median(projector_distance(evaluator, plan, sample, "side C")))
    assert scanner_against_probe(evaluator, plan, off, ids["side C"]) == pytest.approx(apart - 0.02, abs=0.002)
    assert plane is not None
    with pytest.raises(EvaluationError, match="neither a plane nor a sphere"):
        scanner_against_probe(evaluator, plan, off, ids["cross bore"])
    with pytest.raises(EvaluationError, match="is not touched"):
        scanner_against_probe(evaluator, plan, off, ids["side B"])
    alone = Sample.of(SampleData(name="t", probed=off.probed), origin="alone")
    with pytest.raises(EvaluationError, match="is not scanned"):
        scanner_against_probe(evaluator, plan, alone, ids["side C"])


def test_a_ball_is_compared_by_its_middle(evaluator, plan, sample, model, projector, evaluation):
    """Touches of the socket, all of them moved: the middles are as far apart as that, but for the noise of the scan."""
    socket = next(f for f in plan.features if f.name == "ball socket")
    made = touches_of(evaluation, model, projector, plan, ("ball socket",))
    as_it_is = scanner_against_probe(evaluator, plan, sample.with_probed(made), socket.id)
    shift = np.array([0.03, -0.04, 0.12])
    moved = tuple(t.replace(place=tuple(np.array(t.place) + shift)) for t in made)
    off = scanner_against_probe(evaluator, plan, sample.with_probed(moved), socket.id)
    assert as_it_is < 0.006
    assert off == pytest.approx(np.linalg.norm(shift), abs=0.006)


def projector_distance(evaluator, plan, sample, name):
    """Return the deviations of the scan's points on a feature."""
    cloud = evaluator.context(plan, sample).need(AlignedCloud())
    faces = next(f.faces for f in plan.features if f.name == name)
    return cloud.found.distance[np.isin(cloud.found.face, faces) & cloud.usable & ~cloud.found.on_edge]
