"""The Portable page of the Devices bench: what is connected, how it is, and how to connect more."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from html import escape

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.devices.portable.line import Line
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.prepared import PreparedModel
from truegauge.app.stages.devices.portable.readouts_section import ReadoutsSection
from truegauge.app.stages.devices.portable.scan_section import ScanSection
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.stages.devices.portable.taking import TakingModel
from truegauge.app.stages.devices.portable.taking_section import TakingSection
from truegauge.app.widgets.address_fields import AddressFields
from truegauge.app.widgets.bench import Pairs, button, empty_layout, label, say
from truegauge.app.widgets.text_size import grow_to
from truegauge.palette import DEVICE_COLORS

STAND_INS = (("arm", "Start the stand-in of an arm"), ("scanner", "Start the stand-in of a scanner"),
             ("tracker", "Start the stand-in of a tracker"), ("gauge", "Start the stand-in of a gauge"))  # fmt: skip
_READ_MS = 200
_OF = {"air": "air", "part": "part", "device": "device", "dial": "dial gauge"}


class PortablePage(QWidget):
    """Devices that are led by hand."""

    def __init__(
        self, model: PortableModel, prepared: PreparedModel, scan: ScanModel, taking: TakingModel,
        open_readout: Callable[[str], object],
    ) -> None:  # fmt: skip
        super().__init__()
        self._model, self._prepared, self._scan = model, prepared, scan
        self._rows: list[tuple[str, str, bool]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.connected = QVBoxLayout()
        self.connected.setSpacing(7)
        column.addLayout(self.connected)
        self.readouts = ReadoutsSection(model, open_readout)
        self.readout = button("All readouts in a window", lambda: open_readout(""))
        column.addWidget(self.readouts)
        column.addWidget(self.readout)
        self.stand_ins = {k: button(words, partial(model.start_stand_in, k)) for k, words in STAND_INS}
        for made in self.stand_ins.values():
            column.addWidget(made)
        self.stand_in = self.stand_ins["arm"]
        column.addWidget(label("Or a device that speaks the device protocol: host and port", "soft", wrap=True))
        self.address = AddressFields(model.session, 9100, "device", model.connect_to)
        self.port = self.address.port
        column.addWidget(self.address)
        self.connect_button = button("Connect", self.address.choose)
        column.addWidget(self.connect_button)
        self.scan_section = ScanSection(scan)
        self.taking = TakingSection(taking)
        column.insertWidget(1, self._measuring())
        column.insertWidget(1, self.scan_section)
        column.addStretch()
        self._shown: list[tuple[Line, Pairs, QWidget]] = []
        model.changed.connect(self.refresh)
        # Numbers that run are read a few times a second, not sixty.
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_READ_MS)
        self._soon.timeout.connect(self._show_numbers)
        model.moved.connect(lambda: None if self._soon.isActive() else self._soon.start())
        prepared.changed.connect(self._show_measuring)
        scan.changed.connect(self.refresh)

    def _measuring(self) -> QWidget:
        """Touches for features: what is next, and the list of what waits."""
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        p = self._prepared
        self.measure = button("Measure what the plan waits for", lambda: p.set_on(not p.on), main=True)
        self.free = button("Take points first, features later", lambda: p.set_on(True, free=True))
        self.next = label("", "big", wrap=True)
        self.told = label("", "soft", wrap=True)
        self.hand = button("Let the hand touch it", p.operator_touches)
        self.back = button("Take back", p.take_back)
        self.list = QListWidget()
        self.list.setAccessibleName("features that wait")
        self.list.itemClicked.connect(self._on_item)
        grow_to(self.list, 300, 90)
        for widget in (self.measure, self.free, self.next, self.told, self.hand, self.back, self.list, self.taking):
            column.addWidget(widget)
        self.measuring = made
        return made

    def _on_item(self, item: QListWidgetItem) -> None:
        feature = item.data(Qt.ItemDataRole.UserRole)
        if self._model.session.plan.has_feature(feature):
            self._model.session.selection.select((self._model.session.plan.feature(feature).group,))

    def _show_measuring(self) -> None:
        """Show what waits and how far it is."""
        if not self.isVisible():
            return
        p = self._prepared
        self.measuring.setVisible(self._model.arm is not None and not self._scan.on)
        self.measure.setText("Stop measuring" if p.on else "Measure what the plan waits for")
        self.free.setVisible(not p.on)
        following = p.next() if p.on and not p.free else None
        done = p.on and following is None and not p.free
        say(self.next, "All is measured" if done else "" if following is None else following[0].name)
        words = "" if following is None else f"touch {following[1] + 1} of {following[0].touches}"
        if p.on and p.free:
            points = 0 if self._model.session.sample is None else len(self._model.session.sample.probed)
            say(self.next, f"{points} point{'s' * (points != 1)}")
            words = "put to features in Measure, Points"
        say(self.told, "; ".join(w for w in (words, f"last: {p.last}" if p.on and p.last else "") if w))
        self.hand.setVisible(p.has_operator and (following is not None or p.free))
        self.back.setVisible(p.on)
        self.list.setVisible(p.on and not p.free)
        self.taking.setVisible(p.on)
        rows = [(f"{x.name}   {n} of {x.touches}", x.feature, n >= x.touches) for x, n in (p.waits() if p.on else ())]
        if rows != self._rows:
            self._rows = rows
            self.list.clear()
            for text, feature, is_done in rows:
                item = QListWidgetItem(("✓  " if is_done else "    ") + text)
                item.setData(Qt.ItemDataRole.UserRole, feature)
                self.list.addItem(item)

    def refresh(self) -> None:
        """Show the devices as they are."""
        if not self.isVisible():
            return
        if [line for line, *_ in self._shown] != self._model.lines:
            empty_layout(self.connected)
            self._shown = []
            for line in self._model.lines:
                title, pairs = label("", "heading"), Pairs()
                title.setText(f'<span style="color:{DEVICE_COLORS[line.color]}">●</span> {escape(line.device.name)}')
                title.setAccessibleName(line.device.name)
                done = button("Disconnect", partial(self._model.disconnect_line, line))
                for widget in (title, pairs, done):
                    self.connected.addWidget(widget)
                self._shown.append((line, pairs, done))
        self.readout.setVisible(self._model.arm is not None)
        self.readouts.setVisible(self._model.arm is not None and not self._scan.on)
        self.readouts.refresh()
        there = {line.kind for line in self._model.lines}
        for kind, made in self.stand_ins.items():
            made.setVisible(kind not in there)
            made.setEnabled(kind == "gauge" or self._model.stand.is_possible)
        self.scan_section.setVisible("scanner" in there)
        self.scan_section.refresh()
        self._show_measuring()
        self._show_numbers()

    def _show_numbers(self) -> None:
        if not self.isVisible():
            return
        for line, pairs, _ in self._shown:
            device = line.device
            stated = device.stated
            rows = [("line", "open" if device.is_open else "lost: it is looked for again")]
            if device.serial:
                rows.append(("serial number", device.serial))
            if device.kind != "gauge":
                rows.append(("points" if line.kind == "scanner" else "touches", f"{line.touches:,}"))
                if stated.stated:
                    rows.append(("stated, a metre", f"{stated.constant + stated.per_metre:.3f} mm"))
            rows += [(_OF[of], f"{v:.3f} mm" if of == "dial" else f"{v:.2f} °C") for of, v in device.readings.items()]
            pairs.show_pairs(rows)

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()
