"""What all benches share: a heading, a column of widgets, and pairs of label and value."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QDoubleSpinBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QStackedWidget,
    QStyle,
    QStyleOption,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.document.next_step import NextStep
from truegauge.app.document.session import Session
from truegauge.app.widgets.number_box import NumberBox
from truegauge.app.widgets.text_size import keep_sheet, keep_size, sized
from truegauge.drawing.units import NumberFormat


class Bench(QWidget):
    """A column beside the view. Subclasses fill `column` in `_build` and read the session in `refresh`."""

    title = ""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, 12, 6, 8)
        outer.setSpacing(6)
        top = QHBoxLayout()
        self.heading = label(self.title, "heading")
        self.aside = label("", "soft")
        top.addWidget(self.heading)
        top.addStretch()
        top.addWidget(self.aside)
        top.setContentsMargins(0, 0, 6, 2)
        outer.addLayout(top)
        self.next = _NextLine()
        self._next_step: Callable[[], NextStep | None] = lambda: None
        beside = QHBoxLayout()
        beside.setContentsMargins(0, 0, 6, 0)
        beside.addWidget(self.next)
        outer.addLayout(beside)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        self.column = QVBoxLayout(inside)
        self.column.setContentsMargins(0, 0, 6, 0)
        self.column.setSpacing(7)
        scroll.setWidget(inside)
        outer.addWidget(scroll, 1)
        self._build()
        for signal in (
            session.document.plan_changed,
            session.document.part_changed,
            session.document.sample_changed,
            session.document.evaluated,
            session.selection.changed,
            session.showing.changed,
        ):
            signal.connect(self._on_changed)
        session.queue.busy_changed.connect(lambda: self.show_next() if self.isVisible() else None)

    def _build(self) -> None:
        raise NotImplementedError

    def tell_next(self, step: Callable[[], NextStep | None], run: Callable[[str], None]) -> None:
        """Say what comes next on this bench, and let a click do it."""
        self._next_step = step
        self.next.clicked.connect(lambda: run(self.next.command) if self.next.command else None)
        self.show_next()

    def show_next(self) -> None:
        """Say what comes next as things are now; nothing once it is done."""
        self.next.show_step(self._next_step())

    def refresh(self) -> None:
        """Show the session as it is now."""
        raise NotImplementedError

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refresh()
            self.show_next()

    def showEvent(self, event: object) -> None:
        """Catch up on what happened while hidden."""
        self.refresh()
        self.show_next()

    @property
    def numbers(self) -> NumberFormat:
        """How numbers are shown."""
        return NumberFormat(self.session.plan.unit, self.session.plan.decimals)


class _NextLine(QPushButton):
    """One line, wrapped where it must be, that does what it says when it can be clicked."""

    def __init__(self) -> None:
        super().__init__()
        self.command = ""
        self.setProperty("role", "next")
        row = QHBoxLayout(self)
        row.setContentsMargins(9, 6, 9, 6)
        self._words = label("", wrap=True)
        self._words.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        row.addWidget(self._words)
        policy = QSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.hide()

    def show_step(self, step: NextStep | None) -> None:
        """Show a step, or nothing."""
        self.setVisible(step is not None)
        if step is not None:
            self.command = step.command
            words = step.words[0].upper() + step.words[1:]
            self._words.setText(words)
            self.setAccessibleName(f"next: {words}")
            can = bool(step.command)
            self.setFocusPolicy(Qt.FocusPolicy.StrongFocus if can else Qt.FocusPolicy.NoFocus)
            self.setCursor(Qt.CursorShape.PointingHandCursor if can else Qt.CursorShape.ArrowCursor)
            self.setToolTip("Click to do it" if can else "")

    def hasHeightForWidth(self) -> bool:
        """It is as high as its words need."""
        return True

    def heightForWidth(self, width: int) -> int:
        """Return the height of the words."""
        return self._words.heightForWidth(width - 18) + 12

    def sizeHint(self) -> QSize:
        """As wide as there is room."""
        return QSize(sized(200), self.heightForWidth(max(self.width(), sized(200))))

    def minimumSizeHint(self) -> QSize:
        """As high as its words need."""
        return QSize(0, self.heightForWidth(max(self.width(), sized(200))))


def say(made: QLabel, text: str) -> None:
    """Set a text; an empty label takes no room."""
    made.setText(text)
    made.setVisible(bool(text))


def label(text: str, role: str = "", *, wrap: bool = False) -> QLabel:
    """Return a label in one of the styles of the theme."""
    made = QLabel(text)
    if role:
        made.setProperty("role", role)
    made.setWordWrap(wrap)
    if wrap:
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
    return made


def button(text: str, clicked: Callable[[], object], *, main: bool = False) -> QPushButton:
    """Return a push button."""
    made = QPushButton(text)
    made.setProperty("main", main)
    made.clicked.connect(lambda: clicked())
    return made


def number_box(low: float, high: float, decimals: int, *, suffix: str = "", tip: str = "") -> QDoubleSpinBox:
    """Return a box to type a number in; its value counts when Enter is pressed or the box is left."""
    # With its arrows taken away by Qt's own setting, the style sheet leaves the text no room: it hides them instead.
    made = NumberBox()
    made.setRange(low, high)
    made.setDecimals(decimals)
    made.setSuffix(suffix)
    made.setToolTip(tip)
    keep_size(made, width=84)
    made.setAlignment(Qt.AlignmentFlag.AlignRight)
    made.lineEdit().setTextMargins(5, 0, 7, 0)
    return made


def empty_layout(layout: QLayout) -> None:
    """Take all widgets out of a layout, for good."""
    while layout.count():
        item = layout.takeAt(0)
        widget = item.widget() if item else None
        if widget is not None:
            widget.hide()
            widget.deleteLater()


def rule() -> QFrame:
    """Return a thin line."""
    line = QFrame()
    line.setFrameShape(QFrame.Shape.HLine)
    line.setStyleSheet("color: palette(mid); max-height: 1px;")
    return line


class Shrinking(QLabel):
    """A label that is cut short, not the window widened, where there is no room; the whole is its tool tip.

    With `by_parts` what stands behind the last comma goes as a whole.
    """

    def __init__(self, text: str = "", parent: QWidget | None = None, *, by_parts: bool = False) -> None:
        super().__init__(text, parent)
        self._by_parts = by_parts

    def minimumSizeHint(self) -> QSize:
        """Return the size of a few letters."""
        whole = super().minimumSizeHint()
        return QSize(min(whole.width(), sized(64)), whole.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw what there is room for."""
        whole, room = self.text(), self.width() - self._beside + 2
        parts = whole.split(", ") if self._by_parts else [whole]
        while len(parts) > 1 and self.fontMetrics().horizontalAdvance(", ".join(parts)) > room:
            parts.pop()
        shown = self.fontMetrics().elidedText(", ".join(parts), Qt.TextElideMode.ElideRight, room)
        if shown == whole:
            super().paintEvent(event)
            return
        painter, option = QStylePainter(self), QStyleOption()
        option.initFrom(self)
        painter.drawPrimitive(QStyle.PrimitiveElement.PE_Widget, option)
        painter.drawText(self.contentsRect(), self.alignment() | Qt.AlignmentFlag.AlignVCenter, shown)

    @property
    def _beside(self) -> int:
        return super().sizeHint().width() - self.fontMetrics().horizontalAdvance(self.text())


class Stack(QStackedWidget):
    """Pages of which one is seen: only that one needs its room."""

    def sizeHint(self) -> QSize:
        """Return that of the page that is seen."""
        page = self.currentWidget()
        return super().sizeHint() if page is None else page.sizeHint()

    def minimumSizeHint(self) -> QSize:
        """Return that of the page that is seen."""
        page = self.currentWidget()
        return super().minimumSizeHint() if page is None else page.minimumSizeHint().expandedTo(page.minimumSize())


class Choice(QComboBox):
    """A choice with the mark that says that there is more to choose from; as wide as there is room."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(8)
        keep_size(self.view(), least_width=190)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the box, then the mark."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self.palette().text().color(), 1.4))
        x, y = self.width() - 14, self.height() / 2
        painter.drawPolyline([QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2)])


_MANY = 6  # pages whose words are set a little smaller, so that none is cut at any size of the text


class PageTabs(QWidget):
    """Buttons in a row, in two where there are many, one a page (key, word); the key of the one clicked is told."""

    def __init__(self, pages: tuple[tuple[str, str], ...], chosen: Callable[[str], object]) -> None:
        super().__init__()
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 2)
        rows.setSpacing(3)
        in_a_row = len(pages) if len(pages) <= _MANY else (len(pages) + 1) // 2
        lines = [QHBoxLayout() for _ in range(0, len(pages), in_a_row)]
        for line in lines:
            line.setSpacing(3)
            rows.addLayout(line)
        self.buttons: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for k, (key, words) in enumerate(pages):
            made = QPushButton(words)
            made.setCheckable(True)
            keep_sheet(made, f"padding: 4px 0px; font-size: {12 if in_a_row < _MANY else 11}px;")
            made.setMinimumWidth(0)
            made.clicked.connect(lambda _=False, key=key: chosen(key))
            group.addButton(made)
            lines[k // in_a_row].addWidget(made, 12 + made.fontMetrics().horizontalAdvance(words))
            self.buttons[key] = made
        # Beside a scroll bar they get a little narrower.
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)


class Pairs(QWidget):
    """Rows of a soft label and a value."""

    def __init__(self) -> None:
        super().__init__()
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 2, 0, 2)
        self._layout.setSpacing(4)
        self.values: dict[str, QLabel] = {}

    def show_pairs(self, pairs: list[tuple[str, str]]) -> None:
        """Show these rows."""
        if list(self.values) != [name for name, _ in pairs]:
            empty_layout(self._layout)
            self.values = {}
            for name, _ in pairs:
                row = QWidget()
                line = QHBoxLayout(row)
                line.setContentsMargins(0, 0, 0, 0)
                value = label("")
                value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
                line.addWidget(label(name, "soft"))
                line.addStretch()
                line.addWidget(value)
                self._layout.addWidget(row)
                self.values[name] = value
        for name, text in pairs:
            self.values[name].setText(text)
