"""What is allowed of the imperfections: limits of the worst one and of all together, and how they are kept."""

import math
from functools import partial

from PySide6.QtWidgets import QLabel, QLineEdit, QWidget

from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.widgets.bench import button, label, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import choice, row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.evaluation.surface_judgement import WORDS
from truegauge.core.plan.surface_checks import AT_LEAST, SurfaceLimit
from truegauge.core.tolerancing.judgement import State
from truegauge.core.typed_number import typed_number
from truegauge.drawing.surface_numbers import amount_text, factor_of
from truegauge.drawing.units import NumberFormat
from truegauge.reporting.figures import STATE_WORDS


class LimitsBox(Fold):
    """One row for each limit: what it is of, the limit, what was found."""

    def __init__(self, model: SurfaceModel) -> None:
        super().__init__("What is allowed")
        self._model = model
        self.add = choice((), self._add, "add a limit")
        self.rows: dict[str, tuple[QWidget, QLineEdit, QLabel]] = {}
        for quantity, words in WORDS.items():
            field = QLineEdit()
            field.setAccessibleName(f"limit: {words}")
            keep_size(field, width=70)
            field.editingFinished.connect(partial(self._typed, quantity))
            gone = button("–", partial(self._remove, quantity))
            gone.setAccessibleName(f"no limit: {words}")
            keep_size(gone, width=36)
            sign = "≥" if quantity in AT_LEAST else "≤"
            found = label("", "soft", wrap=True)
            line = row(f"{words} {sign}", field, gone)
            self.rows[quantity] = line, field, found
            self.column.addWidget(line)
            self.column.addWidget(found)
        self.column.addWidget(self.add)

    def _limits(self) -> tuple[SurfaceLimit, ...]:
        check = self._model.check
        return () if check is None else check.limits

    def _add(self, quantity: str) -> None:
        if not quantity:
            return
        found = self._model.found
        value = self._model.amount(quantity) if found is not None else 0.0
        # As it is now, to begin with: what is there does not break it.
        toward = math.floor if quantity in AT_LEAST else math.ceil
        made = SurfaceLimit.model_validate({"quantity": quantity, "limit": toward(1000 * value) / 1000})
        self._model.change(limits=(*self._limits(), made))

    def _remove(self, quantity: str) -> None:
        self._model.change(limits=tuple(one for one in self._limits() if one.quantity != quantity))

    def _typed(self, quantity: str) -> None:
        field = self.rows[quantity][1]
        if not field.isModified():
            return
        field.setModified(False)
        try:
            value = typed_number(field.text()) * factor_of(quantity, self._model.session.plan.unit)
            if not 0 <= value <= 1e12:
                raise ValueError
        except ValueError:
            self._model.session.notify(f"{field.text()!r} is no limit for {WORDS[quantity]}; it stays as it was")
            self.refresh()
            return
        limits = tuple(one.replace(limit=value) if one.quantity == quantity else one for one in self._limits())
        self._model.change(limits=limits)

    def refresh(self) -> None:
        """Show the limits and what was found against them."""
        plan = self._model.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        limits = {one.quantity: one for one in self._limits()}
        judged = {one.limit.quantity: one for one in self._model.judged()}
        for quantity, (line, field, found) in self.rows.items():
            limit = limits.get(quantity)  # type: ignore[call-overload]
            line.setVisible(limit is not None)
            found.setVisible(limit is not None and quantity in judged)
            if limit is None:
                continue
            if not field.hasFocus():
                field.setText(f"{limit.limit / factor_of(quantity, plan.unit):.6g}")
            one = judged.get(quantity)  # type: ignore[call-overload]
            if one is not None:
                of = f" (number {one.worst + 1})" if one.worst >= 0 else ""
                value = "none" if one.value != one.value else amount_text(one.value, quantity, numbers)
                say(found, f"{STATE_WORDS[one.decision.state]}: {value}{of}")
                found.setProperty("role", "bad" if one.decision.state == State.OUTSIDE else "soft")
                found.style().unpolish(found)
                found.style().polish(found)
        left = [("", "Add a limit …"), *((q, w) for q, w in WORDS.items() if q not in limits)]
        if [self.add.itemData(k) for k in range(self.add.count())] != [q for q, _ in left]:
            self.add.clear()
            for quantity, words in left:
                self.add.addItem(words, quantity)
        self.add.setCurrentIndex(0)
        outside = sum(one.decision.state == State.OUTSIDE for one in judged.values())
        many = f"{len(limits)} limit{'s' * (len(limits) != 1)}"
        came = f"{outside} broken" if outside else "none broken" if judged else "nothing found yet"
        self.header.setText(f"What is allowed: {many}, {came}" if limits else "What is allowed")
