"""What a file says of a sample: frozen models. Lengths in mm, temperatures in °C."""

from typing import Literal

from pydantic import Field

from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.plan.lens import LensRecord


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
    feature that it was taken in, -1 where nobody said. `name` is one that somebody gave to the point.
    """

    place: Three
    approach: Three
    radius: float = Field(ge=0, le=100)
    feature: str = ""
    stylus: str = ""
    warning: str = ""
    qualified: bool = True
    row: int = Field(default=-1, ge=-1)
    name: str = Field(default="", max_length=200)


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


class PictureFile(Frozen):
    """A picture of a shadow: its file, the camera that took it and how that was calibrated, when.

    Without a camera it came from a file, and is measured by the calibration of the plan unless it has one.
    """

    file_name: str = Field(default="", max_length=300)
    camera: str = Field(default="", max_length=300)
    lens: LensRecord | None = None
    taken_at: str = Field(default="", max_length=40)


class ReferencePoint(Frozen):
    """A seat beside the part that a tip fits into: where the centre of the tip was, mm, sample coordinates."""

    name: str = Field(min_length=1, max_length=80)
    place: Three


class Placed(Frozen):
    """A device that does not stand where the sample's coordinates come from, or not any more.

    `placement` (a 4x4 matrix, row by row) takes its points to the coordinates of the sample.
    """

    device: str = Field(min_length=1, max_length=300)
    placement: tuple[float, ...] = Field(min_length=16, max_length=16)
    by: str = Field(default="", max_length=400)


class SampleAbout(Frozen):
    """What is said of a sample as a whole: whose, when, how warm (`scale_expansion` in 1/K), what of it is wanted."""

    name: str = ""
    serial: str = ""
    operator: str = ""
    measured_at: str = ""
    temperature_c: float | None = Field(default=None, gt=-60, lt=200)
    scale_temperature_c: float | None = Field(default=None, gt=-60, lt=200)
    scale_expansion: float = Field(default=0.0, ge=0, le=1e-3)
    device: str = ""  # in whose coordinates its touches are: what the device says it is; empty: nobody said
    placed: tuple[Placed, ...] = ()  # other devices, and those that were moved
    references: tuple[ReferencePoint, ...] = ()  # by which they are placed
    machine_check: str = ""  # the last check of the machine that touched it, in words
    chosen: tuple[str, ...] = ()  # characteristics (ids) of a partial run: there are results of these only
    subset: str = ""  # the name of that choice


class SampleData(SampleAbout):
    """Everything that is written about a sample besides the points of its scans."""

    touches: tuple[Touch, ...] = ()
    probed: tuple[ProbedTouch, ...] = ()
    scans: tuple[ScanFile, ...] = ()
    pictures: tuple[PictureFile, ...] = Field(default=(), max_length=20)

    @property
    def about(self) -> SampleAbout:
        """What is said of the sample as a whole."""
        return SampleAbout(**{name: getattr(self, name) for name in SampleAbout.model_fields})
