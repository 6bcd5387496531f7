"""Product and manufacturing information (PMI) of a part: what its CAD file says about datums and tolerances."""

from truegauge.core.frozen_model import Frozen

FaceGroup = tuple[int, ...]


class AnnotatedDatum(Frozen):
    """A datum letter on faces."""

    letter: str
    faces: FaceGroup


class FrameDatum(Frozen):
    """A datum in a datum system: its letter (several for a common datum) and its modifiers in words."""

    letter: str
    modifiers: tuple[str, ...] = ()


class AnnotatedDimension(Frozen):
    """A dimension: `kind` in words (diameter, distance, ...), mm or rad; limits are deviations from the value."""

    kind: str
    name: str
    faces: FaceGroup
    other_faces: FaceGroup = ()
    value: float
    lower: float | None = None
    upper: float | None = None
    modifiers: tuple[str, ...] = ()


class AnnotatedTolerance(Frozen):
    """A geometric tolerance of `value` mm on faces, with the datums of its system in order."""

    kind: str
    name: str
    faces: FaceGroup
    value: float
    datums: tuple[FrameDatum, ...] = ()
    modifiers: tuple[str, ...] = ()


class Annotations(Frozen):
    """All annotations of a part; `not_understood` tells in words what could not be taken over."""

    datums: tuple[AnnotatedDatum, ...] = ()
    dimensions: tuple[AnnotatedDimension, ...] = ()
    tolerances: tuple[AnnotatedTolerance, ...] = ()
    not_understood: tuple[str, ...] = ()

    @property
    def count(self) -> int:
        """How many there are that were understood."""
        return len(self.datums) + len(self.dimensions) + len(self.tolerances)


NO_ANNOTATIONS = Annotations()
