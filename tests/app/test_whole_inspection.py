"""A whole inspection through the real widgets, from an empty window to the report, with every click counted."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtWidgets import QApplication, QFileDialog, QMenu
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.ledger.characteristic_editor import CharacteristicEditor
from truegauge.app.stages.evaluate.section_page import SectionPage
from truegauge.app.stages.report.making import ReportMaker
from truegauge.core.tolerancing.judgement import State
from truegauge.guide import page_path

MOST_CLICKS = 110


class Hand:
    """What a user does, counted: clicks (two for choosing a file: the file, and Open) and keys."""

    def __init__(self, window, qtbot, settle, monkeypatch):
        self.window, self.qtbot, self._settle, self._patch = window, qtbot, settle, monkeypatch
        self.clicks = self.keys = 0
        self.seen_from = "corner"

    def settle(self):
        self._settle()
        for _ in range(3):
            QApplication.processEvents()

    def click(self, widget, at=None, *, held=Qt.KeyboardModifier.NoModifier):
        assert widget.isVisible()
        assert widget.isEnabled()
        self.clicks += 1
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, held, at or widget.rect().center())
        self.settle()

    def key(self, key, widget=None, held=Qt.KeyboardModifier.NoModifier):
        self.keys += 1
        self.qtbot.keyClick(widget or self.window.focusWidget() or self.window, key, held)
        self.settle()

    def type(self, widget, text):
        self.keys += len(text) + 1
        widget.selectAll()
        self.qtbot.keyClicks(widget, text)
        self.qtbot.keyClick(widget, Qt.Key.Key_Return)
        self.settle()

    def choose_file(self, widget, path):
        for ask in ("getOpenFileName", "getSaveFileName"):
            self._patch.setattr(QFileDialog, ask, lambda *_, **__: (str(path), ""))
        self.click(widget)
        self.clicks += 2

    def stage(self, key):
        self.click(self.window.rail.buttons[key])

    def look(self, name):
        """Ctrl and a digit."""
        if name != self.seen_from:
            self.keys += 1
            self.window.actions_table.trigger(f"view-{name}")
            self.seen_from = name
            self.window.view.finish()

    def pick(self, face, *, add=False):
        """Click a face where it is seen; another standard view is taken where it is not."""
        for name in (self.seen_from, "corner", "front", "top", "back", "left", "right", "bottom"):
            self.look(name)
            at = self._pixel_of(face)
            if at is not None:
                held = Qt.KeyboardModifier.ControlModifier if add else Qt.KeyboardModifier.NoModifier
                self.click(self.window.view, at, held=held)
                return
        raise AssertionError(f"face {face} is seen from nowhere")

    def _pixel_of(self, face):
        view, model = self.window.view, self.window.session.model
        floats = [
            w for w in view.children() if isinstance(w, type(self.window.rail).__mro__[1]) and w.isVisibleTo(view)
        ]
        taken = [w.geometry() for w in floats] + [b.toAlignedRect() for b in view.tags_shown.boxes.values()]
        mesh = model.mesh
        corners = mesh.vertices[mesh.triangles[mesh.triangle_face == face]]
        mixes = np.random.default_rng(5).dirichlet((1, 1, 1), 12)
        middles = np.einsum("mk,tkc->mtc", mixes, corners).reshape(-1, 3)
        shares = view.camera.project(middles, view.width() / view.height())[:, :2]
        for x, y in (
            np.round(shares * [view.width(), view.height()]).astype(int).tolist()[:: max(1, len(middles) // 400)]
        ):
            at = QPoint(x, y)
            free = view.rect().adjusted(4, 4, -4, -4).contains(at) and not any(QRect(t).contains(at) for t in taken)
            if free and view.face_at(x, y) == face:
                return at
        return None

    def take(self, kind):
        """Take the proposal of a kind: Enter for the first, else its button, else two clicks behind "more"."""
        s = self.window.session
        proposals = s.proposing.proposals
        index = next(i for i, p in enumerate(proposals) if p.kind.name == kind)
        self.window.floating.strip._refresh()
        if index == 0:
            self.key(Qt.Key.Key_Return, self.window.view)
            return
        shown = [b for b in self.window.floating.strip.buttons if b.text().startswith(proposals[index].label)]
        if shown:
            self.click(shown[0])
        else:
            self.clicks += 2
            s.proposing.accept(index)
            self.settle()

    def limits(self, number, text):
        """Double-click a row (two clicks), type the upper limit."""
        ledger = self.window.ledger
        row = next(i for i in range(ledger.model.rowCount()) if ledger.model.characteristic(i).number == number)
        self.clicks += 2
        ledger.list.setCurrentIndex(ledger.model.index(row))
        ledger.edit_selected()
        editor = ledger.list.findChildren(CharacteristicEditor)[-1]
        self.type(editor.upper_field, text)


@pytest.mark.slow
def test_a_whole_inspection_takes_few_clicks(window, qtbot, settle, monkeypatch, tmp_path):
    hand, s = Hand(window, qtbot, settle, monkeypatch), window.session
    # The part and its drawing.
    hand.choose_file(window.start.part, demo.PART)
    hand.click(window.parts["part"].bench.next)
    drawn = len(s.plan.characteristics)
    assert drawn == 16
    # The scan, and the alignment by datums.
    hand.choose_file(window.parts["part"].bench.next, demo.SCAN)
    hand.stage("align")
    bench = window.parts["align"].bench
    hand.click(bench.new)
    menu = next(w for w in QApplication.topLevelWidgets() if isinstance(w, QMenu) and w.isVisible())
    by_datums = next(a for a in menu.actions() if "datums" in a.text().lower())
    hand.click(menu, menu.actionGeometry(by_datums).center())
    hand.click(bench.force)  # it has the datums of the drawing: A, B, C
    assert s.evaluation.alignment.trusted
    # What the drawing does not say.
    hand.stage("measure")
    hand.pick(12)
    letter = window.parts["measure"].bench.datum_row.letter
    hand.click(letter)
    hand.type(letter, "D")
    assert s.plan.has_datum("D")
    for face, kind in ((12, "cylindricity"), (12, "perpendicularity"), (13, "parallelism"), (13, "perpendicularity"),
                       (12, "position"), (66, "position"), (63, "profile_surface"), (0, "coordinate_z")):  # fmt: skip
        count = len(s.plan.characteristics)
        if set(s.selection.faces()) != {face}:
            hand.pick(face)
        if any(p.kind.name == kind for p in s.proposing.proposals):
            hand.take(kind)
            assert len(s.plan.characteristics) == count + 1, kind
    hand.pick(17)
    hand.pick(12, add=True)
    hand.take("distance")
    hand.pick(14)
    hand.take("circular_runout")
    for number, limit in ((drawn + 1, "0.025"), (drawn + 2, "0.03")):
        hand.limits(number, limit)
    # Spots, a section with a dimension, a view.
    hand.stage("evaluate")
    own = window.parts["evaluate"].bench
    hand.click(own.tabs["spots"])
    hand.click(own.spots_page.pick)
    for face in (63, 14, 9):
        hand.pick(face)
    hand.key(Qt.Key.Key_Escape)
    hand.click(own.tabs["sections"])
    hand.click(own.sections_page.add)
    page = window.get(SectionPage)
    hand.click(page.tools["horizontal"])
    for place in ((0.0, 7.0), (140.0, 7.0)):
        x, y = page.sheet.place.on(np.array([place]))[0]
        hand.click(page.sheet, QPoint(round(x), round(y)))
    assert s.evaluation.results[-1].characteristic.nominal == pytest.approx(140.0)
    hand.click(own.tabs["views"])
    hand.key(Qt.Key.Key_Escape)
    hand.key(Qt.Key.Key_Escape)
    hand.key(Qt.Key.Key_Escape)
    hand.click(own.views_page.save)
    # The report, and the plan.
    hand.stage("report")
    report = window.parts["report"].bench
    hand.click(report.fields["inspector"])
    hand.type(report.fields["inspector"], "R. Fenwright")
    qtbot.waitUntil(lambda: bool(window.get(ReportMaker).pdf), timeout=PATIENCE)
    hand.choose_file(report.next, tmp_path / "report.pdf")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "housing.tgplan"), ""))
    hand.key(Qt.Key.Key_S, window, Qt.KeyboardModifier.ControlModifier)
    hand.clicks += 2
    assert (tmp_path / "report.pdf").read_bytes()[:5] == b"%PDF-"
    results = s.evaluation.results
    assert len(results) >= 28
    assert sum(r.state != State.NOT_MEASURED for r in results) >= len(results) - 2
    assert not any(parts.bench.next.isVisible() for parts in window.parts.values())
    assert hand.clicks < MOST_CLICKS
    said = page_path("whole").read_text(encoding="utf-8")
    assert f"{MOST_CLICKS} clicks" in said
