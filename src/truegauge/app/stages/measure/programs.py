"""Programs in DMIS: the plan's own is saved, one that is brought in is an edit; what it says beyond is listed."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from truegauge.app.shell.files import file_name
from truegauge.app.shell.shell import Shell
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.bench import button, label
from truegauge.core.commands.programs import TakeProgram

KINDS = "Programs (*.dmi *.dms *.dmis)"
_COLUMNS = ("Line", "Statement", "What became of it")
Rows = tuple[tuple[str, str, str], ...]


class ToldPage(QWidget):
    """What is to be known of a program, line by line."""

    def __init__(self, close: Callable[[], None]) -> None:
        super().__init__()
        self._close = close
        self.setObjectName("window")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 16, 24, 12)
        self.title = label("", "big", wrap=True)
        self.words = label("", "", wrap=True)
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        top.addWidget(button("Close", close))
        column.addLayout(top)
        column.addWidget(self.words)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setAccessibleName("what was not read")
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.verticalHeader().hide()
        self.table.setWordWrap(True)
        self.table.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header = self.table.horizontalHeader()
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        for k in (1, 2):
            header.setSectionResizeMode(k, QHeaderView.ResizeMode.Stretch)
        column.addWidget(self.table, 1)

    def tell(self, title: str, words: str, rows: Rows) -> None:
        """Show it."""
        self.title.setText(title)
        self.words.setText(words)
        self.table.setRowCount(len(rows))
        for r, cells in enumerate(rows):
            for c, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                item.setToolTip(text)
                self.table.setItem(r, c, item)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape closes it."""
        if event.key() == Qt.Key.Key_Escape:
            self._close()
        else:
            super().keyPressEvent(event)


class Programs:
    """Of one window."""

    def __init__(self, shell: Shell) -> None:
        self._shell, self._session = shell, shell.session
        self.page = ToldPage(self._close)

    def commands(self) -> list[Action]:
        """The commands."""

        def has_part() -> bool:
            return self._session.evaluator is not None

        return [
            Action("export-dmis", "Route", "Save as a program in DMIS …", "", self.ask_save, has_part),
            Action("import-dmis", "Route", "Bring in a program in DMIS …", "", self.ask_open, has_part),
        ]

    def ask_save(self) -> None:
        """Save the program of the plan."""
        s = self._session
        plan, evaluator = s.plan, s.evaluator
        path = self._shell.files.ask_save("Save program", KINDS, f"{file_name(plan.name)}.dmi")
        if path is None or evaluator is None:
            return

        def work(progress: Callable[..., None]) -> tuple[str, ...]:
            from truegauge.formats.files import write_whole
            from truegauge.jobs.dmis import program_of

            made = program_of(plan, evaluator, progress)
            write_whole(path, made.text.encode())
            return made.left_out

        def done(left_out: tuple[str, ...]) -> None:
            if not left_out:
                s.queue.tell_saved(path)
                return
            rows: Rows = tuple(("", *words.split(": ", 1)) for words in left_out)  # type: ignore[misc]
            title = f"{path.name} is saved"
            words = "The standard has no words for the following: it stands in remarks, which only this program reads."
            s.notify(
                f"{path.name} is saved; {len(rows)} things in it only this program reads",
                "Show them", lambda: self._tell(title, words, rows),
            )  # fmt: skip

        s.queue.start(work, done, "Writing the program")

    def ask_open(self) -> None:
        """Bring in a program."""
        self._shell.files.ask_open("Bring in a program", KINDS, self.bring_in)

    def bring_in(self, path: object) -> None:
        """Take the program of a file over into the plan."""
        from pathlib import Path

        s, file = self._session, Path(str(path))
        plan, evaluator = s.plan, s.evaluator
        if evaluator is None:
            s.notify("open a plan with the part first: a program says where things are on it")
            return

        def work(progress: Callable[..., None]) -> object:
            from truegauge.jobs.dmis import plan_of

            progress(0.1, "reading the program")
            return plan_of(file, plan, evaluator)

        def done(found: object) -> None:
            from truegauge.formats.dmis.reading import ReadProgram

            assert isinstance(found, ReadProgram)
            if s.plan is not plan:  # it was changed meanwhile: the program is read onto the plan as it is now
                self.bring_in(file)
                return
            made = found.plan
            if not s.document.run(TakeProgram(made)) and not found.notes:
                s.notify(f"{file.name}: the plan says the same already")
                return
            words = (f"{len(made.features)} features, {len(made.characteristics)} characteristics and "
                     f"{len(made.route.steps)} steps are read from {file.name}")  # fmt: skip
            rows: Rows = tuple((str(n.line or ""), n.text, n.why) for n in found.notes)
            if rows:
                kept = "What is not read is kept with the plan, and stands in its program when it is saved again."
                title = f"{len(rows)} {'line' if len(rows) == 1 else 'lines'} of {file.name} to look at"
                s.notify(f"{words}; {len(rows)} lines to look at", "Show them", lambda: self._tell(title, kept, rows))
            else:
                s.notify(words)

        s.queue.start(work, done, "Reading the program")

    def _tell(self, title: str, words: str, rows: Rows) -> None:
        self.page.tell(title, words, rows)
        self._session.set_stage("measure")
        if self._shell.full_page is not self.page:
            self._shell.toggle_full_page(self.page)
        self.page.setFocus()

    def _close(self) -> None:
        if self._shell.full_page is self.page:
            self._shell.toggle_full_page(self.page)
