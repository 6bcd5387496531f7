"""The Align bench: the alignments of the plan, what holds the part in the chosen one, and how well it lies."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from truegauge.app.document.needs import needs_alignment
from truegauge.app.stages.align.alignment_list import AlignmentList
from truegauge.app.stages.align.frame_panel import FramePanel
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.kind_panel import KindPanel, row_of
from truegauge.app.stages.align.model import POSE, AlignModel
from truegauge.app.stages.align.points_panel import PointsPanel
from truegauge.app.stages.align.target_list import TargetList, TargetRow
from truegauge.app.stages.align.temperature_panel import TemperaturePanel
from truegauge.app.widgets.bench import Bench, Pairs, button, label, number_box, rule, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.theme import Theme
from truegauge.core.arrays import Mask
from truegauge.core.commands.points import SetLimits
from truegauge.core.nodes.cloud import Cloud
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import (
    KIND_NAMES,
    BestFitAlignment,
    DatumAlignment,
    GuidedAlignment,
    MatchedPointAlignment,
    ReferencePointAlignment,
)
from truegauge.core.plan.points import PointLimits
from truegauge.core.registration.alignment import Alignment


@dataclass(frozen=True, slots=True)
class BringIn:
    """What the bench's buttons for points do."""

    scan: Callable[[], object]
    more: Callable[[], object]
    turned: Callable[[], object]
    touches: Callable[[], object]
    draw: Callable[[str], None]


class AlignBench(Bench):
    """The residual is the number that matters here."""

    title = "Alignments"

    def __init__(
        self, align: AlignModel, guide: GuideModel, theme: Theme, bring_in: BringIn, parent: QWidget | None = None
    ) -> None:
        self.align, self._guide, self._theme, self._bring_in = align, guide, theme, bring_in
        super().__init__(align.session, parent)
        align.changed.connect(self._on_changed)
        guide.changed.connect(self._on_changed)
        align.session.document.sample_data_changed.connect(self._on_changed)

    def _build(self) -> None:
        self.list = AlignmentList(self.align, self._theme)
        self.new = button("New …", self._open_kinds)
        self.force = button("Put in force", self.align.put_in_force)
        self.remove = button("Remove", self.align.remove)
        buttons = QWidget()
        line = QHBoxLayout(buttons)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        for b in (self.new, self.force, self.remove):
            b.setStyleSheet("padding: 5px 9px;")
            line.addWidget(b)
        line.addStretch()
        self.rms = label("–", "big")
        self.rms_unit = label("", "soft", wrap=True)
        self.trust = label("", "soft", wrap=True)
        self.doubts = label("", "bad", wrap=True)
        self.notes = label("", "soft", wrap=True)
        self.targets = TargetList(self._theme, self.align.choose_target, self._on_reordered)
        self.kind = KindPanel(self.align, self._guide)
        self.pairs = Pairs()
        self._build_points()
        self.frame, self.temperature = FramePanel(self.align), TemperaturePanel(self.session)
        self.folds = {}
        for title, inside in (
            ("Transform and frame", self.frame), ("Points of the sample", self.points_box),
            ("Temperature", self.temperature),
        ):  # fmt: skip
            fold = Fold(title)
            fold.column.addWidget(inside)
            self.folds[title] = fold
        self.report = button("", self.align.report_selected)
        self.scan = button("Bring in a scan …", self._bring_in.scan)
        widgets = (self.list, buttons, rule(), self.rms, self.rms_unit, self.trust, self.doubts, self.notes,
                   self.kind.leave_out, self.kind.guide, self.targets, self.kind, self.report, rule(), self.scan,
                   *self.folds.values())  # fmt: skip
        for widget in widgets:
            self.column.addWidget(widget)
        self.column.addStretch()

    def _build_points(self) -> None:
        self.points_box = QWidget()
        column = QVBoxLayout(self.points_box)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.more = button("Add a scan to these …", self._bring_in.more)
        self.turned = button("Add a scan of the turned part …", self._bring_in.turned)
        self.touches = button("Bring in measured points …", self._bring_in.touches)
        self.farthest = number_box(
            0.0, 1e5, 3, suffix=" mm", tip="Points farther from the part than this have no deviation"
        )
        self.angle = number_box(
            0.0, 180.0, 0, suffix="°", tip="Points whose normal is turned farther than this from the surface have none"
        )
        for box in (self.farthest, self.angle):
            box.setSpecialValueText("any")
            box.valueChanged.connect(self._on_limits)
        self.points = PointsPanel(self.session, self._bring_in.draw)
        for widget in (self.pairs, self.more, self.turned, self.touches, row_of("Deviations up to", self.farthest),
                       row_of("Normals up to", self.angle), self.points):  # fmt: skip
            column.addWidget(widget)

    def _open_kinds(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for kind, name in KIND_NAMES.items():
            menu.addAction(name.capitalize(), partial(self.align.add, kind))
        menu.popup(self.new.mapToGlobal(self.new.rect().bottomLeft()))

    def _on_limits(self) -> None:
        distance, angle = self.farthest.value() or None, self.angle.value() or None
        wanted = PointLimits(max_distance=distance, max_angle=None if angle is None else float(np.radians(angle)))
        if wanted != self.session.plan.limits:
            self.session.run(SetLimits(wanted))

    def _on_reordered(self, keys: list[str]) -> None:
        own = self.align.own
        if isinstance(own, DatumAlignment):
            by_key = {d.feature: d for d in own.datums}
            self.align.edit(datums=tuple(by_key[k] for k in keys))
        elif isinstance(own, ReferencePointAlignment):
            points = {p.name or p.feature: p for p in own.points}
            self.align.edit(points=tuple(points[k] for k in keys))
        elif isinstance(own, GuidedAlignment):
            targets = {t.name: t for t in own.targets}
            self.align.edit(targets=tuple(targets[k] for k in keys))

    def refresh(self) -> None:
        """Show the alignments, or what is missing."""
        s = self.session
        self.list.refresh()
        self.force.setEnabled(not self.align.is_in_force)
        self.remove.setEnabled(len(s.plan.alignments) > 1)
        self.new.setEnabled(s.model is not None)
        self._refresh_points()
        self.scan.setVisible(s.sample is None)
        self.scan.setProperty("main", s.sample is None and not isinstance(self.align.own, GuidedAlignment))
        self.scan.style().polish(self.scan)
        result = self.align.result
        own = self.align.own
        chosen = f"{POSE}{own.candidate}" if isinstance(own, BestFitAlignment) else self.align.chosen_target
        ordered = isinstance(own, DatumAlignment | ReferencePointAlignment | GuidedAlignment)
        self.targets.show_rows(self._target_rows(), chosen, draggable=ordered)
        selected = s.selection.characteristic
        self.report.setVisible(bool(selected) and len(s.plan.alignments) > 1)
        if selected:
            c = s.plan.characteristic(selected)
            self.report.setText(f"Report {c.number} in the one in force" if c.alignment == own.id
                                else f"Report characteristic {c.number} in it")  # fmt: skip
        self.kind.refresh()
        self.frame.refresh()
        self.temperature.refresh()
        if not isinstance(result, Alignment):
            self._refresh_missing(result)
            return
        n = self.numbers
        self.rms.setText(n.fine(result.rms))
        what = "rms at the targets" if result.targets else "rms to the surfaces"
        if self.align.own.kind == "given":
            what = "nothing is fitted"
        self.rms_unit.setText(f"{what}, largest {n.fine(result.largest)}")
        say(self.trust, _trust(result))
        say(self.doubts, "\n".join(f"Not trusted: {d}." for d in result.doubts))
        read = self.session.sample.notes if self.session.sample is not None else ()
        say(self.notes, "\n".join(f"{x[:1].upper()}{x[1:]}." for x in (*read, *result.notes)))

    def _refresh_missing(self, result: NotComputed | None) -> None:
        s = self.session
        self.rms.setText("–")
        self.rms_unit.setText("working …" if s.sample is not None and s.queue.is_busy else needs_alignment(s.document))
        say(self.trust, "")
        say(self.notes, "")
        say(self.doubts, result.reason if isinstance(result, NotComputed) and s.sample is not None else "")
        if isinstance(result, NotComputed) and s.sample is not None:
            self.rms_unit.setText("not aligned")

    def _refresh_points(self) -> None:
        s = self.session
        limits = s.plan.limits
        for box, value in (
            (self.farthest, limits.max_distance), (self.angle, limits.max_angle and np.degrees(limits.max_angle)),
        ):  # fmt: skip
            box.blockSignals(True)
            box.setValue(value or 0.0)
            box.blockSignals(False)
        self.angle.setEnabled(s.sample is not None and s.sample.normals is not None)
        for widget in (self.more, self.turned):
            widget.setVisible(s.sample is not None and len(s.sample.points) > 0)
        self.points.setVisible(s.sample is not None)
        self.points.refresh()
        evaluation, sample = s.evaluation, s.sample
        pairs = []
        if sample is not None:
            scans = "the scan" if len(sample.files) < 2 else f"{len(sample.files)} scans"
            pairs = [(f"points in {scans}", f"{len(sample.points):,}")]
            if sample.touches:
                pairs.append(("touches", f"{len(sample.touches):,}"))
        result = self.align.result
        if sample is not None and isinstance(result, Alignment) and len(result.used):
            cloud = evaluation.cloud if evaluation is not None else NotComputed("")
            pairs += [
                ("points used", f"{result.points_used:,}"),
                ("on a table", f"{int(result.table.sum()):,}"),
                ("stray", f"{int((result.isolated & ~_removed(cloud)).sum()):,}"),
                ("robust scale", f"{self.numbers.value(result.scale)} {self.numbers.unit}"),
                ("part covered", f"{100 * result.coverage:.0f} %"),
            ]
        self.pairs.show_pairs(pairs)

    # Targets -------------------------------------------------------------------------------------------------------

    def _target_rows(self) -> list[TargetRow]:
        own, result, plan = self.align.own, self.align.result, self.session.plan
        told = {t.name: t for t in result.targets} if isinstance(result, Alignment) else {}
        n = self.numbers
        rows = []

        def row(key: str, name: str, held: str, *, used: bool = True) -> TargetRow:
            target = told.get(name)
            if target is None or (not target.used and target.length == 0):
                return TargetRow(key, name, held, "", "missing")
            state = "poor" if target.poor else "used" if used and target.used else "excluded"
            return TargetRow(key, name, held, n.value(target.length), state)

        if isinstance(own, DatumAlignment):
            letters = {d.feature: d.letter for d in plan.datums}
            freedoms = result.freedoms if isinstance(result, Alignment) else None
            for use in own.datums:
                feature = plan.feature(use.feature)
                name = letters.get(use.feature, feature.name)
                held = "" if freedoms is None else _short_held(freedoms.held_by(name))
                rows.append(row(use.feature, name, f"{feature.name if name != feature.name else ''} {held}".strip()))
        elif isinstance(own, ReferencePointAlignment):
            for p in own.points:
                rows.append(row(p.name or p.feature, p.name or plan.feature(p.feature).name, f"holds {p.held}"))
        elif isinstance(own, MatchedPointAlignment):
            for q in own.points:
                weights = "" if q.weights == (1.0, 1.0, 1.0) else " ".join(f"{w:g}" for w in q.weights)
                name = q.name or plan.feature(q.feature).name
                rows.append(row(q.name or q.feature, name, weights if q.used else "left out", used=q.used))
        elif isinstance(result, Alignment) and len(result.candidates) > 1:
            for k, c in enumerate(result.candidates):
                share = f"{100 * c.share:.1f} % of points"
                rows.append(TargetRow(f"{POSE}{k}", f"pose {k + 1}", share, n.value(c.rms)))
        elif isinstance(own, GuidedAlignment):
            for t in own.targets:
                done, needed = self._guide.count(t)
                kind = {"surface": "", "hole": "hole", "sphere": "ball"}[t.kind]
                rows.append(row(t.name, t.name, f"{kind} {done}/{needed}".strip()))
        return rows


def _short_held(names: tuple[str, ...]) -> str:
    """Return freedoms in few letters: "shift z, turn x y"."""
    shifts = " ".join(n[-1] for n in names if n.startswith("shift"))
    turns = " ".join(n[-1] for n in names if n.startswith("turn"))
    return ", ".join(f"{word} {letters}" for word, letters in (("shift", shifts), ("turn", turns)) if letters)


def _trust(result: Alignment) -> str:
    """Say plainly whether all freedoms are held, and what is not."""
    freedoms = result.freedoms
    if freedoms.held == 6:
        return "All six freedoms are held."
    free = freedoms.say_free()
    if not free:
        return ""
    return f"{freedoms.held} of 6 freedoms are held; free: {free}."


def _removed(cloud: Cloud | NotComputed) -> Mask | bool:
    """Return what the recipe took away: it is no stray."""
    return False if isinstance(cloud, NotComputed) else cloud.removed
