"""Silhouettes: ``benchmarks/silhouette.py [PUTS]``.

The demo's shaft under the stand-in camera, 2448 x 2048: how many pictures a second are measured by 100 edges that make
50 sizes, and with finding how the part lies, beside OpenCV's plain threshold and contours of the same pictures; how
fast the stand-in is; of PUTS puts of 20 parts what all sizes of the demo's plans are off by, and how sure they were.
"""

import sys
import time

import cv2
import numpy as np

from truegauge.core.silhouette.calibrating import Calibration
from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.looking import Box, Looks, Place
from truegauge.core.silhouette.measuring import Measurer
from truegauge.core.silhouette.names import SIZES
from truegauge.core.silhouette.signature import signature_of
from truegauge.core.silhouette.sizes import size_across
from truegauge.core.silhouette.tracking import Datums, Tracker
from truegauge.demo.shadow_plans import PARTS, PLATE_PART, SHAFT, calibrated
from truegauge.demo.shadow_plans import camera as demo_camera
from truegauge.demo.shaft import ShaftSizes, made, outline
from truegauge.devices.camera_sim.shadow import Camera

LENS = Lens(np.array([1223.5, 1023.5]), np.array([[0.016, 1e-5], [0.0, -0.01602]]), 1e-9, 1.2)
TAUGHT = Place(np.array([-15.7, 0.0]), 0.0)
PAIRS = {"journal": (1.8, 2.0), "groove": (3.8, 0.8), "seat": (9.5, 4.0), "collar": (15.0, 1.6)}


def pairs(x, half, wide):
    return (Box(x, half, np.pi / 2, 0.8, wide, "to light"), Box(x, -half, -np.pi / 2, 0.8, wide, "to light"))


def rate(work, pictures, least=1.0):
    work(pictures[0])
    began, done = time.perf_counter(), 0
    while time.perf_counter() - began < least:
        work(pictures[done % len(pictures)])
        done += 1
    return done / (time.perf_counter() - began)


def main() -> None:
    """Measure."""
    puts = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    camera, nominal, known = Camera(LENS), ShaftSizes(), Calibration(LENS, 0.0, 0.0, "plate")
    taught = signature_of(camera.picture([TAUGHT.picture_from_part(outline(nominal))]), LENS)
    stop = Box(0.0, 0.0, np.pi, 1.0, 4.0, "to light")
    tracker = Tracker(Datums(pairs(9.5, 4.0, 4.0), stop, taught, TAUGHT), LENS)
    boxes = [box for name, (x, wide) in PAIRS.items() for box in pairs(x, getattr(nominal, name) / 2, wide)]
    fifty = Looks((boxes * 13)[:100], LENS.pixel)
    began = time.perf_counter()
    pictures = [camera.picture([TAUGHT.picture_from_part(outline(made(k)))]) for k in range(8)]
    print(f"stand-in: {8 / (time.perf_counter() - began):.1f} pictures a second")

    def measured(picture):
        seen = fifty.seen(picture, LENS, TAUGHT)
        return [size_across(a.edge, b.edge, known).value for a, b in zip(seen[::2], seen[1::2], strict=True)]

    def tracked(picture):
        tracker.place(picture)
        return measured(picture)

    def plain(picture):
        dark = cv2.threshold(picture, 110, 255, cv2.THRESH_BINARY_INV)[1]
        return cv2.findContours(dark, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)

    for words, work in (("50 sizes", measured), ("found and 50 sizes", tracked), ("threshold and contours", plain)):
        print(f"{words}: {rate(work, pictures):.0f} pictures a second")
    for part in PARTS.values():
        truth(part, puts if part is SHAFT else max(1, puts // 4))


def truth(part, puts):
    """Tell how far all sizes of a plan are off how parts were made, and how sure they were."""
    own, taken, rng = part.plan().silhouette, demo_camera(2), np.random.default_rng(1)
    measure, off, sure = Measurer(own.recipe, calibrated().calibration), [], []
    for k in range(puts):
        sizes = part.made(k % 20)
        place = part.put(rng, upside_down=part is PLATE_PART, most=0.5 if part is SHAFT else np.pi)
        if part is SHAFT and rng.integers(2):  # end for end
            turned = Place(np.zeros(2), place.turn + np.pi)
            place = Place(rng.uniform(-1.0, 1.0, 2) - turned.picture_from_part(np.array([part.middle]))[0], turned.turn)
        found = measure.measure(part.picture(sizes, place, taken))
        for size in own.sizes:
            reading, true = found.sizes[size.id], part.true(sizes)[size.name]
            sure.append(abs(reading.value - true) / reading.uncertainty)
            if not SIZES[size.what].angular:
                off.append((reading.value - true) / LENS.pixel)
    off, sure = np.array(off), np.array(sure)
    print(f"{part.drawing}, {puts} puts: {len(own.sizes)} sizes each off by {np.mean(off):+.4f} px in the mean, "
          f"{np.std(off):.4f} px rms, {np.abs(off).max():.3f} at most, {100 * np.mean(np.abs(off) < 0.1):.1f} % within "
          f"0.1 px; {100 * np.mean(sure < 2):.1f} % within twice the stated uncertainty")  # fmt: skip


if __name__ == "__main__":
    main()
