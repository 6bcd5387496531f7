"""Finding the faces of a demo part by what they are, not by their number."""

import numpy as np

from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.demo.housing_sizes import MAIN_BORE, MOUNTING_HOLES, bolt_holes


def cylinder_at(model: CadModel, radius: float, x: float, y: float) -> int:
    """Return the face of an upright cylinder of `radius` whose axis passes through (x, y)."""
    for f in model.faces:
        s = f.surface
        if s.kind == SurfaceKind.CYLINDER and abs(s.radius - radius) < 1e-6 and abs(abs(s.z[2]) - 1) < 1e-9:  # noqa: SIM102
            if np.hypot(*(s.origin[:2] - (x, y))) < 1e-6:
                return f.index
    raise LookupError(f"no upright cylinder of radius {radius} at ({x}, {y})")


def plane_at(model: CadModel, normal: tuple[float, float, float], offset: float) -> int:
    """Return the largest plane face with this outward normal at this distance from the origin along it."""
    found = [
        f
        for f in model.faces
        if f.surface.kind == SurfaceKind.PLANE
        and np.allclose(f.surface.z * f.surface.outward, normal, atol=1e-9)
        and abs(float(f.surface.origin @ np.asarray(normal)) - offset) < 1e-6
    ]
    if not found:
        raise LookupError(f"no plane {normal} at {offset}")
    return max(found, key=lambda f: f.area).index


def face_of_kind(model: CadModel, kind: SurfaceKind) -> int:
    """Return the only face of this kind."""
    (face,) = (f.index for f in model.faces if f.surface.kind == kind)
    return face


def cylinder_along(model: CadModel, radius: float, axis: int) -> int:
    """Return the largest cylinder of `radius` along x (0) or y (1)."""
    return max(
        (f for f in model.faces if f.surface.kind == SurfaceKind.CYLINDER and abs(f.surface.radius - radius) < 1e-6
         and abs(abs(f.surface.z[axis]) - 1) < 1e-9),
        key=lambda f: f.area,
    ).index  # fmt: skip


def housing_faces(model: CadModel) -> dict[str, int]:
    """Return one face of each named feature of LW-1140."""
    bolts = {f"bolt-{k + 1}": cylinder_at(model, 2.75, x, y) for k, (x, y) in enumerate(bolt_holes())}
    mounts = {f"mount-{k + 1}": cylinder_at(model, 3.3, x, y) for k, (x, y) in enumerate(MOUNTING_HOLES)}
    return {
        "base": plane_at(model, (0, 0, -1), 0),
        "side-b": plane_at(model, (0, -1, 0), 0),
        "side-c": plane_at(model, (-1, 0, 0), 0),
        "top": plane_at(model, (0, 0, 1), 60),
        "main-bore": cylinder_at(model, 21.0, *MAIN_BORE),
        "cross-bore": cylinder_along(model, 12.0, 1),
        "boss": cylinder_along(model, 15.0, 0),
        "socket": face_of_kind(model, SurfaceKind.SPHERE),
        "slot-left": plane_at(model, (1, 0, 0), 124),
        "slot-right": plane_at(model, (-1, 0, 0), -136),
        "shroud": face_of_kind(model, SurfaceKind.BSPLINE),
        **bolts,
        **mounts,
    }
