"""The Qualify page: the reference sphere, how styli are qualified, which ones, and the run."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import (
    QCheckBox,
    QDoubleSpinBox,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.stylus_states import color_of, marker_of
from truegauge.app.stages.devices.unit_box import UnitBox
from truegauge.app.widgets.bench import button, label, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.parts import choice, choose, row
from truegauge.app.widgets.text_size import at_100, enlarge, keep_size, sized_size
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import StylusState
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.sphere import advice
from truegauge.drawing.units import NumberFormat

_DATA = Qt.ItemDataRole.UserRole
_ORDERS = (("pose", "by pose"), ("stylus", "by stylus"), ("state", "by state"))
_STATES = {StylusState.QUALIFIED: "qualified", StylusState.DUE: "due", StylusState.FAILED: "failed",
           StylusState.NOT_QUALIFIED: "not yet"}  # fmt: skip
_WORST = (StylusState.FAILED, StylusState.NOT_QUALIFIED, StylusState.DUE, StylusState.QUALIFIED)
_BY = (("machine", "by machine"), ("first touch by hand", "first touch by hand"), ("hand", "all by hand"))


_ROW, _HEADING = 27, 25


@dataclass(frozen=True, slots=True)
class _Row:
    """A stylus as it is listed; `use` None: the heading of an assembly."""

    use: StylusUse | None
    name: str
    state: StylusState | None = None
    value: str = ""
    words: str = ""
    master: bool = False


class _StylusRow(QStyledItemDelegate):
    """A stylus: marker of its state, name, how well its last touches agreed; headings between the assemblies."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:
        """Return the size of a row."""
        row: _Row = index.data(_DATA)  # type: ignore[attr-defined]
        return sized_size(100, _HEADING if row.use is None else _ROW)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: object) -> None:
        """Draw it."""
        t = self.theme
        rect = at_100(QRectF(option.rect))  # type: ignore[attr-defined]
        row: _Row = index.data(_DATA)  # type: ignore[attr-defined]
        painter.save()
        enlarge(painter)
        painter.setRenderHint(QPainter.RenderHint.TextAntialiasing)
        cut, middle = Qt.TextElideMode.ElideRight, Qt.AlignmentFlag.AlignVCenter
        if row.use is None:
            painter.setPen(QColor(t.soft))
            painter.setFont(font(11.5, bold=True))
            box = rect.adjusted(4, 2, -6, 0)
            painter.drawText(box, middle, painter.fontMetrics().elidedText(row.name, cut, round(box.width() - 62)))
            painter.setFont(font(11))
            painter.drawText(box, middle | Qt.AlignmentFlag.AlignRight, row.value)
            painter.setPen(QColor(t.rule))
            painter.drawLine(rect.bottomLeft(), rect.bottomRight())
            painter.restore()
            return
        if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined]
            painter.fillRect(rect, QColor(t.accent_soft))
        assert row.state is not None
        mark = QPointF(rect.x() + 13, rect.center().y())
        draw_marker(painter, marker_of(row.state), mark, 5.2, color_of(row.state, t))
        painter.setFont(font(12))
        room = painter.fontMetrics().horizontalAdvance(row.value) + 10
        painter.setPen(QColor(t.soft))
        painter.drawText(rect.adjusted(0, 0, -6, 0), middle | Qt.AlignmentFlag.AlignRight, row.value)
        painter.setPen(QColor(t.ink))
        painter.setFont(font(12.5, bold=row.master))
        box = rect.adjusted(26, 0, -6 - room, 0)
        painter.drawText(box, middle, painter.fontMetrics().elidedText(row.name, cut, round(box.width())))
        painter.restore()


class QualifyPage(QWidget):
    """Settings, the list of styli, and the run."""

    def __init__(self, model: DevicesModel, theme: Theme) -> None:
        super().__init__()
        self._model, self._machine = model, model.machine
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._sphere_fold())
        column.addWidget(self._settings_fold())
        column.addWidget(self._limits_fold())
        self.advice = label("", "soft", wrap=True)
        column.addWidget(self.advice)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Find")
        self.filter.setToolTip("An angle, a name, a state: 90, star, due")
        self.filter.setClearButtonEnabled(True)
        self.filter.setAccessibleName("find styli")
        self.filter.textChanged.connect(lambda _: self._fill_list())
        self.order = choice(_ORDERS, lambda _: self._fill_list(), "order of the styli")
        self.order.setMinimumContentsLength(6)
        column.addWidget(row(self.filter, self.order))
        self.list = QListWidget()
        keep_size(self.list, least_height=190)
        self.list.setAccessibleName("styli")
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self._row = _StylusRow(theme)
        self.list.setItemDelegate(self._row)
        self.list.itemSelectionChanged.connect(self._on_selected)
        column.addWidget(self.list, 1)
        self.why = label("", "soft", wrap=True)
        column.addWidget(self.why)
        self.all = button("Qualify all that need it", lambda: model.qualifying.qualify(model.in_need()), main=True)
        self.selected = button("Qualify the selected", lambda: model.qualifying.qualify(self.chosen()))
        self.operator = button("Let the operator touch it", self._on_operator)
        self.go_on = button("Go on", model.qualifying.go_on, main=True)
        self.skip = button("Skip the stylus", model.qualifying.skip)
        self.give_up = button("Stop", model.qualifying.give_up)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        for widget in (self.all, self.selected, self.operator, self.go_on, self.skip, self.progress, self.give_up):
            column.addWidget(widget)
        self._filling = False

    def _sphere_fold(self) -> Fold:
        m = self._model
        self.sphere = Fold("Reference sphere")
        self.sphere_name, self.certificate = QLineEdit(), QLineEdit()
        self.sphere_name.setAccessibleName("name of the sphere")
        self.certificate.setAccessibleName("certificate of the sphere")
        self.sphere_name.editingFinished.connect(
            lambda: self._set_text("sphere", "name", self.sphere_name.text().strip() or "Reference sphere")
        )
        self.certificate.editingFinished.connect(
            lambda: self._set_text("sphere", "certificate", self.certificate.text().strip())
        )
        self._boxes: list[tuple[UnitBox, str, str]] = []
        self.sphere.column.addWidget(row("Name", self.sphere_name))
        self.sphere.column.addWidget(row("Certificate", self.certificate))
        for words, name, low, high, decimals, suffix in (
            ("Diameter", "diameter", 1.5, 200, 4, " mm"), ("Stem tilt", "stem_tilt_deg", 0, 180, 1, "°"),
            ("Stem turn", "stem_turn_deg", -360, 360, 1, "°"), ("Stem diameter", "stem_diameter", 0.5, 100, 1, " mm"),
            ("Stem length", "stem_length", 1, 1000, 1, " mm"),
        ):  # fmt: skip
            self.sphere.column.addWidget(row(words, self._box("sphere", name, low, high, decimals, suffix)))
        self.moved = button("It was moved", m.qualifying.sphere_moved)
        self.moved.setToolTip("Whoever moved the sphere says so here: then it is touched by hand before the next run")
        self.sphere.column.addWidget(self.moved)
        return self.sphere

    def _settings_fold(self) -> Fold:
        self.settings = Fold("How it is done")
        self.by = choice(_BY, self._on_by, "who qualifies")
        self.settings.column.addWidget(self.by)
        for words, name, low, high, decimals, suffix in (
            ("Touches", "touches", 5, 100, 0, ""), ("Rows", "rows", 1, 10, 0, ""),
            ("Down to", "span_deg", 30, 110, 0, "°"), ("Approach", "approach", 0.5, 100, 1, " mm"),
            ("Retract", "retract", 0.5, 100, 1, " mm"), ("Travel speed", "travel_speed", 1, 2000, 0, " mm/s"),
            ("Touch speed", "touch_speed", 0.1, 100, 1, " mm/s"),
        ):  # fmt: skip
            self.settings.column.addWidget(row(words, self._box("settings", name, low, high, decimals, suffix)))
        self.two = QCheckBox("find the centre first, then measure")
        self.two.clicked.connect(lambda on: self._model.change_part("settings", "two passes", two_passes=bool(on)))
        self.settings.column.addWidget(self.two)
        return self.settings

    def _limits_fold(self) -> Fold:
        self.limits = Fold("Limits, and when it is due")
        for words, name in (("Good up to", "good"), ("Acceptable to", "acceptable"), ("Look into it to", "look"),
                            ("Sphere moved from", "moved")):  # fmt: skip
            self.limits.column.addWidget(row(words, self._box("limits", name, 0.0001, 10, 4, " mm")))
        for words, name, high, suffix in (("Due after", "days", 3660, " d"), ("A shift is", "shift_hours", 48, " h"),
                                          ("Change of", "temperature", 50, " K")):  # fmt: skip
            box = self._box("due", name, 0, high, 1, suffix)
            box.setToolTip("0: never")
            self.limits.column.addWidget(row(words, box))
        self.allow = QCheckBox("measure with styli not qualified")
        self.allow.setToolTip("The report says so then")
        self.allow.clicked.connect(
            lambda on: self._model.change(self._model.probing.replace(allow_unqualified=bool(on)),
                                          "measuring with styli not qualified"))  # fmt: skip
        self.limits.column.addWidget(self.allow)
        return self.limits

    def _box(self, part: str, name: str, low: float, high: float, decimals: int, suffix: str) -> QDoubleSpinBox:
        made = UnitBox(self._model.session, low, high, decimals, suffix)
        box = made.widget
        box.setAccessibleName(name.replace("_", " "))
        keep_size(box, width=96)
        whole = decimals == 0 and name in ("touches", "rows")

        def changed(shown: float) -> None:
            if self._filling:
                return
            value = made.value_of(shown)
            wanted: float | int | None = int(value) if whole else value
            if part == "due" and value == 0:
                wanted = None
            if wanted != getattr(getattr(self._model.probing, part), name):
                self._model.change_part(part, f"change {name.replace('_', ' ')}", **{name: wanted})

        box.valueChanged.connect(changed)
        self._boxes.append((made, part, name))
        return box

    def _on_by(self, who: str) -> None:
        self._model.change_part("settings", "who qualifies", by=who)

    def _set_text(self, part: str, name: str, text: str) -> None:
        if text != getattr(getattr(self._model.probing, part), name):
            self._model.change_part(part, f"change {name}", **{name: text})

    def chosen(self) -> tuple[StylusUse, ...]:
        """The styli that are selected."""
        rows: list[_Row] = [item.data(_DATA) for item in self.list.selectedItems()]
        return tuple(r.use for r in rows if r.use is not None)

    def _on_selected(self) -> None:
        if not self._filling:
            chosen = self.chosen()
            self._model.choose_use(chosen[0] if len(chosen) == 1 else None)

    def _on_operator(self) -> None:
        state = self._model.qualifying.run_state
        by_hand = self._model.probing.settings.by == "hand"
        self._machine.do("touch sphere", number=state.done if state is not None and by_hand else 0)

    def refresh(self) -> None:
        """Show the styli and the run."""
        m, machine = self._model, self._machine
        probing = m.probing
        self._filling = True
        for box, part, name in self._boxes:
            value = getattr(getattr(probing, part), name)
            box.show_value(0.0 if value is None else float(value))
        self.sphere_name.setText(probing.sphere.name)
        self.certificate.setText(probing.sphere.certificate)
        choose(self.by, probing.settings.by)
        self.two.setChecked(probing.settings.two_passes)
        self.allow.setChecked(probing.allow_unqualified)
        say(self.advice, advice(probing.settings.touches))
        self._fill_list()
        self._filling = False
        state = m.qualifying.run_state
        running = machine.busy and state is not None
        chosen, needing = self.chosen(), m.in_need()
        able = machine.connected and machine.homed and not machine.busy
        self.all.setVisible(state is None)
        self.selected.setVisible(state is None)
        self.all.setEnabled(able and bool(needing))
        self.selected.setEnabled(able and bool(chosen))
        wanted = chosen or needing
        words = ""
        if state is None and not probing.uses():
            words = "Build a probe first."
        elif state is None and not machine.connected:
            words = "Connect to a machine to qualify."
        elif state is None and not machine.homed:
            words = "Home the machine first."
        elif state is None and wanted:
            minutes = m.qualifying.seconds(wanted) / 60
            first = " The master locates the sphere first." if m.qualifying.locates_first(wanted) else ""
            why = m.why_by_hand()
            by_hand = f" One touch by hand: {why}." if why else ""
            count = f"{len(wanted)} {'stylus' if len(wanted) == 1 else 'styli'}"
            takes = f"{minutes:.0f} min" if minutes >= 1 else f"{60 * minutes:.0f} s"
            words = f"About {takes} for {count}.{first}{by_hand}{self._keep_free(wanted)}"
        elif state is not None and state.stopped and not machine.busy:
            words = "The run stands still: free the probe, if it must be, then go on."
        elif running and state is not None and not state.text:
            words = f"{machine.queue.busy_text}: about {max(0.0, state.job.seconds()) / 60:.1f} min to go"
        say(self.why, words)
        self.why.setToolTip("" if state is None else state.stopped)
        self.operator.setVisible(state is not None and bool(state.text) and machine.hands is not None)
        self.go_on.setVisible(state is not None and bool(state.stopped) and not machine.busy)
        self.skip.setVisible(state is not None and bool(state.stopped) and not machine.busy)
        self.give_up.setVisible(state is not None)
        self.progress.setVisible(running)
        self.progress.setValue(round(100 * machine.queue.busy_fraction))

    def _keep_free(self, wanted: tuple[StylusUse, ...]) -> str:
        """Say how much room the sphere needs while nobody knows where the part stands."""
        known = self._machine.known()
        if not known.unlocated:
            return ""
        room = ProbeRoom(self._model.probing, known, above=0.0)
        numbers = NumberFormat(self._model.session.plan.unit, 0)
        free = numbers.value(max(room.free_radius(u) for u in wanted))
        return f" The part is not located: keep {free} {numbers.unit} around the sphere free of it."

    def _rows(self) -> list[_Row]:
        """Return the styli that are wanted, each assembly under its heading."""
        m = self._model
        probing, master = m.probing, m.probing.master_or_first()
        numbers = NumberFormat(m.session.plan.unit, 4)
        words = self.filter.text().lower().split()
        order = str(self.order.currentData())
        found: list[_Row] = []
        for own in probing.assemblies:
            rows = []
            for use in (u for u in probing.uses() if u.assembly == own.id):
                said = self._machine.state(use, probing.moves.touch_speed)
                record = self._machine.record.latest(probing, use)
                value = _STATES[said.state] if record is None or said.state == StylusState.FAILED else (
                    f"s {numbers.value(record.deviation)}")  # fmt: skip
                place = own.stylus(use.stylus, use.pose)
                pose = f"{use.pose}  " if own.articulation is not None else ""
                name = f"{pose}stylus {place.name}" + (", master" if use == master else "")
                if all(w in f"{own.name} {name} {said.state}".lower() for w in words):
                    diameter = "" if record is None else f"Ø{numbers.value(record.diameter)}   "
                    rows.append(_Row(use, name, said.state, value, f"{diameter}{said.why}", use == master))
            if rows:
                rows.sort(key=lambda r: _sorted_by(order, r))
                good = sum(r.state == StylusState.QUALIFIED for r in rows)
                found += [_Row(None, own.name, value=f"{good} of {len(rows)}"), *rows]
        return found

    def _fill_list(self) -> None:
        chosen = set(self.chosen())
        if self._model.chosen_use is not None:
            chosen.add(self._model.chosen_use)
        rows = self._rows()
        if [self.list.item(k).data(_DATA) for k in range(self.list.count())] == rows:
            return
        was = self._filling
        self._filling = True
        self.list.clear()
        for made in rows:
            item = QListWidgetItem()
            item.setData(_DATA, made)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{made.name} {made.state or ''} {made.value}")
            if made.use is None:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            else:
                item.setToolTip(f"{self._model.probing.name_of(made.use)}: {made.state}\n{made.words}")
            self.list.addItem(item)
            item.setSelected(made.use is not None and made.use in chosen)
        self._filling = was


def _sorted_by(order: str, row: _Row) -> tuple[object, ...]:
    assert row.use is not None
    pose = (row.use.pose.tilt_deg, row.use.pose.turn_deg)
    if order == "stylus":
        return (row.use.stylus, *pose)
    if order == "state":
        return (_WORST.index(row.state) if row.state is not None else 0, *pose, row.use.stylus)
    return (not row.master, *pose, row.use.stylus)
