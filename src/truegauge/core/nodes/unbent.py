"""The map of a blade with every section where its fit puts it: what is left beside twist, lean and bow."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.result import SectionResult
from truegauge.core.deviations.deviation_map import DeviationMap, coarse_values, map_values
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.aligned import AlignedCloud
from truegauge.core.nodes.blades import MeasuredBlade
from truegauge.core.nodes.node import Node
from truegauge.core.plan.blades import BladeCheck

if TYPE_CHECKING:
    from collections.abc import Hashable, Sequence

    from truegauge.core.arrays import Floats, Points
    from truegauge.core.nodes.context import Context

_LEAST = 2  # sections that are measured


def unbent(points: Points, results: Sequence[SectionResult], blade: BladeCheck) -> tuple[Points, Floats]:
    """Return points (n, 3) moved as the fits of the sections say, between them straight over, and their heights (n,).

    `results` are measured ones, from low to high; beyond the last ones the points move as these do.
    """
    axis = np.array(blade.axis) / np.linalg.norm(blade.axis)
    at, middle = np.array([one.height for one in results]), results[len(results) // 2]
    # Of planes or cones that rise along the machine axis it is the height of the one through each point.
    heights = middle.height + middle.plane.heights(points) / float(axis @ middle.plane.normal)
    fits = [one.fit for one in results if one.fit is not None]
    turn = np.interp(heights, at, [f.turn for f in fits])
    pivot, shift = (
        np.column_stack([np.interp(heights, at, [getattr(f, name)[k] for f in fits]) for k in range(2)])
        for name in ("pivot", "shift")
    )
    own = middle.plane.through(points)
    flat = own.flat(points)
    c, s = np.cos(turn), np.sin(turn)
    off = flat - pivot
    moved = pivot + shift + np.column_stack([c * off[:, 0] - s * off[:, 1], s * off[:, 0] + c * off[:, 1]])
    return points + own.solid(moved) - own.solid(flat), heights


@dataclass(frozen=True, slots=True)
class UnbentMap(Node[DeviationMap]):
    """The deviations of a blade between its lowest and its highest section, after the fits of its sections."""

    blade: BladeCheck
    of_features = False

    def key(self, context: Context) -> Hashable:
        return tuple(MeasuredBlade(self.blade, s).key(context) for s in self.blade.sections)

    def compute(self, context: Context) -> DeviationMap:
        found = []
        for k, section in enumerate(self.blade.sections):
            context.progress(0.7 * k / len(self.blade.sections), f"section at {section.height:g} mm")
            one = context.get(MeasuredBlade(self.blade, section))
            if isinstance(one, SectionResult) and one.fit is not None:
                found.append(one)
        if len(found) < _LEAST:
            raise EvaluationError("a blade is unbent by two sections that are measured, or more")
        found.sort(key=lambda one: one.height)
        cloud = context.need(AlignedCloud())
        moved, heights = unbent(cloud.points, found, self.blade)
        own = cloud.usable & (heights >= found[0].height) & (heights <= found[-1].height)
        context.progress(0.8, "unbent")
        deviations = context.projector.deviations(moved[own])
        fine, coarse = context.part.map_meshes
        values = map_values(fine, deviations, ~deviations.on_edge)
        return DeviationMap(fine, values, coarse, coarse_values(coarse, fine, values))
