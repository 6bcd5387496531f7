"""The pictures of a report, rendered anew from the sample at print resolution: saved views, or the map."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.evaluation.blade_heights import height_curves
from truegauge.core.evaluation.results import Evaluation
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import DimensionIn, nominal_fit, section_curves
from truegauge.core.plan.blades import BladeCheck
from truegauge.core.plan.document import Plan
from truegauge.core.plan.readings import Section
from truegauge.core.plan.views import Eye, SavedView
from truegauge.core.samples.sample import Sample
from truegauge.drawing.blade_sheet import blade_sheet, whole_words
from truegauge.drawing.section_drawing import SectionDrawing, ShownDimension, draw_section, needle_factor
from truegauge.drawing.silhouette import outermost
from truegauge.drawing.tag_text import tag_text, tagged_results
from truegauge.drawing.units import NumberFormat
from truegauge.palette import colors_of
from truegauge.rendering.camera import Camera, standard_camera
from truegauge.rendering.outline import outermost_places
from truegauge.rendering.scene import Palette, Scene
from truegauge.rendering.tag_anchors import compared_delta, tag_anchor
from truegauge.reporting.report import (
    Report,
    ReportBlade,
    ReportBladeSection,
    ReportSection,
    ReportTag,
    ReportView,
    make_report,
)

if TYPE_CHECKING:
    from truegauge.core.deviations.deviation_map import DeviationMap
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.reporting.surface_sheet import SurfaceSheet

WIDTH, HEIGHT = 1860, 1080  # 174 mm wide at 270 dots an inch
NEEDLE_SHARE = 0.05  # of the height of the picture: the longest needle
_NEEDLES = 4000


def camera_of(eye: Eye) -> Camera:
    """Return the camera of a saved view."""
    return Camera(np.array(eye.target), np.array(eye.back), np.array(eye.up), eye.height)


def eye_of(camera: Camera) -> Eye:
    """Return what a saved view keeps of a camera."""
    a, b, c = (tuple(float(x) for x in v) for v in (camera.target, camera.back, camera.up))
    return Eye(target=a, back=b, up=c, height=float(camera.height))  # type: ignore[arg-type]


def map_needles(scene: Scene, shown: DeviationMap | None, scale: DeviationScale, length: float) -> float:
    """Draw the deviations of a map as needles, the longest about `length` mm; returns their magnification."""
    if shown is None:
        scene.set_needles(None)
        return 0.0
    mesh, values = shown.fine, shown.fine_values
    rows = np.flatnonzero(np.isfinite(values))
    rows = rows[:: max(1, len(rows) // _NEEDLES)]
    if not len(rows):
        scene.set_needles(None)
        return 0.0
    factor = needle_factor(np.percentile(np.abs(values[rows]), [99.5]), length)
    starts = mesh.vertices[rows]
    scene.set_needles(starts, starts + factor * values[rows, None] * mesh.normals[rows], colors_of(values[rows], scale))
    return factor


class ViewRenderer:
    """Renders saved views of one part, off screen; keep it for several samples."""

    def __init__(self, evaluator: Evaluator) -> None:
        self._evaluator = evaluator
        self._scene = Scene(Palette(background=(255, 255, 255)))
        self._scene.set_model(evaluator.model)

    def close(self) -> None:
        """Free the graphics resources."""
        self._scene.close()

    def view(self, evaluation: Evaluation, sample: Sample | None, view: SavedView) -> ReportView:
        """Render a saved view for a sample."""
        plan, evaluator, scene = evaluation.plan, self._evaluator, self._scene
        scale = view.scale or plan.scale
        hidden = np.zeros(len(evaluator.model.faces), dtype=bool)
        hidden[[f for f in view.hidden if f < len(hidden)]] = True
        box = None if view.section_box is None else np.array(view.section_box)
        scene.set_look(hidden, view.opacity, view.edges_only or view.show == "scan", box)
        found = evaluator.deviation_map(plan, sample)
        known = None if isinstance(found, NotComputed) else found
        scene.set_map(known if view.show == "map" else None, scale)
        cloud = evaluation.cloud
        on_scan = view.show == "scan" or view.points
        if on_scan and not isinstance(cloud, NotComputed):
            colors = colors_of(cloud.found.distance, scale) if view.show == "scan" else None
            removed = cloud.removed if colors is None else cloud.removed | ~cloud.usable
            scene.set_points(cloud.points, ~cloud.usable, removed, colors)
        else:
            scene.set_points(None)
        scene.show_points(on_scan)
        camera = camera_of(view.eye)
        needles = map_needles(scene, known if view.needles else None, scale, NEEDLE_SHARE * camera.height)
        picture = scene.render(camera, WIDTH, HEIGHT)[:, :, :3].copy()
        shows_scale = (known is not None and view.show == "map") or view.show == "scan" or needles > 0
        return ReportView(
            view.name, picture, scale if shows_scale else None, self._tags(evaluation, sample, view, camera, hidden),
            view.tags.layout, needles, self._outline(camera, hidden),
        )  # fmt: skip

    def _outline(self, camera: Camera, hidden: NDArray[np.bool_]) -> NDArray[np.float64]:
        """Return the outermost places of the part in the picture, in shares of it."""
        places = outermost_places(self._evaluator.model, frozenset(np.flatnonzero(hidden).tolist()))
        return outermost(camera.project(places, WIDTH / HEIGHT)[:, :2]) if len(places) else np.zeros((0, 2))

    def _tags(
        self, evaluation: Evaluation, sample: Sample | None, view: SavedView, camera: Camera,
        hidden: NDArray[np.bool_],
    ) -> tuple[ReportTag, ...]:  # fmt: skip
        plan = evaluation.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        pinned = {p.characteristic: (p.x, p.y) for p in view.tags.pinned}
        made = []
        for result in tagged_results(evaluation, view.tags):
            at = tag_anchor(self._evaluator, plan, sample, result, camera, hidden)
            if at is None:
                continue
            x, y, _ = camera.project(at.place, WIDTH / HEIGHT)[0]
            delta = compared_delta(self._evaluator, plan, sample, result)
            text = tag_text(result, view.tags, numbers, delta)
            made.append(ReportTag(result, text, (float(x), float(y)), pinned.get(result.characteristic.id), at.is_seen))
        return tuple(made)


def section_drawing(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, section: Section, scale: DeviationScale | None = None
) -> SectionDrawing:
    """Return the drawing of a section with its dimensions."""
    context = evaluator.context(plan, sample)
    curves = section_curves(context, section)
    numbers = NumberFormat(plan.unit, plan.decimals)
    shown = []
    for d in section.dimensions:
        reading = context.get(DimensionIn(d))
        own = numbers.of(f"section_{d.kind}")
        if isinstance(reading, NotComputed):
            text, fits = f"{d.name}: {reading.reason}", nominal_fit(curves, d)
        else:
            text, fits = f"{own.value(reading.value)} ({own.value(reading.nominal)})", reading.fitted_nominal
        shown.append(ShownDimension(d, reading, fits, text))
    return draw_section(section, curves, scale or plan.scale, tuple(shown))


def report_with_views(
    evaluator: Evaluator, evaluation: Evaluation, sample: Sample | None, made_at: str, camera: Camera | None = None,
    renderer: ViewRenderer | None = None, sheets: tuple[SurfaceSheet, ...] = (),
) -> Report:  # fmt: skip
    """Return the report with the saved views that go into it; without any, the map seen by `camera`, or from a corner.

    Sections that go into the report follow.
    """
    plan = evaluation.plan
    own = renderer or ViewRenderer(evaluator)
    try:
        wanted = [v for v in plan.views if v.in_report]
        if not wanted:
            box = evaluator.model.box
            eye = (camera or standard_camera("corner", box, WIDTH / HEIGHT)).fitted(box, WIDTH / HEIGHT, 1.04)
            tags = plan.tags.replace(shown="none")
            wanted = [SavedView(id="map", name="Deviation map", eye=eye_of(eye), tags=tags)]
        views = tuple(own.view(evaluation, sample, v) for v in wanted)
    finally:
        if renderer is None:
            own.close()
    sections = tuple(
        ReportSection(section_drawing(evaluator, plan, sample, s), plan.scale) for s in plan.sections if s.in_report
    )
    blades = tuple(report_blade(evaluator, evaluation, sample, b) for b in plan.blades if b.sections)
    return make_report(evaluation, sample, views, made_at, sections, sheets, blades)


def report_blade(evaluator: Evaluator, evaluation: Evaluation, sample: Sample | None, blade: BladeCheck) -> ReportBlade:
    """Return what a report says of a blade: a page for each section that goes into it."""
    plan, pages = evaluation.plan, []
    context = evaluator.context(plan, sample)
    for section in (s for s in blade.sections if s.in_report):
        sheet = blade_sheet(context, blade, section, plan.scale)
        if isinstance(sheet, NotComputed):
            continue  # its characteristics say why
        own = {v.id for v in section.values}
        results = tuple(r for r in evaluation.results if r.characteristic.features[0] in own)
        pages.append(ReportBladeSection(sheet, plan.scale, results))
    curves = height_curves(context, evaluation, blade) if sample is not None else ()
    numbers = NumberFormat(plan.unit, plan.decimals)
    return ReportBlade(blade.name, whole_words(context, blade, numbers), curves, tuple(pages))
