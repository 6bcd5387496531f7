"""Surface imperfections on the Evaluate bench: what is looked for, how the reference stands, what was found."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.surface.area_box import AreaBox
from truegauge.app.stages.evaluate.surface.area_model import AreaModel
from truegauge.app.stages.evaluate.surface.before import BeforeModel
from truegauge.app.stages.evaluate.surface.depths import DepthBars
from truegauge.app.stages.evaluate.surface.frame_box import FrameBox
from truegauge.app.stages.evaluate.surface.in_space import TIMES, SpaceModel
from truegauge.app.stages.evaluate.surface.limits_box import LimitsBox
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.stages.evaluate.surface.sections_here import add_sections
from truegauge.app.stages.evaluate.surface.seeing_box import SeeingBox
from truegauge.app.widgets.bench import Pairs, button, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.app.widgets.text_size import grow_to, keep_size
from truegauge.core.imperfections.measuring import Imperfection
from truegauge.drawing.surface_numbers import amount_text
from truegauge.drawing.units import MM_PER_INCH, NumberFormat

_REFERENCES = (("smooth", "a smooth surface"), ("plane", "a plane"), ("cylinder", "a cylinder"), ("cone", "a cone"),
               ("sphere", "a sphere"), ("revolution", "a surface of revolution"), ("scan", "another scan"))  # fmt: skip
_FILTERS = (("spline", "followed by a spline"), ("gaussian", "followed by a Gaussian"))
_SIDES = (("both", "dents and bumps"), ("in", "into the material"), ("out", "out of the material"))
_ROW, _NUMBER = 22, 256
Ask = Callable[[str, Callable[[Path], object]], object]


class SurfacePage(QWidget):
    """Without a part too: only a scan is needed."""

    def __init__(self, model: SurfaceModel, area: AreaModel, space: SpaceModel, before: BeforeModel, ask: Ask) -> None:
        """`ask` lets the user choose a scan, and hands it over."""
        super().__init__()
        self._before = before
        self._model, self.session = model, model.session
        s = self.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.hint = label("", "soft", wrap=True)
        self.add = button("Look for dents and bumps", model.add, main=True)
        self.checks = choice((), model.choose_check, "surface check")
        self.reference = choice(_REFERENCES, self._on_reference, "reference")
        self.which = choice(_SIDES, lambda k: model.change(sides=k), "sides")
        self.wavelength = LengthField(s, "the wavelength", lambda v: model.change(wavelength=v))
        self.wavelength.setToolTip("Longer waves belong to the surface, shorter ones do not; 0: none does")
        self.filter_kind = choice(_FILTERS, lambda k: model.change(by=k), "filter")
        self.filter_kind.setToolTip("Both robust: ISO 16610-72 and 16610-71. Half of a wave of that length passes")
        self.threshold = LengthField(s, "the depth", lambda v: model.change(depth=v), least=1e-4)
        self.higher_than = LengthField(s, "the height", self._on_height, least=1e-4)
        self.higher_than.setToolTip("From which height on bumps count; typed as the depth, it follows the depth")
        self.deeper, self.higher = row("Deeper than", self.threshold), row("Higher than", self.higher_than)
        self.more = Fold("How it is looked for")
        self.joined = LengthField(s, "the distance", lambda v: model.change(join=v))
        self.joined.setToolTip("What is nearer to each other is one")
        self.saddle = number_box(0.0, 100.0, 0, suffix=" %")
        self.saddle.setToolTip("Two are one where it is as deep between them as this share of the shallower one")
        self.saddle.editingFinished.connect(self._on_saddle)
        self.min_width = LengthField(s, "the width", lambda v: model.change(min_width=v))
        self.min_area = number_box(0.0, 1e8, 3)
        keep_size(self.min_area, width=112)
        self.min_area.editingFinished.connect(self._on_area)
        for widget in (self.filter_kind, self.which, row("Joined within", self.joined),
                       row("One, from a saddle of", self.saddle),
                       row("Width at least", self.min_width), row("Area at least", self.min_area)):  # fmt: skip
            self.more.column.addWidget(widget)
        self.remove = button("Remove this check", model.remove)
        self.more.column.addWidget(self.remove)
        self.area, self.limits = AreaBox(area), LimitsBox(model)
        self.frame = FrameBox(area)
        self.view = button("", lambda: area.show_view(shown=not area.in_view))
        self.times = choice([(str(t), "heights as they are" if t == 1 else f"heights {t} times") for t in TIMES],
                            lambda t: space.set_times(int(t)), "how much heights are enlarged")  # fmt: skip
        self._area, self._space = area, space
        self.settings = QWidget()
        inner = QVBoxLayout(self.settings)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(6)
        self.quality = label("", "soft", wrap=True)
        self.advice = label("", wrap=True)
        self.problem = label("", "bad", wrap=True)
        self.again = button("Look again", model.look_again, main=True)
        self.count = label("", "big")
        self.seeing = SeeingBox(model)
        self.order, self.filter = self.seeing.order, self.seeing.filter
        self.list = QListWidget()
        self.list.setAccessibleName("imperfections")
        self.list.currentItemChanged.connect(self._on_item)
        self.details = Pairs()
        self.bars = DepthBars(model)
        self.sections = button("Sections of the part here", lambda: add_sections(model))
        self._ask = ask
        self.compare = button("Compare with an earlier scan …", self._ask_earlier)
        self.since = label("", "soft", wrap=True)
        self.alone = button("Compare no more", before.forget)
        for widget in (
            self.reference, row("Waves longer than", self.wavelength), self.deeper,
            self.higher, self.area, self.more, self.limits, self.seeing, self.view, self.times, self.quality,
            self.advice, self.problem, self.again, self.count, self.bars, self.order, self.filter, self.list,
            self.details, self.frame, self.sections, self.since, self.compare, self.alone,
        ):  # fmt: skip
            inner.addWidget(widget)
        self.another = button("Another check", model.add)
        for widget in (self.hint, self.add, self.checks, self.settings, self.another):
            column.addWidget(widget)
        column.addStretch()

    @property
    def _mm2(self) -> float:
        """How many mm2 an area of 1 in the unit of the plan is."""
        return 1.0 if self.session.plan.unit == "mm" else MM_PER_INCH**2

    def _on_reference(self, kind: str) -> None:
        self._model.change(reference=kind)
        if kind == "scan" and self._before.scan is None:
            self._ask_earlier()

    def _ask_earlier(self) -> None:
        self._ask("Earlier scan", self._before.open)

    def _on_height(self, height: float) -> None:
        check = self._model.check
        self._model.change(height=None if check is None or height == check.depth else height)

    def _on_saddle(self) -> None:
        check, typed = self._model.check, self.saddle.value()
        if check is not None and typed != round(100.0 * check.saddle):
            self._model.change(saddle=typed / 100.0)

    def _on_area(self) -> None:
        self._model.change(min_area=self.min_area.value() * self._mm2)

    def _on_item(self, item: QListWidgetItem | None, before: object) -> None:
        if item is not None:
            self._model.choose(int(item.data(_NUMBER)))

    def refresh(self) -> None:
        """Show what is looked for and what was found."""
        m, s = self._model, self.session
        check, scanned = m.check, s.sample is not None and len(s.sample.points) > 0
        say(self.hint, "" if scanned else "Open a scan: dents, bumps and pits are looked for on it, without a part.")
        self.add.setVisible(check is None)
        self.add.setEnabled(scanned)
        self.settings.setVisible(check is not None)
        self.another.setVisible(check is not None)
        checks = s.plan.surface_checks
        self.checks.setVisible(len(checks) > 1)
        if check is None:
            return
        if [self.checks.itemData(k) for k in range(self.checks.count())] != [c.id for c in checks]:
            self.checks.clear()
            for c in checks:
                self.checks.addItem(c.name, c.id)
        choose(self.checks, check.id)
        self._offer_part(there=s.model is not None or check.reference == "part")
        choose(self.reference, check.reference)
        choose(self.which, check.sides)
        choose(self.filter_kind, check.by)
        self.filter_kind.setVisible(check.wavelength > 0 and check.reference != "revolution")
        for field, value in ((self.wavelength, check.wavelength), (self.threshold, check.depth),
                             (self.joined, check.join), (self.min_width, check.min_width)):  # fmt: skip
            field.show_length(value)
        self.higher_than.show_length(check.depth if check.height is None else check.height)
        self.deeper.setVisible(check.sides != "out")
        self.higher.setVisible(check.sides != "in")
        self.saddle.setValue(100.0 * check.saddle)
        self.min_area.setSuffix(f" {s.plan.unit}²")
        self.min_area.setValue(check.min_area / self._mm2)
        self.frame.refresh()
        self.times.setVisible(self._area.in_view and (s.model is None or m.lie() is not None))
        choose(self.times, str(self._space.times))
        self.view.setText("Show it flat" if self._area.in_view else "Show it in space")
        self._show_found()
        self.compare.setVisible(self._before.scan is None)
        self.alone.setVisible(self._before.scan is not None)
        say(self.since, self._before.words())
        self.seeing.refresh()
        self.bars.refresh()
        self.sections.setVisible(m.chosen is not None and s.model is not None)
        self.area.refresh()
        self.limits.refresh()

    def _offer_part(self, *, there: bool) -> None:
        """Have the part be one of the references, where there is one."""
        at = self.reference.findData("part")
        if there and at < 0:
            self.reference.addItem("the part as designed", "part")
        elif not there and at >= 0:
            self.reference.removeItem(at)

    def _show_found(self) -> None:
        m, plan = self._model, self.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        found = m.look()
        working = m.is_working
        say(self.problem, "" if working else "Stopped." if m.is_stopped else m.problem)
        self.again.setVisible(m.is_stopped)
        quality, advice, count = "", "", "looking …" if working else ""
        if found is not None:
            q = found.quality
            notes = "".join(f" {n[:1].upper()}{n[1:]}." for n in found.prepared.notes)
            quality = (f"Outside of them {numbers.value(q.rms)} {numbers.unit} rms, noise of a point "
                       f"{numbers.value(q.noise)}.{notes}")  # fmt: skip
            advice = q.advice
            n = len(found.imperfections)
            count = f"{n} found" + (f", {len(found.left_out)} heads" if found.left_out else "")
        say(self.quality, quality)
        say(self.advice, advice)
        say(self.count, count)
        bad = set(m.flagged())

        def words(k: int, one: Imperfection) -> str:
            marks = (f"{k + 1}", one.kind, numbers.signed(one.depth), "!" * (k in bad), self._before.state(k))
            return "   ".join(mark for mark in marks if mark)

        rows = [(k, words(k, one)) for k, one in m.listed()]
        if rows != [(self.list.item(k).data(_NUMBER), self.list.item(k).text()) for k in range(self.list.count())]:
            self.list.blockSignals(True)
            self.list.clear()
            for number, text in rows:
                item = QListWidgetItem(text)
                item.setData(_NUMBER, number)
                self.list.addItem(item)
            self.list.blockSignals(False)
        self.list.blockSignals(True)
        self.list.setCurrentRow(next((k for k, (number, _) in enumerate(rows) if number == m.number), -1))
        self.list.blockSignals(False)
        self.list.setVisible(bool(rows))
        for widget in (self.order, self.filter):
            widget.setVisible(found is not None and bool(found.imperfections))
        grow_to(self.list, _ROW * max(1, len(rows)) + 6, _ROW * min(8, max(1, len(rows))) + 6)
        self._show_chosen(numbers)

    def _show_chosen(self, numbers: NumberFormat) -> None:
        one = self._model.chosen
        if one is None:
            self.details.show_pairs([])
            return
        pairs = [
            ("depth", f"{numbers.signed(one.depth)} ± {numbers.value(2 * one.depth_u)}"),
            ("length, width", f"{numbers.value(one.length)}, {numbers.value(one.width)}"),
            ("area", amount_text(one.area, "area", numbers)),
            ("volume", amount_text(one.volume, "volume", numbers)),
            ("to the border", numbers.value(one.border)),
        ]
        if one.neighbour >= 0:
            pairs.append((f"to number {one.neighbour + 1}", numbers.value(one.edge_to_edge)))
        for far in self._model.distances():
            pairs.append((f"to {far.feature}", far.words if far.value is None else numbers.value(far.value)))
        pairs.append(("deepest at", "  ".join(numbers.value(c) for c in self._model.place(one.deepest))))
        self.details.show_pairs(pairs)
