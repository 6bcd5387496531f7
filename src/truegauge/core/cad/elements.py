"""What the faces of a part make up, in the words of a workshop: holes, counterbores, slots, fillets, pads, ...

Everything is read off the exact surfaces, the borders between faces, and rays along axes: no names in the file, no
history of how the part was modelled.
"""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Vector
from truegauge.core.cad.element import Element, ElementKind, FaceGroup
from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.core.cad.rays import Rays
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.cad.turned import SAME_ANGLE, SAME_LENGTH, Coaxial, Turned, largest_radius
from truegauge.core.progress import Progress, silent

_FULL = math.radians(30)  # a turned face without a gap wider than this goes all round
_HALF = math.radians(6)
_DOING = "holes and patterns"


@dataclass(eq=False)
class Elements:
    """The elements of one part, found when first asked for."""

    model: CadModel
    _told: Progress = field(default=silent, repr=False)

    def find(self, progress: Progress) -> None:
        """Find them now; can be stopped, and begun again later."""
        self._told = progress
        try:
            self._told(0.0, _DOING)
            _ = self.all
        finally:
            self._told = silent

    @cached_property
    def all(self) -> tuple[Element, ...]:
        """Every element; a face belongs to at most one."""
        turned = self._turned()
        found: list[Element] = []
        taken: set[int] = set()
        makes = (self._slots, self._holes, self._bosses, self._fillets, self._plain, self._pads)
        for k, make in enumerate(makes):
            self._told(k / len(makes), _DOING)
            for element in make(turned, taken):
                found.append(element)
                taken.update(element.faces)
        return tuple(found)

    @cached_property
    def _rays(self) -> Rays:
        # Rays are what takes long: there it can be stopped.
        return Rays(self.model, lambda: self._told(0.5, _DOING))

    @cached_property
    def _by_face(self) -> dict[int, Element]:
        return {f: e for e in self.all for f in e.faces}

    def of_face(self, face: int) -> Element | None:
        """Return the element that a face belongs to."""
        return self._by_face.get(face)

    def made_of(self, groups: Sequence[FaceGroup]) -> Element | None:
        """Return the element whose groups these are, in any order; a countersink also with its entry plane."""
        if not groups or not groups[0]:
            return None
        element, chosen = self.of_face(groups[0][0]), set(groups)
        if element is None:
            return None
        return element if chosen in (set(element.groups), {*element.groups, *self.entry_of(element)}) else None

    def entry_of(self, element: Element) -> tuple[FaceGroup, ...]:
        """Return the plane faces across the axis of a countersink or counterbore at which it begins: none or one."""
        for f in element.groups[-1]:
            for o in sorted(self._neighbours.get(f, {})):
                s = self.model.faces[o].surface
                level = abs(float((s.origin - element.position) @ element.direction))
                flat = s.kind == SurfaceKind.PLANE and np.linalg.norm(np.cross(s.z, element.direction)) < SAME_ANGLE
                if flat and level < 10 * SAME_LENGTH:
                    return ((o,),)
        return ()

    def parallel_to(self, face: int) -> tuple[int, float] | None:
        """Return the plane face that forms a width with this one (facing it or back to back), and the width, mm."""
        here = self.model.faces[face]
        if here.surface.kind != SurfaceKind.PLANE:
            return None
        normal = here.surface.z * here.surface.outward
        best: tuple[float, int] | None = None
        for other in self.model.faces:
            s = other.surface
            if s.kind != SurfaceKind.PLANE or float((s.z * s.outward) @ normal) > -1 + SAME_ANGLE**2:
                continue
            width = abs(float((s.origin - here.surface.origin) @ normal))
            if width > SAME_LENGTH and self._overlap(face, other.index, normal) and (best is None or width < best[0]):
                best = (width, other.index)
        return None if best is None else (best[1], best[0])

    # Turned faces ---------------------------------------------------------------------------------------------

    def _turned(self) -> list[Turned]:
        done: set[int] = set()
        found = []
        for face in self.model.faces:
            if face.index in done or face.surface.kind in (SurfaceKind.PLANE, SurfaceKind.BSPLINE):
                continue
            group = whole_surface(self.model, face.index)
            done.update(group)
            points = self._vertices(group)
            s = face.surface
            local = points - s.origin
            along = local @ s.z
            angles = np.sort(np.arctan2(local @ s.y, local @ s.x))
            gap = float(np.max(np.diff(np.append(angles, angles[0] + 2 * np.pi))))
            turn = 2 * math.pi if gap < _FULL else 2 * math.pi - gap
            found.append(Turned(group, s, float(along.min()), float(along.max()), turn))
        return found

    @cached_property
    def _face_vertices(self) -> list[NDArray[np.float64]]:
        """The vertices of each face."""
        mesh = self.model.mesh
        order = np.argsort(mesh.triangle_face, kind="stable")
        bounds = np.searchsorted(mesh.triangle_face[order], np.arange(len(self.model.faces) + 1))
        return [mesh.vertices[np.unique(mesh.triangles[order[a:b]])] for a, b in itertools.pairwise(bounds)]

    def _vertices(self, group: FaceGroup) -> NDArray[np.float64]:
        return np.vstack([self._face_vertices[f] for f in group])

    def _holes(self, turned: list[Turned], taken: set[int]) -> list[Element]:
        bores = [t for t in turned if t.surface.kind == SurfaceKind.CYLINDER and t.inside and t.turn > 6.28
                 and not taken & set(t.group)]  # fmt: skip
        cones = [t for t in turned if t.surface.kind == SurfaceKind.CONE and t.inside and t.turn > 6.28]
        near_bores, near_cones = Coaxial(bores), Coaxial(cones)
        found, used = [], set[int]()
        for small in sorted(bores, key=lambda t: t.surface.radius):
            if used & set(small.group):
                continue
            beside = {o for f in small.group for o in self._neighbours.get(f, {})}
            wide = next((b for b in near_bores.of(small)
                         if b is not small and not used & set(b.group)
                         and b.surface.radius > small.surface.radius + SAME_LENGTH
                         and self._joined_by_plane(small, b)), None)  # fmt: skip
            cone = next((c for c in near_cones.of(small) if not used & set(c.group) and beside & set(c.group)), None)
            low_open, high_open = self._rays.is_open(small, -1), self._rays.is_open(small, 1)
            way = 1.0 if high_open else -1.0
            if high_open and low_open:  # it begins where more room is before it
                way = 1.0 if self._rays.room(small, 1) >= self._rays.room(small, -1) else -1.0
            kind, second, angle = ElementKind.HOLE, 0.0, 0.0
            groups: tuple[FaceGroup, ...] = (small.group,)
            low, high = small.low, small.high
            partner = wide or cone
            if partner is not None:
                way = 1.0 if (partner.axis_point - small.axis_point) @ small.surface.z > 0 else -1.0
                groups = (small.group, partner.group)
                used.update(partner.group)
                reach = (
                    abs(float((partner.axis_point - small.axis_point) @ small.surface.z))
                    + (partner.high - partner.low) / 2
                )
                low, high = (low, max(high, (low + high) / 2 + reach)) if way > 0 else (
                    min(low, (low + high) / 2 - reach), high
                )  # fmt: skip
                other_open = low_open if way > 0 else high_open
                low_open, high_open = (other_open, True) if way > 0 else (True, other_open)
                if partner is wide:
                    kind, second = ElementKind.COUNTERBORE, 2 * partner.surface.radius
                else:
                    kind, angle = ElementKind.COUNTERSINK, 2 * abs(partner.surface.half_angle)
                    second = 2 * largest_radius(partner)
            end = high if way > 0 else low
            used.update(small.group)
            found.append(
                Element(
                    kind, groups, small.surface.origin + end * small.surface.z, way * small.surface.z,
                    2 * small.surface.radius, high - low, low_open and high_open, second, angle, True,
                )
            )  # fmt: skip
        return found

    def _bosses(self, turned: list[Turned], taken: set[int]) -> list[Element]:
        found = []
        for t in turned:
            if t.surface.kind != SurfaceKind.CYLINDER or t.inside or t.turn < 6.28 or taken & set(t.group):
                continue
            length, diameter = t.high - t.low, 2 * t.surface.radius
            # The free end of a boss has nothing before it; the other end stands on the part.
            way = 1.0 if self._rays.free(t, 1) >= self._rays.free(t, -1) else -1.0
            kind = ElementKind.PIN if length > 1.5 * diameter else ElementKind.BOSS
            end = t.surface.origin + (t.high if way > 0 else t.low) * t.surface.z
            found.append(Element(kind, (t.group,), end, way * t.surface.z, diameter, length))
        return found

    def _slots(self, turned: list[Turned], taken: set[int]) -> list[Element]:
        halves = [t for t in turned if t.surface.kind == SurfaceKind.CYLINDER and abs(t.turn - math.pi) < _HALF]
        found, used = [], set[int]()
        at_plane: dict[int, list[int]] = {}
        planes = [self._smooth_planes(t.group) for t in halves]
        for i, own in enumerate(planes):
            for p in own:
                at_plane.setdefault(p, []).append(i)
        for i, a in enumerate(halves):
            for b in (halves[j] for j in sorted({j for p in planes[i] for j in at_plane[p] if j > i})):
                s, t = a.surface, b.surface
                if used & {*a.group, *b.group} or a.inside != b.inside or abs(s.radius - t.radius) > SAME_LENGTH:
                    continue
                if np.linalg.norm(np.cross(s.z, t.z)) > SAME_ANGLE:
                    continue
                sides = sorted(self._smooth_planes(a.group) & self._smooth_planes(b.group))
                if len(sides) != 2:
                    continue
                between = b.axis_point - a.axis_point
                between = between - (between @ s.z) * s.z
                length = float(np.linalg.norm(between)) + 2 * s.radius
                middle = a.axis_point + between / 2
                low, high = a.low - (a.low + a.high) / 2, a.high - (a.low + a.high) / 2
                inside = a.inside
                opened = [self._rays.is_clear(middle, way * s.z, high, s.radius) for way in (1.0, -1.0)]
                way = 1.0 if opened[0] else -1.0
                if not inside:
                    opened = (
                        [True, False]
                        if self._rays.distance(middle, s.z) > self._rays.distance(middle, -s.z)
                        else [False, True]
                    )
                    way = 1.0 if opened[0] else -1.0
                used.update((*a.group, *b.group))
                found.append(
                    Element(
                        ElementKind.SLOT if inside else ElementKind.PAD,
                        ((sides[0],), (sides[1],), a.group, b.group), middle + way * high * s.z, way * s.z,
                        2 * s.radius, high - low, all(opened) if inside else None, length, 0.0, inside,
                    )
                )  # fmt: skip
        return found

    def _fillets(self, turned: list[Turned], taken: set[int]) -> list[Element]:
        found = []
        for t in turned:
            if taken & set(t.group) or len(self._smooth_neighbours(t.group)) < 2:
                continue
            kind = t.surface.kind
            if kind == SurfaceKind.CYLINDER and t.turn < math.pi - _HALF:
                radius = t.surface.radius
            elif kind == SurfaceKind.TORUS:
                radius = t.surface.minor
            elif kind == SurfaceKind.SPHERE and t.turn < math.pi:
                radius = t.surface.radius
            else:
                continue
            found.append(
                Element(ElementKind.FILLET, (t.group,), t.axis_point, t.surface.z, 2 * radius, t.high - t.low,
                        inside=t.inside)
            )  # fmt: skip
        return found

    def _plain(self, turned: list[Turned], taken: set[int]) -> list[Element]:
        found = []
        for t in turned:
            if taken & set(t.group):
                continue
            s = t.surface
            if s.kind == SurfaceKind.SPHERE:
                found.append(Element(ElementKind.SPHERE, (t.group,), s.origin, s.z, 2 * s.radius, t.high - t.low,
                                     inside=t.inside))  # fmt: skip
            elif s.kind == SurfaceKind.CONE:
                found.append(Element(ElementKind.CONE, (t.group,), t.axis_point, s.z, 2 * largest_radius(t),
                                     t.high - t.low, angle=2 * abs(s.half_angle), inside=t.inside))  # fmt: skip
        return found

    def _pads(self, turned: list[Turned], taken: set[int]) -> list[Element]:
        """Raised flats: a plane whose borders all fall away to sides that end on a lower plane facing the same way."""
        faces, found = self.model.faces, []
        largest = max((f.area for f in faces if f.surface.kind == SurfaceKind.PLANE), default=0.0)
        for face in faces:
            s = face.surface
            if s.kind != SurfaceKind.PLANE or face.index in taken or face.area > 0.25 * largest:
                continue
            normal = s.z * s.outward
            sides = self._neighbours.get(face.index, {})
            walls = [
                o for o in sides
                if faces[o].surface.kind == SurfaceKind.PLANE
                and abs(float(faces[o].surface.z @ normal)) < SAME_ANGLE and self._falls_away(face.index, o, normal)
            ]  # fmt: skip
            rest = [o for o in sides if o not in walls and faces[o].surface.kind == SurfaceKind.PLANE]
            if len(walls) < 3 or rest:
                continue
            heights = [float(np.ptp(self._vertices((w,)) @ normal)) for w in walls]
            height = min(heights)
            floor = [
                o for w in walls for o in self._neighbours.get(w, {})
                if faces[o].surface.kind == SurfaceKind.PLANE and o != face.index
                and float((faces[o].surface.z * faces[o].surface.outward) @ normal) > 1 - SAME_ANGLE
            ]  # fmt: skip
            corners = self._vertices((face.index,))
            if not floor:
                continue
            along = faces[walls[0]].surface.z
            size = sorted(float(np.ptp(corners @ v)) for v in (along, np.cross(along, normal)))
            if height > size[0] / 3:  # a block, not a pad
                continue
            found.append(
                Element(ElementKind.PAD, ((face.index,),), face.centroid, normal, size[0], height, None, size[1])
            )
        return found

    # Borders --------------------------------------------------------------------------------------------------

    @cached_property
    def _neighbours(self) -> dict[int, dict[int, bool]]:
        """For every face its neighbours, and whether the border is smooth."""
        found: dict[int, dict[int, bool]] = {}
        for edge in self.model.edges:
            if len(edge.faces) == 2:
                a, b = edge.faces
                for x, y in ((a, b), (b, a)):
                    found.setdefault(x, {})[y] = found.get(x, {}).get(y, True) and not edge.sharp
        return found

    def _smooth_neighbours(self, group: FaceGroup) -> set[int]:
        return {o for f in group for o, smooth in self._neighbours.get(f, {}).items() if smooth and o not in group}

    def _smooth_planes(self, group: FaceGroup) -> set[int]:
        return {o for o in self._smooth_neighbours(group) if self.model.faces[o].surface.kind == SurfaceKind.PLANE}

    def _joined_by_plane(self, small: Turned, wide: Turned) -> bool:
        """Tell whether a flat ring across the axis joins two bores."""
        for f in small.group:
            for o in self._neighbours.get(f, {}):
                s = self.model.faces[o].surface
                flat = s.kind == SurfaceKind.PLANE and np.linalg.norm(np.cross(s.z, small.surface.z)) < SAME_ANGLE
                if flat and any(x in wide.group for x in self._neighbours.get(o, {})):
                    # The ring lies between the two radii: on a wide plane both bores would merely begin.
                    reach = self._vertices((o,)) - small.surface.origin
                    reach = reach - np.outer(reach @ small.surface.z, small.surface.z)
                    if np.linalg.norm(reach, axis=1).max() < wide.surface.radius + 10 * SAME_LENGTH:
                        return True
        return False

    def _falls_away(self, top: int, wall: int, normal: Vector) -> bool:
        """Tell whether a wall lies below the plane that it borders."""
        level = float(self.model.faces[top].surface.origin @ normal)
        return bool((self._vertices((wall,)) @ normal).max() < level + 10 * SAME_LENGTH)

    def _overlap(self, a: int, b: int, normal: Vector) -> bool:
        """Tell whether two parallel faces overlap by half of the smaller, seen along their normal (by their boxes)."""
        x = np.linalg.svd(normal[None])[2][1]
        y = np.cross(normal, x)
        spans = []
        for f in (a, b):
            p = self._vertices((f,))
            spans.append([(float((p @ v).min()), float((p @ v).max())) for v in (x, y)])
        shared = smaller = 1.0
        for (a0, a1), (b0, b1) in zip(*spans, strict=True):
            shared *= max(0.0, min(a1, b1) - max(a0, b0))
        smaller = min(math.prod(hi - lo for lo, hi in span) for span in spans)
        return shared >= 0.5 * smaller > 0
