"""The Report stage: the pages before they are saved, and saving them."""

from truegauge.app.document.needs import needs_characteristics
from truegauge.app.document.next_step import NextStep, judge_step
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import Stage, StageParts
from truegauge.app.stages.report.bench import ReportBench
from truegauge.app.stages.report.making import ReportMaker
from truegauge.app.widgets.action import Action


def _build(shell: Shell) -> StageParts:
    s = shell.session
    maker = shell.once(ReportMaker, lambda: ReportMaker(shell))

    def has_results() -> bool:
        return maker.has_results

    def has_table() -> bool:
        return s.evaluation is not None

    def next_step() -> NextStep | None:
        if not maker.has_results:
            return judge_step(s.document)
        if not s.plan.title_block.inspector:
            return NextStep("Say who inspects: the last field of the title block")
        return None if maker.is_saved else NextStep("Save the report", "save-pdf")

    return StageParts(
        next=next_step,
        bench=ReportBench(s, maker.ask_pdf, maker.ask_csv, maker.ask_html, maker.ask_xlsx, has_results),
        middle=lambda: maker.preview, entered=maker.want_preview,
        actions=(
            Action("save-pdf", "Report", "Save PDF …", "Ctrl+E", maker.ask_pdf, has_results),
            Action("save-html", "Report", "Save HTML …", "", maker.ask_html, has_results),
            Action("save-xlsx", "Report", "Save XLSX …", "", maker.ask_xlsx, has_table),
            Action("save-csv", "Report", "Save CSV …", "", maker.ask_csv, has_results),
        ),
    )  # fmt: skip


STAGE = Stage(key="report", title="Report", glyph="report", missing=needs_characteristics, build=_build,
              applies=lambda document: True)  # fmt: skip
