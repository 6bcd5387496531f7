"""The Measure stage: what is measured of the features, and how it is chosen from the points."""

from truegauge.app.document.needs import needs_characteristics
from truegauge.app.document.next_step import judge_step
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import Stage, StageParts
from truegauge.app.stages.devices.stage import touching
from truegauge.app.stages.measure.bench import MeasureBench
from truegauge.app.stages.measure.form_page import FormModel, FormPage
from truegauge.app.view.content import ViewContent
from truegauge.app.widgets.action import Action


def _build(shell: Shell) -> StageParts:
    s, theme = shell.session, shell.theme
    form = shell.once(FormModel, lambda: FormModel(s, lambda: shell.view.camera))
    page = shell.once(FormPage, lambda: FormPage(form, s, theme))
    bench = MeasureBench(s, theme, form, touching(shell))
    for signal in (s.selection.changed, s.document.evaluated):
        signal.connect(page.update)

    def toggle_page() -> None:
        shell.toggle_full_page(page)

    def construct() -> None:
        s.set_stage("measure")
        if bench.construct.buttons:
            bench.construct.buttons[0].setFocus()

    shell.view.camera_changed.connect(bench.plot.update)
    bench.plot.enlarge_wanted.connect(toggle_page)
    page.closed.connect(toggle_page)
    return StageParts(
        bench=bench, next=lambda: judge_step(s.document),
        actions=(
            Action("construct", "Edit", "Construct from the selection", "Ctrl+B", construct,
                   lambda: bool(s.proposing.offers)),
            Action("form-plot", "View", "Form plot as a full page", "Ctrl+F", toggle_page,
                   lambda: form.current() is not None or shell.full_page is page),
        ),
    )  # fmt: skip


STAGE = Stage(
    key="measure", title="Measure", glyph="measure", missing=needs_characteristics, build=_build, tells_why=True,
    shows_machine=True, content=ViewContent(datums=True, selection=True),
)  # fmt: skip
