"""What a face is, in the inspector's words, and the nominal feature it stands for."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.around import widest_gap
from truegauge.core.arrays import Points, any_perpendicular
from truegauge.core.association.features import Cone, Cylinder, Feature, Plane, Shape, Sphere, Torus
from truegauge.core.cad.model import CadModel, Surface, SurfaceKind
from truegauge.core.errors import GeometryError

_SHAPES = {
    SurfaceKind.PLANE: Shape.PLANE,
    SurfaceKind.CYLINDER: Shape.CYLINDER,
    SurfaceKind.CONE: Shape.CONE,
    SurfaceKind.SPHERE: Shape.SPHERE,
    SurfaceKind.TORUS: Shape.TORUS,
}
# Faces of one surface may differ by the rounding of the file.
_LENGTH, _DIRECTION = 1e-4, 1e-6
_WHOLE_GAP = np.radians(40)


@dataclass(frozen=True, slots=True, eq=False)
class Nominal:
    """A nominal feature of the part: the ideal feature, on which side the material is, and its extent.

    `outward` is +1 where the material normal points along `Feature.distances`, -1 against it (a hole). `length` (mm)
    is the extent along the axis (for a plane: the diagonal of the faces); `center` the middle of the faces. `arc` (rad)
    is how far the faces go round the axis, `corners` (m, 3) the outermost places of a plane.
    """

    feature: Feature
    outward: int
    length: float
    center: np.ndarray
    built: bool = False  # from other features: it has no points of its own
    arc: float = 2 * np.pi
    corners: Points | None = None

    @property
    def shape(self) -> Shape:
        """The shape of the ideal feature."""
        return self.feature.shape


def shape_of(model: CadModel, face: int) -> Shape | None:
    """Return the shape of a face, None for a free-form face."""
    return _SHAPES.get(model.faces[face].surface.kind)


def whole_surface(model: CadModel, face: int) -> tuple[int, ...]:
    """Return the faces that together are one surface: a hole split into two halves is one hole."""
    here = model.faces[face]
    if here.surface.kind in (SurfaceKind.PLANE, SurfaceKind.BSPLINE):
        return (face,)
    table, s = model.surface_table, here.surface
    rows = np.flatnonzero((table[:, 0] == s.kind) & (table[:, 1] == s.outward))
    if s.kind != SurfaceKind.CONE:
        rows = rows[np.abs(table[rows, 2] - s.radius) <= _LENGTH]
    between, axes = table[rows, 5:8] - s.origin, table[rows, 8:11]
    apart = np.linalg.norm(between, axis=1)
    if s.kind == SurfaceKind.SPHERE:
        return tuple(int(i) for i in rows[apart < _LENGTH])
    same = np.linalg.norm(np.cross(axes, s.z), axis=1) <= _DIRECTION
    same &= np.linalg.norm(np.cross(between, s.z), axis=1) <= _LENGTH
    if s.kind == SurfaceKind.TORUS:
        same &= (np.abs(table[rows, 3] - s.minor) < _LENGTH) & (apart < _LENGTH)
    elif s.kind == SurfaceKind.CONE:
        with np.errstate(divide="ignore", invalid="ignore"):
            apexes = table[rows, 5:8] - axes * (table[rows, 2] / np.tan(table[rows, 4]))[:, None]
        own = s.origin - s.z * s.radius / np.tan(s.half_angle)
        same &= np.linalg.norm(apexes - own, axis=1) < 10 * _LENGTH
    else:
        # Coaxial holes in two walls are two holes: their faces' extents along the axis do not meet.
        rows, same = rows[same], same[same]
        low, high = (model.face_boxes[rows][:, k] @ np.abs(s.z) for k in (0, 1))
        own = here.box @ np.abs(s.z)
        same &= (own[0] <= high + 1e-3) & (low <= own[1] + 1e-3)
    return tuple(int(i) for i in rows[same])


def nominal_of(model: CadModel, faces: tuple[int, ...]) -> Nominal:
    """Return the nominal feature of faces that share one surface.

    Raises
    ------
    GeometryError
        A face that the part does not have, a free-form face, or faces of different surfaces.
    """
    if not faces or max(faces) >= len(model.faces) or min(faces) < 0:
        raise GeometryError("the part has no such face; pick the feature again")
    parts = [model.faces[f] for f in faces]
    surface = parts[0].surface
    if surface.kind not in _SHAPES:
        raise GeometryError("a free-form face has no ideal feature; its deviation is shown on the map")
    if any(p.surface.kind != surface.kind for p in parts):
        raise GeometryError("the faces of one feature must be of one kind")
    areas = np.array([p.area for p in parts])
    center = areas @ np.array([p.centroid for p in parts]) / areas.sum()
    vertices = model.mesh.vertices[model.mesh.triangles[np.isin(model.mesh.triangle_face, faces)]].reshape(-1, 3)
    if surface.kind == SurfaceKind.PLANE:
        diagonal = float(np.linalg.norm(vertices.max(axis=0) - vertices.min(axis=0)))
        plane = Plane(center, surface.z * surface.outward)
        return Nominal(plane, 1, diagonal, center, corners=_outermost(plane, vertices))
    along = (vertices - surface.origin) @ surface.z
    low, high = float(along.min()), float(along.max())
    middle = surface.origin + (low + high) / 2 * surface.z
    return Nominal(_curved_feature(surface, middle), surface.outward, high - low, middle, arc=_arc(surface, vertices))


def _outermost(plane: Plane, vertices: Points) -> Points:
    """Return the vertices that lie farthest in eight directions of the plane."""
    x, y = plane.pose.axes[:2]
    turns = np.arange(8) * np.pi / 4
    ways = np.cos(turns)[:, None] * x + np.sin(turns)[:, None] * y
    return np.asarray(vertices[np.argmax(vertices @ ways.T, axis=0)])


def _arc(surface: Surface, vertices: Points) -> float:
    """Return how far vertices go round the axis of a surface, rad; the gap of a coarse mesh is none."""
    off = vertices - surface.origin
    x = any_perpendicular(surface.z)
    flat = np.column_stack([off @ x, off @ np.cross(surface.z, x)])
    gap = widest_gap(flat)
    return 2 * np.pi if gap < _WHOLE_GAP else 2 * np.pi - gap


def _curved_feature(surface: Surface, middle: np.ndarray) -> Feature:
    if surface.kind == SurfaceKind.CYLINDER:
        return Cylinder(middle, surface.z, surface.radius)
    if surface.kind == SurfaceKind.SPHERE:
        return Sphere(surface.origin, surface.radius)
    if surface.kind == SurfaceKind.TORUS:
        return Torus(surface.origin, surface.z, surface.radius, surface.minor)
    way = 1.0 if surface.half_angle > 0 else -1.0
    apex = surface.origin - surface.z * surface.radius / np.tan(surface.half_angle)
    return Cone(apex, way * surface.z, abs(surface.half_angle))


def describe(nominal: Nominal) -> str:
    """Say what a feature is: "cylinder, diameter 42.000, hole"."""
    f = nominal.feature
    side = "hole" if nominal.outward < 0 else "boss"
    match f:
        case Cylinder():
            return f"cylinder, diameter {2 * f.radius:.3f}, {side}"
        case Sphere():
            return f"sphere, diameter {2 * f.radius:.3f}, {'socket' if nominal.outward < 0 else 'ball'}"
        case Cone():
            return f"cone, angle {np.degrees(2 * f.half_angle_rad):.3f}°, {side}"
        case Torus():
            return f"torus, diameters {2 * f.major_radius:.3f} and {2 * f.minor_radius:.3f}"
        case Plane():
            return f"plane, facing {_facing(f.normal)}"
    return str(f.shape)


def describe_face(model: CadModel, face: int) -> str:
    """Say what the face under the pointer is."""
    if shape_of(model, face) is None:
        return "free-form face"
    return describe(nominal_of(model, whole_surface(model, face)))


def _facing(normal: np.ndarray) -> str:
    for k, axis in enumerate("XYZ"):
        if abs(abs(normal[k]) - 1) < 1e-6:
            return f"{'+' if normal[k] > 0 else '-'}{axis}"
    return "({:.2f}, {:.2f}, {:.2f})".format(*normal)
