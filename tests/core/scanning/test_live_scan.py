"""A scan as it comes: its map against the definition and the truth, chosen faces, alignment that comes late, advice."""

import numpy as np
import pytest

from truegauge.core.cad.model import SurfaceKind
from truegauge.core.evaluation.located import Lie
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.scanning.advice import Advice, Adviser, ScannerLimits
from truegauge.core.scanning.live_map import ENOUGH, LAST, LiveMap
from truegauge.core.scanning.live_scan import LiveScan
from truegauge.demo.faces import cylinder_at, plane_at
from truegauge.demo.housing_errors import housing_errors
from truegauge.demo.scan_maker import sample_surface


def test_a_vertex_has_the_median_of_the_last_points_of_its_own_face(model, projector):
    rng = np.random.default_rng(5)
    points, _normals, faces = sample_surface(model, projector, 6000, rng)
    off = rng.normal(0, 0.05, len(points))
    live = LiveMap(model, sides=20)
    mesh, told = live.mesh, [[] for _ in live.mesh.vertices]
    for at in range(0, len(points), 700):
        block = slice(at, at + 700)
        live.tell(points[block], faces[block].astype(np.int32), off[block])
    for point, face, value in zip(points, faces, off, strict=True):
        own = np.flatnonzero(mesh.vertex_face == face)
        told[own[np.argmin(np.linalg.norm(mesh.vertices[own] - point, axis=1))]].append(value)
    expected = [np.median(values[-LAST:]) if len(values) >= ENOUGH else np.nan for values in told]
    assert np.allclose(live.values, expected, rtol=0, atol=1e-12, equal_nan=True)
    assert 0.3 < live.coverage < 1.0


@pytest.fixture(scope="module")
def lines(model, projector):
    """Points of the made part in coordinates of a device, with beams, in blocks; and where the part lies."""
    rng = np.random.default_rng(8)
    points, normals, faces = sample_surface(model, projector, 90_000, rng)
    made = points.copy()
    for error in housing_errors(model):
        rows = np.isin(faces, error.faces)
        made[rows] += error.shift(points[rows], normals[rows])
    pose = random_rigid(rng, 400.0)
    order = rng.permutation(len(made))
    return apply(pose, made)[order], (normals @ pose[:3, :3].T)[order].astype(np.float32), pose


def fill(scan, lines):
    places, beams, _ = lines
    for at in range(0, len(places), 5000):
        scan.take(
            at / 1e5, places[at : at + 5000], beams[at : at + 5000], np.full(min(5000, len(places) - at), 120, np.uint8)
        )


def test_the_map_shows_what_is_wrong_with_the_part(model, projector, lines):
    scan = LiveScan(model, projector, Lie(invert(lines[2])), 0.4)
    fill(scan, lines)
    assert scan.came == len(lines[0])
    assert 0.7 < scan.map.coverage <= 1.0
    values, face = scan.map.values, scan.map.mesh.vertex_face
    for name, deviation in (("top face high", 0.025), ("main bore large", -0.006), ("boss small", -0.011)):
        faces = next(e.faces for e in housing_errors(model) if e.name == name)
        assert np.nanmedian(values[np.isin(face, faces)]) == pytest.approx(deviation, abs=1e-4)


def test_strays_do_not_show(model, projector, lines):
    scan = LiveScan(model, projector, Lie(invert(lines[2])), 0.4)
    places = lines[0].copy()
    strays = np.random.default_rng(1).random(len(places)) < 0.01
    places[strays] += 2.0 * lines[1][strays]
    fill(scan, (places, *lines[1:]))
    known = scan.map.values[np.isfinite(scan.map.values)]
    assert np.mean(np.abs(known) > 0.3) < 1e-3


def test_only_chosen_faces_are_scanned(model, projector, lines):
    faces = tuple(f.index for f in model.faces if f.surface.kind == SurfaceKind.CYLINDER)[:3]
    scan = LiveScan(model, projector, Lie(invert(lines[2])), 0.4, faces=faces)
    fill(scan, lines)
    found = projector.deviations(scan.lie.places(scan.grid.places))
    assert set(found.face.tolist()) == set(faces)
    assert np.isin(scan.map.mesh.vertex_face[np.isfinite(scan.map.values)], faces).all()
    assert scan.map.coverage > 0.2


def test_a_scan_that_is_aligned_later_has_the_same_map(model, projector, lines):
    """But for points of one cube: which is seen better is told by the part, where it is known."""
    first, later = (LiveScan(model, projector, lie, 0.1) for lie in (Lie(invert(lines[2])), None))
    for scan in (first, later):
        fill(scan, lines)
    assert not np.isfinite(later.map.values).any()
    assert later.map.coverage == 0
    later.set_lie(first.lie)
    both = np.isfinite(first.map.values) & np.isfinite(later.map.values)
    assert both.mean() > 0.25
    assert np.median(np.abs(first.map.values - later.map.values)[both]) < 0.002


def test_a_scan_of_a_warm_part_is_compared_at_the_reference_temperature(model, projector, lines):
    warm = 1.0002
    scan = LiveScan(model, projector, Lie(invert(lines[2]), 1 / warm), 0.5)
    fill(scan, (lines[0] * warm, *lines[1:]))
    top = next(e.faces for e in housing_errors(model) if e.name == "top face high")
    assert np.nanmedian(scan.map.values[np.isin(scan.map.mesh.vertex_face, top)]) == pytest.approx(0.025, abs=1e-4)


def test_more_points_than_may_be_kept_stay_on_the_map(model, projector, lines):
    scan = LiveScan(model, projector, Lie(invert(lines[2])), 0.2, most=20_000)
    fill(scan, lines)
    assert scan.grid.spacing > 0.2
    assert scan.grid.count <= 20_000
    assert scan.map.coverage > 0.4


def test_the_share_that_is_seen_is_that_of_the_area(model, projector):
    """One face is seen whole: its share of the facets' area, which the map does not use, and none of the others'."""
    rng, mesh = np.random.default_rng(9), model.mesh
    points, _, faces = sample_surface(model, projector, 600_000, rng)
    corners = mesh.vertices[mesh.triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    for face in (plane_at(model, (0, -1, 0), 0), cylinder_at(model, 21.0, 58.0, 45.0)):
        live = LiveMap(model)
        own = faces == face
        for _ in range(ENOUGH):  # each place is seen as often as it must be
            live.tell(points[own], faces[own].astype(np.int32), np.zeros(own.sum()))
        share = area[mesh.triangle_face == face].sum() / area.sum()
        assert live.coverage == pytest.approx(share, rel=0.05)
        assert share > 0.02


# Advice ---------------------------------------------------------------------------------------------------------------

LIMITS = ScannerLimits(near=70.0, far=150.0, lines_per_s=100.0)


def looked(adviser, *, off=110.0, angle=0.0, light=120, speed=20.0):
    """Look at a flat surface for half a second, as a scanner does."""
    beam = np.array([np.sin(angle), 0.0, np.cos(angle)])
    for k in range(20):
        t = k / 33
        at = np.array([speed * t, 0.0, 0.0]) + off * beam
        places = np.column_stack([np.full(50, speed * t), np.linspace(-20, 20, 50), np.zeros(50)])
        adviser.moved(t, at)
        adviser.looked(t, places, np.full(50, np.cos(angle)), np.full(50, light, np.uint8))
    return adviser.now()


@pytest.mark.parametrize(
    ("how", "advice"),
    [({}, None), ({"off": 146.0}, Advice.FAR), ({"off": 72.0}, Advice.NEAR), ({"speed": 90.0}, Advice.FAST),
     ({"angle": np.radians(70)}, Advice.STEEP), ({"light": 255}, Advice.BRIGHT), ({"light": 5}, Advice.DARK),
     ({"off": 146.0, "light": 5}, Advice.FAR)],
)  # fmt: skip
def test_what_is_to_be_minded_is_said(how, advice):
    assert looked(Adviser(LIMITS, 0.5), **how) is advice


def test_what_was_bad_a_second_ago_is_not_said_any_more():
    adviser = Adviser(LIMITS, 0.5)
    looked(adviser, light=255)
    for k in range(15):
        adviser.looked(1.0 + k / 33, np.zeros((5, 3)), None, np.full(5, 120, np.uint8))
    assert adviser.now() is None


def test_a_scanner_that_tells_nothing_of_itself_is_not_told_to_go_elsewhere():
    assert looked(Adviser(ScannerLimits(), 0.5), off=900.0, speed=400.0) is None
