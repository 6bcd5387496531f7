"""Places that the tip goes by on its way to a touch: those there are, and the fields of one more."""

from collections.abc import Callable

from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import button
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import row
from truegauge.core.routes.document import MeasureStep, Via
from truegauge.drawing.units import NumberFormat


class ViaFields(Fold):
    """In coordinates of the part, of the middle of the tip."""

    def __init__(
        self, session: Session, step: Callable[[], MeasureStep | None], taken: Callable[[tuple[Via, ...]], None]
    ) -> None:  # fmt: skip
        super().__init__("Places on its way")
        self._session, self._step, self._taken = session, step, taken
        self.list = QComboBox()
        self.list.setAccessibleName("places on the way")
        self.before = QLineEdit("1")
        self.before.setAccessibleName("before which touch")
        line = QWidget()
        fields = QHBoxLayout(line)
        fields.setContentsMargins(0, 0, 0, 0)
        self.place: dict[str, QLineEdit] = {}
        for axis in "XYZ":
            field = self.place[axis] = QLineEdit()
            field.setPlaceholderText(axis)
            field.setAccessibleName(f"place on the way, {axis}")
            fields.addWidget(field)
        self.add, self.remove = button("Add", self._on_add), button("Remove", self._on_remove)
        for widget in (self.list, row("before touch", self.before), line, row(self.add, self.remove)):
            self.column.addWidget(widget)

    def _numbers(self) -> NumberFormat:
        plan = self._session.plan
        return NumberFormat(plan.unit, plan.decimals)

    def refresh(self) -> None:
        """Show those of the step."""
        step, numbers = self._step(), self._numbers()
        known = () if step is None else step.via
        said = [f"before {v.before + 1}: {', '.join(numbers.value(x) for x in v.place)}" for v in known] or ["none"]
        if [self.list.itemText(k) for k in range(self.list.count())] != said:
            self.list.clear()
            self.list.addItems(said)
        self.list.setEnabled(bool(known))
        self.remove.setEnabled(bool(known))

    def _on_add(self) -> None:
        step = self._step()
        if step is None:
            return
        try:
            before = int(self.before.text()) - 1
            x, y, z = (self._numbers().parse(self.place[axis].text()) for axis in "XYZ")
            made = Via(before=before, place=(x, y, z))
        except ValueError:
            self._session.notify("A place on the way needs the number of the touch that it leads to, and X, Y and Z")
            return
        self._taken((*step.via, made))
        for field in self.place.values():
            field.clear()

    def _on_remove(self) -> None:
        step, k = self._step(), self.list.currentIndex()
        if step is not None and 0 <= k < len(step.via):
            self._taken((*step.via[:k], *step.via[k + 1 :]))
