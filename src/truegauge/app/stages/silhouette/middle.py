"""The middle of the stage: the picture, or the rows of values; the verdict below."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QSplitter, QVBoxLayout, QWidget

from truegauge.app.stages.silhouette.picture_view import PictureView
from truegauge.app.stages.silhouette.verdict_bar import RowsView, VerdictBar

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.app.stages.silhouette.series_model import SeriesModel
    from truegauge.app.widgets.theme import LiveTheme


class SilhouetteMiddle(QWidget):
    """Rows stand under the picture while a series runs."""

    def __init__(self, model: SilhouetteModel, series: SeriesModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._series = model, series
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.picture = PictureView(model, theme)
        self.values = RowsView(model, series, theme)
        self.rows = QScrollArea()
        self.rows.setWidgetResizable(True)
        self.rows.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.rows.setWidget(self.values)
        self.parted = QSplitter(Qt.Orientation.Vertical)
        self.parted.setChildrenCollapsible(False)
        self.parted.addWidget(self.picture)
        self.parted.addWidget(self.rows)
        self.parted.setStretchFactor(0, 1)
        self.parted.setSizes([330, 330])
        self.verdict = VerdictBar(model, series, theme)
        column.addWidget(self.parted, 1)
        column.addWidget(self.verdict)
        for signal in (series.changed, model.changed):
            signal.connect(self._on_changed)
        self._on_changed()

    def _on_changed(self) -> None:
        self.rows.setVisible(self._series.is_running or self._model.page == "series")
        self.verdict.setVisible(bool(self._model.session.plan.characteristics))
