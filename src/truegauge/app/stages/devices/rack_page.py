"""The Rack page: ports, where they are, and which assembly hangs in each."""

from PySide6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.bench import Choice, button, label
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_sheet
from truegauge.core.probing.probing import StylusUse
from truegauge.drawing.units import NumberFormat

_COLUMNS = ("Port", "X", "Y", "Z", "Probe")


class RackPage(QWidget):
    """A table that is edited in place; a change of probe on request."""

    def __init__(self, model: DevicesModel) -> None:
        super().__init__()
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(label("Where the machine puts a probe down and picks another up: the place of the quill in "
                               "each port, machine coordinates (0, 0, 0: not said yet). A probe without a port is "
                               "changed by hand.", "soft",
                               wrap=True))  # fmt: skip
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(list(_COLUMNS))
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setStretchLastSection(True)
        for k, width in enumerate((50, 44, 44, 46)):
            self.table.setColumnWidth(k, width)
        keep_sheet(self.table, "font-size: 12px;")
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAccessibleName("ports of the rack")
        self.table.itemChanged.connect(self._on_edited)
        column.addWidget(self.table, 1)
        self.here = button("Place of the machine now", self._on_here)
        column.addWidget(row(button("Add a port", model.add_port), button("Remove", self._on_remove)))
        column.addWidget(self.here)
        self.change = button("Change to this probe", self._on_change, main=True)
        column.addWidget(self.change)
        column.addStretch()
        self._filling = False

    @property
    def _numbers(self) -> NumberFormat:
        return NumberFormat(self._model.session.plan.unit, 1)

    def _row(self) -> int:
        return self.table.currentRow()

    def _on_remove(self) -> None:
        self._model.remove_port(self._row())

    def _on_here(self) -> None:
        rack, k = self._model.probing.rack, self._row()
        machine = self._model.machine
        quill = machine.seen.get("quill")
        if quill is None and machine.cmm is not None:
            quill = machine.cmm.position
        if 0 <= k < len(rack) and quill is not None:
            x, y, z = (round(float(v), 3) for v in quill)
            self._model.set_port(k, rack[k].replace(place=(x, y, z)), "place of a port")

    def _on_change(self) -> None:
        rack, k = self._model.probing.rack, self._row()
        if not 0 <= k < len(rack) or not rack[k].assembly:
            self._model.session.notify("choose a port with a probe in it")
            return
        assembly = self._model.probing.assembly(rack[k].assembly)
        styli = assembly.styli()
        if not styli:
            self._model.session.notify(f"{assembly.name} has no stylus yet")
            return
        self._model.machine.take_stylus(StylusUse(assembly=assembly.id, stylus=styli[0].id, pose=assembly.poses[0]))

    def _on_edited(self, item: QTableWidgetItem) -> None:
        if self._filling:
            return
        rack, k = self._model.probing.rack, item.row()
        if k >= len(rack):
            return
        try:
            if item.column() == 0:
                if not item.text().strip():
                    raise ValueError
                changed = rack[k].replace(name=item.text().strip())
            else:
                place = list(rack[k].place)
                place[item.column() - 1] = self._numbers.parse(item.text())
                changed = rack[k].replace(place=tuple(place))
        except ValueError:
            self._model.session.notify(
                f"{item.text()!r} cannot be used for {_COLUMNS[item.column()]}; it stays as it was"
            )
            self.refresh()
            return
        self._model.set_port(k, changed)

    def _on_probe(self, k: int, assembly: str) -> None:
        self._model.set_port(k, self._model.probing.rack[k].replace(assembly=assembly), "put a probe into a port")

    def refresh(self) -> None:
        """Show the ports."""
        probing = self._model.probing
        self._filling = True
        chosen = self._row()
        self.table.setRowCount(len(probing.rack))
        for k, port in enumerate(probing.rack):
            for c, text in enumerate((port.name, *(self._numbers.value(v) for v in port.place))):
                self.table.setItem(k, c, QTableWidgetItem(text))
            box = Choice()
            box.setAccessibleName("probe in the port")
            box.addItem("empty", "")
            for a in probing.assemblies:
                box.addItem(a.name, a.id)
            box.setCurrentIndex(max(0, box.findData(port.assembly)))
            box.activated.connect(lambda _, row=k, made=box: self._on_probe(row, str(made.currentData())))
            self.table.setCellWidget(k, 4, box)
        if 0 <= chosen < len(probing.rack):
            self.table.selectRow(chosen)
        self._filling = False
        there = self._model.machine.connected and not self._model.machine.busy
        self.change.setEnabled(there and bool(probing.rack))
        self.here.setEnabled(there and bool(probing.rack))
