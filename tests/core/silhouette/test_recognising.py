"""Thirty known shafts, some of them near twins: the right one is told, and none without being sure."""

from dataclasses import replace

import numpy as np
import pytest
from shadow_parts import TRUE, disc, looks_of, put

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.looking import Box, Looks, Place
from truegauge.core.silhouette.recognising import KnownPart, recognised
from truegauge.core.silhouette.signature import signature_of
from truegauge.core.silhouette.stencil import stencil_of
from truegauge.core.silhouette.tracking import Datums, Tracker
from truegauge.demo.made_sizes import made_of
from truegauge.demo.shaft import ShaftSizes, outline
from truegauge.devices.camera_sim.shadow import Camera

CHANGES = [{}, *({name: by} for name in ("journal", "groove", "seat", "collar", "taper", "taper_small")
                 for by in (-0.4, 0.5)),
           *({name: by} for name in ("journal_long", "seat_long", "collar_long", "groove_at")
             for by in (-0.6, 0.5, 1.2)),
           {"seat": 0.5, "taper": 0.5}, {"journal": 0.5, "groove": 0.5}, {"fillet": 0.4}, {"corner": 0.6},
           {"seat": 0.25}]  # fmt: skip


def varied(changes):
    return replace(ShaftSizes(), **{name: getattr(ShaftSizes(), name) + by for name, by in changes.items()})


def known(camera, name, sizes):
    place = Place(np.array([-sizes.long / 2, 0.0]), 0.0)
    picture = camera.picture([place.picture_from_part(outline(sizes))])
    taught = signature_of(picture, TRUE)
    looks = looks_of(sizes)
    stop = Box(0.0, 0.0, np.pi, 1.0, 4.0, "to light")
    datums = Datums((looks["seat above"], looks["seat below"]), stop, taught, place)
    return KnownPart(
        name, Tracker(datums, TRUE), Looks(list(looks.values()), TRUE.pixel), stencil_of(picture, TRUE, place)
    )


@pytest.fixture(scope="module")
def camera():
    return Camera(TRUE)


@pytest.fixture(scope="module")
def parts(camera):
    return [known(camera, str(k), varied(changes)) for k, changes in enumerate(CHANGES)]


def test_thirty_parts_are_told_from_each_other(camera, parts):
    rng, sure = np.random.default_rng(2), 0
    assert len(parts) == 30
    for k, changes in enumerate(CHANGES):
        sizes = made_of(varied(changes), 1408, k)
        picture = camera.picture([put(rng, sizes.long).picture_from_part(outline(sizes))])
        found = recognised(picture, TRUE, parts)
        assert found.name == str(k), (changes, found.ranked[:3])
        sure += found.sure
    assert sure >= 27


def test_one_that_is_not_known_is_never_taken_for_another(camera, parts):
    rng = np.random.default_rng(3)
    for changes in ({"seat": 1.5}, {"collar": -1.0, "journal": 0.8}, {"seat_long": 2.4}, {"taper": -1.1}):
        sizes = varied(changes)
        picture = camera.picture([put(rng, sizes.long).picture_from_part(outline(sizes))])
        assert not recognised(picture, TRUE, parts).sure
    assert recognised(camera.picture([disc([0.0, 0.0], 6.0)]), TRUE, parts).name == ""
    with pytest.raises(EvaluationError, match="no part"):
        recognised(camera.picture([]), TRUE, parts)


def test_dust_beside_a_part_changes_nothing(camera, parts):
    """A fibre and a grain, each far from it, are none of its shadow."""
    sizes = varied(CHANGES[3])
    place = put(np.random.default_rng(5), sizes.long)
    shadow = place.picture_from_part(outline(sizes))
    dust = [disc([3.0, 13.0], 0.3), np.array([[-8.0, -14.0], [-4.0, -13.9], [-4.0, -13.8], [-8.0, -13.9]])]
    clean, dusty = (recognised(camera.picture(own), TRUE, parts) for own in ([shadow], [shadow, *dust]))
    assert dusty.sure
    assert (dusty.name, clean.name) == ("3", "3")
    assert dusty.ranked[0].shadow == pytest.approx(clean.ranked[0].shadow, abs=0.05)


def test_twins_that_no_one_could_tell_are_asked_about(camera):
    """Two plans of the same part: it is one of them, and nobody is told which."""
    sizes = ShaftSizes()
    twins = [known(camera, name, sizes) for name in ("one", "other")]
    picture = camera.picture([put(np.random.default_rng(4), sizes.long).picture_from_part(outline(sizes))])
    found = recognised(picture, TRUE, twins)
    assert {own.name for own in found.ranked} == {"one", "other"}
    assert not found.sure
