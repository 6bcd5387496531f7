"""Tolerances in the window: frames edited in place, datums labelled, rules, why a number is what it is, the ledger."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemDelegate, QDialogButtonBox
from tests.app.conftest import PATIENCE
from tests.core.characteristics.made_up import reach  # noqa: F401

from truegauge.app.document.uncertainty import UncertaintyWorker
from truegauge.app.ledger.characteristic_editor import CharacteristicEditor
from truegauge.app.ledger.ledger_order import Order
from truegauge.app.ledger.several_editor import SeveralEditor
from truegauge.app.stages.part.datum_panel import RulesPanel
from truegauge.core.commands.command import Several
from truegauge.core.commands.requirements import RemoveCharacteristic
from truegauge.core.tolerancing.judgement import State
from truegauge.demo.faces import plane_at


def editor_of(window, qtbot, characteristic_id):
    """Open the row of a characteristic as F2 does."""
    window.session.set_stage("measure")
    window.session.selection.select_characteristic(characteristic_id)
    window.ledger.edit_selected()
    qtbot.waitUntil(lambda: bool(window.ledger.list.findChildren(CharacteristicEditor)))
    return window.ledger.list.findChildren(CharacteristicEditor)[-1]


def commit(window, editor):
    """Press Enter in the editor."""
    delegate = window.ledger.list.itemDelegate()
    delegate.commitData.emit(editor)
    delegate.closeEditor.emit(editor, QAbstractItemDelegate.EndEditHint.NoHint)


def of(window, number):
    return next(c for c in window.session.plan.characteristics if c.number == number)


def test_a_frame_is_edited_cell_by_cell(loaded, qtbot, settle):
    editor = editor_of(loaded, qtbot, "c23")
    editor.upper_field.setText("0.08")
    editor.modifiers.setText("M")
    for field, text in zip(editor.datums, ("A", "D", ""), strict=True):
        field.setText(text)
    assert "itself" in editor.problem.text()  # explained while typing: D is the main bore
    assert editor.problem.isVisible()
    editor.datums[1].setText("B[turn z]")
    assert not editor.problem.isVisible()
    commit(loaded, editor)
    settle()
    changed = of(loaded, 23)
    assert (changed.upper, changed.modifiers) == (0.08, ("M",))
    assert [d.say() for d in changed.datums] == ["A", "B[turn z]"]
    loaded.session.document.undo()
    assert of(loaded, 23).upper == 0.1


def test_what_cannot_be_is_explained_and_changes_nothing(loaded, qtbot, settle):
    editor = editor_of(loaded, qtbot, "c1")  # a flatness
    editor.datums[0].setText("B")
    commit(loaded, editor)
    assert "has no datums" in loaded.notices[-1].text
    assert of(loaded, 1).datums == ()
    editor = editor_of(loaded, qtbot, "c20")
    editor.datums[1].setText("7")
    commit(loaded, editor)
    assert "is no datum" in loaded.notices[-1].text


def test_symbol_and_zone_are_chosen_by_menu(loaded, qtbot, settle):
    editor = editor_of(loaded, qtbot, "c23")
    chosen = [a for a in editor.symbol.menu().actions() if a.text() == "perpendicularity"]
    chosen[0].trigger()
    next(a for a in editor.zone.menu().actions() if a.text().startswith("↔X")).trigger()
    editor.datums[1].setText("")
    editor.datums[2].setText("")
    commit(loaded, editor)
    settle()
    assert of(loaded, 23).kind == "perpendicularity"
    assert of(loaded, 23).zone.direction == (1.0, 0.0, 0.0)


def test_a_fit_class_is_typed_into_the_limit(loaded, qtbot, settle):
    editor = editor_of(loaded, qtbot, "c7")
    editor.upper_field.setText("K7")
    commit(loaded, editor)
    settle()
    assert (of(loaded, 7).lower, of(loaded, 7).upper, of(loaded, 7).fit) == (-0.015, 0.006, "K7")
    editor = editor_of(loaded, qtbot, "c7")
    assert editor.upper_field.text() == "K7"
    editor.upper_field.setText("Q9")
    commit(loaded, editor)
    assert "no fit class" in loaded.notices[-1].text


def test_new_results_do_not_undo_what_is_typed(loaded, qtbot):
    editor = editor_of(loaded, qtbot, "c20")
    editor.upper_field.setText("0.77")
    loaded.session.document.evaluated.emit()
    assert editor.upper_field.text() == "0.77"


def test_the_ledger_is_grouped_searched_and_filtered(loaded, qtbot):
    ledger = loaded.ledger
    ledger.model.set_order(Order("kind"))
    rows = [ledger.model.row(k) for k in range(ledger.model.rowCount())]
    assert "position" in rows
    after = rows[rows.index("position") + 1 :]
    assert {c.kind for c in after[:5]} == {"position"}
    assert ledger.model.flags(ledger.model.index(rows.index("position"))) == Qt.ItemFlag.NoItemFlags
    assert ledger.model.data(ledger.model.index(rows.index("position"))) == "position"
    ledger.model.set_order(Order("zone"))
    assert ledger.model.row(0) == "zone B2"
    ledger.model.set_order(Order("state"))
    assert ledger.model.row(0) == "outside"
    ledger.group.setCurrentIndex(0)
    ledger.search.setText("bolt D(M)")
    assert [ledger.model.characteristic(k).number for k in range(ledger.model.rowCount())] == [21]
    ledger.search.setText("")
    ledger.outside.setChecked(True)
    assert [ledger.model.characteristic(k).number for k in range(ledger.model.rowCount())] == [13, 14, 20]
    ledger.search.setText("nothing like this")
    assert ledger.empty.isVisible()
    assert "fits" in ledger.empty.text()
    loaded.grab()


def test_several_characteristics_are_edited_at_once(loaded, qtbot, settle):
    ledger = loaded.ledger
    ledger.list.selectAll()
    ledger.search.setText("to base")
    ledger.list.selectAll()
    chosen = ledger.selected()
    assert len(chosen) > 3
    dialog = SeveralEditor(loaded.session, chosen, loaded)
    qtbot.addWidget(dialog)
    dialog.fields["upper"].setText("x")
    dialog.findChild(QDialogButtonBox).accepted.emit()
    assert "not a number" in dialog.problem.text()
    dialog.fields["upper"].setText("0.07")
    dialog.fields["datums"].setText("A")
    dialog.fields["sheet_zone"].setText("F1")
    dialog.findChild(QDialogButtonBox).accepted.emit()
    settle()
    for c in chosen:
        now = loaded.session.plan.characteristic(c.id)
        assert (now.upper, now.sheet_zone) == (0.07, "F1")
    loaded.session.document.undo()
    assert loaded.session.plan.characteristic(chosen[0].id) == chosen[0]


def test_why_a_number_is_what_it_is(loaded, qtbot, settle):
    loaded.session.set_stage("evaluate")
    loaded.session.selection.select_characteristic("c20")
    loaded.actions_table.trigger("why")
    panel = loaded.why_panel
    assert panel.isVisible()
    said = {name: value for section in panel.sections for name, value in section.rows}
    assert [s.title for s in panel.sections] == [
        "Limits", "Features and points", "Datum system", "Worst place", "Uncertainty and decision"
    ]  # fmt: skip
    assert "worst" in said["bolt hole 4"]
    assert "M: maximum material requirement" in said["modifier"]
    assert said["A"] == "base A"
    assert said["left open"] == "nothing"
    assert said["decision"].startswith("outside")
    # The magnified zone is painted over the view.
    loaded.session.show(map=False)
    settle()
    loaded.view.finish()
    with_zone = loaded.view.grab().toImage()
    loaded.session.show(why=False)
    settle()
    assert loaded.parts["evaluate"].bench.isVisible()
    loaded.view.finish()
    assert loaded.view.grab().toImage() != with_zone
    for number in (1, 4, 14, 24, 25, 26, 27, 28):  # every kind of result can be explained and drawn
        loaded.session.selection.select_characteristic(f"c{number}")
        loaded.session.show(why=True)
        loaded.grab()
        assert panel.sections


def test_a_feature_gets_a_letter_and_several_are_one_datum(loaded, qtbot, settle):
    s = loaded.session
    s.set_stage("measure")
    slot = tuple(s.plan.feature(f).group for f in ("slot-left", "slot-right"))
    s.selection.select(slot)
    settle()
    row = loaded.parts["measure"].bench.datum_row
    row.letter.setText("e")
    row.letter.editingFinished.emit()
    assert s.plan.datum("E").features == ("slot-left", "slot-right")
    row.letter.setText("7")
    row.letter.editingFinished.emit()
    assert "no datum letter" in loaded.notices[-1].text
    s.selection.select((((plane_at(s.model, (1, 0, 0), 140)),),))
    settle()
    row.letter.setText("G")
    row.letter.editingFinished.emit()
    assert s.plan.feature(s.plan.datum("G").feature).faces == (plane_at(s.model, (1, 0, 0), 140),)
    s.document.undo()
    assert "G" not in {d.letter for d in s.plan.datums}
    assert s.plan.datum("E").features == ("slot-left", "slot-right")


def test_targets_are_picked_in_the_view(loaded, qtbot, settle):
    s = loaded.session
    s.set_stage("measure")
    s.selection.select(())
    datums = loaded.parts["measure"].bench.datum_list
    datums._open("A")
    base = plane_at(s.model, (0, 0, -1), 0)
    for place in ((20.0, 30.0, 0.0), (120.0, 15.0, 0.0), (70.0, 80.0, 0.0)):
        s.pointer.pick_at(base, np.array(place))
    settle()
    assert [t.name for t in s.plan.datum("A").targets] == ["A1", "A2", "A3"]
    s.pointer.pick_at(plane_at(s.model, (0, 0, 1), 60), np.array([58.0, 20.0, 60.0]))
    assert "lies on its feature" in loaded.notices[-1].text
    datums._change(s.plan.datum("A"), 0, radius=4.0, kind="area")
    settle()
    assert s.plan.datum("A").targets[0].radius == 4.0
    datums._open("")
    assert s.pointer.picker is None


def test_rules_are_chosen_and_undone(loaded, qtbot, settle):
    s, rules = loaded.session, loaded.parts["measure"].bench.rules
    s.set_stage("measure")
    rules.standard.setCurrentIndex(1)
    rules.standard.activated.emit(1)
    settle()
    assert s.plan.standard == "ASME"
    rules.rule.setCurrentIndex(1)
    rules.k.setText("3")
    rules.k.editingFinished.emit()
    assert (s.plan.decision.rule, s.plan.decision.k) == ("guard_band", 3.0)
    rules.probing.setText("-1")
    rules.probing.editingFinished.emit()
    assert "0 or more" in loaded.notices[-1].text
    rules.linear.setCurrentIndex(2)
    rules.linear.activated.emit(2)
    assert s.plan.general.linear == "m"
    for _ in range(3):
        s.document.undo()
    assert (s.plan.standard, s.plan.decision.rule) == ("ISO", "simple")


def test_tiers_exact_dimensions_and_general_profiles_are_commands(loaded, qtbot, settle):
    s = loaded.session
    s.selection.select_characteristic("c23")
    loaded.actions_table.trigger("tier-composite")
    settle()
    tier = s.plan.characteristics[-1]
    assert (tier.tier_of, tier.tier, tier.datums[0].modifiers, tier.upper) == ("c23", "composite", ("><",), 0.05)
    assert s.evaluation.result(tier.id).measured is not None
    whole = s.evaluation.result("c23").measured
    s.selection.select_characteristic("c23")
    loaded.actions_table.trigger("directions")
    settle()
    one, other = of(loaded, 23), s.plan.characteristics[-1]
    assert (one.zone.direction, other.zone.direction) == ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0))
    # Each direction alone is at most the whole; together they make it up.
    parts = [s.evaluation.result(c.id).measured for c in (one, other)]
    assert max(parts) <= whole + 1e-9
    assert np.hypot(*parts) == pytest.approx(whole, abs=0.002)
    s.selection.select_characteristic("c14")
    loaded.actions_table.trigger("exact")
    assert of(loaded, 14).basic
    loaded.actions_table.trigger("general-profile")
    settle()
    rest = s.plan.characteristics[-1]
    assert rest.kind == "profile_surface"
    assert len(s.plan.faces_of(s.plan.feature(rest.features[0]).group)) > 20
    assert s.evaluation.result(rest.id).measured > 0
    s.selection.select(((plane_at(s.model, (0, -1, 0), 0),),))
    settle()
    loaded.actions_table.trigger("around")
    assert len(s.selection.faces()) == 8  # the plate: four sides and four rounded corners
    settle()
    assert {p.kind.name for p in s.proposing.proposals} == {"profile_surface", "profile_line"}


def test_proposals_come_with_their_datum_systems(loaded, qtbot, settle):
    s = loaded.session
    s.selection.select((s.plan.feature("cross-bore").group,))
    settle()
    offered = {(p.kind.name, " ".join(d.letter for d in p.datums)) for p in s.proposing.proposals}
    assert {
        ("position", "A B C"),
        ("parallelism", "A"),
        ("perpendicularity", "B"),
        ("perpendicularity", "D"),
    } <= offered
    index = next(i for i, p in enumerate(s.proposing.proposals) if p.kind.name == "position")
    s.proposing.accept(index)
    settle()
    added = s.plan.characteristics[-1]
    assert added.system_text == "A | B | C"
    assert added.zone.shape == "cylinder"  # a drawing has the sign of diameter there
    assert s.evaluation.result(added.id).state in (State.WITHIN, State.NEAR)
    assert loaded.floating.strip.width() <= loaded.view.width()


@pytest.mark.slow
def test_uncertainties_are_worked_out_in_the_background(loaded, qtbot, monkeypatch):
    s = loaded.session
    monkeypatch.setattr(UncertaintyWorker, "DELAY_MS", 10)
    keep = ("c4", "c10", "c18", "c23")
    gone = tuple(RemoveCharacteristic(c.id) for c in s.plan.characteristics if c.id not in keep)
    s.run(Several(gone, "fewer"))
    qtbot.waitUntil(lambda: all(r.uncertainty is not None for r in s.evaluation.results), timeout=PATIENCE)
    assert not s.queue.is_busy


def test_a_size_says_what_it_is_and_takes_modifiers(loaded, qtbot, settle):
    """The row states nominal, limits and definition; its modifiers are typed beside the limits."""
    window = loaded
    found = window.session.evaluation.result("c4")
    assert found.definition == "GG"
    before = found.measured
    editor = editor_of(window, qtbot, "c4")
    editor.modifiers.setText("E Q")
    assert "form tolerances" in editor.problem.text()
    editor.modifiers.setText("LP SN")
    assert not editor.problem.isVisible()
    commit(window, editor)
    settle()
    found = window.session.evaluation.result("c4")
    assert (found.definition, of(window, 4).modifiers) == ("LP SN", ("LP", "SN"))
    assert found.measured < before
    window.session.document.undo()
    assert of(window, 4).modifiers == ()


def test_a_unit_area_is_typed_after_the_tolerance(loaded, qtbot, settle):
    window = loaded
    editor = editor_of(window, qtbot, "c1")
    editor.upper_field.setText("0.02/30x25")
    commit(window, editor)
    settle()
    c = of(window, 1)
    assert (c.upper, c.zone.per, c.zone.per_second) == (0.02, 30.0, 25.0)
    assert "largest over any 30 x 25 mm" in window.session.evaluation.result("c1").notes[0]
    editor = editor_of(window, qtbot, "c1")
    assert editor.upper_field.text() == "0.020/30x25"
    editor.upper_field.setText("0.05")
    commit(window, editor)
    settle()
    assert of(window, 1).zone.per is None
    editor = editor_of(window, qtbot, "c1")
    editor.upper_field.setText("0.02/0")
    commit(window, editor)
    assert "no unit length or area" in window.notices[-1].text


def test_the_meaning_of_sizes_is_a_rule_of_the_plan(loaded, qtbot, settle):
    window = loaded
    rules = window.findChild(RulesPanel)
    rules.usual_size.setCurrentIndex(rules.usual_size.findData("LP"))
    rules.usual_size.activated.emit(rules.usual_size.currentIndex())
    settle()
    assert window.session.plan.usual_size == "LP"
    assert window.session.evaluation.result("c4").definition == "LP"
    window.session.document.undo()
    assert window.session.plan.usual_size == "GG"


def test_a_family_from_outside_is_in_the_ledger_and_says_why(loaded, reach, settle):  # noqa: F811
    """Taken from the strip like any other; its row paints its value, its panel what it was read from."""
    s = loaded.session
    s.selection.select((s.plan.feature("main-bore").group,))
    settle()
    index = next(k for k, p in enumerate(s.proposing.proposals) if p.kind is reach)
    s.proposing.accept(index)
    settle()
    c = s.plan.characteristics[-1]
    assert c.kind == "reach"
    assert s.evaluation.result(c.id).measured == pytest.approx(s.plan.characteristics[-1].nominal, abs=3.0)
    row = loaded.ledger.model.row_of(c.id)
    said = loaded.ledger.model.index(row).data()
    assert "main bore reach of points" in said
    assert f"{s.evaluation.result(c.id).measured:.3f}" in said
    assert not loaded.ledger.grab().isNull()  # painted by the delegate like any other


def test_what_cannot_be_stays_open_with_its_reason(loaded, qtbot, settle):
    """Enter keeps the row open; who clicks elsewhere comes back to what was typed; Escape gives it up."""
    s, ledger = loaded.session, loaded.ledger
    before = s.plan

    def open_rows():
        return [e for e in ledger.list.findChildren(CharacteristicEditor) if e.isVisible()]

    editor = editor_of(loaded, qtbot, "c4")
    editor.upper_field.setText("not a number")
    qtbot.keyClick(editor.upper_field, Qt.Key.Key_Return)
    assert editor.isVisible()
    assert "not a number" in editor.problem.text()
    assert s.plan is before
    ledger.list.setCurrentIndex(ledger.model.index(7))  # elsewhere
    qtbot.waitUntil(lambda: any(e is not editor for e in open_rows()))
    again = next(e for e in open_rows() if e is not editor)
    assert again.upper_field.text() == "not a number"
    assert "not a number" in again.problem.text()
    assert s.selection.characteristic == "c4"
    qtbot.keyClick(again, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not open_rows())
    assert s.plan is before
    ledger.edit_selected()  # and then it can be changed as ever
    (fresh,) = open_rows()
    fresh.upper_field.setText("0.030")
    qtbot.keyClick(fresh.upper_field, Qt.Key.Key_Return)
    settle()
    assert s.plan.characteristic("c4").upper == pytest.approx(0.030)
