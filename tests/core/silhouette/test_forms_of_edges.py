"""Largest and smallest sizes, straightness and roundness: those of the part, not those of the noise."""

import numpy as np
import pytest
from shadow_parts import TRUE, disc

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.calibrating import Calibration
from truegauge.core.silhouette.fitting import straight_edge
from truegauge.core.silhouette.forms import roundness_of, size_range, straightness_of
from truegauge.core.silhouette.looking import Band, Box, Looks, Place, Seen
from truegauge.devices.camera_sim.shadow import Camera

PIXEL = TRUE.pixel
KNOWN = Calibration(TRUE, 0.0, 0.0, "plate")
LYING = Place(np.array([0.4, -0.3]), 0.3)


@pytest.fixture(scope="module")
def camera():
    return Camera(TRUE)


def bar(upper, lower=lambda x: -4.0 + 0 * x):
    x = np.linspace(-9.0, 9.0, 400)
    return np.vstack([np.column_stack([x, lower(x)]), np.column_stack([x[::-1], upper(x[::-1])])])


def seen(camera, outline, looks):
    picture = camera.picture([LYING.picture_from_part(own) for own in outline])
    return Looks(looks, PIXEL).seen(picture, TRUE, LYING)


SIDES = [
    Box(0.0, 4.0, np.pi / 2, 1.0, 14.0, "to light", dense=True),
    Box(0.0, -4.0, -np.pi / 2, 1.0, 14.0, "to light", dense=True),
]


def test_a_straight_bar_has_one_size_whatever_the_noise(camera):
    above, below = seen(camera, [bar(lambda x: 4.0 + 0 * x)], SIDES)
    found = size_range(above, below, KNOWN)
    for one in (found.smallest, found.mean, found.largest):
        assert one.value == pytest.approx(8.0, abs=0.02 * PIXEL)
        assert abs(one.value - 8.0) < 3 * one.uncertainty
    assert straightness_of(above, KNOWN).value < 0.04 * PIXEL


def test_a_barrel_and_a_wave_have_theirs(camera):
    barrel = bar(lambda x: 4.0 - 0.05 * (x / 7.0) ** 2, lambda x: -4.0 + 0.05 * (x / 7.0) ** 2)
    found = size_range(*seen(camera, [barrel], SIDES), KNOWN)
    assert found.largest.value == pytest.approx(8.0, abs=0.1 * PIXEL)
    assert found.smallest.value == pytest.approx(7.9, abs=0.6 * PIXEL)  # the middle of the last piece, not its end
    assert found.mean.value == pytest.approx(8.0 - 0.1 / 3.0, abs=0.2 * PIXEL)
    wave = bar(lambda x: 4.0 + 0.02 * np.sin(2 * np.pi * x / 7.0))
    above, below = seen(camera, [wave], SIDES)
    assert straightness_of(above, KNOWN).value == pytest.approx(0.04, abs=0.25 * PIXEL)
    assert straightness_of(below, KNOWN).value < 0.04 * PIXEL


def test_a_slope_is_no_lack_of_straightness(camera):
    above, _ = seen(camera, [bar(lambda x: 4.0 + 0.02 * x)], SIDES)
    assert straightness_of(above, KNOWN).value < 0.04 * PIXEL


def test_roundness_is_that_of_the_part(camera):
    t = np.linspace(0.0, 2 * np.pi, 2000, endpoint=False)
    lobed = (6.0 + 0.03 * np.cos(3 * t))[:, None] * np.column_stack([np.cos(t), np.sin(t)])
    band = [Band(0.0, 0.0, 6.0, 0.0, 2 * np.pi, 0.8, "to light", dense=True)]
    (round_one,), (other,) = seen(camera, [disc([0.0, 0.0], 6.0)], band), seen(camera, [lobed], band)
    assert roundness_of(round_one, KNOWN).value < 0.08 * PIXEL
    assert roundness_of(other, KNOWN).value == pytest.approx(0.06, abs=0.15 * PIXEL)
    half = seen(camera, [lobed], [Band(0.0, 0.0, 6.0, 2.0, 5.0, 0.8, "to light", dense=True)])[0]
    assert 0.0 < roundness_of(half, KNOWN).value < 0.07


def test_what_cannot_be_told_is_said(camera):
    short = [Box(0.0, 4.0, np.pi / 2, 1.0, 0.3, "to light", dense=True), SIDES[1]]
    above, below = seen(camera, [bar(lambda x: 4.0 + 0 * x)], short)
    with pytest.raises(EvaluationError, match="too few for its extremes"):
        straightness_of(above, KNOWN)
    with pytest.raises(EvaluationError, match="too few for its extremes"):
        size_range(above, below, KNOWN)
    with pytest.raises(EvaluationError, match="this one is straight"):
        roundness_of(below, KNOWN)
    ring = seen(camera, [disc([0.0, 0.0], 6.0)], [Band(0.0, 0.0, 6.0, 0.0, 6.0, 0.8, "to light", dense=True)])[0]
    with pytest.raises(EvaluationError, match="this one is round"):
        size_range(ring, below, KNOWN)


def test_the_straightness_is_the_least_of_all_pairs_of_lines():
    """Against slopes tried finely, on places without noise."""
    rng = np.random.default_rng(4)
    for _ in range(20):
        x = np.repeat(np.linspace(0.0, 5.0, 12), 16) + np.tile(np.linspace(-0.2, 0.2, 16), 12)
        level = np.repeat(0.01 * rng.normal(size=12), 16)
        points = np.column_stack([x, level])
        one = Seen(points, straight_edge(points, 1.0))
        found = straightness_of(one, KNOWN).value
        t, y = x.reshape(12, 16).mean(axis=1), level.reshape(12, 16)[:, 0]
        tried = min(float(np.ptp(y - slope * t)) for slope in np.linspace(-0.05, 0.05, 4001))
        assert found == pytest.approx(tried, rel=0.15)
