"""Looks for what does not fit in the window: every stage and page of the demos, in sizes, themes and text sizes.

``python tools/fits.py [--fast] [--pictures FOLDER]`` prints what is cut, covered or off its panel; exit 1 for any.
"""

import os
import sys
import tempfile
from collections import defaultdict
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp()
sys.path.insert(0, str(Path(__file__).parents[1] / "tests" / "app"))

from fits import everything, scenes
from PySide6.QtWidgets import QApplication

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.main import make_application
from truegauge.app.widgets.text_size import TEXT
from truegauge.app.window import MainWindow
from truegauge.cli.demonstrating import _until

SIZES = ((1280, 800), (1920, 1080), (3840, 2160))  # the last at a scale of 2: 1920 x 1080 places for text, and free


def main() -> int:
    fast = "--fast" in sys.argv
    pictures = Path(sys.argv[sys.argv.index("--pictures") + 1]) if "--pictures" in sys.argv else None
    only = sys.argv[sys.argv.index("--only") + 1] if "--only" in sys.argv else ""
    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.show()
    found: dict[str, list[str]] = defaultdict(list)

    def settle() -> None:
        _until(lambda: not session.queue.is_busy)
        for _ in range(4):
            QApplication.processEvents()

    parts = ((demo.PLAN, demo.SCAN), (demo.COVER_PLAN, demo.COVER_SCAN), (demo.CMM_PLAN, None))
    for plan, scan in parts[:1] if fast else parts:
        session.files.open_plan(plan)
        settle()
        if scan is not None:
            session.files.open_scan(scan)
            settle()
        else:
            session.document.take_sample_out()
        for size in SIZES[:1] if fast else SIZES:
            window.resize(*size)
            for percent in (100, 150):
                TEXT.become(percent)
                for theme in ("day",) if fast or size != SIZES[0] or percent != 100 else ("day", "night"):
                    if window.theme.name != theme:
                        window.appearance.toggle_theme()
                    settle()
                    for name in scenes(window, settle):
                        if only and only not in name:
                            continue
                        where = f"{plan.stem}, {size[0]}x{size[1]}, {percent} %, {theme}: {name}"
                        for what in everything(window, size[0]):
                            found[what].append(where)
                        if pictures is not None:
                            pictures.mkdir(exist_ok=True)
                            window.grab().save(str(pictures / f"{where.replace(': ', ' ').replace(', ', '_')}.png"))
                    print("looked", plan.stem, size, percent, theme, len(found), flush=True)
                if window.theme.name != "day":
                    window.appearance.toggle_theme()
        TEXT.become(100)
    for what, where in found.items():
        print(f"{what}\n      {len(where)} times, first {where[0]}")
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    QApplication.closeAllWindows()
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
