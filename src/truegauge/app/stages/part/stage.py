"""The Part stage: the part, its revision, its drawing."""

from truegauge.app.document.needs import needs_part
from truegauge.app.document.next_step import part_step
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import Stage, StageParts
from truegauge.app.stages.part.bench import PartBench
from truegauge.app.stages.part.nominal_table import NominalTable
from truegauge.app.view.content import ViewContent
from truegauge.app.widgets.action import Action
from truegauge.app.widgets.question import open_dialog


def _build(shell: Shell) -> StageParts:
    s = shell.session

    def edit_nominals() -> None:
        open_dialog(NominalTable(s, shell.window))

    return StageParts(
        next=lambda: part_step(s.document), bench=PartBench(s, shell.theme, shell.files.ask_part, edit_nominals),
        actions=(
            Action("nominals", "Plan", "Type in nominal features …", "Ctrl+Shift+N", edit_nominals),
            Action("annotations", "Edit", "Take over the drawing (PMI) of the part", "Ctrl+D",
                   s.document.take_over_annotations, lambda: s.model is not None and s.model.annotations.count > 0),
        ),
    )  # fmt: skip


STAGE = Stage(
    key="part", title="Part", glyph="part", missing=needs_part, build=_build, tells_why=True,
    content=ViewContent(datums=True, tags=False, revision=True),
)  # fmt: skip
