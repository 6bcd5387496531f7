"""The Report bench: the title block, and getting the report out."""

from collections.abc import Callable

from PySide6.QtWidgets import QLineEdit, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Bench, button, label, rule
from truegauge.core.commands.shown import SetTitleBlock

_FIELDS = (
    ("title", "Part"),
    ("part_number", "Part number"),
    ("drawing", "Drawing"),
    ("customer", "Customer"),
    ("inspector", "Inspector"),
)


class ReportBench(Bench):
    """What the title block says; the pages stand in the middle of the window."""

    title = "Report"

    def __init__(
        self,
        session: Session,
        export_pdf: Callable[[], object],
        export_csv: Callable[[], object],
        export_html: Callable[[], object],
        export_xlsx: Callable[[], object],
        has_results: Callable[[], bool],
        parent: QWidget | None = None,
    ) -> None:
        self._export_pdf, self._export_csv = export_pdf, export_csv
        self._export_html, self._export_xlsx = export_html, export_xlsx
        self._has_results = has_results
        super().__init__(session, parent)

    def _build(self) -> None:
        self.fields: dict[str, QLineEdit] = {}
        for name, text in _FIELDS:
            field = QLineEdit()
            field.setAccessibleName(text)
            field.editingFinished.connect(lambda n=name: self._on_edited(n))
            self.column.addWidget(label(text, "soft"))
            self.column.addWidget(field)
            self.fields[name] = field
        self.column.addWidget(rule())
        self.pdf = button("Save PDF …", self._export_pdf, main=True)
        self.csv = button("Save CSV …", self._export_csv)
        self.column.addWidget(self.pdf)
        self.html = button("Save HTML …", self._export_html)
        self.xlsx = button("Save XLSX …", self._export_xlsx)
        for made in (self.html, self.xlsx, self.csv):
            self.column.addWidget(made)
        self.column.addStretch()

    def _on_edited(self, name: str) -> None:
        block = self.session.plan.title_block
        text = self.fields[name].text().strip()
        if text != getattr(block, name):
            self.session.run(SetTitleBlock(block.replace(**{name: text})))

    def refresh(self) -> None:
        """Show the title block."""
        for name, field in self.fields.items():
            if not field.hasFocus():
                field.setText(getattr(self.session.plan.title_block, name))
        for made in (self.pdf, self.csv, self.html):
            made.setEnabled(self._has_results())
        self.xlsx.setEnabled(self.session.evaluation is not None)
