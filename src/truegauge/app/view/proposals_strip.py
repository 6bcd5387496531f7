"""The proposals strip: what makes sense for the selection, with live values; Enter takes the first."""

from collections import Counter

from PySide6.QtCore import QSize, Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import empty_layout
from truegauge.app.widgets.painting import glyph_icon
from truegauge.app.widgets.text_size import TEXT, sized
from truegauge.app.widgets.theme import LiveTheme, on
from truegauge.core.authoring.proposals import Proposal
from truegauge.core.nodes.graph import NotComputed
from truegauge.drawing.units import NumberFormat

_SCALE, _MORE = 112, 76  # pixels: the deviation scale at the right, the button for more
ABOVE = 102  # pixels below it belong to hover text, axes and ruler


class ProposalsStrip(QFrame):
    """A floating card over the view."""

    def __init__(self, session: Session, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self.setProperty("role", "card")
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(12, 7, 12, 7)
        self._layout.setSpacing(8)
        self.buttons: list[QPushButton] = []
        self.more: QMenu | None = None
        self._laid_for: tuple[int, int] = (0, 0)  # width of the view, text size
        session.proposing.changed.connect(self._refresh)
        session.showing.changed.connect(self._refresh)
        session.selection.changed.connect(self._refresh)
        theme.changed.connect(self._refresh)
        session.document.plan_changed.connect(self._refresh)
        self.hide()

    @property
    def _scale_width(self) -> int:
        return _SCALE if self._session.shows_scale else 14

    def _what(self) -> str:
        evaluator = self._session.evaluator
        names = []
        for group in self._session.selection.groups:
            nominal = evaluator.nominal(group, self._session.plan) if evaluator else None
            if nominal is None or isinstance(nominal, NotComputed):
                names.append("free-form face")
            else:
                names.append(str(nominal.shape))
        counts = Counter(names)
        return " + ".join(name if n == 1 else f"{n} {_plural(name)}" for name, n in counts.items())

    def fit(self) -> None:
        """Put as many on it as there is room for now, where that has changed."""
        if self.isVisible() and self._laid_for != self._room():
            self._refresh()

    def _room(self) -> tuple[int, int]:
        around = self.parentWidget()
        return (around.width() if around is not None else 800), TEXT.percent

    def _refresh(self) -> None:
        self._laid_for = self._room()
        empty_layout(self._layout)
        self.buttons = []
        self.more = None
        groups, plan = self._session.selection.groups, self._session.plan
        if not groups or all(isinstance(g, str) and plan.reading(g) is not None for g in groups):
            self.hide()  # nothing more is to be said of what is read off the cloud
            return
        label = QLabel(self._what())
        label.setProperty("role", "soft")
        label.setParent(self)
        self._layout.addWidget(label)
        numbers = NumberFormat(plan.unit, plan.decimals)
        # The strip has room for some; the others are behind "more".
        label.ensurePolished()
        room = self._laid_for[0] - sized(self._scale_width + _MORE) - 14 - 2 * 12
        said = label.sizeHint().width() + self._layout.spacing()
        room -= said
        others = [i for i, p in enumerate(self._session.proposing.proposals) if not p.kind.common]
        if len(others) == len(self._session.proposing.proposals):
            others = []
        for i, p in enumerate(self._session.proposing.proposals):
            if i in others:
                continue
            button = QPushButton(f"{p.label}  {_value(p, numbers)}")
            button.setIcon(glyph_icon(p.kind.symbol, on(self._theme)[1] if i == 0 else self._theme.ink, 18))
            button.setIconSize(QSize(18, 18))
            button.setToolTip(p.reason or f"Add {p.label}" + (" (Enter)" if i == 0 else ""))
            button.setProperty("main", i == 0)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, index=i: self._session.proposing.accept(index))
            button.setParent(self)
            button.ensurePolished()
            room -= button.sizeHint().width() + self._layout.spacing()
            if room < 0 and not self.buttons:  # what is selected is seen in the view
                label.setParent(None)
                label.deleteLater()
                room += said
            if room < 0 and self.buttons:
                button.deleteLater()
                others = sorted({*others, *range(i, len(self._session.proposing.proposals))})
                break
            self._layout.addWidget(button)
            self.buttons.append(button)
        if others and self.buttons:
            self._layout.addWidget(self._more_button(others, numbers))
        if not self._session.proposing.proposals:
            several = len(self._session.selection.groups) > 1
            hint = "measuring …" if self._session.queue.is_busy else (
                "constructions are in the Measure stage" if several
                else "nothing to propose; add a second face with Ctrl")  # fmt: skip
            wait = QLabel(hint)
            wait.setProperty("role", "soft")
            self._layout.addWidget(wait)
        for i in range(self._layout.count()):
            item = self._layout.itemAt(i)
            widget = item.widget() if item else None
            if widget is not None:
                widget.show()  # a child added to a visible parent shows itself too late for the size
        self.show()
        self._layout.activate()
        self.adjustSize()
        self.raise_()
        parent = self.parentWidget()
        if parent is not None:
            self.move(14, parent.height() - self.height() - sized(ABOVE))

    def _more_button(self, others: list[int], numbers: NumberFormat) -> QPushButton:
        """Return the button behind which the less common kinds are, with their values."""
        button = QPushButton("more")
        button.setToolTip("Sizes by their modifiers, two-point sizes, parts of distances and angles …")
        menu = QMenu(button)

        def fill() -> None:
            """Only for who opens it: glyphs of many kinds take a while."""
            menu.clear()
            for i in others:
                p = self._session.proposing.proposals[i]
                text = f"{p.label}   {_value(p, numbers)}"
                action = menu.addAction(glyph_icon(p.kind.symbol, self._theme.ink, 18), text)
                action.setToolTip(p.reason)
                action.triggered.connect(lambda _=False, index=i: self._session.proposing.accept(index))

        menu.aboutToShow.connect(fill)
        button.setMenu(menu)
        self.more = menu
        return button


def _plural(name: str) -> str:
    return f"{name}es" if name.endswith("torus") else f"{name}s"


def _value(proposal: Proposal, numbers: NumberFormat) -> str:
    return "–" if proposal.value is None else numbers.of(proposal.kind.name).value(proposal.value)
