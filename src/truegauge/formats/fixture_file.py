"""Fixtures from files: the facets of a mesh (STL, mm), or of the faces of a CAD file (STEP, IGES)."""

from pathlib import Path

import numpy as np

from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.document import PartFixture
from truegauge.formats.files import read_bytes
from truegauge.formats.part import read_part
from truegauge.formats.part_kinds import CAD_KINDS
from truegauge.formats.points_check import checked_points
from truegauge.formats.stl import corners_from_stl

FIXTURE_ENDINGS = (".stl", *CAD_KINDS)


def read_fixture(path: Path, *, on_table: bool = False, progress: Progress = silent) -> PartFixture:
    """Read what holds the part, in the coordinates of the part, or of the table on which the part is placed.

    Raises
    ------
    FormatError
        No such file, damaged, of another kind, or with more facets than are kept in a plan.
    """
    ending = path.suffix.lower()
    if ending not in FIXTURE_ENDINGS:
        known = ", ".join(FIXTURE_ENDINGS)
        raise FormatError(path, f"a fixture cannot be read from this kind of file; use one of {known}")
    if ending == ".stl":
        corners = np.asarray(corners_from_stl(path, read_bytes(path)), dtype=np.float64)
        checked_points(path, corners)
    else:
        mesh = read_part(path, progress=progress).mesh
        corners = mesh.vertices[mesh.triangles].reshape(-1, 3)
    try:
        return PartFixture.of_facets(path.stem[:80], corners.reshape(-1, 3, 3), "table" if on_table else "part")
    except ValueError as error:
        raise FormatError(path, str(error)) from None
