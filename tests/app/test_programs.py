"""Programs in DMIS from the window: saved, edited elsewhere, brought in, listed, undone."""

from pathlib import Path

import pytest
from PySide6.QtWidgets import QFileDialog

from truegauge import demo
from truegauge.app.stages.measure.programs import Programs

BY_HAND = (Path(__file__).parents[1] / "data" / "programs" / "by_hand.dmi").read_text()


@pytest.fixture
def opened(window, settle):
    window.session.files.open_plan(demo.CMM_PLAN)
    settle()
    return window


def test_a_program_is_saved_edited_and_brought_in(opened, settle, tmp_path, monkeypatch):
    s, path = opened.session, tmp_path / "p.dmi"
    before = s.plan
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    opened.actions_table.trigger("export-dmis")
    settle()
    assert "only this program reads" in opened.floating.notice.text.text()
    text = path.read_text()
    opened.actions_table.trigger("import-dmis")
    settle()
    assert s.plan == before
    flat = next(c for c in before.characteristics if c.kind == "flatness")
    path.write_text(text.replace(f"T({flat.number})=TOL/FLAT,0.06", f"T({flat.number})=TOL/FLAT,0.03"))
    opened.actions_table.trigger("import-dmis")
    settle()
    assert next(c for c in s.plan.characteristics if c.id == flat.id).upper == 0.03
    s.document.undo()
    assert s.plan == before


def test_what_is_not_read_is_listed_by_line_and_bad_files_change_nothing(opened, settle, tmp_path):
    s, programs = opened.session, opened.get(Programs)
    before = s.plan
    path = tmp_path / "by hand.dmi"
    path.write_text("hello")
    programs.bring_in(path)
    settle()
    assert "it does not begin with DMISMN" in opened.floating.notice.text.text()
    assert s.plan == before
    path.write_text(BY_HAND)
    programs.bring_in(path)
    settle()
    assert [f.name for f in s.plan.features] == ["BORE", "top"]
    opened.floating.notice.action.click()
    page = programs.page
    assert page.isVisible()
    assert page.title.text() == "9 lines of by hand.dmi to look at"
    cells = [page.table.item(r, 1).text() for r in range(page.table.rowCount())]
    assert "MODE/PROG,MAN" in cells
    assert page.table.item(cells.index("MODE/PROG,MAN"), 0).text() == "4"
    s.document.undo()
    assert s.plan == before
