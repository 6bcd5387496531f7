"""A sample: one measured individual. Its raw points are never altered."""

import hashlib
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from pydantic import Field

from truegauge.core.arrays import Normals, Points, Rigid, frozen
from truegauge.core.clouds.raw import Colors
from truegauge.core.frames import apply
from truegauge.core.frozen_model import Frozen, Three


class Touch(Frozen):
    """One measured point (mm, the coordinates of the sample) of a target.

    `side` says where: on a surface, on the spot face of a hole, or on its wall. With a `radius` the place is the
    centre of a tip of that radius, which came in the direction `approach`; without, it is compensated already.
    """

    target: str
    place: Three
    side: Literal["surface", "face", "wall"] = "surface"
    radius: float = Field(default=0.0, ge=0, le=100)
    approach: Three = (0.0, 0.0, 0.0)


class ProbedTouch(Frozen):
    """One touch of a CMM: where the centre of the tip was (mm, machine coordinates), and how it came there.

    `approach` is the unit direction of the motion, `radius` (mm) that of the tip by its qualification; `feature` is an
    id of the plan, empty while nobody has said what was touched. `stylus` names what touched; `warning` says why its
    points are to be looked at with care (not qualified, due, another speed). `row` numbers the ring or line of the
    feature that it was taken in, -1 where nobody said.
    """

    place: Three
    approach: Three
    radius: float = Field(ge=0, le=100)
    feature: str = ""
    stylus: str = ""
    warning: str = ""
    qualified: bool = True
    row: int = Field(default=-1, ge=-1)


class ScanFile(Frozen):
    """One scan of a sample: its file, the unit of its lengths, where x, y and z stand in a text, how many points.

    `placement` (a 4x4 matrix, row by row) takes its points to the coordinates of the first scan, where the part was
    moved between them; `placed_by` says how it was found.
    """

    file_name: str
    unit: str = "mm"
    columns: tuple[int, int, int] | None = None
    count: int = Field(default=0, ge=0)
    placement: tuple[float, ...] | None = Field(default=None, min_length=16, max_length=16)
    placed_by: str = ""


class SampleData(Frozen):
    """What is written about a sample besides its points."""

    name: str = ""
    serial: str = ""
    operator: str = ""
    measured_at: str = ""
    temperature_c: float | None = Field(default=None, gt=-60, lt=200)
    scale_temperature_c: float | None = Field(default=None, gt=-60, lt=200)
    scale_expansion: float = Field(default=0.0, ge=0, le=1e-3)
    touches: tuple[Touch, ...] = ()
    probed: tuple[ProbedTouch, ...] = ()
    scans: tuple[ScanFile, ...] = ()

    @property
    def unit(self) -> str:
        """The unit of the first scan's file."""
        return self.scans[0].unit if self.scans else "mm"


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
class Sample:
    """Raw points (n, 3) mm in scan coordinates, all scans one after the other; `key` identifies their content.

    `normals` (n, 3) are zero and `colors` (n, 3) grey where one of several scans has none. `notes` tell what reading
    left out or moved.
    """

    key: str
    data: SampleData
    points: Points
    normals: Normals | None = None
    colors: Colors | None = None
    notes: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """The name shown."""
        return self.data.name

    def placed(self, first_from_this: Rigid, placed_by: str) -> "Sample":
        """Return the sample in other coordinates: the points of a part that was moved between two scans."""
        files = tuple(
            f.replace(placement=tuple(first_from_this.ravel().tolist()), placed_by=placed_by) for f in self.data.scans
        )
        turned = None
        if self.normals is not None:
            turned = frozen(np.ascontiguousarray(self.normals @ first_from_this[:3, :3].T, dtype=self.normals.dtype))
        code = hashlib.sha256(np.ascontiguousarray(first_from_this).tobytes()).hexdigest()[:12]
        return replace(
            self, key=f"{self.key}@{code}", data=self.data.replace(scans=files), normals=turned,
            points=frozen(apply(first_from_this, self.points)),
        )  # fmt: skip

    def joined(self, other: "Sample") -> "Sample":
        """Return a sample of both samples' scans; `other` is in the same coordinates."""
        data = self.data.replace(scans=(*self.data.scans, *other.data.scans))
        return replace(
            self,
            key=f"{self.key}+{other.key}",
            data=data,
            points=frozen(np.vstack([self.points, other.points])),
            normals=_stacked(self.normals, other.normals, len(self.points), len(other.points), 0.0),
            colors=_stacked(self.colors, other.colors, len(self.points), len(other.points), 160),
            notes=(*self.notes, *other.notes),
        )


def _stacked(a, b, count_a: int, count_b: int, blank: float):  # type: ignore[no-untyped-def]
    if a is None and b is None:
        return None
    kind = (a if a is not None else b).dtype
    parts = [np.full((n, 3), blank, dtype=kind) if x is None else x for x, n in ((a, count_a), (b, count_b))]
    return frozen(np.vstack(parts))
