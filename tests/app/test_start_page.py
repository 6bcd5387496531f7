"""What is seen while nothing is open: beginning, the last plans, examples."""

import pytest
from PySide6.QtCore import Qt

from truegauge import demo
from truegauge.app.shell.recent import RecentPlans
from truegauge.core.commands.features import EditFeature


def click(qtbot, widget):
    qtbot.mouseClick(widget, Qt.MouseButton.LeftButton)


@pytest.fixture
def recent(window):
    window._settings.remove("recent plans")
    window.files._noted = None
    yield window.files.recent
    window._settings.remove("recent plans")


def test_the_page_is_there_until_a_part_is(window, settle):
    assert window.center.currentWidget() is window.start
    assert window.start.part.text() == "Open a part …"
    window.session.files.open_part(demo.PART)
    settle()
    assert window.center.currentWidget() is window.view
    window.session.document.start_over()
    settle()
    assert window.center.currentWidget() is window.start


def test_an_example_opens_with_its_scan_and_is_not_saved_over(window, settle, qtbot, monkeypatch, tmp_path):
    card = window.start.examples[0]
    assert card.text() == "Housing, by scan"
    click(qtbot, card)
    settle()
    s = window.session
    assert s.evaluation.counts()["outside"] == 3
    assert s.document.plan_path is None
    assert s.document.history.is_saved
    s.run(EditFeature("boss", (("name", "boss 30"),)))
    before = demo.PLAN.read_bytes()
    monkeypatch.setattr(window.files, "ask_save", lambda *_: tmp_path / "mine.tgplan")
    assert window.files.save()
    assert demo.PLAN.read_bytes() == before
    assert s.document.plan_path == tmp_path / "mine.tgplan"


def test_the_example_by_machine_goes_to_the_devices(window, settle, qtbot):
    card = window.start.examples[2]
    click(qtbot, card)
    settle()
    assert window.session.stage == "devices"
    assert window.session.plan.name == "LW-1140 by CMM"
    assert window.session.sample is None


def test_the_last_plans_are_offered_the_last_one_first(window, recent, settle, qtbot, tmp_path):
    for name in ("first", "second"):
        path = tmp_path / f"{name}.tgplan"
        path.write_bytes(demo.PLAN.read_bytes())
        window.session.files.open_plan(path)
        settle()
    window.files.keep_picture(window.view)
    window.session.document.start_over()
    window.start.refresh()
    assert [c.text() for c in window.start.recent] == ["second", "first"]
    assert recent.picture(tmp_path / "second.tgplan") is not None
    assert recent.picture(tmp_path / "first.tgplan") is None
    click(qtbot, window.start.recent[1])
    settle()
    assert window.session.document.plan_path == tmp_path / "first.tgplan"
    window.session.document.start_over()
    (tmp_path / "second.tgplan").unlink()
    window.start.refresh()
    assert [c.text() for c in window.start.recent] == ["first"]


def test_a_list_of_one_and_a_damaged_list_are_read(window, recent, tmp_path):
    path = tmp_path / "only.tgplan"
    path.write_bytes(b"x")
    recent.note(path)
    assert RecentPlans(window._settings).paths() == [path]
    for damaged in ("", str(path), [str(path), "/no/such/file"], 7):
        window._settings.setValue("recent plans", damaged)
        assert set(recent.paths()) <= {path}
    for k in range(9):
        more = tmp_path / f"p{k}.tgplan"
        more.write_bytes(b"x")
        recent.note(more)
    assert len(recent.paths()) == 6
    assert recent.paths()[0].name == "p8.tgplan"


def test_cards_can_be_used_by_keyboard_and_say_what_they_are(window, qtbot):
    opened = []
    card = window.start.examples[1]
    card.clicked.disconnect()
    card.clicked.connect(lambda: opened.append(card.text()))
    card.setFocus()
    qtbot.keyClick(card, Qt.Key.Key_Space)
    assert opened == ["Cover, by scan"]
    assert card.accessibleName() == "Cover, by scan"
    assert "panel" in card.accessibleDescription()
