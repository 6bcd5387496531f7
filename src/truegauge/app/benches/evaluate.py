"""The Evaluate bench: the deviation map and the statistics of the deviations."""

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QWidget

from truegauge.app.benches.base import Bench, Pairs, label, rule, say
from truegauge.core.plan.commands import SetScale
from truegauge.core.plan.document import DeviationScale
from truegauge.core.plan.graph import NotComputed


class EvaluateBench(Bench):
    """Switches for map and points, the limits of the scale, the numbers."""

    title = "Deviations"

    def _build(self) -> None:
        self.map = QCheckBox("Deviation map")
        self.map.toggled.connect(self.session.set_show_map)
        self.points = QCheckBox("Points")
        self.points.toggled.connect(self.session.set_show_points)
        self.limit, self.tolerance = QLineEdit(), QLineEdit()
        self.limit.setAccessibleName("scale limit")
        self.tolerance.setAccessibleName("scale tolerance")
        self.limit.editingFinished.connect(lambda: self._on_typed("limit", self.limit))
        self.tolerance.editingFinished.connect(lambda: self._on_typed("tolerance", self.tolerance))
        self.column.addWidget(self.map)
        self.column.addWidget(self.points)
        self.column.addWidget(rule())
        self.column.addWidget(label("Scale", "heading"))
        for text, field in (("Limit ±", self.limit), ("Tolerance ±", self.tolerance)):
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(label(text, "soft"))
            line.addStretch()
            field.setFixedWidth(90)
            line.addWidget(field)
            self.column.addWidget(row)
        self.column.addWidget(rule())
        self.column.addWidget(label("All points of the part", "heading"))
        self.reason = label("", "soft", wrap=True)
        self.pairs = Pairs()
        self.column.addWidget(self.reason)
        self.column.addWidget(self.pairs)
        self.column.addStretch()

    def _on_typed(self, which: str, field: QLineEdit) -> None:
        scale = self.session.plan.scale
        if field.text() == self.numbers.value(getattr(scale, which)):
            return
        try:
            value = abs(self.numbers.parse(field.text()))
        except ValueError:
            self.session.notify(f"{field.text()!r} is not a number; the scale stays as it was")
            self.refresh()
            return
        try:
            changed = scale.replace(
                **{which: value, **({"limit": max(scale.limit, value)} if which != "limit" else {})}
            )
        except ValueError as error:
            self.session.notify(error)
            self.refresh()
            return
        assert isinstance(changed, DeviationScale)
        self.session.run(SetScale(changed, merge_key=""))

    def refresh(self) -> None:
        """Show the switches and the numbers."""
        s, n = self.session, self.numbers
        for box, shown in ((self.map, s.show_map), (self.points, s.show_points)):
            box.blockSignals(True)
            box.setChecked(shown)
            box.setEnabled(s.sample is not None)
            box.blockSignals(False)
        for field, value in ((self.limit, s.plan.scale.limit), (self.tolerance, s.plan.scale.tolerance)):
            if not field.hasFocus():
                field.setText(n.value(value))
        cloud = s.evaluation.cloud if s.evaluation else None
        if cloud is None or isinstance(cloud, NotComputed):
            say(self.reason, cloud.reason if cloud else "working …" if s.is_busy else s.missing("align"))
            self.pairs.show_pairs([])
            return
        say(self.reason, "")
        t = cloud.statistics
        self.pairs.show_pairs(
            [
                ("points", f"{t.count:,}"),
                ("mean", n.signed(t.mean)),
                ("standard deviation", n.value(t.std)),
                ("5 %", n.signed(t.p05)),
                ("median", n.signed(t.p50)),
                ("95 %", n.signed(t.p95)),
                ("least", n.signed(t.min)),
                ("greatest", n.signed(t.max)),
            ]
        )
