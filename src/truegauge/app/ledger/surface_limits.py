"""Limits of surface checks beside the characteristics: what was found, against what is allowed."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QMouseEvent, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from truegauge.app.document.session import Session
from truegauge.app.ledger.ledger_order import Order
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import painter_on, point_at_100, room_of, sized
from truegauge.app.widgets.theme import Theme
from truegauge.core.evaluation.surface_judgement import WORDS, Judged, judge
from truegauge.core.plan.surface_checks import AT_LEAST
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.fitting import fitting
from truegauge.drawing.surface_numbers import amount_text
from truegauge.drawing.units import NumberFormat
from truegauge.reporting.figures import STATE_WORDS

_HEAD, _ROW, _EDGE = 26.0, 42.0, 12.0  # pixels
_UNKNOWN = "not looked at yet"


@dataclass(frozen=True, slots=True)
class Limits:
    """What is shown of a check: name, results (None: not known yet), and what is limited, in words."""

    check: str
    name: str
    judged: tuple[Judged | None, ...]
    words: tuple[str, ...]


class SurfaceLimits(QWidget):
    """Seen where the plan has limits of surfaces; what is not worked out yet is said to be."""

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self._session, self._theme, self._narrow = session, theme, False
        self._order = Order()
        self.setAccessibleName("Limits of surfaces")
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("Click to look at the surface, and at what comes nearest to this limit or breaks it")
        session.surfaces.changed.connect(self.refresh)
        session.document.plan_changed.connect(self.refresh)
        session.document.sample_changed.connect(self.refresh)
        self.refresh()

    def set_narrow(self, *, narrow: bool) -> None:
        """Have no room for words, or have it again."""
        self._narrow = narrow
        self.refresh()

    def set_order(self, order: Order) -> None:
        """Show what is searched for, and what is outside of its limit where nothing else is wanted."""
        self._order = order
        self.refresh()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Look at the worst one of a limit."""
        y = point_at_100(event.position()).y()
        for shown in self.rows():
            judged = shown.judged
            row = int((y - _HEAD) // _ROW)
            if y < _HEAD + _ROW * len(judged):
                one = judged[row] if row >= 0 else None
                self._session.surfaces.wanted.emit(shown.check, -1 if one is None else one.worst)
                return
            y -= _HEAD + _ROW * len(judged)

    def rows(self) -> list[Limits]:
        """Return what is shown of each check with limits."""
        s = self._session
        known = s.surfaces.known()
        made = []
        for check in s.plan.surface_checks:
            found = known.get(check.id)
            judged: tuple[Judged | None, ...] = (None,) * len(check.limits)
            if found is not None:
                judged = judge(found, check.limits, s.plan.decision)
            words = tuple(self._limit(one.quantity, one.limit) for one in check.limits)
            shown = [k for k, one in enumerate(judged) if self._is_shown(f"{check.name} {words[k]}", one)]
            if shown:
                made.append(Limits(check.id, check.name, tuple(judged[k] for k in shown),
                                   tuple(words[k] for k in shown)))  # fmt: skip
        return made

    def _is_shown(self, words: str, one: Judged | None) -> bool:
        if self._order.outside_only and (one is None or one.decision.state != State.OUTSIDE):
            return False
        return all(w in words.lower() for w in self._order.search.lower().split())

    def _limit(self, quantity: str, limit: float) -> str:
        numbers = NumberFormat(self._session.plan.unit, self._session.plan.decimals)
        return f"{WORDS[quantity]} {'≥' if quantity in AT_LEAST else '≤'} {amount_text(limit, quantity, numbers)}"

    def refresh(self) -> None:
        """Show the limits as they are now."""
        self.setVisible(not self._narrow and self._session.sample is not None and bool(self.rows()))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """As high as its rows are."""
        rows = self.rows()
        high = sum(_HEAD + _ROW * len(shown.judged) for shown in rows) + _EDGE
        return QSize(sized(200), sized(high))

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint them."""
        t, room = self._theme, room_of(self)
        numbers = NumberFormat(self._session.plan.unit, self._session.plan.decimals)
        colors = {State.WITHIN: t.within, State.NEAR: t.near, State.OUTSIDE: t.outside, State.UNDECIDED: t.near}
        with PainterSurface(painter_on(self)) as s:
            y, end = 0.0, room.width() - _EDGE
            for shown in self.rows():
                name = fitting(shown.name, lambda part: s.advance(part, 13, bold=True) < end - _EDGE)
                s.text(_EDGE, y + 18, name, 13, t.ink, bold=True)
                y += _HEAD
                for one, limit in zip(shown.judged, shown.words, strict=True):
                    state = State.NOT_MEASURED if one is None else one.decision.state
                    color = colors.get(state, t.soft)
                    s.box(_EDGE, y + 4, 4, _ROW - 10, fill=color)
                    value = "–" if one is None else "none" if one.value != one.value else (
                        amount_text(one.value, one.limit.quantity, numbers))  # fmt: skip
                    s.text(_EDGE + 12, y + 17, value, 15, t.ink, bold=True)
                    words = _UNKNOWN if one is None else STATE_WORDS[state]
                    s.text(end - s.advance(words, 12), y + 17, words, 12, color if state != State.WITHIN else t.soft)
                    wide = end - _EDGE - 12
                    s.text(_EDGE + 12, y + 33, fitting(limit, lambda part: s.advance(part, 12) < wide), 12, t.soft)  # noqa: B023
                    y += _ROW
