"""How the ledger's rows look: number, symbol, name, value; the frame where there is one; the gauge bar."""

from typing import Any

from PySide6.QtCore import (
    QAbstractItemModel,
    QEvent,
    QModelIndex,
    QPersistentModelIndex,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    QTimer,
)
from PySide6.QtGui import QColor, QFontMetricsF, QKeyEvent, QPainter
from PySide6.QtWidgets import QAbstractItemView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from truegauge.app.document.session import Session
from truegauge.app.ledger.characteristic_editor import CharacteristicEditor
from truegauge.app.widgets.painting import draw_frame, draw_gauge_bar, draw_glyph, draw_marker
from truegauge.app.widgets.text_size import at_100, enlarge, sized_size
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.authoring.drafts import Draft
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.evaluation.needed import needed_features
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import has_frame
from truegauge.drawing.gauge_bar import bar_of
from truegauge.drawing.size_text import size_text
from truegauge.drawing.units import NumberFormat

ROW_HEIGHT, FRAMED_HEIGHT, HEADING_HEIGHT, NARROW_HEIGHT = 72, 84, 26, 30
Index = QModelIndex | QPersistentModelIndex


def _item(index: Index) -> Characteristic | str:
    row: Characteristic | str = index.model().row(index.row())  # type: ignore[attr-defined]
    return row


def _result(index: Index) -> Result:
    found: Result = index.model().result(index.row())  # type: ignore[attr-defined]
    return found


class LedgerDelegate(QStyledItemDelegate):
    """Paints rows and headings, and opens the editor in place of a row."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.theme = session, theme
        self.narrow = False  # only number, marker and value
        self._unfinished: tuple[str, Draft | None] | None = None  # a characteristic, and what cannot be

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        """Rows with a frame are higher, headings lower."""
        item = _item(index)
        if isinstance(item, str):
            return sized_size(240, HEADING_HEIGHT)
        if self.narrow:
            return sized_size(80, NARROW_HEIGHT)
        return sized_size(240, FRAMED_HEIGHT if has_frame(item) else ROW_HEIGHT)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """Paint a row."""
        box = at_100(QRectF(option.rect))  # type: ignore[attr-defined]
        item = _item(index)
        painter.save()
        enlarge(painter)
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        if isinstance(item, str):
            self._paint_heading(painter, box, item)
        else:
            current = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
            self._paint_row(painter, box, _result(index), current=current)
        painter.restore()

    def _paint_heading(self, painter: QPainter, box: QRectF, text: str) -> None:
        painter.setFont(font(11, bold=True))
        painter.setPen(QColor(self.theme.soft))
        painter.drawText(box.adjusted(12, 0, -12, -3), Qt.AlignmentFlag.AlignVCenter, text)
        painter.setPen(QColor(self.theme.rule))
        painter.drawLine(QPointF(box.x(), box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))

    def _paint_row(self, painter: QPainter, box: QRectF, result: Result, *, current: bool) -> None:
        t, c = self.theme, result.characteristic
        plan = self.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals).of(c.kind)
        related = c.id in self.session.selection.related(self.session.selection.groups)
        if current:
            painter.fillRect(box, QColor(t.accent_soft))
        if current or related:
            painter.fillRect(QRectF(box.x(), box.y(), 3, box.height() - 1), QColor(t.accent))
        painter.setPen(QColor(t.rule))
        painter.drawLine(QPointF(box.x(), box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))
        if self.narrow:
            self._paint_narrow(painter, box, result, numbers)
            return
        text_y = box.y() + 22
        painter.setFont(font(11))
        painter.setPen(QColor(t.soft))
        painter.drawText(QPointF(box.x() + 11, text_y), str(c.number))
        framed = has_frame(c)
        kind = kind_named(c.kind)
        if kind.symbol and not framed:
            draw_glyph(painter, kind.symbol, QRectF(box.x() + 33, box.y() + 9, 18, 18), t.ink, 1.4)
        start = box.x() + (38 if framed else 58) + (14 if c.tier_of else 0)  # a lower tier stands in
        right, right_below, right_last = self._paint_value(painter, result, numbers, box.right() - 12, text_y)
        painter.setFont(font(13))
        painter.setPen(QColor(t.ink))
        room = right - start - 8
        name = QFontMetricsF(painter.font()).elidedText(c.name, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QPointF(start, text_y), name)
        elsewhere = ""
        if c.alignment and c.alignment != plan.in_force:
            elsewhere = f"in {plan.alignment(c.alignment).name}"
        elif c.datums and not framed:
            elsewhere = f"in {c.system_text}"
        if elsewhere:  # told in other axes than the rest: said beside it
            after = QFontMetricsF(painter.font()).horizontalAdvance(name) + 8
            painter.setFont(font(11))
            painter.setPen(QColor(t.accent))
            called = QFontMetricsF(painter.font()).elidedText(elsewhere, Qt.TextElideMode.ElideRight, room - after)
            painter.drawText(QPointF(start + after, text_y), called)
        if framed:
            draw_frame(painter, c, numbers, QPointF(start, box.y() + 31), 19, t.ink)
        else:
            self._paint_stated(painter, result, numbers, QPointF(start, box.y() + 39), right_below - 8 - start)
        bar_top = box.y() + (57 if framed else 46)
        end = min(box.right() - (98 if framed else 82), right_last - 8)
        draw_gauge_bar(painter, QRectF(start, bar_top, end - start, 18), result, t)

    def _paint_narrow(self, painter: QPainter, box: QRectF, result: Result, numbers: NumberFormat) -> None:
        t, outside = self.theme, result.state == State.OUTSIDE
        painter.setFont(font(11))
        painter.setPen(QColor(t.soft))
        painter.drawText(QPointF(box.x() + 7, box.y() + 19), str(result.characteristic.number))
        color = state_color(t, str(result.state))
        draw_marker(painter, bar_of(result).marker, QPointF(box.x() + 34, box.center().y()), 5.0, color)
        painter.setFont(font(13, bold=True))
        painter.setPen(QColor(color if outside else t.ink))
        value = "–" if result.measured is None else numbers.value(result.measured)
        painter.drawText(box.adjusted(42, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, value)

    def _paint_stated(self, painter: QPainter, result: Result, numbers: NumberFormat, at: QPointF, room: float) -> None:
        """Nominal, fit class, limits, and what the size is, in one small line."""
        painter.setFont(font(11))
        painter.setPen(QColor(self.theme.soft))
        said = size_text(result, numbers)
        metrics = QFontMetricsF(painter.font())
        painter.drawText(at, metrics.elidedText(said, Qt.TextElideMode.ElideRight, room))

    def _paint_value(
        self, painter: QPainter, result: Result, numbers: NumberFormat, right: float, y: float
    ) -> tuple[float, float, float]:
        """Paint it at the right; returns how far left each of its three lines comes."""
        t, c = self.theme, result.characteristic

        def at_right(text: str, below: float) -> float:
            left = right - QFontMetricsF(painter.font()).horizontalAdvance(text)
            painter.drawText(QPointF(left, y + below), text)
            return left

        if result.measured is None:
            painter.setFont(font(12))
            s = self.session
            comes = bool(s.in_run) and not s.in_run.isdisjoint(needed_features(s.plan, (c.id,)))
            painter.setPen(QColor(t.accent if comes else t.soft))
            sample = s.sample
            left_out = sample is not None and bool(sample.about.chosen) and c.id not in sample.about.chosen
            said = "in this run" if comes else "not chosen" if left_out else "not measured"
            return right, right, at_right(said, 41 if has_frame(c) else 36)
        painter.setFont(font(15, bold=True))
        outside = result.state == State.OUTSIDE
        painter.setPen(QColor(state_color(t, "outside") if outside else t.ink))
        left = at_right(numbers.value(result.measured), 0)
        kind = kind_named(c.kind)
        one_sided = kind.one_sided and result.upper is not None
        small = f"of {numbers.value(result.upper or 0)}" if one_sided else numbers.signed(result.deviation or 0.0)
        if c.basic:
            small = "exact"
        elif kind.reading and not c.nominal and not one_sided:
            small = ""  # the value is the deviation
        said = self._aside(result, numbers)
        painter.setFont(font(12))
        unsure = (result.dominated or bool(result.warning)) and not has_frame(c)
        painter.setPen(QColor(state_color(t, "near") if unsure else t.soft))
        left_below = at_right(said if unsure else small, 23)
        if said:
            painter.setFont(font(11))
            painter.setPen(QColor(state_color(t, "near") if result.dominated or result.warning else t.soft))
            if has_frame(c):
                return left - 8, left_below, at_right(said, 41)
        return left - 8, left_below, right

    def _aside(self, result: Result, numbers: NumberFormat) -> str:
        """What widens the limit, or an uncertainty that says more about the measurement than about the part."""
        if result.warning and result.coverage is not None:
            return f"{100 * result.coverage:.0f} % covered"
        if result.dominated and result.uncertainty is not None:
            k = self.session.plan.decision.k
            return f"±{numbers.value(k * result.uncertainty)} unsure"
        if result.bonus:
            return f"{numbers.signed(result.bonus)} bonus"
        return "general" if result.general else ""

    # Editing ---------------------------------------------------------------------------------------------------

    def createEditor(self, parent: QWidget, option: QStyleOptionViewItem, index: Index) -> QWidget:
        """Open the fields in place of the row."""
        return CharacteristicEditor(self.session, self.theme, parent)

    def setEditorData(self, editor: QWidget, index: Index) -> None:
        """Fill the fields."""
        assert isinstance(editor, CharacteristicEditor)
        item = _item(index)
        if isinstance(item, Characteristic) and not editor.shows(item):  # new results must not undo what is typed
            plan = self.session.plan
            editor.load(item, NumberFormat(plan.unit, plan.decimals).of(item.kind))
            if self._unfinished is not None and self._unfinished[0] == item.id and self._unfinished[1] is not None:
                editor.go_on_with(self._unfinished[1])

    def setModelData(self, editor: QWidget, model: QAbstractItemModel, index: Index) -> None:
        """Run one command with what changed; what makes no sense is explained and changes nothing."""
        assert isinstance(editor, CharacteristicEditor)
        item = _item(index)
        if not isinstance(item, Characteristic):
            return
        try:
            changes = editor.changes()
        except ValueError as error:
            self.session.notify(f"characteristic {item.number}: {error}; it stays as it was")
            self._unfinished = (item.id, editor.typed())
            QTimer.singleShot(0, self._open_again)
            return
        if changes:
            self.session.run(EditCharacteristic(item.id, changes))

    def _open_again(self) -> None:
        """Open what was left with something that cannot be, as it was typed: Escape gives it up."""
        view = self.parent()
        if self._unfinished is None or not isinstance(view, QAbstractItemView):
            return
        row = view.model().row_of(self._unfinished[0])  # type: ignore[attr-defined]
        if row >= 0 and view.isVisible():
            index = view.model().index(row, 0)
            view.setCurrentIndex(index)
            view.edit(index)
        self._unfinished = None

    def updateEditorGeometry(self, editor: QWidget, option: QStyleOptionViewItem, index: Index) -> None:
        """Cover the row, and what the fields need below it."""
        box: QRect = option.rect  # type: ignore[attr-defined]
        height = max(box.height(), editor.sizeHint().height())
        parent = editor.parentWidget()
        top = box.y() if parent is None else max(0, min(box.y(), parent.height() - height))
        editor.setGeometry(box.x(), top, box.width(), height)

    def eventFilter(self, editor: Any, event: QEvent) -> bool:
        """Keep the editor open while the focus moves between its fields."""
        if event.type() == QEvent.Type.FocusOut and isinstance(editor, CharacteristicEditor):
            return False
        if (
            isinstance(editor, CharacteristicEditor) and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and editor.problem_now()
        ):  # fmt: skip
            return True  # what cannot be stays open with its reason, until it is changed or given up with Escape
        return super().eventFilter(editor, event)
