"""The part with what is found on it once: exact distances, elements and patterns, what a map is drawn on."""

from __future__ import annotations

import threading
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.cad.elements import Elements
from truegauge.core.cad.patterns import Patterns
from truegauge.core.cad.projection import Projector
from truegauge.core.deviations.deviation_map import COARSE, FINE, MapMesh, map_mesh
from truegauge.core.progress import Progress, part_of
from truegauge.core.shelf import NO_SHELF, Shelf

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.cad.model import CadModel


class PartIndex:
    """Everything about a part that depends on nothing but the part; made at the first use."""

    def __init__(self, model: CadModel, projector: Projector | None = None, shelf: Shelf = NO_SHELF) -> None:
        self.model, self.shelf = model, shelf
        self._projector = projector
        self._building = threading.Lock()

    @property
    def projector(self) -> Projector:
        """Exact distances and picking; built at the first use, which takes a moment."""
        with self._building:
            if self._projector is None:
                self._projector = Projector(self.model, self.shelf)
            return self._projector

    @property
    def can_pick(self) -> bool:
        """Whether the projector is built, so that a window can use it without waiting."""
        return self._projector is not None

    @cached_property
    def elements(self) -> Elements:
        """Holes, slots, fillets and what else the faces make up."""
        return Elements(self.model)

    @cached_property
    def patterns(self) -> Patterns:
        """Equal elements in order."""
        return Patterns(self.elements)

    @property
    def knows_patterns(self) -> bool:
        """Whether elements and patterns are found, so that a window can use them without waiting."""
        return "patterns" in self.__dict__

    def find_patterns(self, progress: Progress) -> None:
        """Find elements and patterns, unless they are known; parts of thousands of holes take seconds."""
        if not self.knows_patterns:
            self.elements.find(part_of(progress, 0.0, 0.8))
            self.__dict__["patterns"] = Patterns(self.elements, part_of(progress, 0.8, 1.0))

    @cached_property
    def middle(self) -> Vector:
        """The middle of the box of the part, (3,) mm."""
        vertices = self.model.mesh.vertices
        return np.asarray((vertices.min(axis=0) + vertices.max(axis=0)) / 2)

    @cached_property
    def map_meshes(self) -> tuple[MapMesh, MapMesh]:
        """What a deviation map is drawn on, at rest and while it moves."""
        return map_mesh(self.model, FINE), map_mesh(self.model, COARSE)
