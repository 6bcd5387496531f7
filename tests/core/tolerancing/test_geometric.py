"""Every geometrical tolerance on made geometry whose answer follows by hand; both standards where they differ."""

import numpy as np
import pytest
from tests.core.tolerancing.made import (
    X,
    Z,
    ball,
    flat,
    hole,
    hole_at,
    of,
    plane,
    plane_grid,
    request,
    ring_points,
    system,
    upright,
    use,
)

from truegauge.core.association.features import Cone, Cylinder, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import ExtractionSettings, measure
from truegauge.core.tolerancing.geometric import evaluate, evaluate_together
from truegauge.core.tolerancing.zone import Zone

BOTH = pytest.mark.parametrize("standard", ["ISO", "ASME"])


def base():
    return flat(0.0, -Z)


def abc():
    """Three square planes: z = 0, x = 0, y = 0."""
    g = plane_grid((-20, 20), (0, 20))
    side = plane((0, 0, 10), (0, -1, 0), np.column_stack([g[:, 0], 0 * g[:, 0], g[:, 1]]))
    return system(use("A", base()), use("B", upright()), use("C", side))


def value(*args, **more):
    return evaluate(request(*args, **more)).value


# Position ----------------------------------------------------------------------------------------------------------


@BOTH
def test_position_of_an_axis_is_twice_its_offset(standard):
    """Off by (0.03, 0.04): 2 x 0.05 (ISO 1101 17.13; ASME Y14.5 10.2)."""
    found = evaluate(request("position", [hole_at(10.03, 5.04, 4.0, true=(10, 5))], abc(), standard=standard))
    assert found.value == pytest.approx(0.1, abs=1e-9)
    offset = found.sketch.offsets[found.sketch.worst]
    assert offset == pytest.approx([0.03, 0.04, 0], abs=1e-9)


@BOTH
def test_position_of_a_tilted_axis_counts_its_worst_end(standard):
    """Tilted by 0.004 over 20 mm, the middle in place: 2 x 0.004 x 10."""
    assert value("position", [hole_at(10, 5, 4.0, tilt=0.004)], abc(), standard=standard) == pytest.approx(
        0.08, abs=2e-5
    )


def test_position_of_a_bent_hole_differs_between_the_standards():
    """The middle line x = c (z/h)^2: ISO sees its end, 2 c; ASME the axis of the inscribed cylinder at c/2: c."""
    c, h = 0.04, 10.0
    points = ring_points(4.0, np.linspace(-h, h, 9), 48, lambda z: (10 + c * (z / h) ** 2, 5))
    bent = hole(10, 5, 4.0, points)
    assert value("position", [bent], abc()) == pytest.approx(2 * c, abs=1e-6)
    assert value("position", [bent], abc(), standard="ASME") == pytest.approx(c, abs=2e-4)


def test_position_in_zones_of_other_shapes():
    """Planes across x: 2 x 0.03; across y: 2 x 0.04; a rectangle 0.2 x 0.1 counts its second side double."""
    off = [hole_at(10.03, 5.04, 4.0, true=(10, 5))]
    across = Zone(shape="planes", direction=(1.0, 0.0, 0.0))
    assert value("position", off, abc(), zone=across) == pytest.approx(0.06, abs=1e-9)
    assert value("position", off, abc(), zone=across.replace(direction=(0.0, 1.0, 0.0))) == pytest.approx(
        0.08, abs=1e-9
    )
    box = Zone(shape="rectangle", direction=(1.0, 0.0, 0.0), second=0.1)
    assert value("position", off, abc(), zone=box, tolerance=0.2) == pytest.approx(0.16, abs=1e-9)
    with pytest.raises(EvaluationError, match="needs a direction"):
        value("position", off, abc(), zone=Zone(shape="planes"))
    with pytest.raises(EvaluationError, match="along the axis"):
        value("position", off, abc(), zone=Zone(shape="planes", direction=(0.0, 0.0, 1.0)))


@BOTH
def test_position_of_a_ball_is_in_a_sphere(standard):
    off = ball((10, 5, 8), 3.0, (10.02, 5.01, 8.02))
    assert value("position", [off], abc(), standard=standard) == pytest.approx(0.06, abs=1e-9)
    upright_zone = Zone(shape="cylinder", direction=(0.0, 0.0, 1.0))
    assert value("position", [off], abc(), zone=upright_zone) == pytest.approx(2 * 0.0005**0.5, abs=1e-9)


def test_a_socket_that_surrounds_less_than_half_a_ball_has_no_mating_envelope():
    """ASME then judges the associated centre, and says so."""
    turns = np.arange(12) * np.pi / 6
    rings = [(np.sin(t), np.cos(t)) for t in (0.2, 0.6, 1.0, 1.4)]
    below = np.array([(s * np.cos(a), s * np.sin(a), -c) for s, c in rings for a in turns])
    center = np.array([10.0, 5.0, 8.0])
    socket = of(Nominal(Sphere(center, 6.0), -1, 12.0, center), center + [0.02, 0.0, 0.0] + 6.0 * below)
    found = evaluate(request("position", [socket], abc(), standard="ASME"))
    assert found.value == pytest.approx(0.04, abs=1e-6)
    assert "no mating envelope" in found.association


def test_position_of_a_plane_and_of_a_slot():
    """A plane 0.03 too high: 0.06. A slot whose middle is 0.02 off: 0.04, whatever its width."""
    assert value("position", [flat(12.0, Z, height=lambda x, y: 0.03)], abc()) == pytest.approx(0.06, abs=1e-9)
    slot = (upright(10.0, X, off=0.05), upright(20.0, -X, off=-0.01))
    assert value("position", [slot], abc()) == pytest.approx(0.04, abs=1e-9)


def test_a_projected_zone_is_judged_outside_the_part():
    """Tilted by 0.004, in place at the top (z = 10); projected 30 mm: 2 x 0.004 x 30."""
    points = ring_points(4.0, np.linspace(-10, 10, 9), 24, lambda z: (10 + 0.004 * (z - 10), 5))
    tilted = hole(10, 5, 4.0, points)
    top = system(use("A", flat(10.0, Z)), use("B", upright()), use("C", plane_side()))
    assert value("position", [tilted], top, zone=Zone(projected=30.0)) == pytest.approx(0.24, abs=2e-5)


def plane_side():
    g = plane_grid((-20, 20), (0, 20))
    return plane((0, 0, 10), (0, -1, 0), np.column_stack([g[:, 0], 0 * g[:, 0], g[:, 1]]))


# Patterns ----------------------------------------------------------------------------------------------------------


def pattern(*moves, tilt=0.0):
    true = [(20, 0), (0, 20), (-20, 0), (0, -20)]
    return [hole_at(x + dx, y + dy, 3.0, true=(x, y)) for (x, y), (dx, dy) in zip(true, moves, strict=True)]


def test_a_pattern_without_datums_is_judged_for_itself():
    """Two opposite holes d too far apart: each d/2 off, d in all. Moved and turned as a whole: nothing is left."""
    d = 0.06
    wide = pattern((d / 2, 0), (0, 0), (-d / 2, 0), (0, 0))
    assert value("position", wide, zone=Zone(together=True)) == pytest.approx(d, abs=1e-6)
    a = 0.003
    turned = pattern((0.1, 20 * a), (0.1 - 20 * a, 0), (0.1, -20 * a), (0.1 + 20 * a, 0))
    assert value("position", turned, zone=Zone(together=True)) == pytest.approx(20 * a**2, abs=1e-4)


def test_together_is_the_rule_in_asme_and_is_stated_in_iso():
    """With only the base as datum: apart, each hole finds its place."""
    wide = pattern((0.03, 0), (0, 0), (-0.03, 0), (0, 0))
    on_base = system(use("A", base()))
    assert value("position", wide, on_base) == pytest.approx(0.0, abs=1e-9)
    assert value("position", wide, on_base, standard="ASME") == pytest.approx(0.06, abs=1e-6)


def test_tiers_of_a_frame_refit_the_pattern():
    """The whole pattern 0.2 off and turned: the upper tier sees it, a lower one on A only what remains."""
    moved = pattern((0.2, 0), (0.2, 0), (0.2, 0.04), (0.2, 0))
    full, together = abc(), Zone(together=True)
    assert value("position", moved, full, zone=together) == pytest.approx(2 * np.hypot(0.2, 0.04), abs=1e-6)
    lower = value("position", moved, system(use("A", base())), zone=together)
    # One hole is 0.04 off in a direction that shift and turn share: brute force below checks such numbers too.
    assert 0.01 < lower < 0.04
    orienting = system(use("A", base()), use("B", upright(), orients=True))
    between = value("position", moved, orienting, zone=together)
    assert lower <= between <= 0.08


def test_simultaneous_requirements_share_the_shift():
    """Two patterns, each 0.1 off the other way: apart both fit, together each is 0.1 off the middle."""
    b = hole_at(0, 0, 5.0, outward=1, size=4.9)
    loose = system(use("A", base()), use("B", b, material="M", sizes=(10.0,)))
    one = request("position", [hole_at(20.05, 0, 3.0, true=(20, 0))], loose, tolerance=0.2)
    other = request("position", [hole_at(-20.05, 0, 3.0, true=(-20, 0))], loose, tolerance=0.2)
    assert evaluate(one).value == pytest.approx(0.0, abs=1e-6)
    together = evaluate_together([one, other])
    assert [o.value for o in together] == pytest.approx([0.1, 0.1], abs=1e-6)


# Maximum and least material ----------------------------------------------------------------------------------------


@BOTH
def test_maximum_material_adds_what_the_hole_is_larger(standard):
    """Hole 10.05, limits 10.0 to 10.2; 0.04 off: value 0.08, bonus 0.05 (ISO 2692; ASME Y14.5 5.9)."""
    found = evaluate(
        request("position", [hole_at(10.04, 5, 5.0, true=(10, 5), size=5.025)], abc(), modifiers=("M",),
                sizes=[(10.0, 10.2)], standard=standard)
    )  # fmt: skip
    assert found.value == pytest.approx(0.08, abs=1e-6)
    assert found.bonus == pytest.approx(0.05, abs=1e-6)


def test_a_small_hole_in_a_cloud_is_judged_all_around():
    """Means over 2.5 mm leave gaps of 50 degrees on a hole of 5.5 mm: the largest deviation is between them."""
    rng = np.random.default_rng(4)
    a, z = rng.uniform(0, 2 * np.pi, 480), rng.uniform(-8, 8, 480)
    r = 2.75 + rng.normal(size=480) * 0.008
    points = np.column_stack([10.18 + r * np.cos(a), 5 + r * np.sin(a), z])
    nominal = Nominal(Cylinder(np.array([10.0, 5.0, 0.0]), Z, 2.75), -1, 16.0, np.array([10.0, 5.0, 0.0]))
    scanned = measure(nominal, points, np.arange(480), ExtractionSettings())
    found = evaluate(request("position", [scanned], abc(), modifiers=("M",), sizes=[(5.4, 5.6)]))
    assert found.value == pytest.approx(0.36, abs=0.006)
    assert found.bonus == pytest.approx(0.1, abs=0.012)
    assert value("profile_surface", [scanned], abc()) == pytest.approx(0.36, abs=0.015)


def test_maximum_material_of_a_shaft_and_a_slot_and_least_material():
    shaft = hole_at(10.04, 5, 5.0, true=(10, 5), size=4.98, outward=1)
    found = evaluate(request("position", [shaft], abc(), modifiers=("M",), sizes=[(9.9, 10.0)]))
    assert (found.value, found.bonus) == (pytest.approx(0.08, abs=1e-6), pytest.approx(0.04, abs=1e-6))
    slot = (upright(10.0, X, off=-0.03), upright(20.0, -X, off=0.07))  # 10.1 wide, 0.02 off
    found = evaluate(request("position", [slot], abc(), modifiers=("M",), sizes=[(10.0, 10.2)]))
    assert (found.value, found.bonus) == (pytest.approx(0.04, abs=1e-6), pytest.approx(0.1, abs=1e-6))
    least = evaluate(
        request("position", [hole_at(10.04, 5, 5.0, true=(10, 5), size=5.025)], abc(), modifiers=("L",),
                sizes=[(10.0, 10.2)])
    )  # fmt: skip
    assert (least.value, least.bonus) == (pytest.approx(0.08, abs=1e-6), pytest.approx(0.15, abs=1e-6))


def test_a_material_modifier_needs_a_size_and_says_so():
    with pytest.raises(EvaluationError, match="no size tolerance"):
        value("position", [hole_at(10, 5, 5.0)], abc(), modifiers=("M",))
    with pytest.raises(EvaluationError, match="no feature of size"):
        value("position", [flat(12.0, Z)], abc(), modifiers=("M",), sizes=[(1.0, 2.0)])


# Orientation -------------------------------------------------------------------------------------------------------


def test_orientation_of_planes():
    """Leaning 0.002 over 20 mm: 0.04 to the base (a turn about its normal is free); parallel: tilt over 40 mm."""
    on_base = system(use("A", base()))
    assert value("perpendicularity", [upright(lean=0.002, turn=0.01)], on_base) == pytest.approx(0.04, abs=1e-5)
    tilted = flat(12.0, Z, height=lambda x, y: 0.001 * x)
    assert value("parallelism", [tilted], on_base) == pytest.approx(0.04, abs=1e-9)


def test_orientation_of_axes():
    """Over 20 mm with 0.004: a cylinder of 0.08 to the base; planes of 0.08 beside a datum plane or across an axis."""
    on_base = system(use("A", base()))
    assert value("perpendicularity", [hole_at(10, 5, 4.0, tilt=0.004)], on_base) == pytest.approx(0.08, abs=2e-5)
    along_z = system(use("A", upright()))
    assert value("parallelism", [hole_at(10, 5, 4.0, tilt=0.004)], along_z) == pytest.approx(0.08, abs=2e-5)
    # The same tilt in the other direction: in the plane of the zone, seen only in a cylinder or in stated planes.
    sideways = hole(10, 5, 4.0, ring_points(4.0, np.linspace(-10, 10, 9), 24, lambda z: (10, 5 + 0.004 * z)))
    assert value("parallelism", [sideways], along_z) == pytest.approx(0.0, abs=1e-6)
    on_axis = system(use("A", hole_at(0, 0, 8.0)))
    assert value("parallelism", [hole_at(10, 5, 4.0, tilt=0.004)], on_axis) == pytest.approx(0.08, abs=2e-5)
    # Beside an axis and a plane, the zone between planes in each of two directions.
    framed = system(use("A", hole_at(0, 0, 8.0)), use("B", upright(10.0)))
    for direction, expected in (((1.0, 0.0, 0.0), 0.08), ((0.0, 1.0, 0.0), 0.0)):
        zone = Zone(shape="planes", direction=direction)
        assert value("parallelism", [hole_at(10, 5, 4.0, tilt=0.004)], framed, zone=zone) == pytest.approx(
            expected, abs=2e-5
        )


def test_angularity_is_held_by_the_angle_of_the_part():
    """A face at 30 degrees, 20 mm wide, tilted by 0.002 rad more: 0.04."""
    a = np.radians(30)
    g = plane_grid((-20, 20), (-10, 10))

    def slope(angle):
        across = np.array([np.cos(angle), 0, np.sin(angle)])
        return np.array([0, 0, 10.0]) + g[:, :1] * [0, 1, 0] + g[:, 1:] * across

    normal = [-np.sin(a), 0, np.cos(a)]
    on_base = system(use("A", base()))
    assert value("angularity", [plane((0, 0, 10), normal, slope(a))], on_base) == pytest.approx(0.0, abs=1e-9)
    found = value("angularity", [plane((0, 0, 10), normal, slope(a + 0.002))], on_base)
    assert found == pytest.approx(20 * np.sin(0.002), abs=1e-6)


def test_the_tangent_plane_leaves_out_the_form():
    """A bowl of 0.05 that lies level: 0.05 by its points, nothing by the plane that touches its rim."""
    bowl = flat(12.0, Z, height=lambda x, y: 0.05 * ((x / 20) ** 2 + (y / 20) ** 2 - 2) / 2)
    on_base = system(use("A", base()))
    assert value("parallelism", [bowl], on_base) == pytest.approx(0.05, abs=1e-9)
    assert value("parallelism", [bowl], on_base, modifiers=("T",)) == pytest.approx(0.0, abs=1e-9)


def test_what_needs_a_datum_says_so():
    for kind in ("perpendicularity", "coaxiality", "concentricity", "symmetry"):
        with pytest.raises(EvaluationError, match="needs a datum"):
            value(kind, [hole_at(0, 0, 4.0)])


# Coaxiality, symmetry, straightness of an axis -----------------------------------------------------------------------


@BOTH
def test_coaxiality_and_concentricity_are_twice_the_offset(standard):
    about = system(use("A", hole_at(0, 0, 8.0)))
    off = hole_at(0.03, 0.0, 4.0, true=(0, 0))
    assert value("coaxiality", [off], about, standard=standard) == pytest.approx(0.06, abs=1e-9)
    assert value("concentricity", [off], about, standard=standard) == pytest.approx(0.06, abs=1e-4)


def test_concentricity_of_a_three_lobed_bore_differs_between_the_standards():
    """r = R + e cos 3a: centres of circles are in place (ISO 0); middles of opposite elements lie e off (ASME 2 e)."""
    e = 0.02
    lobed = hole(0, 0, 4.0, ring_points(lambda a, z: 4.0 + e * np.cos(3 * a), np.linspace(-10, 10, 9), 36))
    about = system(use("A", hole_at(0, 0, 8.0)))
    assert value("concentricity", [lobed], about) == pytest.approx(0.0, abs=1e-6)
    assert value("concentricity", [lobed], about, standard="ASME") == pytest.approx(2 * e, abs=2e-4)


def test_symmetry_of_a_slot_to_a_width():
    """The slot's middle 0.015 beside that of the outer faces: 0.03."""
    from tests.core.tolerancing.made import width_part

    from truegauge.core.datums.given import SystemDatum

    outer = SystemDatum("A", (width_part(upright(-20.0, -X), upright(20.0, X, off=0.1)),))
    slot = (upright(-5.0, X, off=0.065), upright(5.0, -X, off=0.065))  # the middle of the outer faces is at 0.05
    assert value("symmetry", [slot], system(outer)) == pytest.approx(0.03, abs=1e-9)


def test_straightness_of_an_axis_is_the_narrowest_cylinder_about_it():
    c, h = 0.04, 10.0
    points = ring_points(4.0, np.linspace(-h, h, 9), 24, lambda z: (c * (z / h) ** 2, 0))
    assert value("axis_straightness", [hole(0, 0, 4.0, points)]) == pytest.approx(c, abs=1e-6)


# Profiles ----------------------------------------------------------------------------------------------------------


def test_profile_of_a_surface_is_twice_the_largest_deviation():
    """A bump of 0.03 on a plane in place: 0.06 with datums. In a zone moved out by 0.02 (UZ): 2 x 0.02 where flat."""
    bumped = flat(12.0, Z, height=lambda x, y: 0.03 if (x, y) == (0.0, 0.0) else 0.0)
    assert value("profile_surface", [bumped], abc()) == pytest.approx(0.06, abs=1e-9)
    assert value("profile_surface", [bumped], abc(), zone=Zone(offset=0.02)) == pytest.approx(0.04, abs=1e-9)
    # Without datums the zone follows the surface: 0.03 wide.
    assert value("profile_surface", [bumped]) == pytest.approx(0.03, abs=1e-9)


def test_a_zone_that_varies_counts_by_its_local_width():
    """0.1 at x = -20 growing to 0.3 at 20; a deviation of 0.03 in the middle (width 0.2) is 0.3 of it: 0.03 of 0.1."""
    bumped = flat(12.0, Z, height=lambda x, y: 0.03 if (x, y) == (0.0, 0.0) else 0.0)
    zone = Zone(end=0.3, direction=(1.0, 0.0, 0.0))
    assert value("profile_surface", [bumped], abc(), zone=zone, tolerance=0.1) == pytest.approx(0.03, abs=1e-9)
    with pytest.raises(EvaluationError, match="needs a direction"):
        value("profile_surface", [bumped], abc(), zone=Zone(end=0.3), tolerance=0.1)


def test_united_features_share_their_zone():
    """Two faces of one plane, 0.04 apart in height: apart each is flat, together 0.04."""
    low, high = (flat(12.0, Z, x=x, height=lambda x, y: 0.04 * (x > 0)) for x in ((-20, -2), (2, 20)))
    assert value("profile_surface", [low, high]) == pytest.approx(0.0, abs=1e-9)
    united = value("profile_surface", [low, high], zone=Zone(together=True))
    # Turned evenly: heights 0 and 0.04 over +-20 leave what a tilt cannot take away.
    t = 0.04 / 40
    assert united == pytest.approx(0.04 - 4 * t * 2 * 0.5 - 0.0, abs=0.04)
    assert united > 0.001
    assert value("profile_surface", [low, high], abc(), zone=Zone(together=True)) == pytest.approx(0.08, abs=1e-9)


def test_profile_of_lines_follows_each_line():
    """A plane tilted along x by 0.001: each line across x is straight and in the plane of its zone; with datums not."""
    tilted = flat(12.0, Z, height=lambda x, y: 0.001 * x)
    lines = Zone(direction=(1.0, 0.0, 0.0))
    assert value("profile_line", [tilted], zone=lines) == pytest.approx(0.0, abs=1e-9)
    assert value("profile_line", [tilted], abc(), zone=lines) == pytest.approx(0.04, abs=1e-9)


# Run-outs ----------------------------------------------------------------------------------------------------------


def test_run_outs_of_a_shaft():
    """0.03 off: 0.06. A taper of 0.05 in radius over its length only runs out in all, not in a circle."""
    about = system(use("A", hole_at(0, 0, 8.0, outward=1)))
    off = hole_at(0.03, 0.0, 4.0, true=(0, 0), outward=1, around=36)
    assert value("circular_runout", [off], about) == pytest.approx(0.06, abs=1e-5)
    taper = hole(
        0, 0, 4.0, ring_points(lambda a, z: 4.0 + 0.05 * (z + 10) / 20, np.linspace(-10, 10, 9), 36), outward=1
    )
    assert value("circular_runout", [taper], about) == pytest.approx(0.0, abs=1e-6)
    assert value("total_runout", [taper], about) == pytest.approx(0.05, abs=1e-6)


def test_run_outs_of_a_face():
    """Tilted by 0.002: 2 r x 0.002 at radius r; a dish of 0.03 only in all."""
    about = system(use("A", hole_at(0, 0, 8.0, outward=1)))
    rings = [(r * np.cos(a), r * np.sin(a)) for r in (5, 10, 15) for a in np.arange(24) * np.pi / 12]
    tilted = plane((0, 0, 12), Z, [(x, y, 12 + 0.002 * x) for x, y in rings])
    assert value("circular_runout", [tilted], about) == pytest.approx(0.06, abs=1e-6)
    dish = plane((0, 0, 12), Z, [(x, y, 12 + 0.03 * (np.hypot(x, y) > 12)) for x, y in rings])
    assert value("circular_runout", [dish], about) == pytest.approx(0.0, abs=1e-9)
    assert value("total_runout", [dish], about) == pytest.approx(0.03, abs=1e-9)


def test_run_out_of_a_cone_is_read_square_to_its_surface():
    """Off by 0.03 at a half angle of 30 degrees: 2 x 0.03 x cos 30."""
    about = system(use("A", hole_at(0, 0, 8.0, outward=1)))
    t = np.tan(np.radians(30))
    points = ring_points(lambda a, z: z * t, np.linspace(10, 20, 6), 36, lambda z: (0.03, 0))
    cone = of(Nominal(Cone(np.zeros(3), Z, np.radians(30)), 1, 10.0, np.array([0, 0, 15.0])), points)
    assert value("circular_runout", [cone], about) == pytest.approx(0.06 * np.cos(np.radians(30)), abs=2e-4)


def test_run_out_needs_an_axis():
    with pytest.raises(EvaluationError, match="needs a datum axis"):
        value("circular_runout", [hole_at(0, 0, 4.0)], abc())
