"""Rows of a list that paint themselves."""

from typing import Protocol

from PySide6.QtCore import QModelIndex, QObject, QPersistentModelIndex, QRectF, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem


class PaintsRows(Protocol):
    """A list that paints the row with a key."""

    def paint_row(self, painter: QPainter, box: QRectF, key: str, *, selected: bool) -> None:
        """Draw one row."""


class RowDelegate(QStyledItemDelegate):
    """Hands the painting of each row to its list; the key of a row is its user data."""

    def __init__(self, owner: PaintsRows, parent: QObject) -> None:
        super().__init__(parent)
        self._owner = owner

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        """Draw a row."""
        selected = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        key = str(index.data(Qt.ItemDataRole.UserRole))
        self._owner.paint_row(painter, QRectF(option.rect), key, selected=selected)  # type: ignore[attr-defined]
