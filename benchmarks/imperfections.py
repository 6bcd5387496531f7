"""Imperfections of a large scan: ``benchmarks/imperfections.py [POINTS]``.

The demo's panel with POINTS points: reference and finding from points in memory, another threshold, memory; and how
deep a plain surface of least squares says that the dents are, beside the robust one.
"""

import resource
import sys
import time

import numpy as np

from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.preparing import prepare
from truegauge.core.imperfections.reference import Reference
from truegauge.core.imperfections.search import find, find_imperfections
from truegauge.core.imperfections.smooth_surface import fit_smooth
from truegauge.demo.panel import injected, panel_cloud, place_of

POINTS = 2_000_000
WARM = 20_000
WAVELENGTH = 150.0


def timed(text: str, work):
    """Print how long work takes; returns what it returns."""
    began = time.perf_counter()
    made = work()
    print(f"{text}: {time.perf_counter() - began:.3f} s")
    return made


def plain_depths() -> list[tuple[float, float]]:
    """Return the true depths of the dents, and those from a plain surface of least squares through all of the panel."""
    truth = [i for i in injected() if i.depth < 0 and i.y < 400 and i.x < 820]
    points, _ = panel_cloud(100_000, noise=0.0, rivets=False)
    own = points[(points[:, 1] < 405.0) & (points[:, 0] < 850.0)]
    area = np.full(len(own), 900.0 * 600.0 / 100_000)
    fit = fit_smooth(own[:, :2], own[:, 2], area, WAVELENGTH, out=np.zeros(len(own), dtype=bool))
    off = own[:, 2] - fit.heights(own[:, :2])[0]
    found = []
    for one in truth:
        near = np.hypot(own[:, 0] - one.x, own[:, 1] - one.y) < 3.0
        found.append((one.depth, float(off[near].mean())))
    return found


def main() -> None:
    """Measure."""
    count = int(float(sys.argv[1])) if len(sys.argv) > 1 else POINTS
    find_imperfections(*panel_cloud(WARM))
    points, normals = panel_cloud(count)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"{len(points):,} points, wavelength {WAVELENGTH:g} mm; {before:.0f} MB")
    began = time.perf_counter()
    prepared = timed("reference", lambda: prepare(points, normals, Reference(wavelength=WAVELENGTH)))
    found = timed("finding and measuring", lambda: find(prepared, Finding()))
    print(f"both: {time.perf_counter() - began:.2f} s")
    timed("another threshold", lambda: find(prepared, Finding(depth=0.12)))
    print(f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB at most")
    truth = injected()
    places = np.array([place_of(one) for one in truth])
    errors, offs, hit = [], [], set()
    for one in found.imperfections:
        far = np.linalg.norm(places - np.array(one.deepest), axis=1)
        k = int(np.argmin(far))
        if far[k] < truth[k].a:
            hit.add(k)
            errors.append(one.depth - truth[k].depth)
            offs.append(far[k])
    off = np.sqrt(np.mean(np.square(errors)))
    print(f"{len(hit)} of {len(truth)} found, {len(found.imperfections) - len(errors)} invented")
    print(f"depth off by {off:.4f} mm rms, {np.abs(errors).max():.3f} at most; place by {max(offs):.2f} mm at most")
    shares = np.array([seen / true for true, seen in plain_depths()]) * 100
    print(f"a plain surface of least squares shows {shares.min():.0f} to {shares.max():.0f} % of the depth of dents, "
          f"{np.median(shares):.0f} % in the middle")  # fmt: skip


if __name__ == "__main__":
    main()
