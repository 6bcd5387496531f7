"""Nothing is cut, covered or off its panel, in any stage and page; the text size; how the ledger gives way."""

import pytest
from fits import cut_texts, everything, overlapping, overlays, scenes
from PySide6.QtCore import QRect, QSettings, Qt
from PySide6.QtWidgets import QApplication, QCheckBox, QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.ledger.ledger_delegate import NARROW_HEIGHT
from truegauge.app.widgets.bench import Shrinking
from truegauge.app.widgets.text_size import TEXT, sized_sheet
from truegauge.app.window import MainWindow


@pytest.fixture
def text():
    yield TEXT
    TEXT.become(100)


@pytest.mark.parametrize("percent", [100, 150])
def test_everything_fits_in_every_stage(loaded, settle, text, percent):
    text.become(percent)
    found = {}
    names = []

    def at_rest():
        settle()
        for _ in range(4):
            QApplication.processEvents()

    at_rest()
    for name in scenes(loaded, at_rest):
        names.append(name)
        found[name] = everything(loaded, 1280)
    assert len(names) > 20
    assert {name: what for name, what in found.items() if what} == {}


@pytest.mark.parametrize("percent", [100, 150])
def test_the_first_screen_fits_with_and_without_plans(window, text, percent, tmp_path):
    text.become(percent)
    QSettings("truegauge", "truegauge").remove("recent plans")
    for count in (0, 3):
        for k in range(count):
            plan = tmp_path / f"a plan with quite a long name {k}.tgplan"
            plan.write_bytes(demo.PLAN.read_bytes())
            window.files.recent.note(plan)
        window.start.refresh()
        for _ in range(6):
            QApplication.processEvents()
        assert len(window.start.recent) == count
        assert window.center.currentWidget() is window.start
        assert everything(window, 1280) == []


def test_what_does_not_fit_is_found(qtbot):
    """The check can fail: each fault is made once."""
    page = QWidget()
    column = QVBoxLayout(page)
    label, wrapped, button, box = QLabel("a long name"), QLabel("many words " * 30), QPushButton("a word"), QComboBox()
    wrapped.setWordWrap(True)
    for widget in (label, wrapped, button, box):
        column.addWidget(widget)
    box.addItem("something long to choose")
    qtbot.addWidget(page)
    page.resize(500, 300)
    page.show()
    assert cut_texts(page) == []
    assert overlapping(page) == []
    label.setMaximumWidth(30)
    wrapped.setMaximumHeight(20)
    button.setMaximumWidth(30)
    box.setMaximumWidth(50)
    page.layout().activate()
    found = "\n".join(cut_texts(page))
    for what in ("cut: 'a long name'", "cut below: 'many words", "cut button: 'a word'", "cut choice: 'something long"):
        assert what in found
    button.setGeometry(QRect(label.geometry()))
    box.move(490, 280)
    found = "\n".join(overlapping(page))
    assert "over each other: QLabel 'a long name' and QPushButton 'a word'" in found
    assert "off its panel: QComboBox" in found


def test_overlays_over_each_other_and_on_the_part_are_found(loaded):
    view = loaded.view
    loaded.session.set_stage("measure")
    view.finish()
    loaded.grab()
    assert overlays(view) == []
    box = next(iter(view.tags_shown.boxes.values()))
    box.moveCenter(view.rect().toRectF().center())
    assert any("on the part" in what for what in overlays(view))
    box.moveCenter(next(b for b in view.tags_shown.boxes.values() if b is not box).center())
    assert any("over each other: tag" in what for what in overlays(view))


def test_text_grows_and_shrinks_with_all_that_is_painted(loaded, qtbot, text):
    rail, row = loaded.rail, loaded.ledger.list.sizeHintForRow(0)
    wide, ledger, bench = rail.width(), loaded.ledger.width(), loaded.benches.width()
    letters = loaded.header.title.fontMetrics().height()
    loaded.resize(1920, 1080)
    ledger = loaded.ledger.width()
    for _ in range(2):
        loaded.actions_table.trigger("text-larger")
    assert text.percent == 125
    assert QSettings("truegauge", "truegauge").value("text") in (125, "125")
    assert loaded.header.title.fontMetrics().height() == pytest.approx(1.25 * letters, abs=1.5)
    assert rail.width() == pytest.approx(1.25 * wide, abs=1)
    assert loaded.ledger.list.sizeHintForRow(0) == pytest.approx(1.25 * row, abs=1)
    assert bench < loaded.benches.width() < 1.25 * bench
    assert loaded.ledger.width() >= ledger
    for _ in range(6):
        loaded.actions_table.trigger("text-smaller")
    assert text.percent == 90
    assert rail.width() < wide
    assert sized_sheet("font-size: 20px; padding: 4px") == "font-size: 18px; padding: 4px"


def test_clicks_reach_what_is_painted_at_any_text_size(loaded, qtbot, text, settle):
    """Tags, scale and sheets are painted larger: places under the pointer are those of what is seen."""
    text.become(150)
    loaded.resize(1920, 1080)
    loaded.session.set_stage("measure")
    settle()
    loaded.view.finish()
    loaded.grab()
    key, box = next(iter(loaded.view.tags_shown.boxes.items()))
    handle = box.topLeft() * 1.5
    qtbot.mouseClick(loaded.view, Qt.MouseButton.LeftButton, pos=(handle + type(handle)(12, 12)).toPoint())
    assert loaded.session.selection.characteristic == key


def test_the_ledger_is_narrowed_and_hidden_by_key_and_gives_way(loaded, qtbot):
    ledger, step = loaded.ledger, lambda: loaded.actions_table.trigger("ledger")
    whole = ledger.width()
    step()
    assert ledger.mode == "narrow"
    assert ledger.width() < whole / 2
    assert ledger.list.sizeHintForRow(0) == NARROW_HEIGHT
    assert not ledger.search.isVisible()
    assert ledger.counts.text() == "26 in\n1 near\n3 out"
    step()
    assert not ledger.isVisible()
    step()
    assert ledger.width() == whole
    loaded.session.set_stage("devices")
    assert ledger.mode == "narrow"
    step()
    assert not ledger.isVisible()  # as chosen in a stage that needs the room
    loaded.session.set_stage("measure")
    assert ledger.width() == whole
    step()
    loaded.session.selection.select_characteristic("c4")
    ledger.edit_selected()  # needs the whole width
    assert ledger.mode == "whole"


def test_the_ledger_gives_way_in_a_small_window_with_large_text(loaded, text):
    assert loaded.ledger.mode == "whole"
    text.become(150)
    assert loaded.ledger.mode == "narrow"
    loaded.resize(1920, 1080)
    assert loaded.ledger.mode == "whole"


def test_a_label_is_cut_rather_than_the_window_widened(qtbot):
    page = QWidget()
    row = QHBoxLayout(page)
    label = Shrinking()
    label.setText("a plan with a very long name indeed")
    row.addWidget(label)
    row.addWidget(QCheckBox("beside"))
    qtbot.addWidget(page)
    page.show()
    whole = page.width()
    assert page.minimumSizeHint().width() < whole - 100
    full = label.grab().toImage()
    page.resize(whole - 100, page.height())
    assert label.width() < full.width() - 90
    assert not label.grab().isNull()


def test_the_text_size_is_that_of_all_windows(loaded, qtbot, text):
    other = MainWindow(Session(), "night")
    qtbot.addWidget(other)
    other.show()
    before = [w.rail.width() for w in (loaded, other)]
    loaded.appearance.step_text(1)
    after = [w.rail.width() for w in (loaded, other)]
    assert after == [round(1.1 * b) for b in before]
    assert other.theme.name == "night"
    other.close()
