"""What is seen while nothing is open: what one can begin with, the last plans, and examples to try."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import QAbstractButton, QGridLayout, QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from truegauge.app.shell.recent import PICTURE, RecentPlans, when
from truegauge.app.widgets.bench import button, empty_layout, label
from truegauge.app.widgets.painting import draw_glyph
from truegauge.app.widgets.text_size import keep_size, painter_on, room_of, sized_size
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.errors import shortened

_WIDE = 600
_CARD = 108


@dataclass(frozen=True, slots=True)
class Example:
    """Something to try: its name, what it shows in a sentence, and how it is opened."""

    title: str
    words: str
    glyph: str
    open: Callable[[], None]


@dataclass(frozen=True, slots=True)
class Begin:
    """What opens parts and plans."""

    part: Callable[[], object]
    plan: Callable[[], object]
    nominals: Callable[[], object]
    recent: Callable[[Path], object]
    silhouettes: Callable[[], object]


class StartPage(QWidget):
    """Fills the middle of the window."""

    def __init__(self, begin: Begin, recent: RecentPlans, examples: tuple[Example, ...], theme: LiveTheme) -> None:
        super().__init__()
        self._begin, self._recent, self._theme = begin, recent, theme
        self.setAccessibleName("Begin")
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        outer.addWidget(scroll)
        inside = QWidget()
        scroll.setWidget(inside)
        across = QHBoxLayout(inside)
        across.setContentsMargins(12, 0, 12, 0)
        across.addStretch()
        middle = QWidget()
        keep_size(middle, most_width=_WIDE)
        across.addWidget(middle, 100)
        across.addStretch()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 34, 0, 24)
        column.setSpacing(10)
        column.addWidget(label("Begin", "big"))
        row = QHBoxLayout()
        row.setSpacing(8)
        self.part = button("Open a part …", begin.part, main=True)
        self.plan = button("Open a plan …", begin.plan)
        self.nominals = button("Type in nominal features …", begin.nominals)
        for made in (self.part, self.plan):
            row.addWidget(made)
        row.addStretch()
        column.addLayout(row)
        self.silhouettes = button("New plan for silhouettes", begin.silhouettes)
        second = QHBoxLayout()
        second.setSpacing(8)
        for made in (self.nominals, self.silhouettes):
            second.addWidget(made)
        second.addStretch()
        column.addLayout(second)
        said = "Parts are STEP or IGES files. Files can be dropped anywhere on the window; scans too."
        column.addWidget(label(said, "soft", wrap=True))
        column.addSpacing(12)
        self.recent_heading = label("Recent plans", "heading")
        column.addWidget(self.recent_heading)
        self._recent_rows = QGridLayout()
        self._recent_rows.setSpacing(8)
        column.addLayout(self._recent_rows)
        column.addSpacing(12)
        column.addWidget(label("Examples", "heading"))
        self.examples: list[Card] = []
        for example in examples:
            card = Card(example.title, example.words, theme, glyph=example.glyph)
            keep_size(card, height=76)
            card.clicked.connect(lambda _=False, e=example: e.open())
            column.addWidget(card)
            self.examples.append(card)
        column.addSpacing(8)
        column.addWidget(label("Ctrl+K finds every command by its name.", "soft"))
        column.addStretch()
        self.recent: list[Card] = []
        self.refresh()

    def refresh(self) -> None:
        """Show the plans that are there now."""
        empty_layout(self._recent_rows)
        self.recent = []
        paths = self._recent.paths()
        self.recent_heading.setVisible(bool(paths))
        for k, path in enumerate(paths):
            words = f"{when(path)}\n{_breakable(path.parent)}"
            card = Card(path.stem, words, self._theme, picture=self._recent.picture(path))
            keep_size(card, height=_CARD)
            card.setToolTip(str(path))
            card.clicked.connect(partial(self._open_recent, path))
            self._recent_rows.addWidget(card, k // 2, k % 2)
            self.recent.append(card)

    def _open_recent(self, path: Path, _: bool = False) -> None:
        self._begin.recent(path)

    def showEvent(self, event: object) -> None:
        """Catch up on what was opened meanwhile; the first thing to do has the focus."""
        self.refresh()
        self.part.setFocus()


def _breakable(folder: Path) -> str:
    """Return a folder that can be wrapped after each part of it."""
    return shortened(str(folder)).replace("/", "/\u200b")


class Card(QAbstractButton):
    """A picture or a glyph, a title, and words below it."""

    def __init__(
        self, title: str, words: str, theme: LiveTheme, *, glyph: str = "part", picture: QPixmap | None = None
    ) -> None:
        super().__init__()
        self._words, self._theme, self._glyph, self._picture = words, theme, glyph, picture
        self.setText(title)
        self.setAccessibleName(title)
        self.setAccessibleDescription(words)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        theme.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """As wide as there is room."""
        return sized_size(280, 66)

    def minimumSizeHint(self) -> QSize:
        """Half of the page is enough."""
        return sized_size(170, 66)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw the card; its frame stands out under the pointer and with the focus."""
        painter, t = painter_on(self), self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        strong = self.underMouse() or self.hasFocus()
        painter.setPen(QPen(QColor(t.accent if strong else t.rule), 1.5 if strong else 1))
        painter.setBrush(QColor(t.raised))
        box = room_of(self).adjusted(1, 1, -1, -1)
        painter.drawRoundedRect(box, 8, 8)
        left = box.left() + 14
        if self._picture is not None:
            place = QRectF(box.left() + 10, box.center().y() - PICTURE.height() / 2, PICTURE.width(), PICTURE.height())
            painter.drawPixmap(place, self._picture, QRectF(self._picture.rect()))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.rule), 1))
            painter.drawRect(place)
            left = place.right() + 12
        else:
            draw_glyph(painter, self._glyph, QRectF(left, box.center().y() - 14, 28, 28), t.accent, 1.5)
            left += 44
        room = QRectF(left, box.top() + 10, box.right() - left - 10, box.height() - 18)
        painter.setPen(QColor(t.ink))
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        painter.setFont(font(13, bold=True))
        title = painter.boundingRect(QRectF(room.x(), room.y(), room.width(), 36), flags, self.text())
        painter.drawText(QRectF(room.x(), room.y(), room.width(), 36), flags, self.text())
        painter.setPen(QColor(t.soft))
        painter.setFont(font(12))
        below = min(title.height(), 36.0) + 3
        painter.drawText(room.adjusted(0, below, 0, 0), flags, self._words)
