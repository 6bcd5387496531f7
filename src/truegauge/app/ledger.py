"""The ledger: every characteristic with its gauge bar, edited in place."""

from typing import Any

from PySide6.QtCore import (
    QAbstractItemModel,
    QAbstractListModel,
    QEvent,
    QItemSelectionModel,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRectF,
    QSize,
    Qt,
)
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.painting import draw_gauge_bar, draw_glyph
from truegauge.app.session import Session
from truegauge.app.theme import Theme, font, state_color
from truegauge.core.plan.commands import EditCharacteristic
from truegauge.core.plan.document import Characteristic
from truegauge.core.plan.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.core.tolerancing.kinds import KINDS
from truegauge.reporting.units import NumberFormat

ROW_HEIGHT = 58
Index = QModelIndex | QPersistentModelIndex


class LedgerModel(QAbstractListModel):
    """The characteristics of the plan with their results."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._rows: tuple[Characteristic, ...] = ()
        session.plan_changed.connect(self.refresh)
        session.evaluated.connect(self.refresh)
        session.selection_changed.connect(self._changed)
        self.refresh()

    def refresh(self) -> None:
        """Read the plan again; rows that stay are kept, so that an open editor and the selection survive."""
        rows = self._session.plan.characteristics
        if [r.id for r in rows] == [r.id for r in self._rows]:
            self._rows = rows
            self._changed()
            return
        self.beginResetModel()
        self._rows = rows
        self.endResetModel()

    def _changed(self) -> None:
        if self._rows:
            self.dataChanged.emit(self.index(0), self.index(len(self._rows) - 1))

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Return the number of characteristics."""
        return 0 if parent.isValid() else len(self._rows)

    def characteristic(self, row: int) -> Characteristic:
        """Return the characteristic of a row."""
        return self._rows[row]

    def result(self, row: int) -> Result:
        """Return the result of a row; not measured while there is none."""
        c = self._rows[row]
        evaluation = self._session.evaluation
        found = evaluation.result(c.id) if evaluation else None
        if found is None or found.characteristic != c:
            value = found.measured if found and found.characteristic.kind == c.kind else None
            return Result(c, value, State.NOT_MEASURED if value is None else found.state, "")  # type: ignore[union-attr]
        return found

    def row_of(self, characteristic_id: str) -> int:
        """Return the row of a characteristic, -1 for none."""
        return next((i for i, c in enumerate(self._rows) if c.id == characteristic_id), -1)

    def flags(self, index: Index) -> Qt.ItemFlag:
        """Rows can be selected and edited."""
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEditable

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return a text for screen readers and tooltips; the delegate paints from the result."""
        if not index.isValid():
            return None
        result = self.result(index.row())
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return self.spoken(result)
        if role == Qt.ItemDataRole.ToolTipRole:
            return result.reason or "Double-click or F2 to edit the name, the nominal and the limits"
        return None

    def spoken(self, result: Result) -> str:
        """Say the whole row in one line."""
        plan = self._session.plan
        numbers = NumberFormat(plan.unit, plan.decimals).of(result.characteristic.kind)
        value = "not measured" if result.measured is None else numbers.value(result.measured)
        return f"{result.characteristic.number} {result.characteristic.name} {value} {result.state}".replace("_", " ")


class _Delegate(QStyledItemDelegate):
    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        """Rows are equally high."""
        return QSize(240, ROW_HEIGHT)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """Number, symbol, name, nominal or tolerance, value; the gauge bar below."""
        model = index.model()
        assert isinstance(model, LedgerModel)
        result, t = model.result(index.row()), self.theme
        c, box = result.characteristic, QRectF(option.rect)  # type: ignore[attr-defined]
        plan = self.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals).of(c.kind)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        current = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        related = c.id in self.session.related_characteristics() if self.session.selection else False
        if current:
            painter.fillRect(box, QColor(t.accent_soft))
        if current or related:
            painter.fillRect(QRectF(box.x(), box.y(), 3, box.height() - 1), QColor(t.accent))
        painter.setPen(QColor(t.rule))
        painter.drawLine(QPointF(box.x(), box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))
        text_y = box.y() + 22
        painter.setFont(font(11))
        painter.setPen(QColor(t.soft))
        painter.drawText(QPointF(box.x() + 11, text_y), str(c.number))
        kind = KINDS.get(c.kind)
        if kind is not None:
            draw_glyph(painter, kind.symbol, QRectF(box.x() + 33, box.y() + 9, 18, 18), t.ink, 1.4)
        right = box.right() - 12
        right = self._paint_value(painter, result, numbers, right, text_y)
        painter.setFont(font(13))
        painter.setPen(QColor(t.ink))
        room = right - box.x() - 66
        name = QFontMetricsF(painter.font()).elidedText(c.name, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(box.x() + 58, text_y), name)
        if c.alignment and c.alignment != plan.in_force:  # told in another alignment than the rest: said beside it
            start = QFontMetricsF(painter.font()).horizontalAdvance(name) + 8
            painter.setFont(font(11))
            painter.setPen(QColor(t.accent))
            called = f"in {plan.alignment(c.alignment).name}"
            called = QFontMetricsF(painter.font()).elidedText(called, Qt.TextElideMode.ElideRight, room - start)
            painter.drawText(QPointF(box.x() + 58 + start, text_y), called)
        draw_gauge_bar(painter, QRectF(box.x() + 58, box.y() + 33, box.width() - 140, 18), result, t)
        painter.restore()

    def _paint_value(self, painter: QPainter, result: Result, numbers: NumberFormat, right: float, y: float) -> float:
        t, c = self.theme, result.characteristic
        if result.measured is None:
            painter.setFont(font(12))
            painter.setPen(QColor(t.soft))
            text = "not measured"
            left = right - QFontMetricsF(painter.font()).horizontalAdvance(text)
            painter.drawText(QPointF(left, y), text)
            return left - 8
        painter.setFont(font(15, bold=True))
        outside = result.state == State.OUTSIDE
        painter.setPen(QColor(state_color(t, "outside") if outside else t.ink))
        value = numbers.value(result.measured)
        left = right - QFontMetricsF(painter.font()).horizontalAdvance(value)
        painter.drawText(QPointF(left, y), value)
        kind = KINDS.get(c.kind)
        one_sided = kind is not None and kind.one_sided and c.upper is not None
        small = f"of {numbers.value(c.upper or 0)}" if one_sided else numbers.signed(result.deviation or 0.0)
        painter.setFont(font(12))
        painter.setPen(QColor(t.soft))
        painter.drawText(QPointF(right - QFontMetricsF(painter.font()).horizontalAdvance(small), y + 23), small)
        return left - 8

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        """Open the fields in place of the row."""
        return CharacteristicEditor(parent)

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        """Fill the fields."""
        model = index.model()
        assert isinstance(model, LedgerModel)
        assert isinstance(editor, CharacteristicEditor)
        plan = self.session.plan
        characteristic = model.characteristic(index.row())
        editor.load(characteristic, NumberFormat(plan.unit, plan.decimals).of(characteristic.kind))

    def setModelData(self, editor: QWidget, model: QAbstractItemModel, index: Index) -> None:
        """Run one command with what changed."""
        assert isinstance(model, LedgerModel)
        assert isinstance(editor, CharacteristicEditor)
        characteristic = model.characteristic(index.row())
        try:
            changes = editor.changes(characteristic)
        except ValueError as error:
            self.session.notify(f"characteristic {characteristic.number}: {error}; it stays as it was")
            return
        if changes:
            self.session.run(EditCharacteristic(characteristic.id, changes))

    def updateEditorGeometry(self, editor: QWidget, option: QStyleOptionViewItem, index: Index) -> None:
        """Cover the row."""
        editor.setGeometry(option.rect)  # type: ignore[attr-defined]

    def eventFilter(self, editor: Any, event: QEvent) -> bool:
        """Keep the editor open while the focus moves between its fields."""
        if event.type() == QEvent.Type.FocusOut and isinstance(editor, CharacteristicEditor):
            return False
        return super().eventFilter(editor, event)


class CharacteristicEditor(QFrame):
    """Name, nominal and the two limits of a characteristic, in the row itself."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty("role", "card")
        self.setAutoFillBackground(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 3, 4, 3)
        layout.setSpacing(2)
        self.name = QLineEdit()
        self.nominal, self.lower_field, self.upper_field = QLineEdit(), QLineEdit(), QLineEdit()
        layout.addWidget(self.name)
        row = QHBoxLayout()
        row.setSpacing(3)
        for field, tip in (
            (self.nominal, "nominal"),
            (self.lower_field, "lower deviation"),
            (self.upper_field, "upper deviation"),
        ):
            field.setPlaceholderText(tip)
            field.setToolTip(tip)
            field.setAccessibleName(tip)
            row.addWidget(field)
        layout.addLayout(row)
        for field in (self.name, self.nominal, self.lower_field, self.upper_field):
            field.setStyleSheet("padding: 1px 5px; font-size: 12px;")
        self.setFocusProxy(self.upper_field)

    def load(self, c: Characteristic, numbers: NumberFormat) -> None:
        """Show a characteristic."""
        self._numbers = numbers
        kind = KINDS.get(c.kind)
        one_sided = kind is not None and kind.one_sided
        self.nominal.setVisible(not one_sided)
        self.lower_field.setVisible(not one_sided)
        self._texts = {
            "name": c.name,
            "nominal": numbers.value(c.nominal),
            "lower": "" if c.lower is None else numbers.signed(c.lower),
            "upper": "" if c.upper is None else (numbers.value if one_sided else numbers.signed)(c.upper),
        }
        self._fields = {
            "name": self.name,
            "nominal": self.nominal,
            "lower": self.lower_field,
            "upper": self.upper_field,
        }
        for name, text in self._texts.items():
            self._fields[name].setText(text)
        self.upper_field.selectAll()

    def changes(self, c: Characteristic) -> tuple[tuple[str, Any], ...]:
        """Return the fields that were changed; ValueError names one that is no number."""
        found: list[tuple[str, Any]] = []
        for field, before in self._texts.items():
            text = self._fields[field].text().strip()
            if text == before:
                continue
            if field == "name":
                if text:
                    found.append((field, text))
                continue
            try:
                found.append((field, None if not text and field != "nominal" else self._numbers.parse(text)))
            except ValueError:
                raise ValueError(f"the {field} {text!r} is not a number") from None
        return tuple(found)


class Ledger(QWidget):
    """Heading with counts, and the list."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setObjectName("ledger")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(324)
        self.model = LedgerModel(session)
        self.list = _List(session)
        self._delegate = _Delegate(session, theme, self.list)
        self._build()
        self._connect()
        self._refresh()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 10, 0, 0)
        layout.setSpacing(4)
        top = QHBoxLayout()
        top.setContentsMargins(12, 0, 12, 2)
        title = QLabel("Characteristics")
        title.setProperty("role", "heading")
        self.counts = QLabel()
        self.counts.setProperty("role", "soft")
        top.addWidget(title)
        top.addStretch()
        top.addWidget(self.counts)
        layout.addLayout(top)
        self.empty = QLabel("Nothing to judge yet.\n\nPick a face in the view and take one of the proposals below it.")
        self.empty.setProperty("role", "soft")
        self.empty.setWordWrap(True)
        self.empty.setContentsMargins(12, 8, 12, 0)
        layout.addWidget(self.empty)
        self.list.setModel(self.model)
        self.list.setItemDelegate(self._delegate)
        layout.addWidget(self.list, 1)

    def _connect(self) -> None:
        s = self._session
        s.plan_changed.connect(self._refresh)
        s.evaluated.connect(self._refresh)
        s.selection_changed.connect(self._follow)
        self.list.selectionModel().currentChanged.connect(self._on_current_changed)
        self.model.modelReset.connect(self._follow)

    def set_theme(self, theme: Theme) -> None:
        """Change the colours."""
        self._delegate.theme = theme
        self.list.viewport().update()

    def edit_selected(self) -> None:
        """Open the selected row for editing."""
        if self.list.currentIndex().isValid():
            self.list.edit(self.list.currentIndex())

    def _refresh(self) -> None:
        rows = self.model.rowCount()
        self.empty.setVisible(rows == 0)
        evaluation = self._session.evaluation
        if evaluation is None or rows == 0:
            self.counts.setText(f"{rows}" if rows else "")
            return
        counts = evaluation.counts()
        words = {State.WITHIN: "in", State.NEAR: "near", State.OUTSIDE: "out", State.NOT_MEASURED: "open"}
        self.counts.setText("   ".join(f"{n} {words[s]}" for s, n in counts.items() if n))

    def _on_current_changed(self, current: QModelIndex, previous: QModelIndex) -> None:
        if current.isValid():
            self._session.select_characteristic(self.model.characteristic(current.row()).id)

    def _follow(self) -> None:
        row = self.model.row_of(self._session.selected_characteristic)
        selection = self.list.selectionModel()
        if row < 0:
            selection.clear()
            return
        index = self.model.index(row)
        if selection.currentIndex() != index or not selection.isSelected(index):
            selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            self.list.scrollTo(index)


class _List(QListView):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setUniformItemSizes(True)
        self.setAccessibleName("Characteristics")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Delete removes the row; Enter edits it."""
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._session.remove_selected_characteristic()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            self.edit(self.currentIndex())
        else:
            super().keyPressEvent(event)
