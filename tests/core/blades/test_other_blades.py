"""Blades made otherwise than the demo's: edges that are sharp or cut off, several blades in one part."""

import numpy as np
import pytest
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeWire
from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
from OCP.GeomAPI import GeomAPI_Interpolate
from OCP.gp import gp_Pnt
from OCP.TColgp import TColgp_HArray1OfPnt
from OCP.TopoDS import TopoDS_Compound

from truegauge.core.blades.asked import Asked
from truegauge.core.blades.parameters import blade_of
from truegauge.core.blades.profile import Profile
from truegauge.core.blades.sections import sections_of
from truegauge.core.blades.told import blade_values
from truegauge.core.cad.projection import Projector
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.demo.housing_pmi import write_plain_step
from truegauge.drawing.blade_drawing import draw_edge
from truegauge.formats.part import read_part

HEIGHTS = (25.0, 60.0, 85.0)
THICK = 0.12  # of the chord


def sides(x, closing):
    """Upper and lower side of a section NACA 4412, 1 long; the last coefficient opens its trailing edge or not."""
    half = 5 * THICK * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 + closing * x**4)
    ahead = x < 0.4
    y = np.where(ahead, 0.25 * (0.8 * x - x**2), (0.2 + 0.8 * x - x**2) / 9)
    a = np.arctan(np.where(ahead, 0.5 * (0.4 - x), (0.8 - 2 * x) / 9))
    off = half[:, None] * np.column_stack([-np.sin(a), np.cos(a)])
    middle = np.column_stack([x, y])
    return middle + off, middle - off


def laid(flat, z):
    """Places of a section where it is in the blade: twisted and tapered."""
    a = 0.3 + 0.005 * z
    turn = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    return (40 - 0.1 * z) * (flat - [0.4, 0.0]) @ turn.T


def spline(places):
    array = TColgp_HArray1OfPnt(1, len(places))
    for k, place in enumerate(places.tolist(), 1):
        array.SetValue(k, gp_Pnt(*place))
    made = GeomAPI_Interpolate(array, False, 1e-9)
    made.Perform()
    return BRepBuilderAPI_MakeEdge(made.Curve()).Edge()


def solid(closing, aside=0.0):
    made = BRepOffsetAPI_ThruSections(True, False, 1e-7)
    for z in np.linspace(0.0, 100.0, 5):
        upper, lower = (np.column_stack([laid(p, z) + np.array([0.0, aside]), np.full(60, z)])
                        for p in sides((1 - np.cos(np.linspace(0, np.pi, 60))) / 2, closing))  # fmt: skip
        is_sharp = np.linalg.norm(upper[-1] - lower[-1]) < 1e-3
        lower[-1] = upper[-1] if is_sharp else lower[-1]
        wire = BRepBuilderAPI_MakeWire()
        wire.Add(spline(upper[::-1]))
        wire.Add(spline(lower))
        if not is_sharp:
            wire.Add(BRepBuilderAPI_MakeEdge(gp_Pnt(*lower[-1]), gp_Pnt(*upper[-1])).Edge())
        made.AddWire(wire.Wire())
    made.Build()
    return made.Shape()


def part_of(shape, path):
    write_plain_step(shape, path, "a blade")
    model = read_part(path)
    return model, Projector(model)


def scan_of(model, projector, noise=0.01, count=300_000):
    corners = model.mesh.vertices[model.mesh.triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    rng = np.random.default_rng(1)
    own, u = rng.choice(len(area), count, p=area / area.sum()), rng.random((count, 2))
    u = np.where(u.sum(axis=1, keepdims=True) > 1, 1 - u, u)
    a, b, c = corners[own].transpose(1, 0, 2)
    found = projector.deviations(a + u[:, :1] * (b - a) + u[:, 1:] * (c - a))
    return found.feet_at(np.arange(count)) + noise * rng.normal(size=(count, 1)) * np.asarray(found.normals, float)


def true_values(closing, z):
    upper, lower = (laid(p, z) for p in sides((1 - np.cos(np.linspace(0, np.pi, 4001))) / 2, closing))
    x, y = np.vstack([upper[::-1], lower[1:]]).T
    area = abs(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) / 2
    tip = (upper[-1] + lower[-1]) / 2
    return {
        "area": area,
        "trailing_x": tip[0],
        "trailing_y": tip[1],
        "max_thickness": float(np.linalg.norm(upper - lower, axis=1).max()),
    }


@pytest.mark.parametrize("closing", [-0.1036, -0.1015, -0.0869])
def test_a_trailing_edge_may_be_sharp_or_cut_off(closing, tmp_path):
    """0, 0.25 and 2 percent of the chord thick: where the corners are is known, and a circle there is none."""
    model, projector = part_of(solid(closing), tmp_path / "blade.step")
    radius = 0.0 if closing == -0.1036 else np.nan
    for one in sections_of(model, projector, scan_of(model, projector), Asked(HEIGHTS)):
        assert one.problem == ""
        truth = true_values(closing, one.height)
        for name, value in truth.items():  # between the curves that it goes through the CAD is its own
            assert one.nominal_values[name] == pytest.approx(value, abs=0.01 if name == "area" else 2e-3), name
        for values in (one.nominal_values, one.values):
            assert values["trailing_radius"] == pytest.approx(radius, abs=1e-6, nan_ok=True)
            assert values["leading_radius"] == pytest.approx(values["leading_radius"])
        for name in ("chord_mean_line", "chord_angle", "axial_chord", "max_thickness", "area"):
            off = one.values[name] - one.nominal_values[name]
            assert abs(off) < 4 * one.uncertainties[name] + (5e-5 if name == "chord_angle" else 2e-3), name
            most = 0.06 if name == "area" or radius == 0.0 else 0.006  # a wedge tells little of where it ends
            assert one.uncertainties[name] < most, name
        cut_off = "the trailing edge is cut off: it has no radius"
        assert (cut_off in one.notes) == (closing != -0.1036)
        drawn = draw_edge(one.nominal, one, DeviationScale(), None, "after", trailing=True)
        assert not drawn.circles
        assert np.isfinite(drawn.box).all()


def bent(points, height):
    """Points (n, 2 or 3) whose trailing third is bent across, by 0.1 mm at the end; `height` (n,) or one."""
    a, long = 0.3 + 0.005 * height, 40 - 0.1 * height
    along, across = np.array([np.cos(a), np.sin(a)]), np.array([-np.sin(a), np.cos(a)])
    share = (points[:, 0] * along[0] + points[:, 1] * along[1]) / long + 0.4
    made = points.copy()
    made[:, :2] += 0.1 * np.square(np.clip((share - 0.6) / 0.4, 0.0, None))[:, None] * across.T
    return made


def test_a_bent_trailing_edge_is_found_where_it_is(tmp_path):
    """One side goes out, the other one in: at a corner they are told apart."""
    model, projector = part_of(solid(-0.0869), tmp_path / "blade.step")
    points = scan_of(model, projector)
    asked = Asked(HEIGHTS)
    for one in sections_of(model, projector, bent(points, points[:, 2]), asked):
        nominal = one.nominal.profile
        fine = np.sort(np.concatenate([nominal.places(3000), nominal.corners]))
        true = Profile.through(bent(nominal.at(fine), one.height), np.isin(fine, nominal.corners))
        truth = blade_values(blade_of(true, asked.ways(one.plane)), asked)
        assert abs(truth["trailing_y"] - one.nominal_values["trailing_y"]) > 0.05
        for name in ("chord_mean_line", "chord_angle", "axial_chord", "trailing_x", "trailing_y", "max_thickness"):
            off = abs(one.values[name] - truth[name])
            assert off < 4 * one.uncertainties[name] + (5e-5 if name == "chord_angle" else 1e-3), (name, off)


def test_a_sharp_edge_that_is_bent_by_more_than_it_is_thick_is_said(tmp_path):
    """There a point of one side lies nearest to the other one: what the edge would be is not told, or not sure."""
    model, projector = part_of(solid(-0.1036), tmp_path / "blade.step")
    points = scan_of(model, projector)
    for one in sections_of(model, projector, bent(points, points[:, 2]), Asked(HEIGHTS)):
        if one.problem:
            assert "bent by more than it is thick" in one.problem
        else:
            assert one.uncertainties["chord_mean_line"] > 0.05


def test_of_blades_side_by_side_the_one_at_the_stacking_axis_is_measured(tmp_path):
    """Where others have points, too, and none of them is taken for it."""
    made, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(made)
    for aside in (-24.0, 0.0, 24.0):
        builder.Add(made, solid(-0.1015, aside))
    model, projector = part_of(made, tmp_path / "three.step")
    points = scan_of(model, projector, count=400_000)
    for origin in (-24.0, 0.0, 24.0):
        for one in sections_of(model, projector, points, Asked(HEIGHTS, origin=(0.0, origin, 0.0))):
            assert one.problem == ""
            assert one.nominal_values["trailing_y"] == pytest.approx(
                true_values(-0.1015, one.height)["trailing_y"], abs=2e-3
            )
            assert np.ptp(one.points[:, 1]) < 24.0
            off = one.values["chord_mean_line"] - one.nominal_values["chord_mean_line"]
            assert abs(off) < 4 * one.uncertainties["chord_mean_line"]
