"""The Poses page: the poses of a head, typed, filtered, or found for the features of the plan."""

import math

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractItemView, QLineEdit, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.bench import button, label, say
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_size, painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.components import Articulation

_DATA = Qt.ItemDataRole.UserRole


class PoseDial(QWidget):
    """All poses of a head seen from below: the middle points down, the rim is the largest tilt; a click chooses."""

    chosen = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.own: Articulation | None = None
        self.poses: tuple[HeadPose, ...] = ()
        self.pose = HeadPose()
        keep_size(self, height=196)
        self.setAccessibleName("poses of the head")
        self.setToolTip("Click to choose a pose: the distance from the middle is the tilt, the direction the turn")

    def _place(self, pose: HeadPose, own: Articulation) -> QPointF:
        reach = self._radius() * pose.tilt_deg / own.tilt_max_deg
        turn = math.radians(pose.turn_deg)
        return self._middle() + QPointF(-reach * math.sin(turn), -reach * math.cos(turn))

    def _radius(self) -> float:
        room = room_of(self)
        return min(room.width() / 2 - 22.0, room.height() / 2 - 18.0)

    def _middle(self) -> QPointF:
        return room_of(self).center()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw rings of tilt, the poses of the assembly, and the chosen one."""
        painter, t, own = painter_on(self), self.theme, self.own
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if own is None:
            return
        middle, radius = self._middle(), self._radius()
        painter.setFont(font(11))
        tilt = 30.0
        while tilt <= own.tilt_max_deg + 1e-9:
            reach = radius * tilt / own.tilt_max_deg
            painter.setPen(QPen(QColor(t.rule), 1))
            painter.drawEllipse(middle, reach, reach)
            painter.setPen(QColor(t.soft))
            painter.drawText(QPointF(middle.x() + 3, middle.y() + reach - 3), f"{tilt:g}°")
            tilt += 30.0
        painter.setPen(QPen(QColor(t.rule), 1.4))
        painter.drawEllipse(middle, radius, radius)
        for name, turn in (("0°", 0.0), ("90°", 90.0), ("180°", 180.0), ("-90°", -90.0)):
            at = middle + QPointF(
                -(radius + 10) * math.sin(math.radians(turn)), -(radius + 10) * math.cos(math.radians(turn))
            )
            painter.setPen(QColor(t.soft))
            painter.drawText(QRectF(at.x() - 20, at.y() - 8, 40, 16), Qt.AlignmentFlag.AlignCenter, name)
        for pose in self.poses:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.soft))
            painter.drawEllipse(self._place(pose, own), 3.4, 3.4)
        at = self._place(self.pose, own)
        painter.setPen(QPen(QColor(t.accent), 2.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawLine(middle, at)
        painter.drawEllipse(at, 6.5, 6.5)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the pose nearest to the pointer."""
        own = self.own
        if own is None:
            return
        off = point_at_100(event.position()) - self._middle()
        tilt = math.hypot(off.x(), off.y()) / self._radius() * own.tilt_max_deg
        turn = math.degrees(math.atan2(-off.x(), -off.y()))
        step = own.step_deg
        tilt = min(max(round(tilt / step) * step, own.tilt_min_deg), own.tilt_max_deg)
        turn = min(max(round(turn / step) * step, own.turn_min_deg), own.turn_max_deg)
        self.chosen.emit(HeadPose(tilt_deg=tilt, turn_deg=turn if tilt else 0.0))


class PosesPage(QWidget):
    """The dial, the table, and ways to add poses."""

    def __init__(self, model: DevicesModel, theme: Theme) -> None:
        super().__init__()
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.about = label("", "soft", wrap=True)
        column.addWidget(self.about)
        self.dial = PoseDial(theme)
        self.dial.chosen.connect(model.choose_pose)
        column.addWidget(self.dial)
        self.typed = QLineEdit()
        self.typed.setPlaceholderText("tilt/turn, as 90/-45")
        self.typed.setAccessibleName("poses to add")
        self.typed.returnPressed.connect(self._on_typed)
        self.add = button("Add", self._on_typed)
        keep_size(self.add, width=62)
        column.addWidget(row(self.typed, self.add))
        self.needed = button("Add what the plan needs", model.add_needed_poses, main=True)
        column.addWidget(self.needed)
        self.answers = label("", "soft", wrap=True)
        column.addWidget(self.answers)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("filter: 90, or a state")
        self.filter.setAccessibleName("filter of poses")
        self.filter.textChanged.connect(lambda _: self._fill())
        column.addWidget(self.filter)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels(["Tilt", "Turn", "State"])
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.setColumnWidth(0, 62)
        self.table.setColumnWidth(1, 66)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAccessibleName("poses")
        self.table.itemSelectionChanged.connect(self._on_selected)
        column.addWidget(self.table, 1)
        self.remove = button("Remove the selected", self._on_remove)
        column.addWidget(self.remove)
        self._filling = False

    def _on_typed(self) -> None:
        text = self.typed.text().strip() or str(self._model.chosen_pose)
        if self._model.add_poses(text):
            self.typed.clear()

    def _selected(self) -> tuple[HeadPose, ...]:
        rows = {i.row() for i in self.table.selectedIndexes()}
        found = []
        for k in sorted(rows):
            item = self.table.item(k, 0)
            if item is not None:
                found.append(item.data(_DATA))
        return tuple(found)

    def _on_selected(self) -> None:
        chosen = self._selected()
        if chosen and not self._filling:
            self._model.choose_pose(chosen[0])

    def _on_remove(self) -> None:
        self._model.remove_poses(self._selected())

    def refresh(self) -> None:
        """Show the poses of the chosen assembly."""
        m = self._model
        own = m.assembly
        head = None if own is None else own.articulation
        if own is None:
            say(self.about, "Build a probe first.")
        elif head is None:
            say(self.about, f"{own.name} has a fixed head: its styli point where they are built to.")
        else:
            say(
                self.about,
                f"{own.name}: tilt {head.tilt_min_deg:g} to {head.tilt_max_deg:g}°, steps of {head.step_deg:g}°",
            )
        for widget in (self.dial, self.typed, self.add, self.needed, self.filter, self.table, self.remove):
            widget.setVisible(head is not None)
        self.dial.own, self.dial.pose = head, m.chosen_pose
        self.dial.poses = () if own is None else own.poses
        self.dial.update()
        missing = [a for a in m.answers if a.pose is None]
        text = ""
        if m.answers:
            used = {a.pose for a in m.answers if a.pose is not None}
            text = f"{len(m.answers) - len(missing)} of {len(m.answers)} features are served by {len(used)} poses."
            for a in missing[:3]:
                text += f" {a.feature}: {a.why}."
        say(self.answers, text if head is not None else "")
        self._fill()

    def _fill(self) -> None:
        m = self._model
        own = m.assembly
        words = self.filter.text().lower().split()
        rows = []
        for pose in own.poses if own is not None else ():
            states = [
                m.machine.state(u).state for u in m.probing.uses() if u.assembly == m.chosen_assembly and u.pose == pose
            ]
            state = max(states, key=lambda s: s.value != "qualified").value if states else ""
            text = f"{pose} {pose.tilt_deg:g} {pose.turn_deg:g} {state}"
            if all(w in text for w in words):
                rows.append((pose, state))
        self._filling = True
        chosen = m.chosen_pose
        self.table.setRowCount(len(rows))
        for k, (pose, state) in enumerate(rows):
            for c, value in enumerate((f"{pose.tilt_deg:g}°", f"{pose.turn_deg:g}°", state)):
                item = QTableWidgetItem(value)
                item.setData(_DATA, pose)
                self.table.setItem(k, c, item)
            if pose == chosen and pose not in self._selected():
                self.table.selectRow(k)
        self._filling = False
