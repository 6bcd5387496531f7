"""What places are counted from: three places of the scan, clicked or typed."""

from functools import partial

from pydantic import ValidationError
from PySide6.QtWidgets import QLineEdit

from truegauge.app.stages.evaluate.surface.area_model import TOOLS, AreaModel
from truegauge.app.widgets.bench import button, label, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import row
from truegauge.core.typed_number import typed_number
from truegauge.drawing.units import MM_PER_INCH
from truegauge.formats.plan_file import plain

_PLACES = ("origin", "along x", "side of y")
_USUAL = ((0.0, 0.0, 0.0), (100.0, 0.0, 0.0), (0.0, 100.0, 0.0))  # mm


class FrameBox(Fold):
    """The coordinates of the scan, until there is a frame."""

    def __init__(self, area: AreaModel) -> None:
        super().__init__("Where places are counted from")
        self._area = area
        self.pick = button("Count from three places", lambda: area.take("frame"))
        self.pick.setToolTip(TOOLS["frame"])
        self.fields = [QLineEdit() for _ in _PLACES]
        self.problem = label("", "bad", wrap=True)
        self.none = button("Count as in the scan", area.forget_frame)
        self.column.addWidget(self.pick)
        for k, (field, words) in enumerate(zip(self.fields, _PLACES, strict=True)):
            field.setAccessibleName(f"frame: {words}")
            field.setPlaceholderText("x y z")
            field.editingFinished.connect(partial(self._typed, k))
            self.column.addWidget(row(words.capitalize(), field))
        for widget in (self.problem, self.none):
            self.column.addWidget(widget)

    @property
    def _unit(self) -> float:
        return 1.0 if self._area.surface.session.plan.unit == "mm" else MM_PER_INCH

    def _text(self, place: tuple[float, float, float]) -> str:
        return "  ".join(f"{c / self._unit:.10g}" for c in place)

    def _typed(self, number: int) -> None:
        check = self._area.surface.check
        if check is None or not self.fields[number].text().strip():
            return
        places = list(check.frame or _USUAL)
        if check.frame is not None and self.fields[number].text() == self._text(places[number]):
            return
        try:
            numbers = [typed_number(part) * self._unit for part in self.fields[number].text().split()]
            if len(numbers) != len(_PLACES):
                raise ValueError("a place has three numbers: x, y and z")
            places[number] = (numbers[0], numbers[1], numbers[2])
            check.replace(frame=tuple(places))
        except ValueError as error:
            say(self.problem, plain(error) if isinstance(error, ValidationError) else str(error))
            return
        self._area.surface.change(frame=tuple(places))

    def refresh(self) -> None:
        """Show the frame as it is."""
        check = self._area.surface.check
        frame = None if check is None else check.frame
        for k, field in enumerate(self.fields):
            if not field.hasFocus():
                field.setText("" if frame is None else self._text(frame[k]))
        say(self.problem, "")
        self.none.setVisible(frame is not None)
