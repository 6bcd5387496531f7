"""The Silhouette stage: parts measured in their shadow, live or from pictures; series of parts."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QApplication, QWidget

from truegauge import demo
from truegauge.app.document.document import Document
from truegauge.app.document.needs import needs_picture
from truegauge.app.document.next_step import NextStep
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import Stage, StageParts, keep_to_applying
from truegauge.app.stages.silhouette.bench import PAGES, SilhouetteBench
from truegauge.app.stages.silhouette.camera_page import CameraPage
from truegauge.app.stages.silhouette.middle import SilhouetteMiddle
from truegauge.app.stages.silhouette.model import SilhouetteModel
from truegauge.app.stages.silhouette.part_page import PartPage
from truegauge.app.stages.silhouette.recognising_model import RecognisingModel
from truegauge.app.stages.silhouette.series_model import SeriesModel
from truegauge.app.stages.silhouette.series_page import SeriesPage
from truegauge.app.stages.silhouette.sizes_page import SizesPage
from truegauge.app.widgets.action import Action
from truegauge.core.authoring.silhouettes import new_silhouette_plan
from truegauge.core.errors import TrueGaugeError
from truegauge.formats.dxf import contour_from_dxf
from truegauge.formats.pictures import SUFFIXES

_PICTURES = f"Pictures (*{' *'.join(SUFFIXES)})"


def _build(shell: Shell) -> StageParts:
    s, files = shell.session, shell.files
    model = shell.once(SilhouetteModel, lambda: SilhouetteModel(s, shell))
    series = shell.once(SeriesModel, lambda: SeriesModel(model, shell))
    recognising = shell.once(RecognisingModel, lambda: RecognisingModel(model, files.may_open_plan, shell))
    middle = shell.once(SilhouetteMiddle, lambda: SilhouetteMiddle(model, series, shell.theme))
    series.sounded.connect(lambda verdict: _sound(verdict))
    model.changed.connect(shell.middle_changed)
    s.document.plan_changed.connect(lambda: keep_to_applying(s.document, s.stage, s.set_stage))

    def is_silhouette() -> bool:
        return s.plan.silhouette is not None

    def new_plan() -> None:
        if files.may_open_plan() and files.may_leave_sample():
            s.document.take_sample_out()
            s.document.use_plan(new_silhouette_plan("New silhouette"), None, None, None)
            s.set_stage("silhouette")

    def example() -> None:
        files.open_example(demo.SHAFT_PLAN, None)
        s.document.plan_changed.connect(begin_example)

    def begin_example() -> None:
        if is_silhouette():
            s.document.plan_changed.disconnect(begin_example)
            model.camera.open_stand_in("LW-1408")
            model.set_page("series")
            series.start()

    def ask_pictures() -> None:
        files.ask_open("Open a picture", _PICTURES, model.camera.open_files)

    def ask_folder(title: str) -> Path | None:
        return files.ask_folder(title)

    def read_contour(path: Path) -> None:
        s.queue.start(lambda _: contour_from_dxf(path), model.edits.add_contour, f"Reading {path.name}")

    def ask_contour() -> None:
        files.ask_open("Contour of the part", "DXF (*.dxf)", read_contour)

    def ask_log() -> Path | None:
        return files.ask_save("Log of the series", "CSV (*.csv)", f"{s.plan.name}.csv")

    def ask_table() -> None:
        path = files.ask_save("Save the log as a workbook", "XLSX (*.xlsx)", f"{s.plan.name}.xlsx")
        if path is not None:
            try:
                series.save_table(path)
            except TrueGaugeError as error:
                s.notify(error)

    def open_page(key: str) -> None:
        s.set_stage("silhouette")
        model.set_page(key)

    def use_tool(tool: str) -> None:
        open_page("sizes")
        model.set_tool(tool)

    def next_step() -> NextStep | None:
        if model.camera.source is None and model.seen is None:
            return NextStep("Connect a camera, or open a picture", "page-shadow-camera")
        trouble = model.camera.trouble() if model.camera.source is not None else ""
        if trouble:
            return NextStep("Calibrate the camera by a plate or by pins" if model.lens is None else trouble,
                            "page-shadow-camera")  # fmt: skip
        own = model.silhouette
        if own is not None and not own.sizes:
            return NextStep("Drag over the picture, from one side of the part to the other", "page-shadow-sizes")
        if own is not None and own.datums is None:
            return NextStep("Choose the edges that the part is found by", "page-shadow-part")
        return None

    def closed() -> None:
        series.end()
        model.close()

    camera = CameraPage(model, ask_pictures, lambda: ask_folder("Pictures of a folder"))
    part = PartPage(model, series, recognising, lambda: ask_folder("Plans to recognise"))
    rows = SeriesPage(series, ask_log, lambda: ask_folder("Where samples are kept"), ask_table)
    bench = SilhouetteBench(model, camera, SizesPage(model, ask_contour), part, rows)
    series.changed.connect(bench.look_again)

    def stage_middle() -> QWidget | None:
        return middle

    return StageParts(
        bench=bench, next=next_step, middle=stage_middle, closed=closed,
        actions=(
            Action("new-silhouette", "Plan", "New plan for silhouettes", "", new_plan),
            *(Action(f"page-shadow-{key}", "Silhouette", f"Silhouette: {words.lower()}", "", partial(open_page, key),
                     is_silhouette) for key, words in PAGES),
            Action("shadow-example", "Silhouette", "Example: a shaft in its shadow", "", example),
            Action("shadow-across", "Silhouette", "Sizes across, by dragging", "", partial(use_tool, "across"),
                   is_silhouette),
            Action("shadow-along", "Silhouette", "Edges along which is dragged", "", partial(use_tool, "along"),
                   is_silhouette),
            Action("shadow-fit", "Silhouette", "Show all of the picture", "", middle.picture.fit, is_silhouette),
            Action("series-start", "Silhouette", "Start a series", "", series.start,
                   lambda: is_silhouette() and not series.is_running and not series.missing(), apart=True),
            Action("series-again", "Silhouette", "Measure the part again", "", series.again,
                   lambda: series.is_running and series.last is not None),
            Action("series-aside", "Silhouette", "Set the part aside", "", series.set_aside,
                   lambda: series.is_running and series.last is not None),
            Action("series-end", "Silhouette", "End the series", "", series.end, lambda: series.is_running),
        ),
    )  # fmt: skip


def _sound(verdict: str) -> None:
    """One sound for a good part, two for any other: told apart without looking."""
    QApplication.beep()
    if verdict != "good":
        from PySide6.QtCore import QTimer

        QTimer.singleShot(350, QApplication.beep)


def _applies(document: Document) -> bool:
    return document.plan.silhouette is not None


STAGE = Stage(key="silhouette", title="Silhouette", glyph="silhouette", missing=needs_picture, build=_build,
              applies=_applies, shortcut="Alt+0", tells_why=True)  # fmt: skip
