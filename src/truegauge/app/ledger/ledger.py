"""The ledger: every characteristic with its gauge bar, found, grouped and edited in place."""

from collections.abc import Hashable
from typing import Any

from PySide6.QtCore import QAbstractListModel, QItemSelectionModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.document.session import Session
from truegauge.app.ledger.ledger_delegate import LedgerDelegate
from truegauge.app.ledger.ledger_order import GROUPS, Order, Row, arranged
from truegauge.app.ledger.several_editor import SeveralEditor
from truegauge.app.ledger.surface_limits import SurfaceLimits
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.bench import Choice
from truegauge.app.widgets.text_size import keep_sheet, panel_sized, sized
from truegauge.app.widgets.theme import Theme
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import frame_text, has_frame
from truegauge.drawing.units import NumberFormat

_WIDTHS, _SHARE, _NARROW = (324, 470), 0.24, 124  # pixels, and of the width of the window
_LEAST_VIEW = 420  # pixels at 100 %: with less the ledger gives way
WHOLE, NARROW, NONE = "whole", "narrow", "none"  # how much of it is shown
_NEXT = {WHOLE: NARROW, NARROW: NONE, NONE: WHOLE}
_NOTHING = "Nothing to judge yet.\n\nPick a face in the view and take one of the proposals below it."
_OF_SURFACE = "Characteristics need a part. What is allowed of its surface is said in Evaluate, on the page Surface."
_OF_SHADOW = "Nothing to judge yet.\n\nDrag over the picture, from one side of the part to the other."
_NOTHING_FITS = "No characteristic fits what is searched for."
Index = QModelIndex | QPersistentModelIndex


class LedgerModel(QAbstractListModel):
    """The characteristics of the plan with their results."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._rows: tuple[Row, ...] = ()
        self.order = Order()
        session.document.plan_changed.connect(self.refresh)
        session.document.evaluated.connect(self.refresh)
        session.selection.changed.connect(self._changed)
        self.refresh()

    def refresh(self) -> None:
        """Read the plan again; rows that stay are kept, so that an open editor and the selection survive."""
        evaluation = self._session.evaluation
        results = {r.characteristic.id: r for r in evaluation.results} if evaluation else {}
        rows = arranged(self._session.plan, results, self.order)
        if [_identity(r) for r in rows] == [_identity(r) for r in self._rows]:
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

    def set_order(self, order: Order) -> None:
        """Group, search or filter."""
        if order != self.order:
            self.order = order
            self.refresh()

    def row(self, row: int) -> Row:
        """Return a row: a characteristic, or the text of a heading."""
        return self._rows[row]

    def characteristic(self, row: int) -> Characteristic:
        """Return the characteristic of a row."""
        c = self._rows[row]
        assert isinstance(c, Characteristic)
        return c

    def result(self, row: int) -> Result:
        """Return the result of a row; not measured while there is none."""
        c = self.characteristic(row)
        evaluation = self._session.evaluation
        found = evaluation.result(c.id) if evaluation else None
        if found is None or found.characteristic != c:
            value = found.measured if found and found.characteristic.kind == c.kind else None
            state = State.NOT_MEASURED if value is None or found is None else found.state
            return Result(c, value, state, "", c.lower, c.upper)
        return found

    def row_of(self, characteristic_id: str) -> int:
        """Return the row of a characteristic, -1 for none."""
        return next((i for i, c in enumerate(self._rows) if _identity(c) == (characteristic_id,)), -1)

    def flags(self, index: Index) -> Qt.ItemFlag:
        """Rows can be selected and edited, headings not."""
        if index.isValid() and isinstance(self._rows[index.row()], str):
            return Qt.ItemFlag.NoItemFlags
        return Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsEditable

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return a text for screen readers and tooltips; the delegate paints from the result."""
        if not index.isValid():
            return None
        heading = self._rows[index.row()]
        if isinstance(heading, str):
            return heading if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole) else None
        result = self.result(index.row())
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return self.spoken(result)
        if role == Qt.ItemDataRole.ToolTipRole:
            said = [result.reason or result.decision or "Double-click or F2 to edit", result.surface]
            return "\n".join(s for s in said if s)
        return None

    def spoken(self, result: Result) -> str:
        """Say the whole row in one line."""
        plan = self._session.plan
        numbers = NumberFormat(plan.unit, plan.decimals).of(result.characteristic.kind)
        value = "not measured" if result.measured is None else numbers.value(result.measured)
        c = result.characteristic
        framed = f" {frame_text(c, numbers)}" if has_frame(c) else ""
        return f"{c.number} {c.name}{framed} {value} {result.state}".replace("_", " ")


def _identity(row: Row) -> Hashable:
    # Rows with a frame are higher: a kind that changes is another row to the list.
    return row if isinstance(row, str) else (row.id,)


class Ledger(QWidget):
    """Heading with counts, and the list."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setObjectName("ledger")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDTHS[0])
        self._window_width = 0
        self._stage_needs_room = self._is_tight = False
        self._modes = {False: WHOLE, True: NARROW}  # as chosen, by whether it gives way
        self.model = LedgerModel(session)
        self.list = _List(session)
        self._delegate = LedgerDelegate(session, theme, self.list)
        self._build()
        self._connect()
        self._refresh()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 10, 0, 0)
        layout.setSpacing(4)
        top = QHBoxLayout()
        top.setContentsMargins(12, 0, 12, 2)
        self.title = QLabel("Characteristics")
        self.title.setProperty("role", "heading")
        self.counts = QLabel()
        self.counts.setProperty("role", "soft")
        top.addWidget(self.title)
        top.addStretch()
        top.addWidget(self.counts)
        layout.addLayout(top)
        layout.addLayout(self._build_tools())
        self.empty = QLabel(_NOTHING)
        self.empty.setProperty("role", "soft")
        self.empty.setWordWrap(True)
        self.empty.setContentsMargins(12, 8, 12, 0)
        layout.addWidget(self.empty)
        self.surfaces = SurfaceLimits(self._session, self._delegate.theme)
        layout.addWidget(self.surfaces)
        self.list.setModel(self.model)
        self.list.setItemDelegate(self._delegate)
        layout.addWidget(self.list, 1)

    def _build_tools(self) -> QHBoxLayout:
        """Search, filter, grouping."""
        tools = QHBoxLayout()
        tools.setContentsMargins(10, 0, 10, 2)
        tools.setSpacing(4)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find")
        self.search.setAccessibleName("find characteristics")
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._on_order)
        self.outside = QPushButton("outside only")
        self.outside.setCheckable(True)
        self.outside.toggled.connect(self._on_order)
        self.group = Choice()
        self.group.setAccessibleName("grouping")
        for key, text in GROUPS.items():
            self.group.addItem(text, key)
        self.group.activated.connect(self._on_order)
        tools.addWidget(self.search, 2)
        tools.addWidget(self.outside)
        tools.addWidget(self.group, 2)
        for widget in (self.search, self.outside, self.group):
            keep_sheet(widget, "padding: 2px 6px; font-size: 12px;")
        return tools

    def _on_order(self) -> None:
        order = Order(str(self.group.currentData() or ""), self.search.text().strip(), self.outside.isChecked())
        self.model.set_order(order)
        self.surfaces.set_order(order)
        self._refresh()

    def selected(self) -> list[Characteristic]:
        """The characteristics that are selected in the list, in its order."""
        rows = sorted(i.row() for i in self.list.selectionModel().selectedIndexes())
        return [c for r in rows if isinstance(c := self.model.row(r), Characteristic)]

    def listed(self) -> tuple[str, ...]:
        """The characteristics (ids) that search and filter leave in the list; empty where they leave all."""
        rows = [self.model.row(r) for r in range(self.model.rowCount())]
        ids = tuple(r.id for r in rows if isinstance(r, Characteristic))
        return ids if len(ids) < len(self._session.plan.characteristics) else ()

    def edit_several(self) -> None:
        """Change tolerances of all selected characteristics at once."""
        chosen = self.selected()
        if len(chosen) < 2:
            self.edit_selected()
            return
        dialog = SeveralEditor(self._session, chosen, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.open()

    def _connect(self) -> None:
        s = self._session
        s.document.plan_changed.connect(self._refresh)
        s.document.evaluated.connect(self._refresh)
        s.selection.changed.connect(self._follow)
        s.selection.toggled.connect(self._toggle)
        self.list.several_wanted.connect(self.edit_several)
        self.list.selectionModel().currentChanged.connect(self._on_current_changed)
        self.model.modelReset.connect(self._follow)

    @property
    def mode(self) -> str:
        """How much of it is shown: whole, narrow (marker and value), none."""
        return self._modes[self.gives_way]

    @property
    def gives_way(self) -> bool:
        """Whether it is narrow of itself: the stage needs the room, or there is little."""
        return self._stage_needs_room or self._is_tight

    def set_mode(self, mode: str) -> None:
        """Show more or less of it; it stays so until it is chosen otherwise, in stages that need its room apart."""
        self._modes[self.gives_way] = mode
        self._suit()

    def give_way(self, *, gives: bool) -> None:
        """Leave room to a stage that needs it, unless it was chosen otherwise there."""
        if gives != self._stage_needs_room:
            self._stage_needs_room = gives
            self._suit()

    def suit(self, window: int, beside: int) -> None:
        """Be as wide as suits a window of a width with what is beside view and ledger, pixels."""
        self._window_width = window
        self._is_tight = window - beside - self._whole_width < sized(_LEAST_VIEW)
        self._suit()

    @property
    def _whole_width(self) -> int:
        return min(max(panel_sized(_WIDTHS[0]), round(_SHARE * self._window_width)), panel_sized(_WIDTHS[1]))

    def _suit(self) -> None:
        narrow = self.mode == NARROW
        self.setFixedWidth(sized(_NARROW) if narrow else self._whole_width)
        self.setVisible(self.mode != NONE)
        if narrow != self._delegate.narrow:
            self._delegate.narrow = narrow
            self.list.doItemsLayout()
        self.title.setVisible(not narrow)
        self.surfaces.set_narrow(narrow=narrow)
        self._refresh()

    def commands(self) -> list[Action]:
        """The commands on rows."""
        s = self._session

        def has_rows() -> bool:
            return bool(s.plan.characteristics)

        return [
            Action("ledger", "View", "Characteristics: whole, narrow, hidden", "Ctrl+J",
                   lambda: self.set_mode(_NEXT[self.mode])),
            Action("edit-row", "Edit", "Edit the selected characteristic", "", self.edit_selected,
                   lambda: bool(s.selection.characteristic)),
            Action("edit-rows", "Edit", "Edit all selected characteristics …", "Ctrl+Shift+F2", self.edit_several,
                   lambda: len(self.selected()) > 1),
            Action("find-row", "Edit", "Find in the characteristics", "Ctrl+L", self._find, has_rows),
            Action("outside-only", "Edit", "Only what is outside, or all characteristics", "Ctrl+Shift+L",
                   self.outside.toggle, has_rows),
        ]  # fmt: skip

    def _find(self) -> None:
        if self.mode != WHOLE:
            self.set_mode(WHOLE)
        self.search.setFocus()

    def edit_selected(self) -> None:
        """Open the selected row for editing; for that it needs its whole width."""
        if self.mode != WHOLE:
            self.set_mode(WHOLE)
        if self.list.currentIndex().isValid():
            self.list.edit(self.list.currentIndex())

    def _refresh(self) -> None:
        rows = len(self._session.plan.characteristics)
        self.empty.setVisible(self.model.rowCount() == 0)
        alone = self._session.bare_scan.is_there
        nothing = _NOTHING if self._session.plan.silhouette is None else _OF_SHADOW
        self.empty.setText(_NOTHING_FITS if rows else _OF_SURFACE if alone else nothing)
        narrow = self.mode == NARROW
        for tool in (self.search, self.outside, self.group):
            tool.setVisible(rows > 0 and not narrow)
        evaluation = self._session.evaluation
        if evaluation is None or rows == 0:
            self.counts.setText(f"{rows}" if rows else "")
            return
        counts = evaluation.counts()
        words = {
            State.WITHIN: "in",
            State.NEAR: "near",
            State.OUTSIDE: "out",
            State.UNDECIDED: "undecided",
            State.NOT_MEASURED: "open",
        }
        said = [f"{n} {words[s]}" for s, n in counts.items() if n]
        self.counts.setText("\n".join(said) if narrow else "   ".join(said))

    def _on_current_changed(self, current: QModelIndex, previous: QModelIndex) -> None:
        if current.isValid() and not isinstance(self.model.row(current.row()), str):
            self._session.selection.select_characteristic(self.model.characteristic(current.row()).id)

    def _follow(self) -> None:
        row = self.model.row_of(self._session.selection.characteristic)
        selection = self.list.selectionModel()
        if row < 0:
            selection.clear()
            return
        index = self.model.index(row)
        if selection.currentIndex() != index or not selection.isSelected(index):
            # Not one of several that are selected: it alone.
            selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            self.list.scrollTo(index)

    def _toggle(self, characteristic_id: str) -> None:
        row = self.model.row_of(characteristic_id)
        if row >= 0:
            self.list.selectionModel().select(self.model.index(row), QItemSelectionModel.SelectionFlag.Toggle)


class _List(QListView):
    several_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        self.setAccessibleName("Characteristics")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Delete removes the row; Enter edits it."""
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._session.selection.remove_characteristic()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentIndex().isValid():
            if len(self.selectedIndexes()) > 1:
                self.several_wanted.emit()
            else:
                self.edit(self.currentIndex())
        else:
            super().keyPressEvent(event)
