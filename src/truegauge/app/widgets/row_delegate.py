"""Rows of a list that paint themselves, in coordinates at 100 % of the text size."""

from typing import Protocol

from PySide6.QtCore import QModelIndex, QObject, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from truegauge.app.widgets.text_size import at_100, enlarge, sized_size


class PaintsRows(Protocol):
    """A list that paints the row with a key."""

    def paint_row(self, painter: QPainter, box: QRectF, key: str, *, selected: bool) -> None:
        """Draw one row."""


class RowDelegate(QStyledItemDelegate):
    """Hands the painting of each row to its list; the key of a row is its user data."""

    def __init__(self, owner: PaintsRows, parent: QObject, height: int) -> None:
        super().__init__(parent)
        self._owner, self._height = owner, height

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        """All rows are as high."""
        return sized_size(80, self._height)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        """Draw a row."""
        selected = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        key = str(index.data(Qt.ItemDataRole.UserRole))
        painter.save()
        enlarge(painter)
        self._owner.paint_row(painter, at_100(QRectF(option.rect)), key, selected=selected)  # type: ignore[attr-defined]
        painter.restore()
