"""The Silhouette bench: pages for camera, sizes, the part, series."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

from truegauge.app.widgets.paged_bench import PagedBench

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.camera_page import CameraPage
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.app.stages.silhouette.part_page import PartPage
    from truegauge.app.stages.silhouette.series_page import SeriesPage
    from truegauge.app.stages.silhouette.sizes_page import SizesPage

PAGES = (("camera", "Camera"), ("sizes", "Sizes"), ("part", "Part"), ("series", "Series"))
_TITLES = {"camera": "Camera", "sizes": "Sizes", "part": "How the part is found", "series": "Series"}


class SilhouetteBench(PagedBench):
    """One page at a time."""

    title, names, titles = "Camera", PAGES, _TITLES

    def __init__(
        self, model: SilhouetteModel, camera: CameraPage, sizes: SizesPage, part: PartPage, series: SeriesPage,
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        self.model = self.paged = model
        self.camera_page, self.sizes_page, self.part_page, self.series_page = camera, sizes, part, series
        super().__init__(model.session, parent)
        model.changed.connect(self._on_changed)
        model.camera.changed.connect(self._on_changed)

    def _make_pages(self) -> tuple[QWidget, ...]:
        return (self.camera_page, self.sizes_page, self.part_page, self.series_page)

    def look_again(self) -> None:
        """Show what may have changed."""
        self._on_changed()
