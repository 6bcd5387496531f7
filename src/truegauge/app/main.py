"""Starting the application."""

import logging
import signal
import sys
from pathlib import Path

from PySide6.QtCore import QMessageLogContext, QSettings, QTimer, QtMsgType, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from truegauge.app.collector import Collector
from truegauge.app.document.recovery import Keeper, Recovered, find_recovered, recovery_folder
from truegauge.app.document.session import Session
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.widgets.constants import keep_constants_alive
from truegauge.app.widgets.painting import application_icon
from truegauge.app.widgets.text_size import TEXT
from truegauge.app.widgets.theme import font, load_fonts
from truegauge.app.window import MainWindow
from truegauge.core.errors import shortened

log = logging.getLogger(__name__)
# The window's thread lets the interpreter go at most calls of Qt, and waits so long to have it back from other work.
_SWITCH_S = 0.0005


def _on_qt_message(kind: QtMsgType, context: QMessageLogContext, text: str) -> None:
    """Send Qt's messages to our log instead of the terminal."""
    log.log(logging.WARNING if kind == QtMsgType.QtCriticalMsg else logging.DEBUG, "%s", text)


def make_application() -> QApplication:
    """Return the Qt application with our fonts and icon."""
    keep_constants_alive()
    sys.setswitchinterval(_SWITCH_S)
    qInstallMessageHandler(_on_qt_message)
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication([sys.argv[0]])
    app.setApplicationName("truegauge")
    app.setApplicationDisplayName("True Gauge")
    app.setStyle("Fusion")
    load_fonts()
    app.setFont(font(13))
    app.setWindowIcon(application_icon())
    if app.findChild(Collector) is None:
        Collector(app)
    return app


def run(files: list[Path], *, as_examples: bool = False) -> int:
    """Open the window with these files and stay until it is closed; plans that are examples are saved elsewhere."""
    app = make_application()
    TEXT.become(int(str(QSettings("truegauge", "truegauge").value("text", 100))))
    session = Session()
    window = MainWindow(session)
    keeper = Keeper(session.document, recovery_folder(), window)
    recovered = find_recovered(recovery_folder())
    window.show()
    for file in files:
        session.files.open_file(file, as_example=as_examples)
    offer(window, keeper, recovered)
    # Ctrl+C in the terminal: let Python look at it now and then.
    signal.signal(signal.SIGINT, lambda *_: window.close())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    code = app.exec()
    # Ended by something else than the user, who was asked then: what is not saved stays kept.
    if window.was_left:
        keeper.discard()
    else:
        keeper.keep()
    keeper.close()
    for left in recovered:
        left.folder.release()
    return int(code)


def offer(window: MainWindow, keeper: Keeper, recovered: list[Recovered]) -> None:
    """Offer the newest unsaved work of sessions that ended; the next one when that is dealt with."""
    if not recovered:
        window.get(ScanModel).offer_kept()
        return
    session, newest = window.session, recovered[0]

    def forget() -> None:
        newest.folder.remove()
        recovered.remove(newest)
        offer(window, keeper, recovered)

    def there() -> None:
        # What was kept is deleted when it is kept again, not before; on this thread, as it touches the list.
        recovered.remove(newest)
        keeper.keep(newest.folder.remove)
        offer(window, keeper, recovered)

    def bring_back() -> None:
        if window.files.may_leave():
            session.files.restore(newest.work, there)
        else:
            offer(window, keeper, recovered)

    session.notify(
        f"Unsaved work of {newest.kept_at:%d %B, %H:%M} was kept: {shortened(newest.work.name)}",
        "Bring it back", bring_back, "Delete it", forget,
    )  # fmt: skip
