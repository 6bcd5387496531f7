"""What the scanner sees of a part: beams of light, how bright they come back, and how well their places are known."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points
from truegauge.devices.made_part import MadePart
from truegauge.devices.scanner_sim.settings import ScannerSettings

MATT, SHINY, DARK = 0, 1, 2
_SHARES = (0.75, 0.17, 0.08)
_BRIGHT = np.array([150.0, 70.0, 16.0])  # of 255, square to the beam
_NOISE = np.array([1.0, 1.3, 2.0])
_GLARE, _GLARE_WIDTH = 420.0, np.radians(7.0)  # of a shiny surface that looks straight back
_STEEP, _STEEPEST = np.radians(60.0), np.radians(84.0)  # between which ever fewer beams come back
_OFF = 0.5  # mm between the mesh that a beam hits and the surface


@dataclass(frozen=True, slots=True, eq=False)
class Seen:
    """Places (n, 3) mm in part coordinates, beams (n, 3) to the scanner, intensities (n,)."""

    places: Points
    beams: Points
    intensities: NDArray[np.uint8]


class Optics:
    """Of one scanner before one part; each face has its finish."""

    def __init__(self, part: MadePart, settings: ScannerSettings, seed: int) -> None:
        self.part, self.settings = part, settings
        self.rng = np.random.default_rng([seed, 33])
        faces = int(part.projector.faces)
        self.finish = np.random.default_rng([seed, 34]).choice(3, faces + 1, p=_SHARES)

    def look(self, origins: Points, directions: Points) -> Seen:
        """Return what comes back of beams from places (n, 3) in directions (n, 3), in part coordinates."""
        s, rng = self.settings, self.rng
        along = self.part.projector.hits(origins, directions)
        there = np.flatnonzero(np.abs(along - s.standoff) < s.depth)
        way = directions[there]
        hit = origins[there] + along[there, None] * way
        places, normals, face = self.part.surface(hit, _OFF)
        angle = np.arccos(np.clip(-np.einsum("ij,ij->i", way, normals), -1.0, 1.0))
        finish = self.finish[face]
        light, noise, lost = self._returned(angle, finish)
        keep = (face >= 0) & (rng.random(len(there)) > lost)
        places = places + (noise * rng.normal(size=len(there)))[:, None] * way
        stray = rng.random(len(there)) < s.stray_share
        places = places + (stray * rng.normal(0, 12.0, len(there)))[:, None] * way
        return Seen(places[keep], -way[keep], light[keep])

    def _returned(self, angle: Floats, finish: NDArray[np.int64]) -> tuple[NDArray[np.uint8], Floats, Floats]:
        """Return intensities, standard deviations (mm) and the shares that are lost, by angles and finishes (n,)."""
        glare = np.exp(-((angle / _GLARE_WIDTH) ** 2)) * (finish == SHINY)
        facing = np.clip(np.cos(angle), 0.0, 1.0)
        light = np.clip(_BRIGHT[finish] * facing**0.5 + _GLARE * glare, 0, 255).astype(np.uint8)
        noise = self.settings.noise * _NOISE[finish] * (1 + 3 * glare) / np.maximum(facing, 0.3)
        steep = np.clip((angle - _STEEP) / (_STEEPEST - _STEEP), 0.0, 1.0)
        lost = 1 - (1 - steep) * (1 - 0.3 * glare) * np.where(finish == DARK, 0.7, 1.0)
        return light, noise, lost
