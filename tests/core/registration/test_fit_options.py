"""Best fit with weights, locks and other criteria, and the poses of symmetrical parts."""

import numpy as np
import pytest
from numpy.testing import assert_allclose
from tests.core.cad import kernel_files as cad

from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.prepared import prepare
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, from_rotation_vector, invert, rotation_vector
from truegauge.core.registration.align import AlignmentSettings, align
from truegauge.demo.scan_maker import InjectedError, ScanSettings, make_scan
from truegauge.formats.part import read_part

CLEAN = {"noise": 0.002, "table_share": 0.0, "outlier_share": 0.0}


@pytest.fixture(scope="module")
def make(tmp_path_factory):
    def made(shape, name):
        path = tmp_path_factory.mktemp("parts") / f"{name}.step"
        cad.write_step(shape, path)
        model = read_part(path)
        return model, Projector(model)

    return made


@pytest.fixture(scope="module")
def brick(make):
    """A block with a hole near one corner, in no way symmetrical."""
    return make(cad.cut(cad.box(0, 0, 0, 100, 60, 25), cad.cylinder(20, 15, -1, 6, 40)), "brick")


def facing(model, direction):
    planes = [f for f in model.faces if f.surface.kind == 0]
    return next(f.index for f in planes if f.surface.z @ direction * f.surface.outward > 0.99)


def scanned(part, errors=(), seed=1, points=30_000, **changes):
    model, projector = part
    settings = ScanSettings(points=points, seed=seed, errors=errors, **{**CLEAN, **changes})
    scan, truth = make_scan(model, projector, settings)
    return prepare(scan), np.array(truth["part_from_scan"])


@pytest.fixture(scope="module")
def high_top(brick):
    """The top is 0.06 mm high: an equal fit shares that, a weighted one does not."""
    top = facing(brick[0], [0, 0, 1])
    return scanned(brick, (InjectedError("high", (top,), lambda p, n: 0.06 * n, {}),)), top


def shift_of(result, truth):
    return (result.part_from_scan @ invert(truth))[:3, 3]


def test_chosen_faces_alone_are_fitted(brick, high_top):
    (cloud, truth), top = high_top
    equal = align(cloud, *brick, AlignmentSettings(trim=20))
    assert shift_of(equal, truth)[2] < -0.02
    weights = np.ones(len(brick[0].faces))
    weights[top] = 0.0
    without = align(cloud, *brick, AlignmentSettings(trim=20, face_weights=weights))
    assert abs(shift_of(without, truth)[2]) < 0.001
    weights[top] = 0.1
    less = align(cloud, *brick, AlignmentSettings(trim=20, face_weights=weights))
    assert shift_of(equal, truth)[2] < shift_of(less, truth)[2] < -0.002


def test_locked_freedoms_stay_as_they_were(brick):
    cloud, truth = scanned(brick)
    start = from_rotation_vector(np.array([0.001, -0.002, 0.003]), np.array([0.1, -0.2, 0.15])) @ truth
    locked = (False, False, True, True, True, False)
    result = align(cloud, *brick, AlignmentSettings(locked=locked, trim=20), start=start)
    motion = result.part_from_scan @ invert(start)
    assert_allclose(rotation_vector(motion)[:2], 0, atol=1e-12)
    assert abs(motion[2, 3]) < 1e-12
    assert abs(motion[0, 3]) > 0.01
    assert result.freedoms.holders == ("surfaces", "surfaces", "locked", "locked", "locked", "surfaces")
    free = align(cloud, *brick, start=start)
    assert np.abs(apply(free.part_from_scan @ invert(truth), brick[0].box) - brick[0].box).max() < 0.001
    with pytest.raises(RegistrationError, match="starts from another alignment"):
        align(cloud, *brick, AlignmentSettings(locked=locked))


def test_the_largest_deviation_is_made_as_small_as_can_be(brick):
    """A small raised patch: least squares hardly notices it, the smallest largest deviation is half its height."""
    top = facing(brick[0], [0, 0, 1])

    def patch(p, n):
        return n * (0.03 * (np.hypot(p[:, 0] - 70, p[:, 1] - 30) < 8))[:, None]

    cloud, truth = scanned(brick, (InjectedError("patch", (top,), patch, {}),))
    least = align(cloud, *brick, AlignmentSettings(trim=20))
    largest = align(cloud, *brick, AlignmentSettings(trim=20, criterion="largest"))
    assert least.largest > 0.030
    assert largest.largest < 0.024
    assert largest.rms > least.rms
    assert -0.018 < shift_of(largest, truth)[2] < -0.008


def test_as_many_points_as_can_be_are_brought_within_a_tolerance(brick):
    top = facing(brick[0], [0, 0, 1])
    cloud, _ = scanned(brick, (InjectedError("high", (top,), lambda p, n: 0.06 * n, {}),))
    found = {}
    for criterion in ("least_squares", "within"):
        result = align(cloud, *brick, AlignmentSettings(trim=6, criterion=criterion, tolerance=0.04))
        off = brick[1].deviations(apply(result.part_from_scan, cloud.points)).distance
        found[criterion] = int((np.abs(off) > 0.04).sum())
    assert found["within"] < 0.05 * found["least_squares"] + 10


@pytest.mark.parametrize(
    ("name", "shape", "count"),
    [
        ("cube", lambda: cad.box(0, 0, 0, 50, 50, 50), 24),
        ("block", lambda: cad.box(0, 0, 0, 90, 60, 20), 4),
        ("square plate with a hole", lambda: cad.cut(cad.box(0, 0, 0, 80, 80, 10), cad.cylinder(40, 40, -1, 9, 20)), 8),
    ],
)
def test_symmetrical_parts_list_all_their_poses(make, name, shape, count):
    part = make(shape(), name.replace(" ", "-"))
    cloud, _ = scanned(part, noise=0.01, points=20_000, table_share=0.1, outlier_share=0.005)
    result = align(cloud, *part)
    assert len(result.candidates) == count
    assert f"{count} poses fit equally well" in result.notes[0]
    another = align(cloud, *part, AlignmentSettings(candidate=count - 1))
    turned = another.part_from_scan @ invert(result.part_from_scan)
    assert np.linalg.norm(rotation_vector(turned)) > 1.0
    assert abs(another.rms - result.rms) < 0.05 * result.rms
    with pytest.raises(RegistrationError, match=f"only {count} poses"):
        align(cloud, *part, AlignmentSettings(candidate=count))


def test_a_turned_part_keeps_its_turn_and_says_so(make):
    shaft = cad.fuse(cad.cylinder(0, 0, 0, 15, 40), cad.cylinder(0, 0, 40, 9, 30))
    part = make(shaft, "shaft")
    cloud, truth = scanned(part, noise=0.01, points=20_000)
    result = align(cloud, *part)
    assert result.freedoms.free == ("turn about z",)
    assert any("do not tell the turn about z" in n for n in result.notes)
    ends = np.array([[0, 0, 0], [0, 0, 70.0]])
    assert np.abs(apply(result.part_from_scan @ invert(truth), ends) - ends).max() < 0.002


def test_a_mirrored_scan_is_called_mirrored(model, projector):
    scan, _ = make_scan(model, projector, ScanSettings(points=20_000, seed=2, table_share=0.0))
    result = align(prepare(scan * [1, 1, -1]), model, projector)
    assert not result.trusted
    assert "mirror" in result.doubts[0]
