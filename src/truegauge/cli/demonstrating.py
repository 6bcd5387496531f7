"""Running the demo inspection, with a window or without."""

import subprocess
import sys
import time
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


def warm_up() -> None:
    """Run every numeric kernel once on the demo, so that they are compiled and the part is in the cache.

    Those of association take as long as all the others: a second process compiles them at the same time.
    """
    import numpy as np

    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.routes.order_search import OrderSearch
    from truegauge.formats.plan_file import model_of_plan, read_plan
    from truegauge.formats.sample_file import open_sample

    started = time.monotonic()
    beside = subprocess.Popen([sys.executable, "-c", f"import {__name__} as run; run.warm_association()"])
    file = read_plan(demo.PLAN)
    evaluator = Evaluator(model_of_plan(demo.PLAN, file))
    sample, _ = open_sample(demo.SCAN)
    evaluator.aligned(file.plan, sample)
    evaluator.deviation_map(file.plan, sample)
    evaluator.projector.pick([0.0, 0.0, 500.0], [0.0, 0.0, -1.0])  # type: ignore[arg-type]
    if beside.wait():
        sys.stderr.write("truegauge: the second process failed; its kernels are compiled now\n")
    evaluator.evaluate(file.plan, sample)
    places = np.arange(6.0)
    OrderSearch(np.abs(places[:, None] - places), places, places, np.arange(6), np.zeros(6, dtype=bool)).go_on(2)
    sys.stdout.write(f"kernels compiled in {time.monotonic() - started:.0f} s\n")


def warm_association() -> None:
    """Compile the kernels of association."""
    import numpy as np

    from truegauge.core.association.by_criterion import associate
    from truegauge.core.association.features import Shape
    from truegauge.core.association.fit import Criterion

    rng = np.random.default_rng(1)
    angle, height = 2 * np.pi * rng.random(300), rng.uniform(0, 10, 300)
    points = np.column_stack([5 * np.cos(angle), 5 * np.sin(angle), height]) + rng.normal(0, 0.01, (300, 3))
    for criterion in (Criterion.LEAST_SQUARES, Criterion.MINIMUM_ZONE, Criterion.ONE_SIDED):
        associate(Shape.CYLINDER, points, criterion)
