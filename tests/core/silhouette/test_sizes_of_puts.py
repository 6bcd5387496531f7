"""Parts put down anyhow: sizes against what they are, as sure as they say, and where they are found to lie."""

import numpy as np
import pytest
from shadow_parts import LOOKS, TRUE, N, disc, put

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.calibrating import Calibration
from truegauge.core.silhouette.fitting import StraightEdge
from truegauge.core.silhouette.looking import Band, Box, Looks, Place
from truegauge.core.silhouette.signature import signature_of
from truegauge.core.silhouette.sizes import (
    Spot,
    angle_between,
    center_of,
    meeting,
    offset,
    radius_of,
    size_across,
    spacing,
)
from truegauge.core.silhouette.tracking import Datums, Tracker
from truegauge.demo.flat_parts import PlateSizes, made_plate, made_ring, plate_outline, ring_outlines
from truegauge.demo.shaft import ShaftSizes, made, outline
from truegauge.devices.camera_sim.shadow import Camera

PIXEL = TRUE.pixel
KNOWN = Calibration(TRUE, 0.0, 0.0, "plate")
TAUGHT = Place(np.array([-15.7, 0.0]), 0.0)


@pytest.fixture(scope="module")
def camera():
    return Camera(TRUE)


@pytest.fixture(scope="module")
def tracker(camera):
    taught = signature_of(camera.picture([TAUGHT.picture_from_part(outline(ShaftSizes()))]), TRUE)
    datums = Datums((Box(9.5, 4.0, np.pi / 2, 1.0, 4.0, "to light"), Box(9.5, -4.0, -np.pi / 2, 1.0, 4.0, "to light")),
                    Box(0.0, 0.0, np.pi, 1.0, 4.0, "to light"), taught, TAUGHT)  # fmt: skip
    return Tracker(datums, TRUE)


def sizes_of(seen):
    """What is told of a shaft, by name; beside it what it truly is, as a function of its sizes."""
    e = {name: one.edge for name, one in zip(LOOKS, seen, strict=True)}
    low, high = e["taper below"], e["taper above"]
    shoulder = meeting(e["shoulder"], e["journal above"], KNOWN)
    middle = 0.5 * (e["seat above"].point + e["seat below"].point)
    return {
        "journal": (size_across(e["journal above"], e["journal below"], KNOWN), lambda s: s.journal),
        "groove": (size_across(e["groove above"], e["groove below"], KNOWN), lambda s: s.groove),
        "seat": (size_across(e["seat above"], e["seat below"], KNOWN), lambda s: s.seat),
        "collar": (size_across(e["collar above"], e["collar below"], KNOWN), lambda s: s.collar),
        "journal long": (offset(e["left end"], shoulder, KNOWN), lambda s: s.journal_long),
        "taper": (angle_between(high, low, KNOWN), lambda s: 2 * s.half_angle),
        "fillet": (radius_of(e["fillet"], KNOWN), lambda s: s.fillet),
        "corner": (radius_of(e["corner"], KNOWN), lambda s: s.corner),
        "seat to end": (offset(e["left end"], Spot(middle, np.zeros((2, 2))), KNOWN), lambda s: middle[0]),
    }


def test_sizes_of_parts_put_down_anyhow(camera, tracker):
    """60 puts of 20 parts: no bias, a hundredth of a pixel, and as sure as they say."""
    rng, looks = np.random.default_rng(8), Looks(list(LOOKS.values()), PIXEL)
    off, sure, lies = {}, {}, []
    for k in range(60):
        sizes = made(k % 20)
        true = put(rng, sizes.long)
        picture = camera.picture([true.picture_from_part(outline(sizes))])
        place = tracker.place(picture)
        lies.append([*true.part_from_picture(place.origin[None])[0] / PIXEL,
                     ((place.turn - true.turn + np.pi) % (2 * np.pi) - np.pi) * sizes.long / PIXEL])  # fmt: skip
        seen = looks.seen(picture, TRUE, place)
        assert not [one for one in seen if isinstance(one, str)]
        for name, (reading, truth) in sizes_of(seen).items():
            if name == "seat to end":
                continue
            wrong = reading.value - truth(sizes)
            off.setdefault(name, []).append(wrong)
            sure.setdefault(name, []).append(abs(wrong) / reading.uncertainty)
    lies = np.array(lies)
    assert np.abs(lies.mean(axis=0)).max() < 0.02
    assert np.abs(lies).max() < 0.08
    for name, own in off.items():
        scale = PIXEL / 4.5 if name == "taper" else PIXEL  # an angle by what it comes to over the edge
        if name not in ("fillet", "corner"):  # short arcs: a pixel of theirs tells less
            assert abs(np.mean(own)) < 0.02 * scale, name
            assert np.mean(np.abs(own) < 0.1 * scale) >= 0.99, name
        else:
            assert abs(np.mean(own)) < 0.05 * scale, name
        assert np.mean(np.array(sure[name]) < 2.0) >= 0.9, name
        assert np.max(sure[name]) < 5.0, name


def test_dust_and_a_burr_are_left_out_and_shown(camera):
    place = Place(np.array([-15.7, 0.0]), 0.02)
    dust = [disc([9.0, 4.02], 0.12), disc([10.4, 4.1], 0.2), disc([9.6, -3.95], 0.15)]
    shadows = [outline(ShaftSizes()), *dust]
    picture = camera.picture([place.picture_from_part(own) for own in shadows])
    names = ("seat above", "seat below")
    above, below = Looks([LOOKS[n] for n in names], PIXEL).seen(picture, TRUE, place)
    assert size_across(above.edge, below.edge, KNOWN).value == pytest.approx(8.0, abs=0.05 * PIXEL)
    near = np.abs(above.points[:, 0] - 10.4) < 0.1
    assert not above.edge.used[near].any()
    assert above.edge.used.mean() > 0.7


def test_no_edge_and_an_edge_that_is_another_are_said(camera):
    place = Place(np.array([-15.7, 0.0]), 0.0)
    picture = camera.picture([place.picture_from_part(outline(ShaftSizes()))])
    nothing = Box(9.5, 9.0, np.pi / 2, 0.8, 2.0, "to light")
    short = Box(N.journal_long - 1.0, 3.0, np.pi / 2, 0.8, 30.0, "to light")  # most of it is beside the journal
    far = Band(9.5, 12.0, 1.0, 0.0, 2.0, 0.4, "to light")
    said = Looks([nothing, short, far], PIXEL).seen(picture, TRUE, place)
    assert "0 points are too few" in said[0]
    assert "rays only" in said[1]
    assert "0 points are too few" in said[2]


@pytest.mark.parametrize(("parts", "words"), [
    ([], "no part"), ([disc([0.0, 0.0], 3.0), disc([9.0, 0.0], 3.0)], "2 parts"),
    ([disc([18.0, 0.0], 3.0)], "border"), ([disc([0.0, 0.0], 3.0)], "elements are not found"),
])  # fmt: skip
def test_what_lies_there_otherwise_is_said(camera, tracker, parts, words):
    with pytest.raises(EvaluationError, match=words):
        tracker.place(camera.picture(parts))


def test_a_dark_picture_is_said(tracker):
    with pytest.raises(EvaluationError, match="too dark"):
        tracker.place(np.full((2048, 2448), 9, dtype=np.uint8))


def edge(x, y, a, long=2.0, u=1e-4):
    way = np.array([np.cos(a), np.sin(a)])
    return StraightEdge(np.array([x, y]), way, np.ones(9, dtype=bool), 0.0, u, u / long, -long / 2, long / 2)


def test_sizes_between_edges_in_closed_form():
    a, b = edge(1.0, 3.0, 0.02), edge(2.0, -1.0, np.pi - 0.02)
    # Square to the axis at x: lines of slopes +-tan(0.02) through their points.
    t = np.tan(0.02)
    for x in (0.0, 1.5, 4.0):
        expected = (3.0 + t * (x - 1.0)) - (-1.0 - t * (x - 2.0))
        assert size_across(a, b, KNOWN, at=x).value == pytest.approx(expected, abs=1e-12)
    assert size_across(a, b, KNOWN).value == pytest.approx(size_across(a, b, KNOWN, at=1.5).value, abs=1e-6)
    assert angle_between(a, b, KNOWN).value == pytest.approx(0.04)
    corner = meeting(edge(1.0, 0.0, 0.0), edge(0.0, 1.0, np.pi / 2), KNOWN)
    assert corner.place == pytest.approx([0.0, 0.0], abs=1e-12)
    p, q = Spot(np.array([0.0, 0.0]), 4e-6 * np.eye(2)), Spot(np.array([3.0, 4.0]), np.zeros((2, 2)))
    assert spacing(p, q, KNOWN).value == pytest.approx(5.0)
    assert spacing(p, q, KNOWN, np.array([2.0, 0.0])).value == pytest.approx(3.0)
    assert spacing(p, q, KNOWN).uncertainty == pytest.approx(2e-3)
    assert spacing(p, q, Calibration(TRUE, 1e-3, 0.0, "plate")).uncertainty == pytest.approx(np.hypot(2e-3, 5e-3))
    assert offset(edge(0.0, 1.0, 0.0), q, KNOWN).value == pytest.approx(3.0)
    with pytest.raises(EvaluationError, match="aslant"):
        size_across(edge(0, 0, 0.0), edge(0, 1, 0.3), KNOWN)
    with pytest.raises(EvaluationError, match="along each other"):
        meeting(edge(0, 0, 0.0), edge(0, 1, 0.0), KNOWN)


def test_uncertainties_of_sizes_against_how_they_scatter():
    """Edges that are moved and turned by what they may be off by: the sizes scatter by what they say."""
    rng, floor = np.random.default_rng(5), Calibration(TRUE, 0.0, 0.0, "plate")
    base = (edge(1.0, 3.0, 0.05, u=2e-3), edge(2.0, -1.0, -0.03, u=1e-3), edge(-2.0, 0.0, 1.4, u=3e-3))
    told = []

    def all_of(edges):
        a, b, c = edges
        return [size_across(a, b, floor, at=6.0), offset(b, meeting(a, c, floor), floor), angle_between(a, c, floor),
                spacing(meeting(a, c, floor), meeting(b, c, floor), floor)]  # fmt: skip

    for _ in range(3000):
        drawn = []
        for own in base:
            turn = np.arctan2(own.way[1], own.way[0]) + own.turn_u * rng.normal()
            moved = own.point + own.offset_u * rng.normal() * own.normal
            drawn.append(edge(*moved, turn, u=own.offset_u))
        told.append([one.value for one in all_of(drawn)])
    spread = np.std(told, axis=0)
    stated = [one.uncertainty for one in all_of(base)]
    assert stated[:3] == pytest.approx(spread[:3], rel=0.15)
    assert 0.85 * spread[3] < stated[3] < 2.0 * spread[3]  # both places move with one edge: that is not used


def test_a_round_edge_and_its_centre(camera):
    place = Place(np.array([0.3, -0.2]), 0.4)
    ring = [disc([1.0, 0.5], 5.0), disc([1.01, 0.5], 3.0)[::-1]]
    picture = camera.picture([place.picture_from_part(own) for own in ring])
    bands = [Band(1.0, 0.5, r, 0.0, 2 * np.pi, 0.6, to) for r, to in ((5.0, "to light"), (3.0, "to dark"))]
    outer, inner = Looks(bands, PIXEL).seen(picture, TRUE, place)
    assert radius_of(outer.edge, KNOWN).value == pytest.approx(5.0, abs=0.02 * PIXEL)
    assert radius_of(inner.edge, KNOWN).value == pytest.approx(3.0, abs=0.02 * PIXEL)
    apart = spacing(center_of(outer.edge, KNOWN), center_of(inner.edge, KNOWN), KNOWN)
    assert apart.value == pytest.approx(0.01, abs=0.02 * PIXEL)


def test_a_ring_and_its_coaxiality(camera):
    rng, off = np.random.default_rng(6), []
    bands = [Band(0.0, 0.0, r, 0.0, 2 * np.pi, 0.6, to) for r, to in ((12.0, "to light"), (7.5, "to dark"))]
    looks = Looks(bands, PIXEL)
    for k in range(6):
        sizes = made_ring(k)
        place = Place(rng.uniform(-2.0, 2.0, 2), rng.uniform(0, 2 * np.pi))
        picture = camera.picture([place.picture_from_part(own) for own in ring_outlines(sizes)])
        outer, inner = (one.edge for one in looks.seen(picture, TRUE, place))
        apart = spacing(center_of(outer, KNOWN), center_of(inner, KNOWN), KNOWN).value
        off.append([2 * outer.radius - sizes.outer, 2 * inner.radius - sizes.inner,
                    apart - np.hypot(sizes.off_x, sizes.off_y)])  # fmt: skip
    assert np.abs(off).max() < 0.02 * PIXEL


def test_a_plate_with_notches(camera):
    rng, off, n = np.random.default_rng(7), [], PlateSizes()
    quarter = np.pi / 2
    looks = Looks([
        Box(n.long / 2, 0.0, -quarter, 0.6, 20.0, "to light"), Box(19.0, n.high, quarter, 0.6, 10.0, "to light"),
        Box(0.0, n.high / 2, np.pi, 0.6, 10.0, "to light"), Box(n.slot_at - 2.0, 13.0, 0.0, 0.6, 4.0, "to light"),
        Box(n.slot_at + 2.0, 13.0, np.pi, 0.6, 4.0, "to light"), Box(n.slot_at, 10.0, quarter, 0.6, 3.0, "to light"),
        Box(24.75, 5.75, quarter / 2, 0.6, 2.5, "to light"), Box(24.75, 8.25, -quarter / 2, 0.6, 2.5, "to light"),
        Band(1.5, 1.5, 1.5, np.pi + 0.15, 1.5 * np.pi - 0.15, 0.6, "to light"),
    ], PIXEL)  # fmt: skip
    for k in range(6):
        sizes = made_plate(k)
        place = Place(np.array([-13.0, -8.0]) + rng.uniform(-1.0, 1.0, 2), rng.uniform(-0.2, 0.2))
        picture = camera.picture([place.picture_from_part(plate_outline(sizes))])
        below, above, left, a, b, deep, p, q, corner = (one.edge for one in looks.seen(picture, TRUE, place))
        tip = meeting(p, q, KNOWN)
        off.append([
            size_across(below, above, KNOWN).value - sizes.high, size_across(a, b, KNOWN).value - sizes.slot_wide,
            size_across(deep, above, KNOWN).value - sizes.slot_deep, offset(below, tip, KNOWN).value - sizes.notch_at,
            offset(left, tip, KNOWN).value - (sizes.long - sizes.notch_deep),
            (angle_between(p, q, KNOWN).value - np.pi / 2) / 10, (corner.radius - sizes.corner) / 5,
        ])  # fmt: skip
    assert np.abs(off).max() < 0.1 * PIXEL
    assert np.abs(np.mean(off, axis=0)).max() < 0.02 * PIXEL


@pytest.mark.parametrize("stop", [
    Box(0.0, 8.0, np.pi, 1.0, 8.0, "to light"), Band(1.5, 1.5, 1.5, np.pi + 0.15, 1.5 * np.pi - 0.15, 1.0, "to light"),
])  # fmt: skip
def test_a_plate_is_found_by_one_edge_and_another_or_a_round_one(camera, stop):
    """Whichever way it lies; its coordinates begin where the elements say, not at them."""
    rng, known, off = np.random.default_rng(9), Place(np.array([-13.0, -8.0]), 0.0), []
    nominal = PlateSizes()
    taught = signature_of(camera.picture([known.picture_from_part(plate_outline(nominal))]), TRUE)
    above = Box(19.0, nominal.high, np.pi / 2, 1.0, 10.0, "to light")
    at = 1.5 if isinstance(stop, Band) else 0.0
    tracker = Tracker(Datums((above,), stop, taught, known, level=nominal.high, at=at), TRUE)
    for _ in range(8):
        turn = rng.uniform(0.0, 2 * np.pi)
        middle = Place(np.zeros(2), turn).picture_from_part(np.array([[13.0, 8.0]]))[0]
        true = Place(rng.uniform(-0.5, 0.5, 2) - middle, turn)
        found = tracker.place(camera.picture([true.picture_from_part(plate_outline(nominal))]))
        off.append([*true.part_from_picture(found.origin[None])[0] / PIXEL,
                    26.0 * ((found.turn - turn + np.pi) % (2 * np.pi) - np.pi) / PIXEL])  # fmt: skip
    assert np.abs(off).max() < 0.2
    assert np.abs(np.mean(off, axis=0)).max() < 0.06


def test_other_parts_do_not_look_alike(camera):
    rng = np.random.default_rng(3)
    shaft = signature_of(camera.picture([TAUGHT.picture_from_part(outline(ShaftSizes()))]), TRUE)
    for k in range(4):
        sizes = made(k)
        place = put(rng, sizes.long)
        again = signature_of(camera.picture([place.picture_from_part(outline(sizes))]), TRUE)
        assert shaft.off(again) < 0.2  # a rough look: pixels 8 apart, 0.13 mm
        assert again.area == pytest.approx(shaft.area, rel=0.01)
    longer = ShaftSizes(seat_long=N.seat_long - 1.5)
    other = signature_of(camera.picture([TAUGHT.picture_from_part(outline(longer))]), TRUE)
    assert shaft.off(other) > 0.4
