"""Running the demo inspection, with a window or without."""

import sys
from collections.abc import Callable
from pathlib import Path

from truegauge import demo


def on_screen() -> int:
    """Open the window with the demo plan and sample."""
    from truegauge.app.start import run

    return run([demo.PLAN, demo.SCAN], as_examples=True)


def off_screen(out: Path) -> int:
    """Run the same inspection in an unseen window, write its results and a picture of the window."""
    import datetime
    import os

    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from truegauge.app.document.session import Session
    from truegauge.app.main import make_application
    from truegauge.app.window import MainWindow
    from truegauge.core.tolerancing.judgement import State
    from truegauge.formats.files import write_whole
    from truegauge.formats.results import results_csv, results_json
    from truegauge.rendering.report_views import report_with_views
    from truegauge.reporting.pdf import write_pdf

    out.mkdir(parents=True, exist_ok=True)
    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.show()
    problems: list[str] = []
    session.queue.noticed.connect(lambda notice: problems.append(notice.text))
    session.files.open_plan(demo.PLAN)
    session.files.open_scan(demo.SCAN)
    _until(lambda: bool(problems) or (bool(session.sample) and bool(session.evaluation) and not session.queue.is_busy))
    if problems or session.evaluation is None or session.evaluator is None:
        sys.stderr.write(f"truegauge: {problems[0] if problems else 'the demo was not evaluated'}\n")
        return 2
    session.set_stage("evaluate")
    outside = [r for r in session.evaluation.results if r.state == State.OUTSIDE]
    if outside:
        session.selection.select_characteristic(outside[0].characteristic.id)
    _until(lambda: not session.queue.is_busy)
    made = datetime.datetime.now().strftime("%Y-%m-%d %H:%M")
    report = report_with_views(session.evaluator, session.evaluation, session.sample, made, window.view.camera)
    write_whole(out / "report.pdf", write_pdf(report))
    write_whole(out / "results.json", results_json(session.evaluation, session.sample))
    write_whole(out / "results.csv", results_csv(session.evaluation, session.sample))
    window.view.finish()
    window.grab().save(str(out / "window.png"))
    counts = session.evaluation.counts()
    sys.stdout.write(f"{demo.SCAN.stem}: " + ", ".join(f"{n} {str(s).replace('_', ' ')}" for s, n in counts.items()))
    sys.stdout.write("\n")
    for name in ("report.pdf", "results.json", "results.csv", "window.png"):
        sys.stdout.write(f"{out / name}\n")
    session.document.history.mark_saved()
    window.close()
    return 0


def _until(done: Callable[[], bool]) -> None:
    """Let the window work until a condition holds."""
    from PySide6.QtCore import QEventLoop, QTimer

    loop, timer = QEventLoop(), QTimer()
    timer.timeout.connect(lambda: loop.quit() if done() else None)
    timer.start(20)
    loop.exec()
    timer.stop()
