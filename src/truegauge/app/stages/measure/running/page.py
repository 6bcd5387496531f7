"""The page of a run: one decision at a time, in big words, with Enter for what comes next."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.stages.measure.running.interventions import PAUSED
from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.stages.measure.running.offers import Offer
from truegauge.app.stages.measure.running.verdict import verdict_of
from truegauge.app.stages.measure.running.view import RunView
from truegauge.app.track.track_view import clock
from truegauge.app.widgets.bench import Stack, button, empty_layout, label, say
from truegauge.app.widgets.text_size import keep_size, sized
from truegauge.app.widgets.theme import LiveTheme, font, state_color
from truegauge.core.tolerancing.judgement import State

_SHOWN_WHY = 8  # features whose reasons are told
Choices = list[tuple[str, Callable[[], object]]]  # what can be done, the first by Enter


class RunPage(QWidget):
    """Above what is asked, or done; below what helps to decide: a list, fields and a picture, the machine at work."""

    def __init__(
        self, model: RunModel, theme: LiveTheme, locate: Callable[[], None], report: Callable[[], None]
    ) -> None:
        """`locate` opens where the part is located by hand, `report` the report."""
        super().__init__()
        self.model, self._theme, self._locate, self._report = model, theme, locate, report
        self.setObjectName("window")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Run")
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 16, 24, 12)
        column.setSpacing(10)
        self.title = label("", "big", wrap=True)
        self.words = label("", "", wrap=True)
        self.note = label("", "bad", wrap=True)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        told: tuple[QWidget, ...] = (self.title, self.words, self.note, self.progress)
        for shown in told:
            column.addWidget(shown)
        self.buttons = QHBoxLayout()
        self.buttons.setSpacing(8)
        column.addLayout(self.buttons)
        self.list = QListWidget()
        self.list.setAccessibleName("What can be run")
        self.list.setWordWrap(True)
        self.list.setSpacing(2)
        self.list.currentRowChanged.connect(lambda _: self._show_why())
        self.list.itemDoubleClicked.connect(lambda _: self._first())
        self.needs = label("", "soft", wrap=True)
        choosing = QWidget()
        listed = QVBoxLayout(choosing)
        listed.setContentsMargins(0, 0, 0, 0)
        listed.addWidget(self.list)
        listed.addWidget(self.needs)
        listed.addStretch(1)
        self.serial, self.operator = QLineEdit(), QLineEdit()
        for field, name in ((self.serial, "serial number"), (self.operator, "operator")):
            field.setAccessibleName(name)
            field.setPlaceholderText(name)
            keep_size(field, width=190)
        self.serial.textChanged.connect(partial(setattr, model.part, "serial"))
        self.operator.textChanged.connect(partial(setattr, model.part, "operator"))
        self.same = QCheckBox("this part again")
        self.same.setToolTip("The touches go to the sample that is open; else a new sample begins")
        self.same.toggled.connect(self._on_same)
        self.before = QCheckBox("where it lies is taken over")
        self.before.setToolTip("What only tells where the part lies is taken over from the part before")
        self.before.toggled.connect(partial(setattr, model.part, "as_before"))
        self.original = QCheckBox("in the original order, this once")
        self.original.setToolTip("In the order that the route had before it was made shorter")
        self.original.toggled.connect(partial(setattr, model.part, "in_original_order"))
        fields = QHBoxLayout()
        fields.setSpacing(10)
        for widget in (self.serial, self.operator, self.same, self.before, self.original):
            fields.addWidget(widget)
        fields.addStretch(1)
        self.fields = QWidget()
        self.fields.setLayout(fields)
        fields.setContentsMargins(0, 0, 0, 0)
        self.view = RunView(model, theme)
        self.stack = Stack()
        for page in (choosing, self.view):
            self.stack.addWidget(page)
        column.addWidget(self.fields)
        column.addWidget(self.stack, 1)
        self._choices: Choices = []
        self._offers: tuple[Offer, ...] = ()
        self._shown: object = None
        model.changed.connect(self.refresh)

    # What is shown ------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show where the run stands, and what can be done."""
        if not self.isVisible():
            return
        m = self.model
        show = {"choose": self._choose, "place": self._place, "planning": self._planning, "running": self._running,
                "note": self._noted, "stopped": self._stopped, "done": self._done}[m.at]  # fmt: skip
        title, words, choices = show()
        self.title.setText(title)
        color = ""
        if m.at == "done" and (state := verdict_of(m.session.evaluation)[1]) is not None:
            color = f"color: {state_color(self._theme, str(state))};"
        self.title.setStyleSheet(color)
        self.words.setText(words)
        left = m.run.program.left if m.run is not None else ()
        missed = [(x.feature.name, x.why) for x in left]
        count = f"{len(missed)} {'feature is' if len(missed) == 1 else 'features are'} left out"
        say(self.note, f"{count}: {missed[0][0]}: {missed[0][1]}" if missed else "")
        self.note.setToolTip("\n".join(f"{name}: {why}" for name, why in missed))
        self.progress.setVisible(m.at in ("running", "note", "stopped", "planning"))
        made, of = m.done_of()
        self.progress.setRange(0, 0 if m.at == "planning" else max(of, 1))
        self.progress.setValue(made)
        self.fields.setVisible(m.at == "place")
        self.stack.setCurrentIndex(0 if m.at == "choose" else 1)
        self._offer(choices)

    def _offer(self, choices: Choices) -> None:
        """Put the buttons there; they are only made anew when others are wanted, so that the focus stays."""
        key = (self.model.at, tuple(text for text, _ in choices))
        self._choices = choices
        if key == self._shown:
            return
        self._shown = key
        empty_layout(self.buttons)
        for k, (text, _) in enumerate(choices):
            made = button(text, partial(self._press, k), main=k == 0)
            keep_size(made, height=38)
            self.buttons.addWidget(made)
        self.buttons.addStretch(1)
        if self.model.at == "place":
            self.serial.setFocus()
            self.serial.selectAll()
        elif self.model.at == "choose" and self.list.count():
            self.list.setFocus()
        else:
            self.setFocus()

    def _press(self, k: int) -> None:
        if k < len(self._choices):
            self._choices[k][1]()

    def _first(self) -> None:
        self._press(0)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter does what comes next, also from the list and the fields, which leave it; the space bar pauses."""
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or (
            event.key() == Qt.Key.Key_Space and self.model.at in ("running", "stopped")
        ):
            self._first()
        else:
            super().keyPressEvent(event)

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self._shown = None
        self.refresh()

    # One page after the other ---------------------------------------------------------------------------------------

    def _choose(self) -> tuple[str, str, Choices]:
        m = self.model
        close = ("Close", m.close_page)
        self.list.setVisible(True)
        why = m.why_not()
        if why:
            self._fill(())
            return "Nothing can be run yet", why, [close]
        cut = m.cut_off.found
        if cut is not None:
            about, state = cut
            self._fill(())
            name = about.sample.name or "a part"
            words = f"{len(state.taken)} touches are made; it was begun {about.started.replace('T', ' at ')}."
            return f"The run of {name} was cut off", words, [
                ("Go on with it", m.go_on_cut_off), ("Give it up", m.give_up_cut_off), close,
            ]  # fmt: skip
        self._fill(m.offers())
        return "What is to be run?", "", [("Next", self._on_chosen), close]

    def _fill(self, found: tuple[Offer, ...]) -> None:
        """List what can be run; the one that was chosen stays chosen."""
        if found == self._offers:
            return
        chosen, self._offers = self._chosen(), found
        self.list.blockSignals(True)
        self.list.clear()
        for offer in found:
            item = QListWidgetItem(f"{offer.title}\n{offer.text}")
            item.setFont(font(15))
            self.list.addItem(item)
        keys = [offer.key for offer in found]
        if keys:
            self.list.setCurrentRow(keys.index(chosen.key) if chosen is not None and chosen.key in keys else 0)
        self.list.blockSignals(False)
        height = sum(self.list.sizeHintForRow(k) + 2 * self.list.spacing() for k in range(len(found)))
        self.list.setFixedHeight(min(height + 6, max(self.height() // 2, sized(120))))
        self._show_why()

    def _chosen(self) -> Offer | None:
        k = self.list.currentRow()
        return self._offers[k] if 0 <= k < len(self._offers) else None

    def _show_why(self) -> None:
        """Say what the chosen one measures, and why each feature is needed."""
        chosen = self._chosen()
        why = () if chosen is None else chosen.why
        more = f"\nand {len(why) - _SHOWN_WHY} more" if len(why) > _SHOWN_WHY else ""
        say(self.needs, "\n".join(f"{name}: {reason}" for name, reason in why[:_SHOWN_WHY]) + more)

    def _on_chosen(self) -> None:
        chosen = self._chosen()
        if chosen is not None:
            self.model.take(chosen)

    def _place(self) -> tuple[str, str, Choices]:
        m = self.model
        for box, shown, on in (
            (self.same, m.part.can_be_again(), m.part.is_again),
            (self.before, m.can_take_over(), m.part.as_before),
            (self.original, m.part.has_original_order(), m.part.in_original_order),
        ):
            box.setVisible(shown)
            box.blockSignals(True)
            box.setChecked(on)
            box.blockSignals(False)
        for field, text in ((self.serial, m.part.serial), (self.operator, m.part.operator)):
            if field.text() != text:
                field.setText(text)
        offer = "" if m.offer is None else f"{m.offer.title}: {m.offer.text}"
        if m.pose() is None:
            words = f"{offer}. Nobody knows where it lies: touch its targets once; then the machine finds it by itself."
            return "Locate the part by hand", words, [("Locate it", self._on_locate), ("Back", m.back)]
        known = m.machine.record.place_of(_name_of(m))
        if m.pieces.layout is not None:
            offer += f". {m.pieces.count} pieces, each saved by itself; this is the first"
        where = f" It was found there last on {known.at.replace('T', ' at ')}." if known is not None else ""
        return "Is the part in place?", f"{offer}.{where}", [("Start", m.start), ("Back", m.back)]

    def _on_locate(self) -> None:
        self.model.close_page()
        self._locate()

    def _on_same(self, on: bool) -> None:
        self.model.part.is_again = on
        self.model.changed.emit()

    def _planning(self) -> tuple[str, str, Choices]:
        return "Looking for ways", self.model.machine.queue.busy_text, [("Stop", self.model.machine.stop)]

    def _running(self) -> tuple[str, str, Choices]:
        m = self.model
        made, of = m.done_of()
        left = f"about {clock(round(m.run.program.seconds() if m.run is not None else 0.0))} left"
        name, at = "Running", ""
        if m.visit is not None and m.run is not None:
            name = m.visit.feature.name
            taken = len(m.run.program.taken(m.visit))
            count, stylus = len(m.visit.places), m.session.plan.probing.name_of(m.visit.use)
            at = f"Touch {min(taken + 1, count)} of {count} by {stylus}. "
        words = f"{m.pieces.say()}{at}{made} of {of} touches in all, {left}." + (f" Now {m.said}." if m.said else "")
        return name, words, [("Pause", m.pause)]

    def _noted(self) -> tuple[str, str, Choices]:
        return self.model.note[1], "The machine waits, out of the way.", [
            ("It is done", self.model.confirm), ("Pause", self.model.pause),
        ]  # fmt: skip

    def _stopped(self) -> tuple[str, str, Choices]:
        m = self.model
        step = None if m.run is None else m.run.program.now_at
        name = "" if m.run is None or step is None else m.run.program.pending[0].name
        title = "Paused" if m.why == PAUSED else "The run stands"
        words = f"At {name}." if m.why == PAUSED and name else m.why[:1].upper() + m.why[1:]
        choices: Choices = [("Go on", m.go_on)]
        if step is not None:
            choices.append((f"Skip {name}", m.skip))
            if step.kind == "measure" and not step.id.startswith("target:"):
                choices.append(("By hand", m.by_hand))
        return title, words, [*choices, ("End the run", m.give_up)]

    def _done(self) -> tuple[str, str, Choices]:
        m = self.model
        words, _ = verdict_of(m.session.evaluation)
        e, sample = m.session.evaluation, m.session.sample
        name = "" if sample is None else sample.name
        saved = "" if m.pieces.layout is None else f"{m.pieces.say()}Its sample is saved in {m.pieces.folder}. "
        judged = "" if e is None else f"{e.partial or f'{len(e.results)} characteristics'}. "
        bad = [] if e is None else [r.characteristic for r in e.results if r.state == State.OUTSIDE]
        if bad:
            judged += "Outside: " + ", ".join(f"{c.number} {c.name}" for c in bad[:_SHOWN_WHY])
        title = f"{name}: {words}" if name else words
        return title[:1].upper() + title[1:], saved + judged, [
            ("Next part", m.next_part), ("Report", self._on_report), ("Close", m.close_page),
        ]  # fmt: skip

    def _on_report(self) -> None:
        self.model.close_page()
        self._report()


def _name_of(model: RunModel) -> str:
    from truegauge.jobs.running import part_name

    return part_name(model.session.plan)
