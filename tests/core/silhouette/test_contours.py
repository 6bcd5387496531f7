"""The outline against a nominal contour: deviations by rays through the true outline, zones, corners, nothing seen."""

import numpy as np
import pytest

from truegauge.core.authoring.silhouettes import add_size, found_by, offers, with_contour, without_things
from truegauge.core.errors import EvaluationError
from truegauge.core.plan.silhouette import ShadowContour
from truegauge.core.silhouette.contour import ContourLooks, along, lies_of, profile_of
from truegauge.core.silhouette.looking import Place
from truegauge.core.silhouette.measuring import Measurer
from truegauge.demo.flat_parts import plate_outline
from truegauge.demo.shadow_plans import CAMERA_LENS, PLATE_PART, calibrated, camera

KNOWN = calibrated().calibration
PX = CAMERA_LENS.pixel


def closed(outline):
    return np.vstack([outline, outline[:1]])


NOMINAL = closed(plate_outline(PLATE_PART.nominal))


def by_rays(outline, places, normals):
    """How far the true outline (n, 2) is off places along their normals: the nearest crossing of each ray."""
    a, b = outline, np.roll(outline, -1, axis=0)
    made = np.full(len(places), np.nan)
    for k, (p, n) in enumerate(zip(places, normals, strict=True)):
        d = b - a
        cross = n[0] * d[:, 1] - n[1] * d[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            t = ((a[:, 0] - p[0]) * d[:, 1] - (a[:, 1] - p[1]) * d[:, 0]) / cross
            u = ((a[:, 0] - p[0]) * n[1] - (a[:, 1] - p[1]) * n[0]) / cross
        hit = t[(u >= 0) & (u <= 1) & (np.abs(t) < 0.5)]
        if len(hit):
            made[k] = hit[np.argmin(np.abs(hit))]
    return made


@pytest.mark.parametrize("seed", range(4))
def test_deviations_are_those_of_the_true_outline_along_the_normals(seed):
    rng, sizes = np.random.default_rng([seed, 5]), PLATE_PART.made(seed)
    place = PLATE_PART.put(rng, upside_down=bool(seed % 2))
    picture = PLATE_PART.picture(sizes, place, camera(seed))
    seen = ContourLooks((NOMINAL,), 1.0, PX).seen(picture, KNOWN, place)
    true = by_rays(plate_outline(sizes), seen.places, seen.normals)
    known = np.isfinite(seen.told) & np.isfinite(true)
    assert known.mean() > 0.9
    off = (seen.told - true)[known] / PX
    assert abs(off.mean()) < 0.01
    # A mean of neighbours smooths what bends: at the rounded corners by some hundredths of a pixel.
    assert np.quantile(np.abs(off), 0.98) < 0.06
    zone = profile_of(seen, KNOWN)
    assert zone.value == pytest.approx(2 * np.nanmax(np.abs(true)), abs=0.12 * PX + 2 * zone.uncertainty)


def test_of_a_part_as_designed_the_zone_is_hardly_wider_than_nothing_and_a_shift_is_taken_out():
    picture = PLATE_PART.picture(PLATE_PART.nominal, PLATE_PART.taught)
    looks = ContourLooks((NOMINAL,), 1.0, PX)
    seen = looks.seen(picture, KNOWN, PLATE_PART.taught)
    assert profile_of(seen, KNOWN).value < 0.1 * PX
    moved = Place(PLATE_PART.taught.origin + np.array([0.05, -0.03]), 0.002)
    aside = looks.seen(picture, KNOWN, moved)
    assert profile_of(aside, KNOWN).value > 0.08
    lies = lies_of(aside)
    assert moved.after(lies).turn == pytest.approx(PLATE_PART.taught.turn, abs=1e-4)
    assert profile_of(looks.fitted(picture, KNOWN, moved), KNOWN).value < 0.12 * PX


def test_the_way_round_does_not_matter_nor_does_the_number_of_lines():
    picture = PLATE_PART.picture(PLATE_PART.made(3), PLATE_PART.taught)
    ways = [(NOMINAL,), (NOMINAL[::-1],), (NOMINAL[:40], NOMINAL[39:][::-1])]
    zones = [profile_of(ContourLooks(lines, 1.0, PX).seen(picture, KNOWN, PLATE_PART.taught), KNOWN).value
             for lines in ways]  # fmt: skip
    assert zones == pytest.approx([zones[0]] * 3, abs=0.05 * PX)


def test_nothing_is_told_at_corners_and_of_nothing_it_is_said():
    found = along((NOMINAL,), PX)
    tip = np.array([23.5, 7.0])
    assert np.linalg.norm(found.places - tip, axis=1).min() > 4.5 * PX
    assert np.linalg.norm(found.normals, axis=1) == pytest.approx(np.ones(len(found.places)))
    empty = camera().picture([])
    with pytest.raises(EvaluationError, match="of the contour is seen"):
        ContourLooks((NOMINAL,), 1.0, PX).seen(empty, KNOWN, PLATE_PART.taught)
    with pytest.raises(EvaluationError, match="too short"):
        ContourLooks((np.zeros((3, 2)),), 1.0, PX).seen(empty, KNOWN, PLATE_PART.taught)


def test_a_contour_in_a_plan_goes_with_the_coordinates_and_comes_back():
    plan = PLATE_PART.plan()
    own, contour = with_contour(plan.silhouette, (NOMINAL,), "outline")
    assert ShadowContour.model_validate_json(contour.model_dump_json()).lines[0] == pytest.approx(NOMINAL)
    assert offers(own, (contour.id,)) == ("profile", "profile_fitted")
    changed = add_size(plan.document, own, "profile", (contour.id,), 0.0, None, 0.1).apply(plan.document)
    own = changed.silhouette
    picture = PLATE_PART.picture(PLATE_PART.made(2), PLATE_PART.taught)
    before = Measurer(own.recipe, KNOWN).measure(picture)
    value = before.sizes[own.sizes[-1].id].value
    true = by_rays(plate_outline(PLATE_PART.made(2)), before.contours[contour.id].places,
                   before.contours[contour.id].normals)  # fmt: skip
    assert value == pytest.approx(2 * np.nanmax(np.abs(true)), abs=3e-3)
    ids = {e.name: e.id for e in own.edges}
    other = found_by(own, (ids["left"],), ids["above"], picture, KNOWN, before.place, upside_down=True)
    after = Measurer(other.recipe, KNOWN).measure(picture)
    assert after.sizes[own.sizes[-1].id].value == pytest.approx(value, abs=2e-3)
    assert without_things(own, {contour.id}).contours == ()
    with pytest.raises(ValueError, match="contours"):
        add_size(plan.document, own, "profile", (ids["left"],), 0.0)
    for bad, words in (({"counts": (3,)}, "as many"), ({"places": "&&"}, "broken"), ({"counts": (1,)}, "two places")):
        with pytest.raises(ValueError, match=words):
            contour.replace(**bad)
