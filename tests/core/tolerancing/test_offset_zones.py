"""Profiles whose offset is not stated (OZ), situation elements of datums, run-out in a stated direction."""

import numpy as np
import pytest
from scipy.optimize import minimize_scalar
from tests.core.tolerancing.made import (
    CENTER,
    LENGTH,
    flat,
    hole,
    of,
    plane,
    plane_grid,
    request,
    ring_points,
    system,
    upright,
    use,
)

from truegauge.core.association.features import Cone
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.given import DatumPart, SystemDatum
from truegauge.core.datums.system import establish
from truegauge.core.errors import DatumError
from truegauge.core.tolerancing.geometric import evaluate
from truegauge.core.tolerancing.zone import Zone

Z = np.array([0.0, 0.0, 1.0])


def abc():
    g = plane_grid((-20, 20), (0, 20))
    side = plane((0, 0, 10), (0, -1, 0), np.column_stack([g[:, 0], 0 * g[:, 0], g[:, 1]]))
    return system(use("A", flat(0.0, -Z)), use("B", upright()), use("C", side))


def test_an_even_offset_does_not_count():
    """A boss 0.1 too large all around, with lobes of 0.01: 0.2 with the offset fixed, 0.02 without."""
    points = ring_points(lambda t, z: 10.1 + 0.01 * np.cos(3 * t), np.linspace(1, 19, 6), 48)
    points = points + np.array([30, 40, 0])
    boss = hole(30, 40, 10.0, points, outward=1)
    assert evaluate(request("profile_surface", [boss], abc())).value == pytest.approx(0.22, abs=1e-6)
    free = evaluate(request("profile_surface", [boss], abc(), modifiers=("OZ",)))
    assert free.value == pytest.approx(0.02, abs=1e-9)
    assert "offset by +0.1000 mm" in free.notes[0]


@pytest.mark.parametrize("seed", range(6))
def test_the_best_offset_is_found_with_the_best_motion(seed):
    """Against a search over the offset with every zone evaluated at a stated offset (UZ)."""
    rng = np.random.default_rng(seed)
    points = ring_points(lambda t, z: 10 + rng.normal(0.05, 0.02), np.linspace(1, 19, 5), 16) + rng.normal(0, 0.05, 3)
    boss = hole(0, 0, 10.0, points, outward=1)
    frame = system(use("A", flat(0.0, -Z)))
    free = evaluate(request("profile_surface", [boss], frame, modifiers=("OZ",))).value

    def at(offset):
        return evaluate(request("profile_surface", [boss], frame, zone=Zone(offset=offset))).value

    best = minimize_scalar(at, bounds=(-0.1, 0.2), method="bounded", options={"xatol": 1e-9})
    assert free == pytest.approx(best.fun, abs=1e-7)
    assert free <= best.fun + 1e-9


def test_lines_have_offsets_of_their_own():
    x = np.linspace(-20, 20, 21)
    rows = np.vstack(
        [np.column_stack([x, np.full(21, y), np.full(21, off)]) for y, off in ((0, 0.1), (5, -0.2), (10, 0.3))]
    )
    face = plane((0, 5, 0), Z, rows)
    across = Zone(direction=(0.0, 1.0, 0.0))
    fixed = evaluate(request("profile_line", [face], abc(), zone=across)).value
    assert fixed == pytest.approx(0.6, abs=1e-9)
    free = evaluate(request("profile_line", [face], abc(), zone=across, modifiers=("OZ",)))
    assert free.value == pytest.approx(0.0, abs=1e-9)


def cone_datum(**more):
    half, apex = np.radians(20), np.array([0.0, 0.0, -30.0])
    angle = np.arange(24) * np.pi / 12
    ring = np.column_stack([np.tan(half) * np.cos(angle), np.tan(half) * np.sin(angle), np.ones(24)])
    points = np.vstack([apex + h * ring for h in (10.0, 20.0, 30.0)])
    measured = of(Nominal(Cone(apex, Z, half), 1, 20.0, apex + 20 * Z), points)
    part = DatumPart("cone", measured.nominal.feature, 1, measured.nominal.center, measured.feature, points)
    return SystemDatum("A", (part,), **more)


@pytest.mark.parametrize(
    ("situation", "held"),
    [("", (1, 1, 1, 1, 1, 0)), ("SL", (1, 1, 0, 1, 1, 0)), ("PT", (1, 1, 1, 0, 0, 0))],
)
def test_a_cone_holds_by_its_line_or_its_point(situation, held):
    """Shifts along x, y, z, turns about x, y, z; a cone about Z."""
    found = establish([cone_datum(situation=situation)], DatumAssociation.OUTSIDE, center=CENTER, length=LENGTH)
    assert tuple(int(bool(h)) for h in found.freedoms.holders) == held


def test_an_element_that_a_datum_does_not_have_is_said():
    with pytest.raises(DatumError, match=r"datum A has no plane of its own: \[PL\]"):
        establish([cone_datum(situation="PL")], DatumAssociation.OUTSIDE, center=CENTER, length=LENGTH)
    only = establish([cone_datum(situation="SL", orients=True)], DatumAssociation.OUTSIDE, center=CENTER, length=LENGTH)
    assert [bool(h) for h in only.freedoms.holders] == [False, False, False, True, True, False]


def cone_surface(error):
    half, apex = np.radians(30), np.array([0.0, 0.0, -30.0])
    angle = np.arange(36) * np.pi / 18
    normal = np.column_stack([np.cos(angle) * np.cos(half), np.sin(angle) * np.cos(half), np.full(36, -np.sin(half))])
    points = np.vstack([
        apex + np.column_stack([h * np.tan(half) * np.cos(angle), h * np.tan(half) * np.sin(angle), np.full(36, h)])
        + error(angle)[:, None] * normal for h in (10.0, 20.0, 30.0)
    ])  # fmt: skip
    return of(Nominal(Cone(apex, Z, half), 1, 20.0, apex + 20 * Z), points), half


def test_run_out_in_a_stated_direction():
    """Off square to the surface by 0.01 cos 2a: read square 0.02, along the axis by the sine, across by the cosine."""
    cone, half = cone_surface(lambda a: 0.01 * np.cos(2 * a))
    datum = hole(0, 0, 8.0, ring_points(8.0, np.linspace(40, 80, 5), 24), 50.0, outward=1)
    frame = system(use("A", datum))

    def read(direction=None):
        return evaluate(request("circular_runout", [cone], frame, zone=Zone(direction=direction))).value

    assert read() == pytest.approx(0.02, abs=1e-9)
    assert read((np.cos(half), 0.0, -np.sin(half))) == pytest.approx(0.02, abs=1e-9)
    assert read((0.0, 0.0, 1.0)) == pytest.approx(0.02 * np.sin(half), abs=1e-9)
    assert read((1.0, 0.0, 0.0)) == pytest.approx(0.02 * np.cos(half), abs=1e-9)
    assert read((0.0, 1.0, 0.0)) == pytest.approx(0.02 * np.cos(half), abs=1e-9)  # any direction about the axis
