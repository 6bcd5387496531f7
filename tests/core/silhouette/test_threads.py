"""Threads: pitch, angle and diameters in closed form, and of parts put down under the stand-in camera."""

import numpy as np
import pytest
from shadow_parts import SEAT_END, TRUE, N, put

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.calibrating import Calibration
from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.looking import Box, Looks
from truegauge.core.silhouette.threads import thread_of
from truegauge.demo.shaft import made, outline
from truegauge.devices.camera_sim.shadow import Camera

KNOWN = Calibration(TRUE, 0.0, 0.0, "plate")
SHARP = Calibration(Lens.of_pixel_size(1e-6, (100, 100)), 0.0, 0.0, "plate")  # whose blur is nothing beside a thread
SIXTY = np.sqrt(3.0) / 2.0


def side(x, pitch, outer, angle=np.pi / 3, crest=1 / 8, deep=None, shift=0.0):
    """Radii (n,) of a thread at places along the axis: crests a share of the pitch wide."""
    slope = 1.0 / np.tan(angle / 2)
    off = np.abs((x - shift + pitch / 2) % pitch - pitch / 2)  # from the middle of a crest
    depth = 5 / 8 * SIXTY * pitch if deep is None else deep
    return outer / 2 - np.clip((off - crest * pitch / 2) * slope, 0.0, depth)


@pytest.mark.parametrize(("pitch", "outer", "angle"), [(0.8, 5.0, np.pi / 3), (1.5, 10.0, np.pi / 3),
                                                       (1.0, 8.0, np.radians(55.0))])  # fmt: skip
def test_a_thread_in_closed_form(pitch, outer, angle):
    x = np.linspace(0.1, 6.5, 2600)
    depth = 0.6 * pitch
    above = np.column_stack([x, side(x, pitch, outer, angle, deep=depth)])
    below = np.column_stack([x, -side(x, pitch, outer, angle, deep=depth, shift=pitch / 2)])
    found = thread_of(above, below, SHARP)
    assert found.pitch.value == pytest.approx(pitch, abs=1e-4)
    assert found.flank_angle.value == pytest.approx(angle, abs=1e-4)
    assert found.outer.value == pytest.approx(outer, abs=1e-4)
    assert found.core.value == pytest.approx(outer - 2 * depth, abs=1e-4)
    # A tooth is half a pitch wide where its flanks are (1/2 - 1/8) / 2 of a pitch off its crest.
    assert found.pitch_diameter.value == pytest.approx(outer - 2 * (3 / 16 * pitch / np.tan(angle / 2)), abs=1e-4)


def test_threads_of_parts_put_down_anyhow():
    camera, rng, off, sure = Camera(TRUE), np.random.default_rng(1), [], []
    middle = SEAT_END + N.collar_long + N.taper_long + N.thread_long / 2
    looks = Looks([Box(middle, y, turn, 1.6, 5.6, "to light", dense=True)
                   for y, turn in ((2.2, np.pi / 2), (-2.2, -np.pi / 2))], TRUE.pixel)  # fmt: skip
    for k in range(12):
        s = made(k)
        place = put(rng, s.long)
        above, below = looks.seen(camera.picture([place.picture_from_part(outline(s))]), TRUE, place)
        found = thread_of(above.points, below.points, KNOWN)
        truths = (s.pitch, s.thread, s.thread - 5 / 4 * SIXTY * s.pitch, s.thread - 3 / 4 * SIXTY * s.pitch)
        readings = (found.pitch, found.outer, found.core, found.pitch_diameter)
        wrong = [r.value - t for r, t in zip(readings, truths, strict=True)]
        off.append([*(w / TRUE.pixel for w in wrong), np.degrees(found.flank_angle.value - np.pi / 3) / 10])
        turned = abs(found.flank_angle.value - np.pi / 3) / found.flank_angle.uncertainty
        sure.append([turned, *(abs(w) / r.uncertainty for w, r in zip(wrong, readings, strict=True))])
    assert np.abs(off).max() < 0.1
    assert np.abs(np.mean(off, axis=0)).max() < 0.02
    assert np.mean(np.array(sure) < 2.0) > 0.85
    assert np.max(sure) < 5.0


def test_what_is_no_thread_is_said():
    x = np.linspace(0.0, 6.0, 1000)
    flat = np.column_stack([x, 2.5 + 1e-4 * np.sin(50 * x)])
    with pytest.raises(EvaluationError, match=r"flanks are seen|too few"):
        thread_of(flat[:400], -flat[:400] * [-1.0, 1.0], KNOWN)
    with pytest.raises(EvaluationError, match="too few for a thread"):
        thread_of(flat[:10], flat[:10], KNOWN)
    short = np.column_stack([x[:200], side(x[:200], 0.8, 5.0)])
    with pytest.raises(EvaluationError, match="flanks are seen"):
        thread_of(short, short * [1.0, -1.0], KNOWN)
