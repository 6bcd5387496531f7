"""Everything that is asked of a part at once: the demo's parts against how they were made, wherever they lie."""

import numpy as np
import pytest

from truegauge.core.authoring.silhouettes import found_by, offers
from truegauge.core.errors import EvaluationError
from truegauge.core.plan.silhouette import ShadowSize
from truegauge.core.silhouette.fitting import StraightEdge
from truegauge.core.silhouette.looking import Place
from truegauge.core.silhouette.measuring import MadeOf, Measurer, Recipe, Wanted
from truegauge.core.silhouette.sizes import Spot, between, middle_of, symmetry
from truegauge.demo.shadow_plans import CAMERA_LENS, PARTS, PLATE_PART, RING, SHAFT, calibrated, camera

PX = CAMERA_LENS.pixel


@pytest.fixture(scope="module")
def plans():
    return {key: part.plan() for key, part in PARTS.items()}


def measurer(plans, part):
    own = plans[part.drawing].silhouette
    return own, Measurer(own.recipe, calibrated().calibration)


def puts(part, rng, count):
    """Places of a part: anyhow, end for end, upside down where the plan allows it; a long one not upright."""
    for _ in range(count):
        most = 0.6 if part is SHAFT else np.pi
        place = part.put(rng, upside_down=part is PLATE_PART, most=most)
        if part is SHAFT and rng.integers(2):
            turned = Place(np.zeros(2), place.turn + np.pi)
            place = Place(-turned.picture_from_part(np.array([part.middle]))[0], turned.turn)
        yield place


@pytest.mark.parametrize("drawing", PARTS)
def test_sizes_are_those_that_a_part_was_made_with_wherever_it_lies(plans, drawing):
    part = PARTS[drawing]
    own, measure = measurer(plans, part)
    rng, taken = np.random.default_rng(8), camera(8)
    off, far = [], []
    for k, place in enumerate(puts(part, rng, 8)):
        sizes = part.made(k)
        found = measure.measure(part.picture(sizes, place, taken))
        assert found.place.mirrored == place.mirrored
        for size in own.sizes:
            reading, true = found.sizes[size.id], part.true(sizes)[size.name]
            assert not isinstance(reading, str), (size.name, reading)
            off.append(abs(reading.value - true) / reading.uncertainty)
            if size.what not in ("angle", "radius"):
                far.append(abs(reading.value - true) / PX)
    assert max(far) < 0.1
    assert np.mean(np.array(off) < 2.0) > 0.93
    assert max(off) < 5.0


def test_the_middle_of_two_edges_and_what_lies_between_are_as_by_their_definition():
    rng = np.random.default_rng(1)
    known = calibrated().calibration
    plan = PLATE_PART.plan().silhouette
    found = Measurer(plan.recipe, known).measure(PLATE_PART.picture(PLATE_PART.nominal, PLATE_PART.put(rng)))
    edges = {e.name: found.edges[e.id].edge for e in plan.edges}
    a, b = edges["slot left"], edges["slot right"]
    line = middle_of(a, b)
    for t in (-1.0, 0.0, 1.0):
        place = line.point + t * line.way
        assert abs(a.off(place[None])[0]) == pytest.approx(abs(b.off(place[None])[0]), abs=1e-9)
    spot = Spot(np.array([3.0, 4.0]), np.zeros((2, 2)))
    # Along x an edge is as far as its place at the same y.
    left = edges["left"]
    t = (spot.place[1] - left.point[1]) / left.way[1]
    assert between(left, spot, known, np.array([1.0, 0.0])).value == pytest.approx(
        abs(spot.place[0] - (left.point + t * left.way)[0]), abs=1e-12
    )
    with pytest.raises(EvaluationError, match="aslant"):
        middle_of(edges["below"], edges["left"])


def test_symmetry_is_the_width_of_a_zone_that_has_the_whole_middle_line_in_it():
    """Against the definition: places along the second line, tried finely, and how far each is from the first."""
    rng = np.random.default_rng(8)
    known = calibrated().calibration
    none = np.zeros(0, dtype=bool)
    for _ in range(200):
        turn, tilt = rng.uniform(0, 2 * np.pi), rng.uniform(-0.09, 0.09)
        lines = [
            StraightEdge(rng.normal(size=2), np.array([np.cos(a), np.sin(a)]), none, 0.0, 0.0, 0.0,
                         -rng.uniform(0.1, 3), rng.uniform(0.1, 5))
            for a in (turn, turn + tilt + np.pi * rng.integers(2))
        ]  # fmt: skip
        datum, line = lines
        places = line.point + np.linspace(line.begin, line.end, 501)[:, None] * line.way
        off = np.abs((places - datum.point) @ np.array([-np.sin(turn), np.cos(turn)]))
        assert symmetry(datum, line, known).value == pytest.approx(2 * off.max(), abs=1e-9)
    across = StraightEdge(np.zeros(2), np.array([-np.sin(turn), np.cos(turn)]), none, 0.0, 0.0, 0.0, -1.0, 1.0)
    with pytest.raises(EvaluationError, match="no symmetry"):
        symmetry(datum, across, known)


def test_a_part_that_may_not_lie_end_for_end_is_refused_then_and_not_otherwise(plans):
    own = plans["LW-1408"].silhouette
    strict = own.replace(datums=own.datums.replace(end_for_end=False))
    measure = Measurer(strict.recipe, calibrated().calibration)
    there = Place(np.array([-15.7, 0.3]), 0.05)
    assert measure.place(SHAFT.picture(SHAFT.nominal, there)).turn == pytest.approx(0.05, abs=1e-4)
    with pytest.raises(EvaluationError, match="end for end"):
        measure.place(SHAFT.picture(SHAFT.nominal, Place(np.array([15.7, 0.0]), np.pi)))


def test_out_of_focus_nothing_is_measured(plans):
    _, measure = measurer(plans, SHAFT)
    assert measure.measure(SHAFT.picture(SHAFT.nominal, SHAFT.taught)).blur == pytest.approx(1.2, abs=0.1)
    with pytest.raises(EvaluationError, match="out of focus"):
        measure.measure(SHAFT.picture(SHAFT.nominal, SHAFT.taught, sharp=2.0))


def test_a_size_that_cannot_be_told_is_a_reason_and_the_others_stay(plans):
    own = plans["LW-1409"].silhouette
    recipe = own.recipe
    ids = {e.name: e.id for e in own.edges}
    sizes = {
        **recipe.sizes, "straight": Wanted("straightness", (ids["outside"],)),
        "gone": Wanted("diameter", ("nothing",)), "thread": Wanted("thread_pitch", (ids["hole"], ids["outside"])),
        "x": Wanted("spacing_x", (ids["hole"], ids["outside"])), "line": Wanted("size", (ids["hole"], ids["outside"])),
    }  # fmt: skip
    made = {"m": MadeOf("meeting", (ids["outside"], ids["hole"]))}
    measure = Measurer(Recipe(recipe.looks, made, sizes, recipe.datums), calibrated().calibration)
    found = measure.measure(RING.picture(RING.nominal, RING.taught))
    assert "round" in found.sizes["straight"]
    assert "no longer" in found.sizes["gone"]
    assert "box" in found.sizes["thread"]
    assert "no direction" in found.sizes["x"]
    assert "straight" in found.sizes["line"]
    assert "straight" in found.made["m"]
    assert sum(not isinstance(v, str) for v in found.sizes.values()) == len(own.sizes)


def test_a_round_element_alone_finds_a_ring_and_a_straight_one_alone_what_it_holds(plans):
    rng, known = np.random.default_rng(3), calibrated().calibration
    ring = plans["LW-1409"].silhouette
    assert ring.datums.turn == ()
    both = tuple(e.id for e in ring.edges[:2])
    assert "spacing_x" not in offers(ring, both)  # nothing says which way x goes
    assert {"coaxiality", "spacing"} <= set(offers(ring, both))
    measure = Measurer(ring.recipe, known)
    for k in range(4):
        place = RING.put(rng)
        found = measure.measure(RING.picture(RING.made(k), place, camera(k)))
        assert found.place.origin == pytest.approx(place.origin, abs=0.01 * PX)
    own = plans["LW-1410"].silhouette
    ids = {e.name: e.id for e in own.edges}
    alone = found_by(own, (ids["below"],), "", PLATE_PART.picture(PLATE_PART.nominal, PLATE_PART.taught), known,
                     PLATE_PART.taught)  # fmt: skip
    places = [PLATE_PART.put(rng) for _ in range(4)]
    for k, place in enumerate(places):
        found = Measurer(alone.recipe, known).measure(PLATE_PART.picture(PLATE_PART.made(k), place, camera(k)))
        # Its turn and its height are held exactly, where x begins only as the shadow roughly says.
        assert np.sin(found.place.turn - place.turn) == pytest.approx(0.0, abs=2e-5)
        off = place.part_from_picture(found.place.origin[None])[0]
        assert off[1] == pytest.approx(0.0, abs=0.02 * PX)
        assert abs(off[0]) < 0.5
        true = PLATE_PART.true(PLATE_PART.made(k))
        told = {s.name: found.sizes[s.id] for s in own.sizes}
        for name in ("Height", "Length", "Slot depth"):
            assert told[name].value == pytest.approx(true[name], abs=0.1 * PX)
    placed = alone.replace(sizes=(*alone.sizes, ShadowSize(
        id="at", name="at", what="size", of=(ids["below"], ids["above"]), at=18.0)))  # fmt: skip
    found = Measurer(placed.recipe, known).measure(PLATE_PART.picture(PLATE_PART.nominal, places[0]))
    assert "no place of x" in found.sizes["at"]
    with pytest.raises(ValueError, match="by a round one"):
        own.replace(datums=own.datums.replace(turn=(), stop=ids["left"]))


def test_the_mean_size_lies_between_its_extremes(plans):
    own = plans["LW-1408"].silhouette
    ids = {e.name: e.id for e in own.edges}
    of = (ids["taper above"], ids["taper below"])
    looks = {e.id: e.looked(dense=True) for e in own.edges if e.id in of}
    wanted = {w: Wanted(w, of) for w in ("size_least", "size_mean", "size_most")}
    picture = SHAFT.picture(SHAFT.nominal, SHAFT.taught)
    found = Measurer(Recipe(looks, {}, wanted), calibrated().calibration).measure(picture, SHAFT.taught)
    least, mean, most = (found.sizes[w].value for w in wanted)
    # Of a straight taper, seen along 4.5 mm: the mean is in the middle, and the ends as far off as it rises from the
    # middle of the first piece (of 16 places, 40 at most) to that of the last.
    pieces = min(40, min(int(np.isfinite(p[:, 0]).sum()) for p in found.points.values()) // 16)
    assert least < mean < most
    assert mean == pytest.approx((least + most) / 2, abs=2e-3)
    assert most - least == pytest.approx(1.2 / 6.0 * 4.5 * (pieces - 1) / pieces, rel=0.01)
