"""The scene: the part, its edges, points and deviation map, rendered off screen by VTK."""

from __future__ import annotations

import logging
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
import vtkmodules.vtkRenderingOpenGL2  # noqa: F401 - registers the drawing back-end
from numpy.typing import NDArray
from vtkmodules.vtkCommonCore import vtkOutputWindow, vtkUnsignedCharArray
from vtkmodules.vtkCommonDataModel import vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkRenderingCore import (
    vtkActor,
    vtkProperty,
    vtkRenderer,
    vtkRenderWindow,
)

from truegauge.core.cad.model import CadModel
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.deviations.shown import shown_values
from truegauge.palette import Rgb
from truegauge.rendering.actors import Actors, light
from truegauge.rendering.arrays import image_of, segments_data, surface_data
from truegauge.rendering.camera import Camera
from truegauge.rendering.graphics_environment import prepare_graphics
from truegauge.rendering.live_map_actor import LiveMapActor
from truegauge.rendering.map_actors import draw_map, scale_texture
from truegauge.rendering.point_blocks import PointBlocks, states

if TYPE_CHECKING:
    from truegauge.core.deviations.deviation_map import DeviationMap

log = logging.getLogger(__name__)

SAMPLES = 4  # a pixel, at rest
MOVING_POINTS = 60_000
_PIECE = 20_000  # points of an actor
_MARGIN = 8  # pixels above and below a band: points and lines reach into it from there
MOST_POINTS = 240_000  # at rest: more do not make a picture of a screen better, but a band of it slow
_POINT_ACTORS = ("points", "few_points", "off_points", "few_off_points")
_MAP_ACTORS = ("map", "no_data", "few_map", "few_no_data")
_TINT = "tint "


@dataclass(frozen=True, slots=True)
class Palette:
    """The colours of a scene."""

    background: Rgb = (243, 241, 235)
    part: Rgb = (197, 196, 190)
    no_data: Rgb = (176, 175, 170)
    unseen: Rgb = (104, 110, 114)  # by a scan that is being taken: the pale middle of the scale stands out from it
    edge: Rgb = (31, 42, 51)
    points: Rgb = (46, 94, 120)
    off_points: Rgb = (170, 160, 140)
    hover: Rgb = (226, 205, 150)
    selected: Rgb = (201, 154, 62)
    feature_points: Rgb = (110, 60, 10)
    strays: Rgb = (191, 58, 43)
    cut: Rgb = (150, 120, 76)  # the inside of the surface, seen where a section opens the part
    changed: Rgb = (74, 120, 168)


class Scene:
    """One part with what is known about it. Not safe across threads: use it from one."""

    def __init__(self, palette: Palette | None = None) -> None:
        prepare_graphics()
        _log_vtk_messages()
        self.palette = palette or Palette()
        self._window = vtkRenderWindow()
        self._window.SetOffScreenRendering(1)
        self._window.SetMultiSamples(0)
        self._renderer = vtkRenderer()
        self._window.AddRenderer(self._renderer)
        light(self._renderer)
        self._store = vtkUnsignedCharArray()
        self._radius = 1.0
        self._model: CadModel | None = None
        self._hidden_faces: NDArray[np.bool_] | None = None
        self._actors = Actors(self._renderer)
        self.live_map = LiveMapActor(self._actors)
        self._show_points = self._show_map = False
        self._opacity, self._edges_only = 1.0, False
        self._points: NDArray[np.float64] | None = None
        self._motion: NDArray[np.float64] | None = None
        self._states = np.zeros(0, dtype=np.uint8)
        self._colors: NDArray[np.uint8] | None = None
        self._blocks: PointBlocks | None = None
        self._chosen_for: tuple[Camera, float] | None = None
        self._map_of: tuple[DeviationMap | None, DeviationScale | None, NDArray[np.bool_] | None] = (None, None, None)
        self._multisamples = 0
        self.set_palette(self.palette)

    # What is shown ---------------------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        """Change the colours."""
        self.palette = palette
        self._renderer.SetBackground(*(c / 255 for c in palette.background))
        for name, color in (
            ("part", palette.part), ("no_data", palette.no_data), ("few_no_data", palette.no_data),
            ("edges", palette.edge), ("smooth", palette.edge),
            ("points", palette.points), ("few_points", palette.points), ("off_points", palette.off_points),
            ("few_off_points", palette.off_points), ("hover", palette.hover),
            ("selected", palette.selected), ("changed", palette.changed),
            ("feature_points", palette.feature_points), ("strays", palette.strays),
            ("near_edge", palette.selected), ("turned_away", palette.changed),
        ):  # fmt: skip
            for own in self._actors.named((name,)):
                self._actors[own].GetProperty().SetColor(*(c / 255 for c in color))

    def set_model(self, model: CadModel | None) -> None:
        """Show a part (None: nothing)."""
        for name in list(self._actors):
            self._actors.remove(name)
        self._model = model
        # What was hidden or cut belonged to the part before.
        self._hidden_faces, self._map_of = None, (None, None, None)
        self._actors.cut(None)
        self._opacity, self._edges_only = 1.0, False
        if model is None:
            return
        self._actors.origin = model.box.mean(axis=0)
        self._radius = model.diagonal
        self._build_part()
        self.set_palette(self.palette)

    def _build_part(self) -> None:
        """Make the surfaces, one actor a colour of the file, and the edges, of what is not hidden."""
        model = self._model
        for name in [n for n in self._actors if n in ("part", "edges", "smooth") or n.startswith(_TINT)]:
            self._actors.remove(name)
        if model is None:
            return
        hidden = np.zeros(len(model.faces), dtype=bool) if self._hidden_faces is None else self._hidden_faces
        tints = [f.color or (model.bodies[f.body].color if model.bodies else None) for f in model.faces]
        for k, tint in enumerate([None, *sorted({t for t in tints if t is not None})]):
            shown = np.array([t == tint for t in tints]) & ~hidden
            if shown.any():
                name = "part" if tint is None else f"{_TINT}{k}"
                self._actors.surface(name, self._faces_data(np.flatnonzero(shown)))
                inside = vtkProperty()
                inside.SetColor(*(c / 255 for c in self.palette.cut))
                inside.SetAmbient(0.5)
                self._actors[name].SetBackfaceProperty(inside)
                if tint is not None:
                    self._actors[name].GetProperty().SetColor(*(c / 255 for c in tint))
        edges = [e for e in model.edges if not all(hidden[f] for f in e.faces)]
        self._actors.lines("edges", [e.polyline for e in edges if e.sharp], 1.3, 1.0)
        self._actors.lines("smooth", [e.polyline for e in edges if not e.sharp and len(e.faces) > 1], 1.0, 0.25)

    def _faces_data(self, faces: NDArray[np.int64]) -> vtkPolyData:
        assert self._model is not None
        mesh = self._model.mesh
        triangles = mesh.triangles[np.isin(mesh.triangle_face, faces)]
        used, local = np.unique(triangles, return_inverse=True)
        return surface_data(mesh.vertices[used], local.reshape(-1, 3), mesh.normals[used], self._actors.origin)

    def set_look(
        self, hidden: NDArray[np.bool_] | None, opacity: float, edges_only: bool, section: NDArray[np.float64] | None
    ) -> None:
        """Hide faces (n,), see through the part, show only its edges, or keep only what lies in a box (2, 3) mm."""
        before = self._hidden_faces
        same = hidden is before or (hidden is not None and before is not None and np.array_equal(before, hidden))
        self._hidden_faces = before if same else hidden
        self._opacity, self._edges_only = opacity, edges_only
        if not same:
            self._build_part()
        self._actors.cut(section)
        self.set_palette(self.palette)
        self._update_visibility(moving=False)

    def set_points(
        self, points: NDArray[np.float64] | None, off: NDArray[np.bool_] | None = None,
        removed: NDArray[np.bool_] | None = None, colors: NDArray[np.uint8] | None = None,
    ) -> None:  # fmt: skip
        """Give the points of the cloud (n, 3) in a spatial order, part coordinates; None removes them.

        `off` are drawn paler, `removed` not at all; `colors` (n, 3) are used for the others. Of a
        large cloud only what a picture can show is drawn.
        """
        for name in self._actors.named(_POINT_ACTORS):
            self._actors.remove(name)
        self._points, self._blocks, self._chosen_for = None, None, None
        if points is None or len(points) == 0:
            return
        if self._model is None:
            self._actors.origin = np.median(points[:: max(1, len(points) // 10_000)], axis=0)
            self._radius = float(np.linalg.norm(points.max(axis=0) - points.min(axis=0))) or 1.0
        self._points, self._states, self._colors = points, states(off, removed, len(points)), colors
        self._draw_points("few_", np.arange(0, len(points), max(1, len(points) // MOVING_POINTS)))
        if len(points) <= MOST_POINTS:
            self._draw_points("", np.arange(len(points)))
        else:
            self._blocks = PointBlocks(points)
        self._update_visibility(moving=False)
        self.set_palette(self.palette)

    def _draw_points(self, prefix: str, rows: NDArray[np.int64]) -> None:
        assert self._points is not None
        states_here = self._states[rows]
        for kind, state in (("points", 0), ("off_points", 1)):
            for name in self._actors.named((f"{prefix}{kind}",)):
                self._actors.remove(name)
            chosen = rows[states_here == state]
            # In pieces that lie close together: what a band of the picture does not show, is not looked at for it.
            for k, at in enumerate(range(0, len(chosen), _PIECE)):
                piece = chosen[at : at + _PIECE]
                own = self._colors[piece] if self._colors is not None and state == 0 else None
                self._actors.dots(f"{prefix}{kind} {k}", self._points[piece], 1.6, own)
                self._move(self._actors[f"{prefix}{kind} {k}"])

    def set_points_motion(self, motion: NDArray[np.float64] | None) -> None:
        """Draw the points moved by a rigid transform (4, 4) of part coordinates; None draws them where they are."""
        self._motion = motion
        for name in self._actors.named(_POINT_ACTORS):
            self._move(self._actors[name])

    def _move(self, actor: vtkActor) -> None:
        if self._motion is None:
            actor.SetUserMatrix(None)
            return
        about = self._motion.copy()  # the actors are drawn from the local origin
        about[:3, 3] += about[:3, :3] @ self._actors.origin - self._actors.origin
        matrix = vtkMatrix4x4()
        matrix.DeepCopy(about.ravel().tolist())
        actor.SetUserMatrix(matrix)

    def show_points(self, show: bool) -> None:
        """Show or hide the cloud."""
        self._show_points = show
        self._update_visibility(moving=False)

    def set_map(self, shown: DeviationMap | None, scale: DeviationScale) -> None:
        """Show the deviation map, or (None) remove it. While moving its coarse mesh is drawn."""
        of, with_scale, without = self._map_of
        if shown is not None and shown is of and scale == with_scale and self._hidden_faces is without:
            return  # it is there already, and so are its buffers in the graphics
        self._map_of = (shown, scale, self._hidden_faces)
        for name in _MAP_ACTORS:
            self._actors.remove(name)
        self._show_map = shown is not None
        if shown is not None:
            texture = scale_texture(scale)
            for prefix, mesh, values in (
                ("", shown.fine, shown.fine_values), ("few_", shown.coarse, shown.coarse_values),
            ):  # fmt: skip
                seen = shown_values(mesh, values, scale)
                draw_map(self._actors, prefix, mesh, seen, scale, texture, self._radius, self._hidden_faces)
        self._update_visibility(moving=False)
        self.set_palette(self.palette)

    def set_needles(
        self, starts: NDArray[np.float64] | None, ends: NDArray[np.float64] | None = None,
        colors: NDArray[np.uint8] | None = None,
    ) -> None:  # fmt: skip
        """Show lines (n, 3) to (n, 3) with colours (n, 3), hidden where the part hides them; None removes them."""
        self._actors.remove("needles")
        if starts is None or ends is None or colors is None or len(starts) == 0:
            return
        data = segments_data(starts, ends, colors, self._actors.origin)
        actor = self._actors.add("needles", data, 2.0)
        actor.GetMapper().ScalarVisibilityOn()
        actor.GetProperty().SetLineWidth(1.6)
        actor.GetProperty().LightingOff()

    def set_faces(self, name: str, faces: tuple[int, ...]) -> None:
        """Mark faces as ``hover``, ``selected`` or ``changed``; empty removes the mark."""
        self._actors.remove(name)
        if self._model is None or not faces:
            return
        shown = np.array([f for f in faces if f >= 0 and not self._is_hidden(f)], dtype=np.int64)
        if len(shown) == 0:
            return
        if name != "changed" and self._tells_by_colour:
            self._outline(name, frozenset(shown.tolist()))
        else:
            self._actors.surface(name, self._faces_data(shown), nearer=2.0 if name != "changed" else 1.0)
        self.set_palette(self.palette)

    @property
    def _tells_by_colour(self) -> bool:
        """Whether colours say how part or points deviate: marks must not cover them."""
        return self._show_map or (self._show_points and self._colors is not None)

    def _outline(self, name: str, faces: frozenset[int]) -> None:
        """Mark faces by the edges around them; what has none, such as a whole ball, by a veil."""
        assert self._model is not None
        around = [e.polyline for e in self._model.edges if len(faces & set(e.faces)) == 1]
        if around:
            self._actors.lines(name, around, 3.4 if name == "selected" else 2.2, 1.0)
        else:
            self._actors.surface(name, self._faces_data(np.array(sorted(faces))), nearer=2.0)
            self._actors[name].GetProperty().SetOpacity(0.35)

    def _is_hidden(self, face: int) -> bool:
        return self._hidden_faces is not None and bool(self._hidden_faces[face])

    def set_feature_points(self, points: NDArray[np.float64] | None, strays: NDArray[np.float64] | None = None) -> None:
        """Show the points behind a selected feature, and those that were left out of it."""
        for name, shown, size in (("feature_points", points, 2.5), ("strays", strays, 5.0)):
            self._actors.remove(name)
            if shown is not None and len(shown):
                self._actors.dots(name, shown, size)
        self.set_palette(self.palette)

    def set_left_out(self, near_edge: NDArray[np.float64] | None, turned_away: NDArray[np.float64] | None) -> None:
        """Show points that are left out of a feature because of an edge, and because of their normal."""
        for name, shown in (("near_edge", near_edge), ("turned_away", turned_away)):
            self._actors.remove(name)
            if shown is not None and len(shown):
                self._actors.dots(name, shown, 3.5)
        self.set_palette(self.palette)

    # The picture -----------------------------------------------------------------------------------------------

    def render(self, camera: Camera, width: int, height: int, *, moving: bool = False) -> NDArray[np.uint8]:
        """Return a picture (height, width, 4): while moving fewer points and no smoothing, at rest full detail."""
        if not moving:
            self.prepare(camera, width / height)
        self._draw(camera, width, height, moving=moving)
        return image_of(self._window, width, height, self._store)

    def prepare(self, camera: Camera, aspect: float) -> None:
        """Choose what of a large cloud is drawn at rest, before a picture is rendered in bands."""
        if self._blocks is None or not self._show_points:
            return
        if self._chosen_for is None or self._chosen_for[0] is not camera or self._chosen_for[1] != aspect:
            self._draw_points("", self._blocks.chosen(camera, aspect, MOST_POINTS))
            self._chosen_for = (camera, aspect)
            self.set_palette(self.palette)

    def render_band(self, camera: Camera, width: int, height: int, top: int, rows: int) -> NDArray[np.uint8]:
        """Return some rows (rows, width, 4) of the picture at rest of this size, from `top` on."""
        drawn = rows + 2 * _MARGIN
        up = (height / 2 - (top + rows / 2)) / height * camera.height
        band = replace(camera, target=camera.target + up * camera.up, height=camera.height * drawn / height)
        self._draw(band, width, drawn, moving=False)
        return image_of(self._window, width, drawn, self._store)[_MARGIN:-_MARGIN]

    def _draw(self, camera: Camera, width: int, height: int, *, moving: bool) -> None:
        samples = 0 if moving else SAMPLES
        if samples != self._multisamples:
            self._window.SetMultiSamples(samples)
            self._multisamples = samples
        if self._window.GetSize() != (width, height):
            self._window.SetSize(width, height)
        self._update_visibility(moving=moving)
        eye = self._renderer.GetActiveCamera()
        eye.ParallelProjectionOn()
        target = camera.target - self._actors.origin
        eye.SetFocalPoint(*target)
        eye.SetPosition(*(target + 4 * self._radius * camera.back))
        eye.SetViewUp(*camera.up)
        eye.SetParallelScale(camera.height / 2)
        self._renderer.ResetCameraClippingRange()
        self._window.Render()

    def close(self) -> None:
        """Free the graphics resources."""
        self._window.Finalize()

    # Inside ----------------------------------------------------------------------------------------------------

    def _update_visibility(self, *, moving: bool) -> None:
        points, shown_map = self._show_points, self._show_map
        for name, show in (
            ("points", points and not moving), ("few_points", points and moving),
            ("off_points", points and not moving), ("few_off_points", points and moving),
            ("map", shown_map and not moving), ("no_data", shown_map and not moving),
            ("few_map", shown_map and moving), ("few_no_data", shown_map and moving),
        ):  # fmt: skip
            for own in self._actors.named((name,)):
                self._actors[own].SetVisibility(show)
        for name, actor in self._actors.items():
            if name == "part" or name.startswith(_TINT):
                actor.SetVisibility(not shown_map and not self._edges_only and not self.live_map.is_shown)
                actor.GetProperty().SetOpacity(self._opacity)


def _log_vtk_messages() -> None:
    """Send VTK's messages to our log instead of a window or the terminal."""
    window = vtkOutputWindow.GetInstance()
    if window.HasObserver("ErrorEvent"):
        return
    window.SetDisplayModeToNever()
    window.AddObserver("ErrorEvent", lambda *event: log.error("drawing: %s", event))  # type: ignore[arg-type]
