"""The Machine page: connecting, what the machine says of itself, its joystick, and what the stand-in can be told."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit, QProgressBar, QVBoxLayout, QWidget

from truegauge.app.stages.devices.fixtures import Fixtures
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.tool_names import ToolNames
from truegauge.app.stages.devices.travel_fields import TravelFields
from truegauge.app.widgets.address_fields import AddressFields
from truegauge.app.widgets.bench import Pairs, button, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import LengthField, choice, row

_FAULTS = (("bent-stylus", "a bent stylus"), ("wrong-diameter", "another tip than entered"),
           ("dirty-sphere", "a dirty sphere"), ("moved-sphere", "the sphere is knocked over"), ("warm", "it gets warm"),
           ("cut", "the connection is cut"), ("power", "the power fails"))  # fmt: skip


class MachinePage(QWidget):
    """What to connect to, and how it is."""

    def __init__(self, model: DevicesModel) -> None:
        super().__init__()
        self._model, self._machine = model, model.machine
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.state = label("", "heading", wrap=True)
        self.error = label("", "bad", wrap=True)
        column.addWidget(self.state)
        column.addWidget(self.error)
        self.address = AddressFields(model.session, 9000, "machine", self._on_connect)
        self.host, self.port = self.address.host, self.address.port
        self.connect_button = button("Connect", self.address.choose)
        self.stand_in_button = button("Start the stand-in", self._on_stand_in, main=True)
        self.name = QLineEdit()
        self.name.setPlaceholderText("name of the machine")
        self.name.setAccessibleName("name of the machine")
        column.addWidget(self.stand_in_button)
        self.hint = label("A machine in software, with the probes of this plan and its part on the table.",
                          "soft", wrap=True)  # fmt: skip
        column.addWidget(self.hint)
        self.words = label("An I++ DME server: host and port", "soft")
        column.addWidget(self.words)
        column.addWidget(self.address)
        column.addWidget(self.name)
        column.addWidget(self.connect_button)
        self.disconnect_button = button("Disconnect", self._machine.disconnect_machine)
        self.home = button("Home the machine", self._machine.home, main=True)
        self.clear = button("Clear the error", self._machine.clear_error)
        self.again = button("Connect again", self._machine.go_online)
        for made in (self.home, self.clear, self.again):
            column.addWidget(made)
        self.pairs = Pairs()
        column.addWidget(self.pairs)
        self.abilities = label("", "soft", wrap=True)
        column.addWidget(self.abilities)
        self.probe_line = label("Probe on the machine", "heading")
        self.mounts = choice([], self._on_mount, "probe assembly on the machine")
        column.addWidget(self.probe_line)
        column.addWidget(self.mounts)
        self.table = LengthField(model.session, "the top of the table", self._on_table, least=-1e6)
        self.table.setPlaceholderText("?")
        self.table.setToolTip("Z of the top of the table: with it known, no part of a probe is sent below it")
        self.table_row = row("Table at Z", self.table)
        column.addWidget(self.table_row)
        self.fixtures = Fixtures(model)
        self.standing = Fold("What stands on the table")
        self.standing.column.addWidget(self.fixtures)
        column.addWidget(self.standing)
        self.travel = TravelFields(model)
        self.reaching = Fold("How far it travels")
        self.reaching.column.addWidget(self.travel)
        column.addWidget(self.reaching)
        self.names = ToolNames(model)
        column.addWidget(self.names)
        self.going_wrong = Fold("What can go wrong")
        self.fault = choice(_FAULTS, lambda _: None, "fault of the stand-in")
        self.going_wrong.column.addWidget(label("Let the stand-in have a fault, and see what the program says.", "soft",
                                                wrap=True))  # fmt: skip
        self.going_wrong.column.addWidget(self.fault)
        self.going_wrong.column.addWidget(row(button("Let it happen", self._on_fault),
                                              button("Mend all", lambda: self._machine.do("no faults"))))  # fmt: skip
        self.pace = number_box(0, 100, 1, suffix=" ×", tip="How many times as fast as a real machine; 0 at once")
        self.pace.setValue(3.0)
        self.pace.valueChanged.connect(self._on_pace)
        self.going_wrong.column.addWidget(row("Speed", self.pace))
        column.addWidget(self.going_wrong)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.busy = label("", "soft", wrap=True)
        self.stop = button("Stop", self._machine.stop)
        for widget in (self.busy, self.progress, self.stop):
            column.addWidget(widget)
        column.addWidget(self.disconnect_button)
        column.addStretch()
        self.name.returnPressed.connect(self.address.choose)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def _on_connect(self, host: str, port: int) -> None:
        self._machine.connect_to(host, port, name=self.name.text().strip())

    def _on_stand_in(self) -> None:
        self._machine.start_stand_in(pace=self.pace.value())

    def _on_table(self, z: float) -> None:
        self._machine.set_record(self._machine.record.replace(table_z=z))

    def _on_mount(self, name: str) -> None:
        self._machine.mount(name)

    def _on_pace(self, pace: float) -> None:
        if self._machine.hands is not None:
            self._machine.do("pace", pace=pace)

    def _on_fault(self) -> None:
        name = str(self.fault.currentData())
        if name == "power":
            self._machine.switch_power(on=False)
            self._model.session.notify(
                "The power of the stand-in failed. It comes back in a moment: then connect again."
            )
            self._machine.power_back_soon()
        else:
            self._machine.do("fault", text=f"{name}@next" if name == "cut" else name)

    def refresh(self) -> None:
        """Show the machine as it is."""
        m = self._machine
        cmm = m.cmm
        there = m.connected
        connecting: tuple[QWidget, ...] = (
            self.stand_in_button, self.hint, self.words, self.address, self.name, self.connect_button,
        )  # fmt: skip
        for widget in connecting:
            widget.setVisible(cmm is None)
            widget.setEnabled(not m.busy)
        self.disconnect_button.setVisible(cmm is not None)
        self.home.setVisible(there and not m.homed)
        self.clear.setVisible(there and bool(m.error))
        self.again.setVisible(cmm is not None and not there and not m.busy)
        kind = "Stand-in" if m.stand_in is not None else "Machine"
        if cmm is None:
            words = "Not connected"
        elif not there:
            words = f"{kind}: connection lost"
        else:
            called = m.machine.removeprefix(f"{cmm.link.host}:{cmm.link.port}").strip() if m.stand_in is None else ""
            words = f"{called or kind} at {cmm.link.host}:{cmm.link.port}" + ("" if m.homed else ", not homed")
        self.state.setText(words)
        say(self.error, m.error)
        pairs = []
        if cmm is not None and there:
            pairs = [
                ("part temperature", "-" if m.temperature_c is None else f"{m.temperature_c:.1f} °C"),
                ("on the machine", cmm.mounted or "nothing"),
                ("unreadable lines", str(cmm.link.garbage)) if cmm.link.garbage else ("pose", str(cmm.pose)),
            ]
        say(self.abilities, "" if cmm is None or not there else f"It {cmm.abilities.words(len(cmm.tools))}.")
        self.pairs.show_pairs(pairs)
        for told in (self.probe_line, self.mounts, self.going_wrong):
            told.setVisible(there and m.hands is not None)
        for known in (self.table_row, self.standing, self.reaching):
            known.setVisible(there)
        self.fixtures.refresh()
        self.travel.refresh()
        if m.record.table_z is None:
            self.table.clear()
        else:
            self.table.show_length(m.record.table_z)
        self.names.refresh()
        names = [a.name for a in self._model.probing.assemblies if a.styli()]
        if [self.mounts.itemData(i) for i in range(self.mounts.count())] != ["", *names]:
            self.mounts.clear()
            self.mounts.addItem("put a probe on by hand …", "")
            for name in names:
                self.mounts.addItem(name, name)
        self.mounts.setCurrentIndex(max(0, self.mounts.findData(cmm.mounted if cmm is not None else "")))
        for shown in (self.busy, self.progress, self.stop):
            shown.setVisible(m.busy)
        self.busy.setText(m.queue.busy_text)
        self.progress.setValue(round(100 * m.queue.busy_fraction))
