import numpy as np
import pytest
from pydantic import ValidationError

from truegauge.core.deviations.areas import areas_outside, face_statistics, histogram
from truegauge.core.deviations.deviation_map import MapMesh
from truegauge.core.deviations.map_scale import DeviationScale, FaceTolerance
from truegauge.core.deviations.shown import is_outside, shown_values, vertex_tolerances
from truegauge.palette import NEUTRAL, colors_of, rgb, scale_bands


def square(side=41, size=40.0):
    """Return an even mesh of a square of two faces, split in its middle."""
    at = np.linspace(0, size, side)
    x, y = (v.ravel() for v in np.meshgrid(at, at, indexing="ij"))
    n = np.arange(side * side).reshape(side, side)
    a, b, c, d = (v.ravel() for v in (n[:-1, :-1], n[1:, :-1], n[1:, 1:], n[:-1, 1:]))
    triangles = np.vstack([np.column_stack([a, b, c]), np.column_stack([a, c, d])])
    vertices = np.column_stack([x, y, np.zeros(len(x))])
    normals = np.tile([0.0, 0.0, 1.0], (len(x), 1))
    return MapMesh(vertices, normals, triangles, (x > size / 2).astype(np.int64), size / (side - 1))


def test_steps_are_as_many_as_asked_for_with_edges_at_the_tolerance():
    b = scale_bands(DeviationScale(limit=0.2, tolerance=0.05, inner=7, outer=4))
    assert len(b.colors) == 7 + 2 * 4
    assert np.isclose(b.edges, 0.05).sum() == np.isclose(b.edges, -0.05).sum() == 1
    assert len(set(b.colors)) == len(b.colors)


@pytest.mark.parametrize(("sided", "ends"), [("plus", (0.0, 0.2)), ("minus", (-0.2, 0.0))])
def test_one_sided_scales_start_at_zero_and_look_at_one_side(sided, ends):
    scale = DeviationScale(limit=0.2, tolerance=0.05, sided=sided)
    b = scale_bands(scale)
    assert (b.edges[0], b.edges[-1]) == ends
    out = is_outside(np.array([-0.1, 0.0, 0.1, np.nan]), np.full(4, 0.05), scale)
    assert out.tolist() == ([False, False, True, False] if sided == "plus" else [True, False, False, False])


def test_own_edges_and_colours_are_taken_as_they_are():
    scale = DeviationScale(edges=(-0.3, -0.1, 0.02, 0.4), colors=("#102030", "#FFFFFF", "#A0B0C0"))
    assert scale_bands(scale).colors == (rgb("#102030"), rgb("#FFFFFF"), rgb("#A0B0C0"))
    shown = colors_of(np.array([-9.0, -0.2, 0.0, 0.3, 9.0]), scale)
    assert [tuple(c) for c in shown] == [rgb(c) for c in ("#102030", "#102030", "#FFFFFF", "#A0B0C0", "#A0B0C0")]


def test_only_outside_leaves_the_band_without_colour():
    b = scale_bands(DeviationScale(only_outside=True))
    for color, low, high in zip(b.colors, b.edges, b.edges[1:], strict=False):
        assert (color == rgb(NEUTRAL)) == (abs((low + high) / 2) < 0.05)


@pytest.mark.parametrize("palette", ["indigo", "teal", "plum", "print"])
def test_every_palette_gets_darker_on_both_sides_and_tells_them_apart(palette):
    colors = np.array(scale_bands(DeviationScale(palette=palette)).colors, dtype=float)
    light = colors @ [0.299, 0.587, 0.114]
    middle = len(light) // 2
    assert (np.diff(light[: middle + 1]) > 0).all()
    assert (np.diff(light[middle:]) < 0).all()
    assert np.abs(colors[0] - colors[-1]).max() > 40


@pytest.mark.parametrize(
    ("changes", "said"),
    [
        ({"tolerance": 0.3}, "wider than its limits"), ({"inner": 4}, "odd"), ({"edges": (0.1, 0.1)}, "grow"),
        ({"edges": (0.0, 0.1), "colors": ("#000000", "#000000")}, "1 colours"),
        ({"edges": (0.0, 0.1), "colors": ("red",)}, "#RRGGBB"),
    ],
)  # fmt: skip
def test_a_scale_that_makes_no_sense_says_why(changes, said):
    with pytest.raises(ValidationError, match=said):
        DeviationScale(limit=0.2).replace(**changes)


def test_faces_with_their_own_tolerance_are_shown_by_their_share_of_it():
    mesh = square()
    scale = DeviationScale(tolerance=0.05, own=(FaceTolerance(faces=(1,), tolerance=0.2),))
    assert set(np.round(vertex_tolerances(mesh, scale), 9)) == {0.05, 0.2}
    values = np.where(mesh.vertex_face == 1, 0.2, 0.05)
    assert shown_values(mesh, values, scale) == pytest.approx(np.full(len(values), 0.05))


def test_areas_outside_have_their_size_worst_place_and_order():
    mesh = square(81)
    x, y = mesh.vertices[:, 0], mesh.vertices[:, 1]
    values = np.zeros(len(x))
    values[np.hypot(x - 10, y - 10) <= 5] = 0.1
    values[np.hypot(x - 30, y - 30) <= 3] = -0.2
    values[np.hypot(x - 10.5, y - 9.5) < 0.8] = 0.3
    large, small = areas_outside(mesh, values, DeviationScale())
    assert large.size == pytest.approx(np.pi * 25, rel=0.1)
    assert small.size == pytest.approx(np.pi * 9, rel=0.15)
    assert (large.worst, small.worst) == (0.3, -0.2)
    assert (large.face, small.face) == (0, 1)
    assert np.hypot(*(large.place[:2] - [10.5, 9.5])) < 0.8
    assert areas_outside(mesh, values, DeviationScale(limit=1.0, tolerance=0.5)) == ()
    assert [a.worst for a in areas_outside(mesh, values, DeviationScale(sided="minus"))] == [-0.2]


def test_statistics_and_histogram_of_picked_faces(evaluation, plan):
    cloud = evaluation.cloud
    shroud, top = (plan.feature(i).faces for i in ("shroud", "top"))
    on_shroud = face_statistics(cloud.found, cloud.usable, shroud, 70, plan.scale)
    on_top = face_statistics(cloud.found, cloud.usable, top, 70, plan.scale)
    assert on_top.all.mean == pytest.approx(0.021, abs=0.003)  # 0.025 high, less what the best fit takes
    assert on_top.within > 0.99 > 0.95 > on_shroud.within
    shares = histogram(cloud.found, cloud.usable, top, (-0.1, 0.1))
    assert shares.sum() == pytest.approx(1.0, abs=0.01)
    assert np.argmax(shares) == pytest.approx(60 * (0.1 + 0.021) / 0.2, abs=2)
    assert face_statistics(cloud.found, cloud.usable & False, (), 70, plan.scale) is None
