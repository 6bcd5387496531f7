"""Points on the Measure bench: chosen in the list or in the view, put to features by hand, by name or by place."""

from functools import partial

from PySide6.QtWidgets import QCheckBox, QLineEdit, QVBoxLayout, QWidget

from truegauge.app.stages.measure.points.model import NOWHERE, PointsModel
from truegauge.app.stages.measure.points.point_list import PointList, PointRow
from truegauge.app.view.outline_tool import MODES
from truegauge.app.widgets.bench import Choice, button, label, say
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.theme import Theme
from truegauge.drawing.units import NumberFormat

_SELECTED = ""  # the features that are selected, in the choice of features


class PointsPanel(QWidget):
    """Shown in place of the features."""

    def __init__(self, model: PointsModel, theme: Theme) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.list = PointList(theme, self._on_rows)
        self.hint = label("", "soft", wrap=True)
        self.outlines = [button(words, partial(model.choose_in_view, mode)) for mode, words in MODES.items()]
        self.outlines[1].setText("Free line")
        self.outlines[2].setText("Corners")
        self.deep = QCheckBox("also behind the part")
        self.deep.toggled.connect(model.set_deep)
        self.by_name = button("Offer by their names", model.offer_by_name)
        self.by_place = button("Offer by where they are", model.offer_by_place)
        self.offer = label("", wrap=True)
        self.accept = button("Put them there", model.accept, main=True)
        self.leave = button("Leave it", model.leave)
        self.feature = Choice()
        self.feature.setAccessibleName("feature that points are put to")
        self.feature.activated.connect(lambda _: self.refresh())
        self.put = button("Put", lambda: model.put(self._wanted()), main=True)
        self.also = button("Put as well", lambda: model.put(self._wanted(), also=True))
        self.also.setToolTip("They go on to serve what they serve now")
        self.free = button("To no feature", lambda: model.put(()))
        self.remove = button("Remove", model.remove)
        self.name = QLineEdit()
        self.name.setAccessibleName("name of the point")
        self.name.setPlaceholderText("name")
        self.name.editingFinished.connect(lambda: model.rename(self.name.text()))
        self.chosen = label("", "heading")
        self.offers = _under(self.by_name, self.by_place)
        self.answers = row(self.accept, self.leave)
        self.choosing = row(*self.outlines)
        self._of_chosen = (self.feature, row(self.put, self.also), row(self.free, self.remove))
        in_view = label("Choose in the view", "heading")
        for widget in (self.list, self.hint, in_view, self.choosing, self.deep, self.offers, self.offer, self.answers,
                       self.chosen, self.name, *self._of_chosen):  # fmt: skip
            column.addWidget(widget)
        column.addStretch()
        model.changed.connect(self._on_changed)

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def _on_rows(self, rows: list[int]) -> None:
        self._model.choose(self._model.points[k].key for k in rows)

    def _wanted(self) -> tuple[str, ...]:
        """Return the features (ids) that points are put to."""
        chosen = str(self.feature.currentData() or _SELECTED)
        return (chosen,) if chosen else tuple(f.id for f in self._model.targets())

    def refresh(self) -> None:
        """Show the points."""
        m, plan = self._model, self.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        names = {f.id: f.name for f in plan.features}
        on, where = m.on_part(), {} if m.offer is None else m.offer.where
        rows = []
        for p in m.points:
            off = on.get(p.key, NOWHERE).off
            serves = ", ".join(names.get(f, "a feature that is gone") for f in p.features)
            offered = ", ".join(names[f] for f in where.get(p.key, ()) if f in names)
            rows.append(PointRow(p.name, serves, offered, numbers.signed(off) if off == off else ""))
        chosen = set(m.chosen)
        self.list.show_rows(rows, [k for k, p in enumerate(m.points) if p.key in chosen])
        still = sum(not p.features for p in m.points)
        words = f"{len(rows)} point{'s' * (len(rows) != 1)}, {still or 'none'} open"
        say(self.hint, words if m.lie() is not None else f"{words}. Align the part to see where they are.")
        for made in self.outlines:
            made.setEnabled(m.lie() is not None)
        self._show_offer(still)
        self._show_chosen()

    def _show_offer(self, still: int) -> None:
        m = self._model
        self.offers.setVisible(m.offer is None)
        self.by_name.setEnabled(bool(still or m.chosen))
        self.by_place.setEnabled(bool(still or m.chosen) and m.lie() is not None)
        self.answers.setVisible(m.offer is not None)
        words = ""
        if m.offer is not None:
            features = {f for own in m.offer.where.values() for f in own}
            words = f"{len(m.offer.where)} points to {len(features)} feature{'s' * (len(features) != 1)}"
            words += f"; {m.offer.left} stay as they are" if m.offer.left else ""
        say(self.offer, words)

    def _show_chosen(self) -> None:
        m, plan = self._model, self.session.plan
        points, targets = m.chosen_points, m.targets()
        say(self.chosen, f"{len(points)} chosen" if len(points) > 1 else "1 chosen" if points else "")
        self.name.setVisible(len(points) == 1)
        if len(points) == 1 and not self.name.hasFocus():
            self.name.setText(points[0].name)
        for widget in self._of_chosen:
            widget.setVisible(bool(points))
        letters = {d.feature: d.letter for d in plan.datums}
        offered = [(f.id, f"{f.name}  [{letters[f.id]}]" if f.id in letters else f.name) for f in plan.features]
        selected = ", ".join(f.name for f in targets) or "select a feature, or choose one"
        wanted = [(_SELECTED, selected), *offered]
        now = self.feature.currentData()
        if [(self.feature.itemData(k), self.feature.itemText(k)) for k in range(self.feature.count())] != wanted:
            self.feature.clear()
            for key, words in wanted:
                self.feature.addItem(words, key)
            self.feature.setCurrentIndex(max(0, self.feature.findData(now)))
        there = self._wanted()
        for made in (self.put, self.also):
            made.setEnabled(bool(there))
        self.also.setEnabled(bool(there) and any(p.features for p in points))
        self.free.setEnabled(any(p.features for p in points))


def _under(*widgets: QWidget) -> QWidget:
    """Return widgets one under the other."""
    made = QWidget()
    column = QVBoxLayout(made)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(6)
    for widget in widgets:
        column.addWidget(widget)
    return made
