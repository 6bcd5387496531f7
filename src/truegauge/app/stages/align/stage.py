"""The Align stage: points onto the part, by whatever the plan says."""

from functools import partial

from truegauge.app.document.needs import needs_alignment
from truegauge.app.document.next_step import align_step
from truegauge.app.shell.devices import DEVICES
from truegauge.app.shell.shell import Shell
from truegauge.app.shell.stage import Stage, StageParts
from truegauge.app.stages.align.before_after import BeforeAfter
from truegauge.app.stages.align.bench import AlignBench, BringIn
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.align.overlay import AlignOverlay
from truegauge.app.view.content import ViewContent
from truegauge.app.view.outline_tool import MODES
from truegauge.app.widgets.action import Action
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import KIND_NAMES


def _build(shell: Shell) -> StageParts:
    s, view, files = shell.session, shell.view, shell.files
    align = shell.once(AlignModel, lambda: AlignModel(s, shell))
    guide = shell.once(GuideModel, lambda: GuideModel(align, shell))
    guide.side_wanted.connect(view.turn_to)
    view.shown.points_motion = align.shown_from_force
    align.changed.connect(view.shown.refresh_motion)
    before_after = shell.once(BeforeAfter, lambda: BeforeAfter(align, view))
    bring_in = BringIn(files.ask_scan, files.ask_more, files.ask_turned, files.ask_touches, view.draw_outline)
    bench = AlignBench(align, guide, shell.theme, bring_in)

    def has_part() -> bool:
        return s.model is not None

    def has_cloud() -> bool:
        return s.evaluation is not None and not isinstance(s.evaluation.cloud, NotComputed)

    def here() -> bool:
        return s.stage == "align"

    def add(kind: str) -> None:
        s.set_stage("align")
        align.add(kind)

    def measure_with(key: str) -> None:
        s.set_stage("align")
        guide.start_with(key)

    return StageParts(
        bench=bench, next=lambda: align_step(s.document), overlay=AlignOverlay(align, guide), floating=before_after,
        closed=guide.stop,
        actions=(
            *(Action(f"outline-{mode}", "Points", f"{title} in the view …", "", partial(view.draw_outline, mode),
                     has_cloud)
              for mode, title in MODES.items()),
            Action("keep-section", "Points", "Keep what the section box shows", "", bench.points.keep_section,
                   has_cloud),
            *(Action(f"new-{kind}", "Align", f"New alignment: {name}", "", partial(add, kind), has_part)
              for kind, name in KIND_NAMES.items()),
            *(Action(f"measure-with-{kind.key}", "Align", f"Measure the targets with {kind.title}", "",
                     partial(measure_with, kind.key), partial(guide.can_start, kind.key))
              for kind in DEVICES.values()),
            Action("in-force", "Align", "Put the chosen alignment in force", "Ctrl+Shift+A", align.put_in_force,
                   lambda: not align.is_in_force),
            Action("report-in", "Align", "Report the selected characteristic in the chosen alignment", "",
                   align.report_selected, lambda: bool(s.selection.characteristic)),
            Action("pick-targets", "Align", "Pick for the alignment, or select", "G",
                   lambda: align.set_picking(not align.picking), here),
            Action("next-pose", "Align", "Next pose that fits", "N", lambda: align.step_candidate(1), here),
            Action("before-after", "Align", "Show before, or after", "A",
                   lambda: before_after.slider.setValue(0 if align.share > 0 else 100), lambda: align.has_before),
        ),
    )  # fmt: skip


STAGE = Stage(
    key="align", title="Align", glyph="align", missing=needs_alignment, build=_build, shows_machine=True,
    content=ViewContent(tags=False),
)  # fmt: skip
