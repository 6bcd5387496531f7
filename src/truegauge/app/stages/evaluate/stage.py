"""The Evaluate stage: deviations everywhere, at places, in sections, of named points; saved views."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from truegauge.app.document.needs import needs_characteristics
from truegauge.app.document.next_step import NextStep, judge_step
from truegauge.app.shell.files import SCANS
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import Stage, StageParts
from truegauge.app.stages.evaluate.bench import PAGES, EvaluateBench
from truegauge.app.stages.evaluate.blade.middle import BladeMiddle
from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.overlay import EvaluateOverlay
from truegauge.app.stages.evaluate.section_page import SectionPage
from truegauge.app.stages.evaluate.surface.area_model import AreaModel
from truegauge.app.stages.evaluate.surface.before import BeforeModel
from truegauge.app.stages.evaluate.surface.flat_view import FlatView
from truegauge.app.stages.evaluate.surface.in_space import SpaceModel
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.stages.evaluate.thumbnails import thumbnail
from truegauge.app.view.content import ViewContent
from truegauge.app.widgets.action import Action
from truegauge.core.deviations.areas import OutsideArea
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.views import SavedView
from truegauge.core.sections.plane import upright
from truegauge.rendering.camera import Camera

_WORDS = {
    "map": "deviations everywhere", "spots": "deviations at places", "sections": "cuts with dimensions",
    "points": "nominal and measured by name", "surface": "dents, bumps and pits of the scan",
    "blade": "chords, edges, thickness and profile of an aerofoil", "views": "pictures for the report, tags",
}  # fmt: skip
_TABLES = "Tables (*.csv *.txt)"


def _build(shell: Shell) -> StageParts:
    s, view, files = shell.session, shell.view, shell.files
    model = shell.once(EvaluateModel, lambda: EvaluateModel(s, shell))
    page = shell.once(SectionPage, lambda: SectionPage(model, shell.theme))
    surface = shell.once(SurfaceModel, lambda: SurfaceModel(s, shell))
    area = shell.once(AreaModel, lambda: AreaModel(surface, view.draw_outline, shell))
    space = shell.once(SpaceModel, lambda: SpaceModel(surface, area, shell))
    before = shell.once(BeforeModel, lambda: BeforeModel(surface, shell))
    flat = shell.once(FlatView, lambda: FlatView(surface, area, shell.theme))
    blade = shell.once(BladeModel, lambda: BladeModel(s, shell))
    blades = shell.once(BladeMiddle, lambda: BladeMiddle(blade, shell.theme))
    s.bare_scan.changed.connect(lambda: on_bare_scan())
    s.surfaces.wanted.connect(lambda check_id, number: look_at(check_id, number))
    for changed in (surface.changed, model.changed, blade.changed):
        changed.connect(shell.middle_changed)

    def as_aligned() -> None:
        """Away from blades the part is seen as it is aligned."""
        if blade.is_unbent and (model.page != "blade" or s.stage != "evaluate"):
            blade.unbend(False)

    model.changed.connect(as_aligned)
    s.stage_changed.connect(as_aligned)

    def ask_spots() -> None:
        files.ask_open("Spot checks from a table", _TABLES, model.add_from_table)

    def ask_points() -> None:
        files.ask_open("Nominal points from a table", _TABLES,
                       lambda path: model.compare_from_table(path, bench.compare_page.chosen_parts()))  # fmt: skip

    def ask_scan(title: str, then: Callable[[Path], object]) -> None:
        files.ask_open(title, SCANS, then)

    def small_picture(saved: SavedView) -> QImage | None:
        return thumbnail(view, s, saved)

    def go_to(area: OutsideArea) -> None:
        """Look square at an area that is outside, close enough to see it."""
        if s.model is not None:
            height = max(8 * area.size**0.5, 0.15 * s.model.diagonal)
            view.set_camera(Camera(area.place, area.normal, upright(area.normal)[1], height))

    def middle() -> QWidget | None:
        if model.page == "surface" and surface.check is not None and not area.in_view:
            return flat
        if model.page == "blade" and blade.blade is not None and blade.shown != "part":
            return blades
        return page if s.shown.section else None

    def next_step() -> NextStep | None:
        # Imperfections of a scan need neither a part nor characteristics.
        return None if model.page == "surface" and has_scan() else judge_step(s.document)

    def on_bare_scan() -> None:
        if s.bare_scan.is_there and s.stage == "evaluate":  # all that can be judged of it
            model.set_page("surface")

    def entered() -> None:
        on_bare_scan()
        if s.plan.blades and model.page == "map" and not any(c for c in s.plan.characteristics
                                                             if s.plan.blade_with(c.features[0]) is None):  # fmt: skip
            model.set_page("blade")  # there is nothing else in this plan
        if not s.bare_scan.is_there and s.sample is not None:
            s.show(map=True)

    def open_page(key: str) -> None:
        s.set_stage("evaluate")
        model.set_page(key)

    def look_at(check_id: str, number: int) -> None:
        open_page("surface")
        surface.choose_check(check_id)
        surface.choose(number)

    def pick_spots() -> None:
        open_page("spots")
        model.pick_for("spot")

    def has_part() -> bool:
        return s.model is not None

    def has_scan() -> bool:
        return s.sample is not None and len(s.sample.points) > 0

    def has_cloud() -> bool:
        return s.evaluation is not None and not isinstance(s.evaluation.cloud, NotComputed)

    bench = EvaluateBench(model, ask_spots, ask_points, view.camera_to_save, small_picture, surface,
                          area, space, before, ask_scan, blade)  # fmt: skip
    bench.map_page.area_wanted.connect(go_to)
    return StageParts(
        bench=bench, next=next_step, middle=middle,
        entered=entered, overlay=EvaluateOverlay(s, view, model.sections, space, blade, lambda: model.page == "blade"),
        actions=(
            *(Action(f"page-{key}", "Evaluate", f"{words}: {_WORDS[key]}", "", partial(open_page, key),
                     has_scan if key == "surface" else has_part) for key, words in PAGES),
            Action("pick-spots", "Evaluate", "Pick places for spot checks", "Ctrl+Shift+K", pick_spots, has_cloud),
            Action("save-view", "Evaluate", "Save what is seen as a view", "Ctrl+Shift+V",
                   lambda: model.save_view(view.camera_to_save()), has_part),
            Action("tidy-tags", "Evaluate", "Unpin the tags and show hidden ones again", "",
                   lambda: s.showing.set_tags("tidy the tags", pinned=(), hidden=()),
                   lambda: bool(s.showing.tags.pinned or s.showing.tags.hidden)),
        ),
    )  # fmt: skip


STAGE = Stage(
    key="evaluate", title="Evaluate", glyph="evaluate", missing=needs_characteristics, build=_build,
    tells_why=True, content=ViewContent(selection=True),
)  # fmt: skip
