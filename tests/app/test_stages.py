"""Stages plug in: a made-up one is on the rail, in the finder, on its key, with its bench and its middle."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel

from truegauge.app.shell.finder import Finder
from truegauge.app.shell.stage import STAGES, Stage, StageParts, register
from truegauge.app.view.content import ViewContent
from truegauge.app.widgets.action import Action
from truegauge.core.commands.shown import SetTitleBlock

ENTERED = []


@pytest.fixture
def notes():
    """A stage for notes, known as long as the test runs; it comes before the window."""
    ENTERED.clear()

    def build(shell):
        page = QLabel("all notes")
        return StageParts(
            bench=QLabel("what was noticed"), middle=lambda: page if shell.session.shown.colors else None,
            entered=lambda: ENTERED.append(shell.session.stage), closed=lambda: ENTERED.append("closed"),
            actions=(Action("note", "Notes", "Write a note", "Ctrl+Alt+N", lambda: ENTERED.append("written")),),
        )  # fmt: skip

    made = Stage(
        key="notes", title="Notes", glyph="mark", build=build, content=ViewContent(tags=False),
        missing=lambda document: "" if document.plan.title_block.inspector else "say who inspects",
    )  # fmt: skip
    register(made)
    yield made
    del STAGES["notes"]


def test_a_made_up_stage_is_where_stages_are(notes, loaded, qtbot, settle):
    rail = loaded.rail
    assert list(rail.buttons) == ["part", "devices", "align", "measure", "evaluate", "silhouette", "report", "notes"]
    assert rail.buttons["notes"].text() == "Notes"
    qtbot.mouseClick(rail.buttons["notes"], Qt.MouseButton.LeftButton)
    settle()
    assert loaded.session.stage == "notes"
    assert loaded.benches.currentWidget().text() == "what was noticed"
    assert loaded.benches.width() == 280
    assert loaded.center.currentWidget() is loaded.view
    assert rail.buttons["notes"].isChecked()
    assert ENTERED == ["notes"]
    loaded.view.grab()
    assert not loaded.view.tags_shown.boxes
    action = loaded.actions_table.table["stage-notes"]
    assert (action.title, action.shortcut) == ("Go to Notes", "Alt+7")
    finder = Finder(loaded.actions_table, loaded)
    finder.text.setText("notes")
    assert "Go to Notes" in finder.list.item(0).text()
    finder.text.setText("write note")
    finder._run_current()
    assert ENTERED == ["notes", "written"]
    menus = [a.text() for a in loaded.actions_table.menu(loaded).actions()]
    assert menus[-2:] == ["Notes", "Help"]
    loaded.session.show(colors=True)
    assert loaded.center.currentWidget().text() == "all notes"
    loaded.session.set_stage("measure")
    assert loaded.benches.currentWidget() is loaded.parts["measure"].bench


def test_what_it_misses_is_told_on_the_rail(notes, loaded):
    assert STAGES["notes"].missing(loaded.session.document) == ""
    block = loaded.session.plan.title_block.replace(inspector="")
    loaded.session.run(SetTitleBlock(block))
    assert loaded.rail.buttons["notes"].missing == "say who inspects"
    assert loaded.rail.buttons["notes"].toolTip() == "Notes: say who inspects"


def test_a_key_is_taken_once(notes):
    with pytest.raises(ValueError, match="there is a stage 'notes' already"):
        register(notes)


def test_what_stages_miss_before_and_after_a_part_and_a_sample(window, loaded):
    s = loaded.session
    assert {k: STAGES[k].missing(s.document) for k in STAGES} == dict.fromkeys(STAGES, "")
    s.document.take_sample_out()
    said = {k: STAGES[k].missing(s.document) for k in STAGES}
    assert said.pop("part") == said.pop("devices") == said.pop("silhouette") == ""
    assert set(said.values()) == {"bring in a scan, or touch the part with a machine"}
