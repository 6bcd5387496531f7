"""Starting the application."""

import logging
import os
import signal
import sys
from pathlib import Path

os.environ.setdefault("VTK_DEFAULT_OPENGL_WINDOW", "vtkEGLRenderWindow")

from PySide6.QtCore import QMessageLogContext, QTimer, QtMsgType, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from truegauge.app.collector import Collector
from truegauge.app.constants import keep_constants_alive
from truegauge.app.painting import application_icon
from truegauge.app.recovery import Keeper, Recovered, find_recovered, recovery_folder
from truegauge.app.session import Session
from truegauge.app.theme import font, load_fonts
from truegauge.app.window import MainWindow

log = logging.getLogger(__name__)


def _on_qt_message(kind: QtMsgType, context: QMessageLogContext, text: str) -> None:
    """Send Qt's messages to our log instead of the terminal."""
    log.log(logging.WARNING if kind == QtMsgType.QtCriticalMsg else logging.DEBUG, "%s", text)


def make_application() -> QApplication:
    """Return the Qt application with our fonts and icon."""
    keep_constants_alive()
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


def run(files: list[Path]) -> int:
    """Open the window with these files and stay until it is closed."""
    app = make_application()
    session = Session()
    window = MainWindow(session)
    keeper = Keeper(session, recovery_folder(), window)
    recovered = find_recovered(recovery_folder())
    window.show()
    for file in files:
        session.open_file(file)
    if recovered is not None:
        _offer(session, recovered)
    # Ctrl+C in the terminal: let Python look at it now and then.
    signal.signal(signal.SIGINT, lambda *_: window.close())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    code = app.exec()
    keeper.discard()
    return int(code)


def _offer(session: Session, recovered: Recovered) -> None:
    def bring_back() -> None:
        def after_plan() -> None:
            session.plan_changed.disconnect(after_plan)
            session.plan_path = recovered.plan_path
            session.history.mark_unsaved()
            if recovered.sample is None:
                recovered.discard()

        def after_sample() -> None:
            session.sample_changed.disconnect(after_sample)
            data = recovered.sample_data
            if data is not None:
                session.set_sample_data(
                    touches=data.touches, probed=data.probed, temperature_c=data.temperature_c,
                    scale_temperature_c=data.scale_temperature_c, scale_expansion=data.scale_expansion,
                )  # fmt: skip
            recovered.discard()

        session.plan_changed.connect(after_plan)
        session.open_plan(recovered.plan)
        if recovered.sample is not None:
            session.sample_changed.connect(after_sample)
            session.open_scan(recovered.sample)

    session.notify("the last session ended without saving; its work was kept", "Bring it back", bring_back)
