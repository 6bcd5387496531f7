"""A shorter order for the route: looked for beside everything else, and shown beside the one that there is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from truegauge.app.track.model import RouteModel
from truegauge.app.track.track_view import TrackView, clock
from truegauge.app.widgets.bench import button, label, say
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.commands.routes import SetRoute, take_shorter
from truegauge.core.progress import Progress
from truegauge.core.routes.candidates import with_added
from truegauge.core.routes.original import as_before
from truegauge.core.routes.track import Track, changed, track_of

if TYPE_CHECKING:
    from truegauge.core.plan.document import Plan
    from truegauge.core.routes.document import Route
    from truegauge.core.routes.legs import PlannedRoute, Unreached
    from truegauge.core.routes.shortening import Shorter

_LISTED = 6  # names
_LONGEST_S = 60.0  # that is searched; it ends before where nothing better is found any more


class ShorteningModel(QObject):
    """Looks for a shorter order; nothing of the plan changes until it is taken."""

    changed = Signal()
    closed = Signal()
    _better = Signal(object)

    def __init__(self, route: RouteModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.route, self.session = route, route.session
        self.groups, self.patterns, self.only_chosen, self.from_original = True, False, False, False
        self.poses = True  # that are missing are added
        self.looking = False
        self.found: Shorter | None = None
        self._stop = False
        self._plan: Plan | None = None  # that it is looked for
        self._better.connect(self._on_better)
        self.session.queue.busy_changed.connect(self._on_busy_changed)

    @property
    def is_better(self) -> bool:
        """Whether there is an order that is worth taking, or more is reached."""
        f = self.found
        return f is not None and (bool(f.added) or f.planned.seconds < f.before.seconds - 1e-6)

    def unreached(self) -> tuple[Unreached, ...]:
        """What is not reached: by what was found, else by the route as it is."""
        if self.found is not None:
            return self.found.planned.unreached
        now = self.route.routed if self.route.is_current else None
        return () if now is None else now.planned.unreached

    def more(self) -> tuple[str, ...]:
        """Return the names of the features that the added poses get at."""
        now, found = self.route.routed, self.found
        if now is None or found is None or not found.added:
            return ()
        still = {u.step for u in found.planned.unreached}
        return tuple(u.feature.name for u in now.planned.unreached if u.step not in still)

    def leave_out(self) -> None:
        """Switch the steps off that nothing reaches."""
        steps = tuple(u.step for u in self.unreached())
        if steps and not self.looking:
            self.found = None
            self.route.run(changed(self.session.plan.route, steps, on=False), "leave out what is not reached")
            self.changed.emit()

    def start(self) -> None:
        """Look for one, beside everything else."""
        s, evaluator = self.session, self.session.evaluator
        if self.looking or evaluator is None or not self.route.is_there:
            return
        plan = s.plan
        if self.from_original and plan.route.original:
            plan = plan.replace(route=as_before(plan.route))
        only = frozenset(self.route.chosen) if self.only_chosen else frozenset()
        groups, patterns, poses, tell = self.groups, self.patterns, self.poses, self._better.emit
        self.looking, self._stop, self.found, self._plan = True, False, None, s.plan

        def work(progress: Progress) -> Shorter:
            from truegauge.jobs.routing import shortened

            return shortened(plan, evaluator, groups=groups, patterns=patterns, only=only, poses=poses,
                             at_most_s=_LONGEST_S, progress=progress, better=tell,
                             enough=lambda: self._stop)  # fmt: skip

        s.queue.start(work, self._on_done, "Looking for a shorter order")
        self.changed.emit()

    def stop(self) -> None:
        """Stop with the best so far."""
        self._stop = True

    def take(self) -> None:
        """Take the order that was found; one step of undo. The one that there was is kept."""
        found, plan = self.found, self._plan
        if found is None or not self.is_better:
            return
        if plan is None or (self.session.plan.route, self.session.plan.probing) != (plan.route, plan.probing):
            self.session.notify("the route was changed meanwhile: look for a shorter order again")
        elif self.session.run(take_shorter(plan, found)):
            self.close()

    def put_back(self) -> None:
        """Put the original order back."""
        if self.session.plan.route.original:
            self.session.run(SetRoute(as_before(self.session.plan.route), "the original order"))

    def close(self) -> None:
        """Discard what was found, and show the stage again."""
        self.stop()
        self.found = None
        self.closed.emit()
        self.changed.emit()

    def _on_better(self, found: Shorter) -> None:
        if self.looking:
            self.found = found
            self.changed.emit()

    def _on_done(self, found: Shorter) -> None:
        self.looking, self.found = False, found
        self.changed.emit()

    def _on_busy_changed(self) -> None:
        """Show how far it is; where it was cancelled, or went wrong (that is told), it is not looked for any more."""
        if self.looking:
            self.looking = self.session.queue.is_busy
            self.changed.emit()

    def track(self, planned: PlannedRoute, route: Route) -> Track:
        """Return the track of an order."""
        plan = self.session.plan
        if self.found is not None and self._plan is not None:
            plan = plan.replace(probing=with_added(self._plan.probing, self.found.added))
        names = {f.id: f.name for f in plan.features} | {a.id: a.name or a.id for a in plan.alignments}
        return track_of(
            route, planned, names, {leg.use: plan.probing.name_of(leg.use) for leg in planned.legs}, None, {}
        )


def _listed(names: Sequence[str]) -> str:
    more = f" and {len(names) - _LISTED} more" if len(names) > _LISTED else ""
    return ", ".join(names[:_LISTED]) + more


class _StillRoute(QObject):
    """A route to look at: what a track view asks of its model."""

    changed = Signal()
    moved = Signal()
    is_there, rehearsing, chosen, seconds = True, False, (), 0.0

    def __init__(self, session: object, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.track: Track | None = None

    def choose(self, steps: tuple[str, ...]) -> None:
        """Nothing is chosen here."""

    def move(self, step_id: str, before: str) -> None:
        """Nothing is moved here."""

    def set_seconds(self, seconds: float) -> None:
        """Nothing is rehearsed here."""


class ShorteningPage(QWidget):
    """Before and after in numbers, and as two tracks."""

    def __init__(self, model: ShorteningModel, theme: LiveTheme) -> None:
        super().__init__()
        self.model = model
        self.setObjectName("window")
        self.setAccessibleName("A shorter order")
        area, content = QScrollArea(), QWidget()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(content)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(area)
        column = QVBoxLayout(content)
        column.setContentsMargins(24, 16, 24, 12)
        column.setSpacing(10)
        self.title = label("", "big", wrap=True)
        self.words = label("", "", wrap=True)
        self.reached = label("", "bad", wrap=True)
        for told in (self.title, self.words, self.reached):
            column.addWidget(told)
        self.numbers = QGridLayout()
        self.numbers.setHorizontalSpacing(28)
        self.cells = {(r, c): label("", "heading" if c == 2 else "soft" if c == 0 else "") for r in range(4)
                      for c in range(4)}  # fmt: skip
        for (r, c), cell in self.cells.items():
            self.numbers.addWidget(cell, r, c)
        self.numbers.setColumnStretch(4, 1)
        column.addLayout(self.numbers)
        choices = QHBoxLayout()
        choices.setSpacing(14)
        self.boxes = {}
        for name, text, tip in (
            ("groups", "groups stay together", "Steps of one group are run one after the other"),
            ("patterns", "patterns stay together", "Features of one characteristic are run one after the other"),
            ("only_chosen", "only the chosen steps", "The others keep their order; those chosen are sorted in"),
            ("poses", "missing poses are added", "Poses of a head that get at what no stylus of the plan reaches"),
            ("from_original", "from the original order", "Look from the order before it was made shorter"),
        ):  # fmt: skip
            box = self.boxes[name] = QCheckBox(text)
            box.setToolTip(tip)
            box.toggled.connect(lambda on, n=name: setattr(model, n, on))
            choices.addWidget(box)
        choices.addStretch(1)
        column.addLayout(choices)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.look = button("Look for one", model.start)
        self.stop = button("Stop with the best so far", model.stop)
        self.take = button("Take it", model.take, main=True)
        self.back = button("Put the original order back", model.put_back)
        self.discard = button("Discard", model.close)
        self.leave_out = button("Leave out what is not reached", model.leave_out)
        for widget in (self.take, self.look, self.stop, self.discard, self.leave_out, self.back):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        self.tracks = []
        self.titles: dict[QWidget, QWidget] = {}
        for title in ("The original order", "The shorter order"):
            own = label(title, "heading")
            column.addWidget(own)
            still = _StillRoute(model.session, self)
            view = TrackView(still, theme)  # type: ignore[arg-type]
            view.setAccessibleName(f"{title}, as a track")
            self.titles[view] = own
            self.tracks.append((still, view))
            column.addWidget(view)
        column.addStretch(1)
        model.changed.connect(self.refresh)
        model.route.changed.connect(self.refresh)

    def refresh(self) -> None:
        """Show what was found."""
        if not self.isVisible():
            return
        m = self.model
        found, now = m.found, m.route.routed
        before = found.before if found is not None else None if now is None else now.planned
        after = found.planned if found is not None and m.is_better else None
        saved = 0.0 if after is None or before is None else before.seconds - after.seconds
        more = m.more()
        if saved > 1e-6:
            self.title.setText(f"{clock(round(saved))} shorter")
        elif more:
            self.title.setText(f"{len(more)} {'feature' if len(more) == 1 else 'features'} more reached")
        else:
            self.title.setText("Looking for a shorter order" if m.looking else
                               "Nothing shorter was found" if found is not None else "A shorter order")  # fmt: skip
        self.words.setText(m.session.queue.busy_text if m.looking else
                           "What others are measured from stays first; alignments, notes and pinned steps stay in their places.")  # fmt: skip  # noqa: E501
        self._tell_reached(more)
        self._numbers(before, after)
        for name, box in self.boxes.items():
            box.setEnabled(not m.looking)
            box.blockSignals(True)
            box.setChecked(getattr(m, name))
            box.blockSignals(False)
        self.boxes["only_chosen"].setVisible(bool(m.route.chosen))
        self.boxes["poses"].setVisible(bool(m.unreached()) or bool(more))
        self.leave_out.setVisible(bool(m.unreached()) and not m.looking)
        self.boxes["from_original"].setVisible(bool(m.session.plan.route.original))
        self.look.setVisible(not m.looking)
        self.look.setText("Look again" if found is not None else "Look for one")
        self.stop.setVisible(m.looking)
        self.take.setVisible(m.is_better and not m.looking)
        self.discard.setText("Discard" if found is not None else "Close")
        self.back.setVisible(bool(m.session.plan.route.original) and not m.looking)
        routes = (None if now is None else now.route, None if found is None else found.route)
        longest = max((p.seconds for p in (before, after) if p is not None), default=0.0)
        for (still, view), planned, route in zip(self.tracks, (before, after), routes, strict=True):
            still.track = None
            if planned is not None and route is not None:
                still.track = replace(m.track(planned, route), seconds=longest)  # both on the same scale
            # The order of now stands on the track below.
            shown = still.track is not None and (view is self.tracks[1][1] or m.from_original)
            for widget in (view, self.titles[view]):
                widget.setVisible(shown)
            still.changed.emit()

    def _tell_reached(self, more: tuple[str, ...]) -> None:
        """Say what the added poses are for, and what nothing gets at."""
        m, lost, added = self.model, self.model.unreached(), ""
        if m.found is not None and more:
            probing = with_added(m.session.plan.probing, m.found.added)
            poses = ", ".join(probing.name_of(use) for use in m.found.added)
            added = f"Added for {_listed(more)}: {poses}; before and after are with {'it' if len(m.found.added) == 1 else 'them'}. "  # noqa: E501
        tried = " by any pose" if m.found is not None and m.poses and not m.looking else ""
        missed = f"Not reached{tried}: {_listed([u.feature.name for u in lost])}." if lost else ""
        if missed and tried:
            missed += " A longer or thinner stylus may get there; or leave out what is not reached."
        say(self.reached, added + missed)

    def _numbers(self, before: PlannedRoute | None, after: PlannedRoute | None) -> None:
        rows: list[tuple[str, str, str, str]] = [("", "before", "after", "")]
        table: tuple[tuple[str, Callable[[PlannedRoute], float], Callable[[float], str]], ...] = (
            ("time", lambda p: p.seconds, lambda v: clock(round(v))),
            ("travel", lambda p: p.travel / 1000.0, lambda v: f"{v:.2f} m"),
            ("changes of stylus or pose", lambda p: float(p.changes), lambda v: f"{v:.0f}"),
        )  # fmt: skip
        for name, of, shown in table:
            old, new = None if before is None else of(before), None if after is None else of(after)
            saved = "" if old is None or new is None or not old else f"{100 * (new / old - 1):+.0f} %"
            rows.append((name, "" if old is None else shown(old), "" if new is None else shown(new), saved))
        for r, texts in enumerate(rows):
            for c, text in enumerate(texts):
                self.cells[r, c].setText(text)

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()
