"""The window: rail, header, the bench and the middle of the stage, what floats over the view, the ledger."""

from typing import TypeVar

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QCloseEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.ledger.ledger import Ledger
from truegauge.app.ledger.tolerance_actions import ToleranceActions
from truegauge.app.ledger.why_panel import WhyPanel
from truegauge.app.shell.actions import Actions
from truegauge.app.shell.appearance import Appearance
from truegauge.app.shell.closing import Closing
from truegauge.app.shell.commands import display_actions, edit_actions, selection_actions, stage_actions, view_actions
from truegauge.app.shell.drops import Drops
from truegauge.app.shell.examples import begin, examples
from truegauge.app.shell.files import FileDialogs
from truegauge.app.shell.floating import Floating
from truegauge.app.shell.focus import Focus
from truegauge.app.shell.header import Header
from truegauge.app.shell.help import Help
from truegauge.app.shell.letting_go import let_go
from truegauge.app.shell.middle import Middle
from truegauge.app.shell.rail import Rail
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.start_page import StartPage
from truegauge.app.stages.all import STAGES
from truegauge.app.view.view import View
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.bench import Bench, Stack
from truegauge.app.widgets.painting import application_icon
from truegauge.app.widgets.text_size import panel_sized
from truegauge.app.widgets.theme import DAY, THEMES, LiveTheme

T = TypeVar("T")
_BENCH = 280  # pixels, in every stage


class MainWindow(QMainWindow):
    """The window of the application, built from the stages that are registered."""

    def __init__(self, session: Session, theme_name: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._closing = Closing(session.queue, self)
        self.was_left = False  # by the user, who was asked about unsaved work
        self._settings = QSettings("truegauge", "truegauge")
        self.theme = LiveTheme(THEMES.get(theme_name or str(self._settings.value("theme", "day")), DAY))
        self.setWindowTitle("True Gauge")
        self.setWindowIcon(application_icon())
        self.resize(1280, 800)
        self.view = View(session, self.theme)
        self.files = FileDialogs(self, session, self._settings, self.theme)
        self.drops = Drops(self, self.files)
        self.shell = Shell(self, session, self.theme, self.view, self.files)
        self.parts = {stage.key: stage.build(self.shell) for stage in STAGES.values()}
        self.appearance = Appearance(self, self.theme, self._settings, self._on_text_resized)
        self._build()
        top = [p.floating for p in self.parts.values() if p.floating]
        self.floating = Floating(session, self.theme, self.view, self.center, top)
        self.actions_table = Actions(self, self._actions())
        self._connect()
        for parts in self.parts.values():
            parts.tell_next(self._trigger)
        self.appearance.apply()
        self._suit()
        self._on_stage_changed()
        self.floating.place()
        areas = (self.rail, self.header, self.benches, self.middle, self.ledger, self.help.guide)
        self.focus = Focus(self, areas, self.view)
        self.view.setFocus()

    def _build(self) -> None:
        s, t = self.session, self.theme
        central = QWidget()
        central.setObjectName("window")
        self.setCentralWidget(central)
        across = QHBoxLayout(central)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        self.rail = Rail(s, t)
        across.addWidget(self.rail)
        right = QVBoxLayout()
        right.setSpacing(0)
        across.addLayout(right, 1)
        self.header = Header(s)
        right.addWidget(self.header)
        below = QHBoxLayout()
        below.setSpacing(0)
        right.addLayout(below, 1)
        self.why_panel = WhyPanel(s, t)
        self.tolerances = ToleranceActions(s)
        self.benches = Stack()
        self.benches.setObjectName("bench")
        for bench in (*(p.bench for p in self.parts.values()), self.why_panel):
            self.benches.addWidget(bench)
        below.addWidget(self.benches)
        self.center = Stack()
        self.center.addWidget(self.view)
        self.start = StartPage(
            begin(self.files, self._trigger), self.files.recent, examples(self.files, self.session, self._trigger), t
        )
        self.center.addWidget(self.start)
        self.middle = Middle(self.center, self.parts.values())
        below.addWidget(self.middle, 1)
        self.ledger = Ledger(s, t)
        below.addWidget(self.ledger)
        self.shell.selected_rows = lambda: tuple(c.id for c in self.ledger.selected())
        self.shell.listed_rows = self.ledger.listed
        self.ledger.model.modelReset.connect(self.shell.rows_changed)
        self.ledger.list.selectionModel().selectionChanged.connect(lambda *_: self.shell.rows_changed.emit())
        self.help = Help(self, t, self._guide_page, lambda: self.actions_table)
        below.addWidget(self.help.guide)

    def _connect(self) -> None:
        s = self.session
        s.stage_changed.connect(self._on_stage_changed)
        s.showing.changed.connect(self._choose_bench)
        for signal in (s.showing.changed, s.document.plan_changed, s.document.part_changed, s.bare_scan.changed,
                       self.shell.middle_changed):  # fmt: skip
            signal.connect(self._choose_middle)
        s.document.plan_changed.connect(self._show_title)
        s.run_changed.connect(self.header.refresh)
        s.run_changed.connect(self.ledger.list.viewport().update)
        self.header.finder_wanted.connect(self.help.open_finder)
        self.help.resized.connect(self._suit)
        self.rail.menu_wanted.connect(lambda: self._trigger("menu"))

    def _actions(self) -> list[Action]:
        s = self.session
        of_stages = [action for parts in self.parts.values() for action in parts.actions]
        return [
            *self.files.commands(),
            Action("quit", "Plan", "Quit", "Ctrl+Q", self.close, apart=True),
            *edit_actions(s),
            *self.ledger.commands(),
            *selection_actions(s),
            *self.tolerances.commands(),
            *view_actions(s, self.view, self.floating.section_panel),
            *self.appearance.commands(),
            *display_actions(s),
            *of_stages,
            *stage_actions(s),
            *self.help.commands(self.rail.menu_button),
            *self.floating.commands(),
        ]

    def _trigger(self, command: str) -> None:
        self.actions_table.trigger(command)

    def get(self, kind: type[T]) -> T:
        """Return what is there once in a window, by its kind: a model, a page."""
        return self.shell.get(kind)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep what floats in its place."""
        super().resizeEvent(event)
        self._suit()

    def _suit(self) -> None:
        """Give bench and ledger the widths that suit window and text."""
        self.benches.setFixedWidth(panel_sized(_BENCH))
        guide = self.help.guide
        beside = self.rail.width() + self.benches.width() + (guide.width() if guide.is_open else 0)
        self.ledger.suit(self.width(), beside)
        self.floating.place()

    def _on_text_resized(self) -> None:
        self._suit()
        self._choose_bench()
        bench = self.benches.currentWidget()
        if isinstance(bench, Bench):
            bench.refresh()
        self.view.fit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Let go with Escape, wherever the focus is: what has it and needs it takes it before."""
        if event.key() == Qt.Key.Key_Escape:
            let_go(self.session, self.view, self.shell, self.floating.notice.dismiss)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Walk as the eye does."""
        return self.focus.step(forward=forward)

    def _guide_page(self) -> str:
        return "begin" if self.center.currentWidget() is self.start else self.session.stage

    # Stages ----------------------------------------------------------------------------------------------------

    def _on_stage_changed(self) -> None:
        stage, parts = STAGES[self.session.stage], self.parts[self.session.stage]
        self.shell.full_page = None  # it belongs to the stage that opened it
        self._choose_bench()
        self.ledger.give_way(gives=stage.ledger_gives_way)
        self.view.set_content(stage.content, parts.overlay)
        self._choose_middle()
        parts.entered()
        self.floating.place()

    def _choose_bench(self) -> None:
        """Show the bench of the stage, or why a number is what it is."""
        stage = STAGES[self.session.stage]
        why = self.session.shown.why and stage.tells_why
        self.benches.setCurrentWidget(self.why_panel if why else self.parts[stage.key].bench)

    def _choose_middle(self) -> None:
        """Show in the middle what the stage has there, or the page that fills it."""
        s, stage = self.session, STAGES[self.session.stage]
        if s.shown.section:
            self.shell.full_page = None
        wanted = (
            self.shell.full_page
            or self.parts[stage.key].middle()
            or (self.start if s.model is None and not s.bare_scan.is_there else self.view)
        )
        # A wide page goes before the bench comes, and comes after it has gone: both at once would make the window grow.
        if self.shell.middle_alone:
            self.benches.hide()
        if self.center.indexOf(wanted) < 0:
            self.center.addWidget(wanted)
        if self.center.currentWidget() is not wanted:
            self.center.setCurrentWidget(wanted)
            self.middle.settle()
        self.benches.setVisible(not self.shell.middle_alone)

    # What is told -----------------------------------------------------------------------------------------------

    def _show_title(self) -> None:
        mark = "" if self.session.document.history.is_saved else "*"
        self.setWindowTitle(f"{self.session.plan.name}{mark} - True Gauge")
        self.files.note_plan()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about unsaved work, then stop all work; a file that is being saved is waited for."""
        if self._closing.must_wait():
            event.ignore()
            return
        if not self.files.may_leave():
            event.ignore()
            return
        self.was_left = True
        self.files.keep_picture(self.view)
        for parts in reversed(self.parts.values()):
            parts.closed()
        self.session.close()
        self.view.scene.close()
        event.accept()
