"""The Silhouette bench: pages for camera, sizes, the part, series."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QSizePolicy, QWidget

from truegauge.app.widgets.bench import Bench, PageTabs, Stack

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.camera_page import CameraPage
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.app.stages.silhouette.part_page import PartPage
    from truegauge.app.stages.silhouette.series_page import SeriesPage
    from truegauge.app.stages.silhouette.sizes_page import SizesPage

PAGES = (("camera", "Camera"), ("sizes", "Sizes"), ("part", "Part"), ("series", "Series"))
_TITLES = {"camera": "Camera", "sizes": "Sizes", "part": "How the part is found", "series": "Series"}


class SilhouetteBench(Bench):
    """One page at a time."""

    title = "Camera"

    def __init__(
        self, model: SilhouetteModel, camera: CameraPage, sizes: SizesPage, part: PartPage, series: SeriesPage,
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        self.model = model
        self.camera_page, self.sizes_page, self.part_page, self.series_page = camera, sizes, part, series
        super().__init__(model.session, parent)
        model.changed.connect(self._on_changed)
        model.camera.changed.connect(self._on_changed)

    def _build(self) -> None:
        tabs = PageTabs(PAGES, self.model.set_page)
        self.tabs = tabs.buttons
        self.column.addWidget(tabs)
        self._pages = (self.camera_page, self.sizes_page, self.part_page, self.series_page)
        self.pages = Stack()
        for page in self._pages:
            self.pages.addWidget(page)
        self.pages.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.column.addWidget(self.pages, 1)

    def look_again(self) -> None:
        """Show what may have changed."""
        self._on_changed()

    def refresh(self) -> None:
        """Show the page that is chosen."""
        index = [key for key, _ in PAGES].index(self.model.page)
        self.tabs[self.model.page].setChecked(True)
        self.heading.setText(_TITLES[self.model.page])
        self.pages.setCurrentIndex(index)
        self._pages[index].refresh()
