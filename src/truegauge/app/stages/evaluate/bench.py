"""The Evaluate bench: pages for the map, spot checks, sections, comparisons and saved views."""

from collections.abc import Callable

from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.blade.page import BladePage
from truegauge.app.stages.evaluate.compare_page import ComparePage
from truegauge.app.stages.evaluate.map_page import MapPage
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.sections_page import SectionsPage
from truegauge.app.stages.evaluate.spots_page import SpotsPage
from truegauge.app.stages.evaluate.surface.area_model import AreaModel
from truegauge.app.stages.evaluate.surface.before import BeforeModel
from truegauge.app.stages.evaluate.surface.in_space import SpaceModel
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.stages.evaluate.surface.page import Ask, SurfacePage
from truegauge.app.stages.evaluate.views_page import ViewsPage
from truegauge.app.widgets.paged_bench import PagedBench
from truegauge.core.plan.views import SavedView
from truegauge.rendering.camera import Camera

PAGES = (("map", "Map"), ("spots", "Spots"), ("sections", "Sections"), ("points", "Points"), ("surface", "Surface"),
         ("blade", "Blade"), ("views", "Views"))  # fmt: skip
_TITLES = {"map": "Deviations", "spots": "Spot checks", "sections": "Sections", "points": "Points by name",
           "surface": "Surface imperfections", "blade": "Sections of a blade", "views": "Saved views"}  # fmt: skip


class EvaluateBench(PagedBench):
    """One page at a time."""

    title, names, titles = "Deviations", PAGES, _TITLES

    def __init__(
        self, model: EvaluateModel, ask_spots: Callable[[], object], ask_points: Callable[[], object],
        camera: Callable[[], Camera | None], picture: Callable[[SavedView], QImage | None], surface: SurfaceModel,
        area: AreaModel, space: SpaceModel, before: BeforeModel,
        ask_scan: Ask, blade: BladeModel, parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        self.model = self.paged = model
        self.surface, self.area, self.space = surface, area, space
        self._before, self._ask_scan, self._blade = before, ask_scan, blade
        self._made = (ask_spots, ask_points, camera, picture)
        super().__init__(model.session, parent)
        model.changed.connect(self._on_changed)
        area.changed.connect(self._on_changed)
        before.changed.connect(self._on_changed)
        blade.changed.connect(self._on_changed)

    def _make_pages(self) -> tuple[QWidget, ...]:
        ask_spots, ask_points, camera, picture = self._made
        self.map_page = MapPage(self.model)
        self.spots_page = SpotsPage(self.model, ask_spots)
        self.sections_page = SectionsPage(self.model)
        self.compare_page = ComparePage(self.model, ask_points)
        self.surface_page = SurfacePage(self.surface, self.area, self.space, self._before, self._ask_scan)
        self.blade_page = BladePage(self._blade)
        self.views_page = ViewsPage(self.model, camera, picture)
        return (
            self.map_page, self.spots_page, self.sections_page, self.compare_page, self.surface_page, self.blade_page,
            self.views_page,
        )  # fmt: skip
