"""The stages of the window, in the order of the work: another one is one entry here, or registered from outside."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from truegauge.app.document.needs import needs_alignment, needs_characteristics, needs_part

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from truegauge.app.document.document import Document

Window = Any  # the window that is built from these; what it has is said where its parts are made


def _view(window: Window) -> QWidget:
    found: QWidget = window.view
    return found


def _nothing(window: Window) -> None:
    return None


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """A stage: its place on the rail, its bench, what is in the middle, and what is drawn over the view.

    `bench` and `center` give the widgets of a window; `missing` says in words what the stage still needs. With
    `tells_why` the bench gives way to why a number is what it is. `entered` is called when the stage was opened.
    """

    key: str
    title: str
    glyph: str
    bench: Callable[[Window], QWidget]
    missing: Callable[[Document], str]
    center: Callable[[Window], QWidget] = _view
    entered: Callable[[Window], None] = _nothing
    wide: bool = False  # its bench
    tells_why: bool = False
    shows_tags: bool = True
    shows_selection: bool = False  # constructions and readings over the part
    shows_readout: bool = False  # where the machine is
    keeps_form_page: bool = True  # a form plot that fills the middle stays there


def _device_page(window: Window) -> QWidget:
    devices = window.devices
    result = devices.page == "qualify" and devices.chosen_use is not None and devices.run_state is None
    found: QWidget = window.result_page if result else window.machine_view
    return found


def _section_or_part(window: Window) -> QWidget:
    found: QWidget = window.section_page if window.session.shown.section else window.view
    return found


def _show_map(window: Window) -> None:
    if window.session.sample is not None:
        window.session.show(map=True)


STAGES: dict[str, Stage] = {
    stage.key: stage
    for stage in (
        Stage(key="part", title="Part", glyph="part", bench=lambda w: w.part_bench, missing=needs_part,
              tells_why=True, shows_tags=False),
        Stage(key="devices", title="Devices", glyph="devices", bench=lambda w: w.devices_bench, missing=needs_part,
              center=_device_page, wide=True, shows_readout=True),
        Stage(key="align", title="Align", glyph="align", bench=lambda w: w.align_bench, missing=needs_alignment,
              wide=True, shows_tags=False, shows_readout=True),
        Stage(key="measure", title="Measure", glyph="measure", bench=lambda w: w.measure_bench,
              missing=needs_characteristics, tells_why=True, shows_selection=True, shows_readout=True),
        Stage(key="evaluate", title="Evaluate", glyph="evaluate", bench=lambda w: w.evaluate_bench,
              missing=needs_characteristics, center=_section_or_part, entered=_show_map, wide=True, tells_why=True,
              shows_selection=True),
        Stage(key="report", title="Report", glyph="report", bench=lambda w: w.report_bench,
              missing=needs_characteristics, center=lambda w: w.preview, keeps_form_page=False),
    )
}  # fmt: skip


def register(stage: Stage) -> None:
    """Add a stage at the end, for the windows that are built from now on."""
    if stage.key in STAGES:
        raise ValueError(f"there is a stage {stage.key!r} already")
    STAGES[stage.key] = stage
