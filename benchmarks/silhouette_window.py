"""Silhouettes in the window: ``benchmarks/silhouette_window.py [SECONDS] [PARTS]``.

A recorded camera in a process of its own sends the demo's shaft at 10 pictures a second: how many are measured and
drawn a second, and how long the window is silent at most. Then a series of PARTS that are put down as fast as they are
measured, with a log: how many a minute, and how much memory after a tenth of them and at the end.
"""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp()

import numpy as np
from PySide6.QtCore import QEventLoop, QTimer

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.main import make_application
from truegauge.app.stages.silhouette.middle import SilhouetteMiddle
from truegauge.app.stages.silhouette.model import SilhouetteModel
from truegauge.app.stages.silhouette.series_model import SeriesModel
from truegauge.app.window import MainWindow
from truegauge.cli.demonstrating import _until
from truegauge.core.silhouette.looking import Place
from truegauge.demo.shadow_plans import SHAFT, camera
from truegauge.devices.camera.source import Source, Taken

_SENDER = """
import sys, threading, time
import numpy as np
from truegauge.devices.live.messages import Hello
from truegauge.devices.live.server import LiveServer
from truegauge.devices.live.wire import Picture
pictures = np.load(sys.argv[1])
server = LiveServer(Hello(device="camera", name="Recorded", boot="-", series="-", time=0.0, rows=pictures.shape[1],
                          columns=pictures.shape[2]))
print(server.port, flush=True)
ended = threading.Event()
threading.Thread(target=lambda: (sys.stdin.readline(), ended.set()), daemon=True).start()
number, due = 0, time.monotonic()
while not ended.is_set():
    if server.is_used:
        number += 1
        server.show_picture(Picture(number, server.clock(), pictures[number % len(pictures)]))
    due = max(due + 0.1, time.monotonic())
    time.sleep(max(0.0, due - time.monotonic()))
server.close()
"""
_FRAMES = 4  # of each part, and one of the empty glass


class Recorded(Source):
    """Pictures one after the other, as fast as they are taken."""

    def __init__(self, pictures, empty) -> None:
        super().__init__("recorded")
        self._pictures, self._empty, self.number = pictures, empty, 0

    def connect(self) -> None:
        self._say(is_open=True)

    def close(self) -> None:
        self._say(is_open=False)

    def next(self) -> None:
        part, frame = divmod(self.number, _FRAMES + 1)
        self.number += 1
        pixels = self._empty if frame == _FRAMES else self._pictures[part % len(self._pictures)]
        self._offer(Taken(self.number, pixels))


def memory() -> float:
    for line in Path("/proc/self/status").read_text().splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) / 1024
    return 0.0


def live(window, model, seconds: float, pictures) -> None:
    path = Path(tempfile.mkdtemp()) / "pictures.npy"
    np.save(path, np.array(pictures))
    sender = subprocess.Popen([sys.executable, "-c", _SENDER, str(path)], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                              text=True)  # fmt: skip
    model.camera.open_live("127.0.0.1", int(sender.stdout.readline()))
    model.camera.use(window.session.plan.silhouette.lens)
    model.set_page("sizes")
    _until(lambda: model.found is not None)
    seen, drawn, gaps = [0], [0], []
    view = window.get(SilhouetteMiddle).picture
    model.live.seen.connect(lambda _: seen.__setitem__(0, seen[0] + 1))
    paint = view.paintEvent

    def painted(event):
        drawn[0] += 1
        paint(event)

    view.paintEvent = painted
    last = [time.perf_counter()]

    def tick() -> None:
        now = time.perf_counter()
        gaps.append(now - last[0])
        last[0] = now

    timer, loop = QTimer(), QEventLoop()
    timer.timeout.connect(tick)
    timer.start(0)
    QTimer.singleShot(int(1000 * seconds), loop.quit)
    last[0] = time.perf_counter()
    loop.exec()
    timer.stop()
    print(f"live: {seen[0] / seconds:.1f} pictures measured and {drawn[0] / seconds:.1f} drawn a second;")
    print(
        f"the window is silent for {1000 * max(gaps):.0f} ms at most, {1000 * np.quantile(gaps, 0.99):.0f} in 99 of 100"
    )
    model.camera.close()
    sender.stdin.close()
    sender.wait(10)
    sender.stdout.close()


def series(window, model, parts: int, pictures, empty) -> None:
    source = Recorded(pictures, empty)
    model.camera._open(source)
    model.camera.use(window.session.plan.silhouette.lens)
    model.live.seen.connect(lambda _: source.next())
    run = window.get(SeriesModel)
    run.sound, run.log_path = False, Path(tempfile.mkdtemp()) / "log.csv"
    if not run.start():
        raise SystemExit("the series did not start")
    began = time.perf_counter()
    source.next()
    tenth = max(2, parts // 10)
    _until(lambda: len(run.parts) >= tenth)
    first = memory()
    _until(lambda: len(run.parts) >= parts)
    took = time.perf_counter() - began
    rows = len(run.log_path.read_text().splitlines()) - 1
    print(f"series: {parts} parts, {60 * parts / took:.0f} a minute, {rows} rows in the log; {first:.0f} MB after "
          f"{tenth}, {memory():.0f} MB at the end")  # fmt: skip
    run.end()


def main() -> None:
    """Measure."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 10.0
    parts = int(sys.argv[2]) if len(sys.argv) > 2 else 1000
    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.show()
    session.files.open_plan(demo.SHAFT_PLAN, as_example=True)
    _until(lambda: session.plan.silhouette is not None)
    model, taken, rng = window.get(SilhouetteModel), camera(), np.random.default_rng(1)
    level = Place(np.array([-15.7, 0.0]))
    places = [Place(level.origin + rng.normal(0, 8e-4, 2)) for _ in range(6)]
    trembling = [SHAFT.picture(SHAFT.made(1), place, taken) for place in places]
    several = [SHAFT.picture(SHAFT.made(k), SHAFT.put(rng, most=0.4), taken) for k in range(6)]
    live(window, model, seconds, trembling)
    series(window, model, parts, several, taken.picture([]))
    session.document.history.mark_saved()
    window.close()


if __name__ == "__main__":
    main()
