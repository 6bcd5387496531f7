"""Scans of more housings, each with its own errors: ``python -m truegauge.demo.samples FOLDER COUNT [POINTS]``.

What is wrong with each is a random multiple of what is wrong with the demo sample; the multiples are written down.
"""

import json
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np

from truegauge import demo
from truegauge.core.arrays import Points
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.demo.housing_errors import hidden_from_scanner, housing_errors
from truegauge.demo.scan_maker import InjectedError, ScanSettings, Shift, make_scan
from truegauge.formats.files import write_whole
from truegauge.formats.part import read_part
from truegauge.formats.ply import ply_from_points


def varied(model: CadModel, number: int) -> tuple[tuple[InjectedError, ...], dict[str, float]]:
    """Return the errors of housing `number`, and the multiple of each by name."""
    rng = np.random.default_rng(7000 + number)
    errors, factors = [], {}
    for error in housing_errors(model):
        factor = float(np.clip(rng.normal(0.7, 0.5), -0.5, 2.0))
        factors[error.name] = factor
        errors.append(replace(error, shift=_times(error.shift, factor)))
    return tuple(errors), factors


def _times(shift: Shift, factor: float) -> Shift:
    def scaled(points: Points, normals: Points) -> Points:
        return factor * shift(points, normals)

    return scaled


def write_samples(folder: Path, count: int, points: int = 250_000) -> list[Path]:
    """Write `count` scans with their truths, and return the scans."""
    folder.mkdir(parents=True, exist_ok=True)
    model = read_part(demo.PART)
    projector = Projector(model)
    written = []
    for number in range(1, count + 1):
        errors, factors = varied(model, number)
        settings = ScanSettings(points=points, seed=7000 + number, hidden=hidden_from_scanner, errors=errors)
        cloud, truth = make_scan(model, projector, settings)
        path = folder / f"LW-1140-{100 + number:04}.ply"
        write_whole(path, ply_from_points(cloud, comment="LW-1140 worm-drive housing, made-up data"))
        truth["factors"] = factors
        write_whole(path.with_suffix(".truth.json"), (json.dumps(truth, indent=1) + "\n").encode())
        written.append(path)
    return written


if __name__ == "__main__":
    write_samples(Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]) if len(sys.argv) > 3 else 250_000)
