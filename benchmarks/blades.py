"""Sections of a blade: ``benchmarks/blades.py [POINTS [SECTIONS]]``.

The demo's vane as CAD and as a scan of POINTS points that is aligned: cutting, measuring and uncertainties of SECTIONS
sections; how far their values are off the truth, in stated uncertainties.
"""

import sys
import time

import numpy as np

from truegauge import demo
from truegauge.core.blades.asked import Asked
from truegauge.core.blades.sections import sections_of
from truegauge.core.cad.projection import Projector
from truegauge.demo.vane import VaneErrors, vane_cloud
from truegauge.formats.part import read_part

POINTS, SECTIONS = 1_000_000, 20


def main() -> None:
    """Measure."""
    count = int(float(sys.argv[1])) if len(sys.argv) > 1 else POINTS
    many = int(sys.argv[2]) if len(sys.argv) > 2 else SECTIONS
    model = read_part(demo.VANE_PART)
    projector = Projector(model)
    points = vane_cloud(count)
    errors = VaneErrors(wave=0.0)
    heights = tuple(float(z) for z in np.linspace(18.0, 95.0, many))
    sections_of(model, projector, points[::10], Asked(heights[:1]))  # kernels are compiled
    began = time.perf_counter()
    found = sections_of(model, projector, points, Asked(heights))
    took = time.perf_counter() - began
    off, told = [], 0
    for one in found:
        told += sum(np.isfinite(list(one.values.values())))
        for name, value in errors.made(one.height).values().items():
            off.append((one.values.get(name, np.nan) - value) / one.uncertainties.get(name, np.nan))
    off = np.abs(np.array(off))
    print(f"{count:,} points, {many} sections, {told} values: {took:.2f} s")
    known = off[np.isfinite(off)]
    print(
        f"{100 * np.mean(known <= 2):.0f} % of {len(known)} within twice their uncertainty, {known.max():.1f} at most"
    )


if __name__ == "__main__":
    main()
