"""Takes pictures of the window's main views from the demo data: ``python tools/look.py docs/screenshots``."""

import os
import sys
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"

from PySide6.QtWidgets import QApplication

from truegauge import demo
from truegauge.app.main import make_application
from truegauge.app.session import Session
from truegauge.app.window import MainWindow
from truegauge.demo.faces import cylinder_at
from truegauge.demo.housing import bolt_holes
from truegauge.demo.run import _until


def main() -> int:
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    wanted = set(sys.argv[2:])
    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.show()

    def settle() -> None:
        _until(lambda: not session.is_busy)
        for _ in range(5):
            QApplication.processEvents()

    def shot(name: str) -> None:
        settle()
        if not wanted or name in wanted:
            window.view.repaint()
            window.grab().save(str(folder / f"{name}.png"))

    shot("empty")
    session.open_plan(demo.PLAN)
    session.open_scan(demo.SCAN)
    _until(lambda: session.evaluation is not None and session.sample is not None and not session.is_busy)
    shot("part")
    session.set_stage("align")
    session.set_show_points(True)
    shot("align")
    session.set_show_points(False)
    session.set_stage("measure")
    faces = {f.id: f.faces for f in session.plan.features}
    session.select_groups((faces["boss"], faces["side-c"]))
    session.hover(window.session.model.faces[faces["cross-bore"][0]].index)
    shot("measure")
    session.hover(-1)
    session.select_groups((faces["cross-bore"],))
    window.view.show_standard("front")
    shot("feature")
    window.toggle_form_page()
    shot("form")
    window.toggle_form_page()
    window.view.show_standard("corner")
    session.select_groups(tuple((cylinder_at(session.model, 2.75, *place),) for place in bolt_holes()))
    window.view.show_standard("top")
    settle()
    session.set_preview(session.offers[0])
    shot("construct")
    session.select_groups(())
    window.view.show_standard("corner")
    session.set_stage("evaluate")
    shot("evaluate")
    window.view.show_standard("back")
    window.toggle_theme()
    shot("night")
    window.toggle_theme()
    window.view.show_standard("corner")
    session.set_stage("report")
    settle()
    window._refresh_preview()
    shot("report")
    window.open_finder()
    settle()
    if not wanted or "finder" in wanted:
        finder = QApplication.activePopupWidget() or window
        finder.grab().save(str(folder / "finder.png"))
    session.history.mark_saved()
    QApplication.closeAllWindows()
    return 0


if __name__ == "__main__":
    sys.exit(main())
