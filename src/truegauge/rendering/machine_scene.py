"""The machine's scene: table, part, reference sphere and probe, each where it is; machine coordinates."""

import numpy as np
from vtkmodules.vtkCommonMath import vtkMatrix4x4

from truegauge.core.arrays import Rigid, Vector
from truegauge.core.cad.model import CadModel
from truegauge.core.probing.assembly import STRAIGHT, HeadPose, ProbeAssembly
from truegauge.core.probing.length_standard import LengthStandard
from truegauge.core.probing.records import Fixture
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.palette import Rgb
from truegauge.rendering.arrays import lines_data, surface_data
from truegauge.rendering.scene import Palette, Scene
from truegauge.rendering.solids import Solid, ball, joined, plate, rod

_STEEL: Rgb = (168, 175, 180)
_TIP: Rgb = (168, 123, 36)
_STONE: Rgb = (190, 189, 182)
_CHOSEN: Rgb = (206, 160, 70)
_CLAMP: Rgb = (150, 140, 122)
_HEAD: Rgb = (104, 118, 130)
_TOP = 24.0  # mm of the quill above the head that are drawn


class MachineScene(Scene):
    """What stands and moves on a machine. Not safe across threads: use it from one."""

    def __init__(self, palette: Palette | None = None) -> None:
        super().__init__(palette)
        self._radius = 1500.0
        self._colors_of: dict[str, Rgb] = {}
        self._poses: dict[str, Rigid] = {}

    def set_solid(self, name: str, solid: Solid | None, color: Rgb = _STEEL, *, opacity: float = 1.0) -> None:
        """Show a solid under a name, in its own coordinates (None removes it)."""
        self._actors.remove(name)
        if solid is None or not len(solid.triangles):
            return
        self._actors.surface(name, surface_data(solid.vertices, solid.triangles, solid.normals, np.zeros(3)))
        look = self._actors[name].GetProperty()
        look.SetColor(*(c / 255 for c in color))
        look.SetOpacity(opacity)
        look.SetSpecular(0.25)
        self._apply_pose(name)

    def place(self, name: str, machine_from_own: Rigid) -> None:
        """Move what was shown under a name; also what will be."""
        self._poses[name] = machine_from_own
        self._apply_pose(name)

    def _apply_pose(self, name: str) -> None:
        if name in self._actors and name in self._poses:
            matrix = vtkMatrix4x4()
            matrix.DeepCopy(self._poses[name].ravel().tolist())
            self._actors[name].SetUserMatrix(matrix)

    def set_part(self, model: CadModel | None, machine_from_part: Rigid | None) -> None:
        """Show the part where it lies, or not."""
        for name in ("the part", "its edges"):
            self._actors.remove(name)
        if model is None or machine_from_part is None:
            return
        mesh = model.mesh
        solid = Solid(mesh.vertices, mesh.triangles, mesh.normals)
        self.place("the part", machine_from_part)
        self.place("its edges", machine_from_part)
        self.set_solid("the part", solid, self.palette.part)
        look = self._actors.add("its edges", lines_data([e.polyline for e in model.edges if e.sharp], np.zeros(3)), 2.0)
        look.GetProperty().SetColor(*(c / 255 for c in self.palette.edge))
        look.GetProperty().LightingOff()
        self._apply_pose("its edges")

    def set_table(self, z: float | None, travel: tuple[Vector, Vector] | None) -> None:
        """Show the table under the travel of the machine."""
        if z is None or travel is None:
            self.set_solid("the table", None)
            return
        low, high = travel
        size = np.array([high[0] - low[0] + 80.0, high[1] - low[1] + 80.0, 40.0])
        self.set_solid("the table", plate(np.array([low[0] - 40.0, low[1] - 40.0, z - 40.0]), size), _STONE)

    def set_fixtures(self, fixtures: tuple[Fixture, ...]) -> None:
        """Show boxes of what stands on the table."""
        made = [plate(np.array(f.low), np.array(f.high) - np.array(f.low)) for f in fixtures]
        self.set_solid("fixtures", joined(made) if made else None, _CLAMP)

    def set_gauge(self, standard: LengthStandard, machine_from_gauge: Rigid | None) -> None:
        """Show a step gauge, or none."""
        if machine_from_gauge is None:
            self.set_solid("gauge", None)
            return
        self.set_solid("gauge", joined(plate(low, high - low) for low, high in standard.boxes()))
        self.place("gauge", machine_from_gauge)

    def set_sphere(self, record: ReferenceSphere, center: Vector | None) -> None:
        """Show the reference sphere with its stem."""
        if center is None:
            self.set_solid("the sphere", None)
            self.set_solid("its stem", None)
            return
        foot = center + record.stem * (record.stem_length + record.radius)
        self.set_solid("the sphere", ball(center, record.radius), (214, 214, 208))
        stem = [rod(center, foot, record.stem_diameter / 2), rod(foot, foot + 12.0 * record.stem, 16.0)]
        self.set_solid("its stem", joined(stem), _STEEL)

    def set_probe(
        self, assembly: ProbeAssembly | None, pose: HeadPose = STRAIGHT, chosen: str = "", stylus: str = ""
    ) -> None:
        """Show a probe in a pose, in the coordinates of the quill; a chosen component and stylus stand out."""
        for name in ("head", "probe", "chosen", "tips", "chosen tip", "quill"):
            self.set_solid(name, None)
        if assembly is None:
            return
        self.set_solid("quill", rod(np.array([0.0, 0.0, _TOP]), np.zeros(3), 33.0), _HEAD)
        bodies = assembly.bodies(pose)
        groups: dict[str, list[Solid]] = {"head": [], "probe": [], "chosen": []}
        for start, end, radius, owner in zip(bodies.starts, bodies.ends, bodies.radii, bodies.owner, strict=True):
            kind = "head" if assembly.part(owner).component.kind == "head" else "probe"
            groups["chosen" if owner == chosen else kind].append(rod(start, end, radius))
        for name, color in (("head", _HEAD), ("probe", _STEEL), ("chosen", _CHOSEN)):
            self.set_solid(name, joined(groups[name]), color)
        tips: dict[str, list[Solid]] = {"tips": [], "chosen tip": []}
        for s in assembly.styli(pose):
            half = max(s.tip.thickness / 2, 0.2) * s.direction
            made = (
                ball(s.center, s.radius) if s.tip.shape == "ball" else rod(s.center - half, s.center + half, s.radius)
            )
            tips["chosen tip" if s.id == stylus else "tips"].append(made)
        self.set_solid("tips", joined(tips["tips"]), _TIP)
        self.set_solid("chosen tip", joined(tips["chosen tip"]), (196, 75, 43))

    def place_probe(self, quill: Vector) -> None:
        """Move the probe to where the quill is."""
        pose = np.eye(4)
        pose[:3, 3] = quill
        for name in ("head", "probe", "chosen", "tips", "chosen tip", "quill"):
            self.place(name, pose)
