"""A scan of 10,000,000 points in the window: seconds, peak memory, frames, and the longest time without an answer.

``.venv/bin/python benchmarks/large_cloud.py [points]``
"""

import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from truegauge import demo
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply, random_rigid
from truegauge.demo.scan_maker import sample_surface
from truegauge.formats.part import read_part
from truegauge.formats.ply import ply_from_points

os.environ["QT_QPA_PLATFORM"] = "offscreen"


def make(path, count):
    """Write a scan of the demo part in another place, in pieces: it must not need the memory that is measured."""
    model = read_part(demo.PART)
    projector = Projector(model)
    rng = np.random.default_rng(11)
    pose = random_rigid(rng, 300.0)
    pieces = []
    while sum(map(len, pieces)) < count:
        on, normals, _ = sample_surface(model, projector, 1_000_000, rng)
        moved = apply(pose, on + normals * rng.normal(0, 0.01, (len(on), 1)))
        pieces.append(moved.astype(np.float32))
    points = np.vstack(pieces)
    # Face after face is sampled: some of them would be of one face.
    path.write_bytes(ply_from_points(points[rng.permutation(len(points))[:count]]))


def show(path):
    """Open the demo plan and the scan in the window; print what is felt and used."""
    from PySide6.QtCore import QPointF, Qt
    from PySide6.QtTest import QTest
    from PySide6.QtWidgets import QApplication

    from truegauge.app.document.session import Session
    from truegauge.app.main import make_application
    from truegauge.app.window import MainWindow

    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.show()
    longest = 0.0

    def until(done):
        nonlocal longest
        while not done():
            started = time.perf_counter()
            QApplication.processEvents()
            longest = max(longest, time.perf_counter() - started)
            time.sleep(0.002)

    session.files.open_plan(demo.PLAN)
    until(lambda: session.evaluator is not None and not session.queue.is_busy)
    session.show(points=True)
    longest = 0.0
    started = time.perf_counter()
    session.files.open_scan(path)
    until(lambda: session.sample is not None and session.evaluation is not None and not session.queue.is_busy)
    print(f"load, align, evaluate all         {time.perf_counter() - started:8.1f} s")
    print(f"longest time without an answer    {1000 * longest:8.0f} ms")
    window.view.repaint()
    frames = []
    view = window.view
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=QPointF(200, 300).toPoint())
    for k in range(30):
        started = time.perf_counter()
        QTest.mouseMove(view, QPointF(200 + 5 * k, 300 + 2 * k).toPoint())
        view.set_camera(view.camera.orbited(0.02, 0.01, session.model.box.mean(axis=0)), moving=True)
        view.picture.render()
        view.repaint()
        frames.append(time.perf_counter() - started)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPointF(350, 360).toPoint())
    print(f"a frame while turning             {1000 * float(np.median(frames)):8.0f} ms")
    started = time.perf_counter()
    view.finish()
    print(f"the frame at rest                 {1000 * (time.perf_counter() - started):8.0f} ms")
    started = time.perf_counter()
    view.face_at(300, 400)
    print(f"a pick                            {1000 * (time.perf_counter() - started):8.1f} ms")
    print(f"rms of the alignment              {1000 * session.evaluation.alignment.rms:8.2f} um")
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"peak memory                       {peak:8.0f} MB")
    session.document.history.mark_saved()
    window.close()


def main():
    if sys.argv[1:2] == ["--show"]:
        show(Path(sys.argv[2]))
        return
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000_000
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.ply"
        make(path, count)
        print(f"{count:,} points, {path.stat().st_size / 1e6:.0f} MB")
        subprocess.run([sys.executable, __file__, "--show", str(path)], check=True)


if __name__ == "__main__":
    main()
