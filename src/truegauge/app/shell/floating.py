"""What floats over the view: deviation scale, proposals, hover text, section box, messages; all have their places."""

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtWidgets import QLabel, QWidget

from truegauge.app.document.queue import Notice
from truegauge.app.document.session import Session
from truegauge.app.shell.notice_bar import NoticeBar
from truegauge.app.view.deviation_scale import DeviationScaleBar
from truegauge.app.view.proposals_strip import ABOVE, ProposalsStrip
from truegauge.app.view.section_panel import SectionPanel
from truegauge.app.view.view import View
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.text_size import sized
from truegauge.app.widgets.theme import LiveTheme

_AXES, _RULER = 96, 32  # pixels at the lower left: directions of the axes, and below them the ruler


class Floating(QObject):
    """Keeps each in its place; `top` are those of stages, in the middle of the upper edge."""

    def __init__(self, session: Session, theme: LiveTheme, view: View, center: QWidget, top: list[QWidget]) -> None:
        super().__init__(view)
        self._session, self._view, self._top = session, view, top
        self.scale = DeviationScaleBar(session, theme, view)
        self.scale.hide()
        self.strip = ProposalsStrip(session, theme, view)
        self.hover_label = QLabel(view)
        self.hover_label.setProperty("role", "chip")
        self.hover_label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.hover_label.hide()
        self.section_panel = SectionPanel(session, theme, view)
        self.notice = NoticeBar(center)
        self.notice.closed.connect(view.outline.cancel)
        self.notice.placed.connect(self.place)
        self._of_outline: Notice | None = None
        view.outline_closed.connect(self._on_outline_closed)
        view.outline_forgotten.connect(self._on_outline_forgotten)
        session.queue.noticed.connect(self.notice.show_notice)
        session.stage_changed.connect(self.notice.leave_stage)
        session.pointer.changed.connect(self._on_hover_changed)
        for signal in (
            session.showing.changed,
            session.document.sample_changed,
            session.document.evaluated,
            session.bare_scan.changed,
            view.resized,
        ):
            signal.connect(self.place)
        for widget in (*top, self.strip):
            widget.installEventFilter(self)

    def commands(self) -> list[Action]:
        """The commands on messages."""
        return [
            Action("last-message", "Help", "Show the last message again", "", self.notice.show_again,
                   lambda: self.notice.has_been)
        ]  # fmt: skip

    def place(self) -> None:
        """Put everything where it belongs; a message stands over all, and what is at the top moves down for it."""
        if self.notice.isVisible():
            self.notice.place()
        view = self._view
        below = self.notice.bottom
        view.set_taken_above(below)
        self.section_panel.move(14, 12 + below)
        for widget in self._top:
            self._place_top(widget)
        self.strip.fit()
        self.strip.move(14, view.height() - self.strip.height() - sized(ABOVE))
        self._place_scale()
        self._place_hover()

    def _place_scale(self) -> None:
        """Put it at the right, between a message and a strip that reaches so far."""
        view = self._view
        # A surface that is drawn on the part has colours and a scale of its own.
        self.scale.setVisible(self._session.shows_scale and self._session.bare_scan.on_part is None)
        wide, least = sized(104), self.notice.bottom + 8 if self.notice.bottom else 40
        left, end = view.width() - wide - 4, view.height() - sized(86)
        for widget in self._top:
            if widget.isVisible() and widget.geometry().right() >= left:
                least = max(least, widget.geometry().bottom() + 8)
        if self.strip.isVisible() and self.strip.geometry().right() >= left:
            end = min(end, self.strip.y() - 8)
        height = max(120, min(sized(380), end - least))
        top = min(max(least, (view.height() - height) // 2 - 20), max(least, end - height))
        self.scale.setGeometry(left, top, wide, height)

    def _place_top(self, widget: QWidget) -> None:
        widget.move(max(14, (self._view.width() - widget.width()) // 2), 10 + self.notice.bottom)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Keep what grows with its words in the middle."""
        if event.type() == QEvent.Type.Resize and watched in self._top and isinstance(watched, QWidget):
            self._place_top(watched)
        if event.type() in (QEvent.Type.Resize, QEvent.Type.Move, QEvent.Type.Show, QEvent.Type.Hide):
            self._place_scale()
        return False

    def _place_hover(self) -> None:
        """Put it over the ruler and beside the axes, in as many lines as it needs."""
        label, most = self.hover_label, max(200, self._view.width() - sized(_AXES) - 12)
        label.setWordWrap(False)
        wanted = label.sizeHint()
        label.setWordWrap(wanted.width() > most)
        width = min(wanted.width(), most)
        height = max(wanted.height(), label.heightForWidth(width)) if label.wordWrap() else wanted.height()
        label.setFixedSize(width, height)
        label.move(self._view.width() - width - 12, self._view.height() - height - sized(_RULER))

    def _on_hover_changed(self) -> None:
        text = self._session.pointer.hover_text()
        self.hover_label.setText(text)
        self.hover_label.setVisible(bool(text))
        self._place_hover()

    def _on_outline_closed(self) -> None:
        self._of_outline = Notice(
            "What lies inside the outline, as deep as it goes:", "Leave it out",
            lambda: self._view.add_outline(keep=False), "Keep only it", lambda: self._view.add_outline(keep=True),
        )  # fmt: skip
        self.notice.show_notice(self._of_outline)

    def _on_outline_forgotten(self) -> None:
        if self._of_outline is not None:
            self.notice.withdraw(self._of_outline)
            self._of_outline = None
