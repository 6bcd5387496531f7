"""The Portable page of the Devices bench: what is connected, how it is, and how to connect more."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from truegauge.app.stages.devices.portable.line import Line
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.widgets.address_fields import AddressFields
from truegauge.app.widgets.bench import Pairs, button, empty_layout, label

_OF = {"air": "air", "part": "part", "device": "device", "dial": "dial gauge"}


class PortablePage(QWidget):
    """Devices that are led by hand."""

    def __init__(self, model: PortableModel, open_readout: Callable[[], object]) -> None:
        super().__init__()
        self._model, self._open_readout = model, open_readout
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.connected = QVBoxLayout()
        self.connected.setSpacing(7)
        column.addLayout(self.connected)
        self.readout = button("Readout in a window of its own", open_readout)
        column.addWidget(self.readout)
        self.stand_in = button("Start the stand-in of an arm", model.start_stand_in)
        column.addWidget(self.stand_in)
        column.addWidget(label("Or a device that speaks the device protocol: host and port", "soft", wrap=True))
        self.address = AddressFields(model.session, 9100, "device", model.connect_to)
        self.port = self.address.port
        column.addWidget(self.address)
        self.connect_button = button("Connect", self.address.choose)
        column.addWidget(self.connect_button)
        column.addStretch()
        self._shown: list[tuple[Line, Pairs, QWidget]] = []
        model.changed.connect(self.refresh)
        model.moved.connect(self._show_numbers)

    def refresh(self) -> None:
        """Show the devices as they are."""
        if not self.isVisible():
            return
        if [line for line, *_ in self._shown] != self._model.lines:
            empty_layout(self.connected)
            self._shown = []
            for line in self._model.lines:
                title, pairs = label(line.device.name, "heading"), Pairs()
                done = button("Disconnect", partial(self._model.disconnect_line, line))
                for widget in (title, pairs, done):
                    self.connected.addWidget(widget)
                self._shown.append((line, pairs, done))
        self.readout.setVisible(self._model.arm is not None)
        self.stand_in.setVisible(not any(line.stand_in for line in self._model.lines))
        self.stand_in.setEnabled(self._model.stand.is_possible)
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
                rows.append(("touches", str(line.touches)))
                if stated.stated:
                    rows.append(("stated, a metre", f"{stated.constant + stated.per_metre:.3f} mm"))
            rows += [(_OF[of], f"{v:.3f} mm" if of == "dial" else f"{v:.2f} °C") for of, v in device.readings.items()]
            pairs.show_pairs(rows)

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()
