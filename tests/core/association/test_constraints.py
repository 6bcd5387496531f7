"""Weights, constraints, the one-sided criterion, uncertainty, strays, and what is said when it cannot be done."""

import numpy as np
import pytest
from constructed import least_squares_case
from numpy.testing import assert_allclose

from truegauge.core.association.by_criterion import associate, criteria_for
from truegauge.core.association.constraints import Constraints, DatumSystem
from truegauge.core.association.features import Cylinder, Plane, Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.errors import AssociationError, ConvergenceError, IndeterminateError, TooFewPointsError
from truegauge.core.frames import random_rigid, rigid, rotate, rotation_about

MZ, MC, MI, OUT = (Criterion.MINIMUM_ZONE, Criterion.MINIMUM_CIRCUMSCRIBED, Criterion.MAXIMUM_INSCRIBED,
                   Criterion.ONE_SIDED)  # fmt: skip
AXIAL = ["cylinder", "cone", "torus", "plane", "line", "width"]
ALL = ["least_squares", "minimum_zone"]


def cloud(shape, seed=1, **way):
    if shape == "line":
        rng = np.random.default_rng(seed)
        move = random_rigid(rng, 50)
        points = np.column_stack([rng.normal(0, 0.01, (40, 2)), rng.uniform(-20, 20, 40)])
        return points @ move[:3, :3].T + move[:3, 3], rotate(move, np.array([0, 0, 1.0]))
    case, normal = least_squares_case(shape, seed, **way)
    return case.points, normal


def direction_of(fit):
    values = fit.feature.parameters
    return values.get("direction", values.get("normal"))


def tilted(direction, angle):
    side = np.cross(direction, [0.3, 0.5, 0.8])
    return rotate(rotation_about(side, angle), direction)


@pytest.mark.parametrize("criterion", ALL)
@pytest.mark.parametrize("shape", AXIAL)
def test_a_fixed_direction_is_kept_exactly(shape, criterion):
    if (shape, criterion) == ("line", "minimum_zone"):
        criterion = "least_squares"
    points, axis = cloud(shape)
    held = tilted(axis, 0.01)
    fit = associate(Shape(shape), points, Criterion(criterion), constraints=Constraints(direction=held))
    assert np.linalg.norm(np.cross(direction_of(fit), held)) < 1e-14
    assert fit.form >= associate(Shape(shape), points, Criterion(criterion)).form * (1 - 1e-9) or shape == "line"


@pytest.mark.parametrize("shape", AXIAL)
def test_a_direction_across_another_is_kept(shape):
    points, axis = cloud(shape)
    other = np.cross(tilted(axis, 0.01), [0.1, 0.9, 0.2])
    fit = associate(Shape(shape), points, constraints=Constraints(across=other))
    assert abs(direction_of(fit) @ other) < 1e-13
    free, held = associate(Shape(shape), points), fit
    assert np.sum(held.residuals**2) >= np.sum(free.residuals**2) * (1 - 1e-9)


@pytest.mark.parametrize("shape", ["circle", "sphere", "cylinder"])
@pytest.mark.parametrize("criterion", ALL)
def test_a_fixed_radius_is_kept(shape, criterion):
    points, _ = cloud(shape, arc=1.5)
    fit = associate(Shape(shape), points, Criterion(criterion), constraints=Constraints(radius=20.02))
    assert fit.feature.radius == pytest.approx(20.02, abs=1e-12)


def test_a_fixed_radius_is_the_best_of_its_neighbours():
    points, _ = cloud("cylinder", arc=1.0)
    fit = associate(Shape.CYLINDER, points, constraints=Constraints(radius=20.05))
    rng, f = np.random.default_rng(1), fit.feature
    for _ in range(100):
        d = f.direction + rng.normal(0, 1e-4, 3)
        other = Cylinder(f.point + rng.normal(0, 1e-3, 3), d / np.linalg.norm(d), f.radius)
        assert np.sum(other.distances(points) ** 2) >= np.sum(fit.residuals**2) * (1 - 1e-12)


@pytest.mark.parametrize("shape", ["plane", "line", "circle", "sphere", "cylinder", "cone", "torus"])
@pytest.mark.parametrize("criterion", ALL)
def test_the_feature_passes_through_the_point(shape, criterion):
    points, normal = cloud(shape)
    held = points[:1] + 0.005
    if shape == "circle":
        held = points[:1] + 0.005 * (points[1:2] - points[:1])
    flat = normal if shape == "circle" else None
    fit = associate(
        Shape(shape), points, Criterion(criterion), plane_normal=flat, constraints=Constraints(through=held)
    )
    assert_allclose(fit.feature.distances(held), 0, atol=1e-10)


def test_with_a_held_direction_three_points_make_a_cylinder():
    points = np.array([[10.0, 0, 0], [0, 10, 5], [-10, 0, 9]])
    fit = associate(Shape.CYLINDER, points, constraints=Constraints(direction=np.array([0, 0, 1.0])))
    assert_allclose(fit.feature.radius, 10, atol=1e-12)
    with pytest.raises(TooFewPointsError, match="2 points, a cylinder with what is held needs 3"):
        associate(Shape.CYLINDER, points[:2], constraints=Constraints(direction=np.array([0, 0, 1.0])))


@pytest.mark.parametrize("criterion", ["least_squares", "minimum_zone"])
def test_a_datum_system_leaves_only_its_freedoms(criterion):
    """A hole held by a plane and an axis may only turn about that axis; one held by a plane alone may not tilt."""
    rng = np.random.default_rng(2)
    u, h = rng.uniform(0, 2 * np.pi, 200), rng.uniform(-10, 10, 200)
    wanted = Cylinder(np.array([30.0, 0, 0]), np.array([0, 0, 1.0]), 5.0)
    turned = rotation_about(np.array([0, 0, 1.0]), 0.001)
    radius = 5.01 + rng.normal(0, 0.002, 200)
    points = np.column_stack([30 + radius * np.cos(u), radius * np.sin(u), h]) @ turned[:3, :3].T
    points[:, 0] += 0.02
    frame = rigid(np.eye(3), np.zeros(3))
    only_turn = associate(Shape.CYLINDER, points, Criterion(criterion), start=wanted,
                          constraints=Constraints(datums=DatumSystem(frame, ("rz",))))  # fmt: skip
    axis = only_turn.feature
    assert np.hypot(*axis.point[:2]) == pytest.approx(30.0, abs=1e-12)
    assert np.arctan2(axis.point[1], axis.point[0]) == pytest.approx(0.001, abs=2e-4)
    plane_only = associate(Shape.CYLINDER, points, Criterion(criterion), start=wanted,
                           constraints=Constraints(datums=DatumSystem(frame, ("tx", "ty", "rz"))))  # fmt: skip
    assert np.linalg.norm(np.cross(plane_only.feature.direction, [0, 0, 1])) < 1e-14
    assert np.hypot(*plane_only.feature.point[:2]) == pytest.approx(30.02, abs=2e-3)
    held = associate(Shape.CYLINDER, points, Criterion(criterion), start=wanted,
                     constraints=Constraints(datums=DatumSystem(frame)))  # fmt: skip
    assert_allclose(held.feature.point[:2], [30, 0], atol=1e-12)
    with pytest.raises(AssociationError, match="needs a nominal"):
        associate(Shape.CYLINDER, points, constraints=Constraints(datums=DatumSystem(frame)))
    with pytest.raises(AssociationError, match="no freedom"):
        DatumSystem(frame, ("x",))


def test_a_weight_counts_as_that_many_points():
    points, _ = cloud("sphere")
    weights = np.ones(len(points))
    weights[7] = np.sqrt(5.0)
    repeated = np.vstack([points, np.repeat(points[7:8], 4, axis=0)])
    weighted, plain = associate(Shape.SPHERE, points, weights=weights), associate(Shape.SPHERE, repeated)
    assert_allclose(weighted.feature.center, plain.feature.center, atol=1e-10)
    for bad in (np.ones(3), np.zeros(len(points))):
        with pytest.raises(AssociationError, match="weight"):
            associate(Shape.SPHERE, points, weights=bad)
    with pytest.raises(AssociationError, match="mean nothing"):
        associate(Shape.SPHERE, points, MC, weights=weights)


def test_a_heavier_point_gets_a_smaller_share_of_the_zone():
    points, _ = cloud("plane")
    fit = associate(Shape.PLANE, points, MZ)
    contact = fit.certificate.contacts[0]
    weights = np.ones(len(points))
    weights[contact] = 3.0
    again = associate(Shape.PLANE, points, MZ, weights=weights)
    assert abs(again.residuals[contact]) < 0.7 * abs(fit.residuals[contact])
    assert_allclose(np.abs(again.residuals * weights).max(), abs(again.residuals[contact]) * 3, rtol=1e-9)


@pytest.mark.parametrize("seed", range(5))
def test_a_plane_outside_the_material_touches_and_is_the_best_that_does(seed):
    points, normal = cloud("plane", seed)
    fit = associate(Shape.PLANE, points, OUT, start=Plane(points.mean(axis=0), normal))
    assert float(fit.feature.normal @ normal) > 0
    assert fit.residuals.max() <= 1e-10
    proof = fit.certificate
    assert_allclose(fit.residuals[list(proof.contacts)], 0, atol=1e-10)
    assert min(proof.multipliers) > 0
    assert proof.residual < 1e-7
    rng, best = np.random.default_rng(seed), np.sum(fit.residuals**2)
    for _ in range(200):
        n = fit.feature.normal + rng.normal(0, 2e-4, 3)
        n /= np.linalg.norm(n)
        heights = points @ n
        assert np.sum((heights - heights.max()) ** 2) >= best * (1 - 1e-9)


def test_a_pin_and_a_ring_touch_from_their_side():
    points, _ = cloud("cylinder")
    pin, ring = (associate(Shape.CYLINDER, points, OUT, material=m) for m in (-1, 1))
    assert pin.residuals.min() >= -1e-9
    assert ring.residuals.max() <= 1e-9
    assert pin.feature.radius < ring.feature.radius
    assert pin.criterion == OUT


def test_a_gauge_cone_stays_outside_the_material():
    points, _ = cloud("cone20")
    plug, cap = (associate(Shape.CONE, points, OUT, material=m) for m in (-1, 1))
    assert plug.residuals.min() >= -1e-9
    assert cap.residuals.max() <= 1e-9


@pytest.mark.parametrize("shape", ["torus", "ellipse", "slot", "square_slot", "width"])
def test_other_shapes_have_a_proven_zone(shape):
    points, normal = cloud(shape)
    flat = normal if shape in ("ellipse", "slot", "square_slot") else None
    fit = associate(Shape(shape), points, MZ, plane_normal=flat)
    assert fit.form < associate(Shape(shape), points, plane_normal=flat).form
    assert fit.certificate.residual < 1e-7


def test_the_gap_and_the_block_of_a_width():
    points, _ = cloud("width")
    gap, block = associate(Shape.WIDTH, points, MI), associate(Shape.WIDTH, points, MC)
    assert gap.feature.width < 10 < block.feature.width
    assert gap.residuals.min() >= -1e-9
    assert block.residuals.max() <= 1e-9


@pytest.mark.parametrize("shape", ["plane", "circle", "sphere", "cylinder", "cone20", "torus", "ellipse", "line"])
def test_the_covariance_is_the_scatter_of_repeated_measurements(shape):
    """Against 300 repetitions with fresh noise."""
    rng = np.random.default_rng(4)
    name = shape.rstrip("0123456789")
    points, normal = cloud(shape, noise=1e-9) if shape != "line" else cloud(shape)
    flat = normal if shape in ("circle", "ellipse") else None
    exact = associate(Shape(name), points, plane_normal=flat)
    found, said = [], []
    for _ in range(300):
        noisy = points + exact.feature.outward(points) * rng.normal(0, 0.01, (len(points), 1))
        if shape == "line":
            x, y, _ = exact.feature.pose.axes
            noisy = points + rng.normal(0, 0.01, (len(points), 1)) * x + rng.normal(0, 0.01, (len(points), 1)) * y
        fit = associate(Shape(name), noisy, start=exact.feature, plane_normal=flat).turned_like(exact.feature)
        found.append(np.concatenate([np.atleast_1d(v) for v in fit.feature.parameters.values()]))
        said.append(np.sqrt(np.maximum(np.diag(fit.covariance), 0)))
    spread, expected = np.std(found, axis=0), np.median(said, axis=0)
    factor = np.sqrt(2) if shape == "line" else 1.0  # the made line has scatter of its own
    assert_allclose(expected, spread * factor, rtol=0.25, atol=1e-4 * spread.max())
    assert len(fit.parameter_names) == len(spread)


def test_strays_are_left_out_and_can_be_seen():
    points, _ = cloud("cylinder", n=500)
    bad = points.copy()
    bad[::50] += 0.7
    fit = associate(Shape.CYLINDER, bad, reject=4.0)
    clean = associate(Shape.CYLINDER, np.delete(points, np.s_[::50], axis=0))
    left_out = np.flatnonzero(~fit.rejection.kept)
    assert set(np.arange(0, 500, 50)) - set(left_out) <= {r for r in range(0, 500, 50) if abs(
        clean.feature.distances(bad[r : r + 1])[0]) <= fit.rejection.limit}  # fmt: skip
    assert fit.points_used + fit.points_rejected == 500
    assert_allclose(fit.feature.radius, clean.feature.radius, atol=2e-3)
    assert fit.rejection.limit == pytest.approx(4 * fit.rejection.scale)


def test_an_arc_too_short_for_its_noise_is_refused_in_words():
    points, normal = cloud("circle", arc=0.05, noise=0.02)
    with pytest.raises(IndeterminateError, match=r"too short for its noise.*hold the radius"):
        associate(Shape.CIRCLE, points, plane_normal=normal)
    held = associate(Shape.CIRCLE, points, plane_normal=normal, constraints=Constraints(radius=20.0))
    assert held.feature.radius == pytest.approx(20.0, abs=1e-12)


def test_what_is_missing_is_said():
    rng = np.random.default_rng(0)
    ring = np.column_stack([np.cos(u := np.linspace(0, 6, 30)), np.sin(u), 0 * u])
    with pytest.raises(AssociationError) as caught:
        associate(Shape.CYLINDER, np.vstack([ring * 10]))
    assert "spread them" in str(caught.value) or "resemble" in str(caught.value)
    with pytest.raises((ConvergenceError, IndeterminateError)):
        associate(Shape.CONE, rng.normal(size=(40, 3)) * [1, 1, 1e-12])
    with pytest.raises(AssociationError, match="do not surround"):
        associate(Shape.CIRCLE, ring[:6] * 10, MI)


@pytest.mark.parametrize("shape", list(Shape))
def test_every_offered_criterion_works(shape):
    if shape == "point":
        fit = associate(shape, np.arange(12.0).reshape(4, 3))
        assert_allclose(fit.feature.center, [4.5, 5.5, 6.5])
        assert fit.standard_deviation("center x") > 0
        return
    points, normal = cloud(str(shape))
    flat = normal if shape in ("circle", "ellipse", "slot", "square_slot") else None
    for criterion in criteria_for(shape):
        if shape == "line" and criterion == OUT:
            flat = np.cross(normal, [0.2, 0.4, 0.9])
        fit = associate(shape, points, criterion, plane_normal=flat)
        assert fit.criterion == criterion
        assert 0 <= fit.form < 0.3
        assert fit.points_used == len(points)


def test_a_line_in_a_plane_has_signed_residuals():
    x = np.linspace(0, 10, 11)
    points = np.column_stack([x, 0.01 * (-1) ** np.arange(11), np.random.default_rng(0).normal(0, 5, 11)])
    fit = associate(Shape.LINE, points, plane_normal=np.array([0, 0, 1.0]))
    assert fit.residuals.min() < 0 < fit.residuals.max()
    narrow = associate(Shape.LINE, points, MZ, plane_normal=np.array([0, 0, 1.0]))
    assert narrow.form == pytest.approx(0.02, abs=1e-12)
    touching = associate(Shape.LINE, points, OUT, plane_normal=np.array([0, 0, 1.0]))
    assert min(abs(touching.residuals.max()), abs(touching.residuals.min())) < 1e-12
