"""The middle of the window: what all stages see there, with what a stage puts above and below it."""

from collections.abc import Collection

from PySide6.QtCore import QCoreApplication, QEvent, Qt
from PySide6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from truegauge.app.shell.stage import StageParts


class Middle(QWidget):
    """What stands under the middle is as high as it is drawn."""

    def __init__(self, center: QWidget, every: Collection[StageParts]) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for parts in every:
            if parts.above is not None:
                column.addWidget(parts.above)
        self._center, self._foot = center, QSplitter(Qt.Orientation.Vertical)
        foot = self._foot
        foot.setChildrenCollapsible(False)
        foot.addWidget(center)
        for parts in every:
            if parts.below is not None:
                foot.addWidget(parts.below)
        foot.setStretchFactor(0, 1)
        column.addWidget(foot, 1)

    def settle(self) -> None:
        """Know now how little room is needed for what is seen: else Qt tells it later, and the window grows before."""
        for widget in (self._center, self._foot, self):
            QCoreApplication.sendPostedEvents(widget, QEvent.Type.LayoutRequest)
