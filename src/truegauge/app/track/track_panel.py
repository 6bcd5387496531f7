"""The foot of the window: what the route is made of in numbers, play, the track, and what goes wrong."""

from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.track.model import SPEEDS, RouteModel
from truegauge.app.track.track_view import TrackView, clock
from truegauge.app.widgets.bench import Shrinking, button
from truegauge.app.widgets.parts import choice, choose
from truegauge.app.widgets.text_size import keep_size, sized
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.routes.track import Finding

_FINDINGS = 250


class TrackPanel(QWidget):
    """Hidden until the plan has a route."""

    list_wanted = Signal()
    run_wanted = Signal()

    def __init__(self, model: RouteModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model = model
        self.setObjectName("track")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setContentsMargins(10, 4, 8, 4)
        top.setSpacing(6)
        self.counts = Shrinking(by_parts=True)
        self.play = button("Play", model.play)
        self.play.setToolTip("Rehearse the route from the play-head on (Space)")
        self.speed = choice([(f"{s:g}", f"{s:g}x") for s in SPEEDS], lambda key: model.set_speed(float(key)), "Speed")
        self.list = button("List", self.list_wanted.emit)
        self.run = button("Run", self.run_wanted.emit)
        self.run.setToolTip("Run the route on the machine, all of it or in part (Ctrl+G)")
        self.part = button("Part", lambda: model.set_rehearsing(False))
        self.part.setToolTip("Show the part instead of the rehearsal")
        self.off = button("Off", model.switch)
        self.pin = button("Pin", model.pin)
        self.bad = button("", self._toggle_findings)
        self.bad.setCheckable(True)
        top.addWidget(self.counts, 1)
        keep_size(self.speed, width=68)
        for widget in (self.off, self.pin, self.play, self.speed, self.part, self.list, self.run, self.bad):
            top.addWidget(widget)
        column.addLayout(top)
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        self.view = TrackView(model, theme)
        below.addWidget(self.view, 1)
        self.findings = QListWidget()
        self.findings.setAccessibleName("What goes wrong on the route")
        self.findings.setWordWrap(True)
        self.findings.setSpacing(3)
        self.findings.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        keep_size(self.findings, width=_FINDINGS)
        self.findings.itemClicked.connect(self._on_finding)
        self.findings.hide()
        below.addWidget(self.findings)
        column.addLayout(below, 1)
        model.changed.connect(self.refresh)
        self.refresh()

    def sizeHint(self) -> QSize:
        """As high as its lanes need."""
        hint = super().sizeHint()
        hint.setHeight(self.view.minimumHeight() + sized(40))
        return hint

    def refresh(self) -> None:
        """Show the route as it is."""
        m = self.model
        self.setVisible(m.is_there)
        if not m.is_there:
            return
        found = m.routed
        if found is None:
            there = bool(m.session.plan.probing.uses())
            self.counts.setText("being planned" if there else "there is no probe to measure with: see Devices")
        else:
            p = found.planned
            told = f"{clock(round(p.seconds))}, {p.touches} touches, {p.changes} changes"
            self.counts.setText(told if m.is_current else f"{told}, being planned again")
            self.counts.setToolTip(self.counts.text())
        self.play.setText("Pause" if m.playing else "Play")
        self.play.setEnabled(found is not None)
        choose(self.speed, f"{m.speed:g}")
        own = next((s for s in m.route.steps if s.id in m.chosen), None)
        # In a rehearsal nothing is changed or begun: its own buttons need the room.
        edits = own is not None and not m.rehearsing
        shown = {self.part: m.rehearsing, self.off: edits, self.pin: edits, self.run: not m.rehearsing}
        for made, on in sorted(shown.items(), key=lambda one: one[1]):  # all of them at once would make the window grow
            made.setVisible(on)
        if own is not None:
            self.off.setText("Off" if own.on else "On")
            self.off.setToolTip("Switch the chosen steps off" if own.on else "Switch the chosen steps on again")
            self.pin.setText("Unpin" if own.pinned else "Pin")
        every = m.findings()
        bad = sum(f.bad for f in every)
        self.bad.setVisible(bool(every))
        notes = len(every) - bad
        words = [f"{bad} wrong" if bad else "", f"{notes} {'note' if notes == 1 else 'notes'}" if notes else ""]
        self.bad.setText(", ".join(filter(None, words)))
        self._fill(every)

    def _fill(self, every: tuple[Finding, ...]) -> None:
        self.findings.clear()
        for f in every:
            item = QListWidgetItem(("! " if f.bad else "") + f.text)
            item.setData(Qt.ItemDataRole.UserRole, (f.seconds, f.step))
            self.findings.addItem(item)
            for c in f.candidates[:2]:
                own = QListWidgetItem(f"Add the pose {c.use.pose}: gets at {100 * c.share:.0f} % of it")
                own.setData(Qt.ItemDataRole.UserRole, partial(self.model.take_candidate, c.use))
                own.setToolTip(c.text)
                self.findings.addItem(own)

    def _toggle_findings(self) -> None:
        self.findings.setVisible(self.bad.isChecked())

    def _on_finding(self, item: QListWidgetItem) -> None:
        data = item.data(Qt.ItemDataRole.UserRole)
        if callable(data):
            data()
            return
        seconds, step = data
        if step:
            self.model.choose((step,))
        self.model.set_seconds(seconds)
