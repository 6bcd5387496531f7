"""What a machine calls our styli: a table of its own tools, shown where they are not named as in the plan."""

from PySide6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.bench import Choice, label
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import ToolName

_NOBODY = "-"


class ToolNames(QWidget):
    """A row for each stylus and pose; a choice of the machine's tools in each."""

    def __init__(self, model: DevicesModel) -> None:
        super().__init__()
        self._model, self._machine = model, model.machine
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        words = "This machine has names of its own for its tools. Say which is which; it is kept with the machine."
        column.addWidget(label(words, "soft", wrap=True))
        self.table = QTableWidget(0, 2)
        self.table.setAccessibleName("names of tools at this machine")
        self.table.setHorizontalHeaderLabels(["Pose, stylus", "Its tool"])
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.setColumnWidth(1, 112)
        keep_size(self.table, least_height=150)
        column.addWidget(self.table)
        self._shown: object = None

    def refresh(self) -> None:
        """Show the table where the machine needs it."""
        m, cmm = self._machine, self._machine.cmm
        probing = self._model.probing
        uses = probing.uses()
        plain = {f"{probing.assembly(u.assembly).name}:{u.stylus}" for u in uses}
        tools = () if cmm is None or not m.connected else cmm.tools
        self.setVisible(bool(tools) and not (plain <= set(tools) and not m.record.tools))
        now = (tools, uses, m.record.tools)
        if now == self._shown:
            return
        self._shown = now
        self.table.setRowCount(len(uses))
        for k, use in enumerate(uses):
            own = probing.assembly(use.assembly)
            # What tells them apart comes first: there is little room.
            item = QTableWidgetItem(f"{use.pose}  {own.name}, {own.stylus(use.stylus, use.pose).name}")
            item.setToolTip(probing.name_of(use))
            self.table.setItem(k, 0, item)
            box = Choice()
            box.setAccessibleName(f"tool for {probing.name_of(use)}")
            box.addItems([_NOBODY, *tools])
            box.setCurrentText(self._named(use) or _NOBODY)
            box.textActivated.connect(lambda text, u=use: self._on_chosen(u, text))
            self.table.setCellWidget(k, 1, box)

    def _named(self, use: StylusUse) -> str:
        name = self._model.probing.assembly(use.assembly).name
        own = [t for t in self._machine.record.tools if (t.assembly, t.stylus) == (name, use.stylus)]
        return next((t.name for t in own if t.pose == use.pose), "")

    def _on_chosen(self, use: StylusUse, text: str) -> None:
        name = self._model.probing.assembly(use.assembly).name
        made = ToolName(assembly=name, stylus=use.stylus, pose=use.pose, name="" if text == _NOBODY else text)
        self._machine.set_record(self._machine.record.with_tool(made))
