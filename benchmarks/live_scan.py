"""A scan that is taken in the window: ``benchmarks/live_scan.py [SECONDS] [FASTER]``.

A scanner in a process of its own sends lines of points of the demo part at 600,000 points a second. Told is how many
of them come and get their exact deviation, how many wait, how many pictures of the growing map are drawn a second, how
long the window is silent at most, and how much memory it takes. With FASTER the points of so many times SECONDS are
sent as fast as they are taken, each sweep a little off the last, and kept so close together that the bound of what is
kept is met: memory of a scan however long.
"""

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QEventLoop, Qt, QTimer

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.main import make_application
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.scan_run import SPACING
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.window import MainWindow
from truegauge.cli.demonstrating import _until
from truegauge.core.frames import invert
from truegauge.demo.portable import bench_of
from truegauge.devices.scanner_sim.settings import ScannerSettings
from truegauge.devices.scanner_sim.sweep import sides, strokes

RATE = 600_000  # points a second
SECONDS = 5.0
LINE = 1000  # points
SPEED = 400.0  # mm/s that the recorded sweep is led at: a few seconds of it
CLOSE, OFF = 0.1, 0.4  # mm: the spacing, and how far the sweeps are off, that meet the bound

_SENDER = """
import sys, threading, time
import numpy as np
from truegauge.devices.live.messages import At, Hello
from truegauge.devices.live.server import LiveServer
from truegauge.devices.live.wire import Block
file, rate, off = np.load(sys.argv[1]), float(sys.argv[2]), float(sys.argv[3])
rng = np.random.default_rng(1)
count = int(file["count"])
blocks = [tuple(file[f"{name}{k}"] for name in ("places", "beams", "light", "at")) for k in range(count)]
server = LiveServer(Hello(device="scanner", name="Recorded", boot="-", series="-", time=0.0, near=70.0, far=150.0,
                          lines_per_s=600.0))
print(server.port, flush=True)
ended = threading.Event()
threading.Thread(target=lambda: (sys.stdin.readline(), ended.set()), daemon=True).start()
while not server.is_used and not ended.wait(0.01):
    pass
began, sent, k = time.monotonic(), 0, 0
while not ended.is_set():
    if (sent < rate * (time.monotonic() - began) if rate else server.unconfirmed < 800):
        places, beams, light, at = blocks[k % count]
        if off and k >= count:
            places = places + rng.uniform(-off, off, 3)
        server.show(At(time=server.clock(), place=tuple(at), stem=(0.0, 0.0, 1.0)))
        server.put(lambda seq, t: Block(seq, t, places, beams, light))
        sent, k = sent + len(places), k + 1
    else:
        time.sleep(0.001)
server.close()
"""


def recorded(session: Session, folder: Path) -> Path:
    """Write blocks of about 20,000 points of a sweep over the part, where the demo's scan has it."""
    evaluator, evaluation = session.evaluator, session.evaluation
    pose = invert(evaluation.alignments[session.plan.in_force].part_from_scan)
    bench = bench_of(evaluator.model, evaluator.projector, demo.PART.read_bytes(), device_from_part=pose)
    scanner = bench.scanner(ScannerSettings(line_points=LINE, lines_per_s=600.0, speed=SPEED))
    made, numbers = [], {}
    for stroke in strokes(evaluator.model.box, sides(from_below=True), scanner.settings.width):
        made += [(at, seen) for at, _, seen in scanner.along(stroke) if len(seen[0]) > 2 * LINE]
    for k, (at, (places, beams, light)) in enumerate(made):
        numbers |= {f"places{k}": places, f"beams{k}": beams, f"light{k}": light, f"at{k}": at}
    np.savez(folder / "blocks.npz", count=len(made), **numbers)
    bench.close()
    return folder / "blocks.npz"


def memory_mb() -> float:
    """Return what the process holds in memory, MB."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def scan(window: MainWindow, session: Session, blocks: Path, seconds: float, rate: float, most: float = 0.0) -> None:
    """Scan for some seconds, or (`most`) until so many points have come, and tell how it went."""
    off = OFF if most else 0.0
    sender = subprocess.Popen([sys.executable, "-c", _SENDER, str(blocks), str(rate), str(off)], stdin=subprocess.PIPE,
                              stdout=subprocess.PIPE, text=True)  # fmt: skip
    port = int(sender.stdout.readline())
    portable, model = window.get(PortableModel), window.get(ScanModel)
    portable.connect_to("127.0.0.1", port)
    _until(lambda: portable.scanner is not None)
    # It stands where the scan of the demo came from.
    session.document.set_sample_data(device=portable.scanner.device.identity)
    _until(lambda: not session.queue.is_busy and portable.lie(portable.scanner) is not None)
    pictures, gaps, last, render = [], [], [time.perf_counter()], window.view.picture.render

    def counted() -> None:
        render()
        pictures.append(time.perf_counter())

    def beat() -> None:
        now = time.perf_counter()
        gaps.append(now - last[0])
        last[0] = now

    window.view.picture.render = counted
    model.spacing = CLOSE if most else SPACING
    model.start()
    _until(lambda: model.state.came > 0)
    pictures.clear()
    began, came, before = time.perf_counter(), model.state.came, memory_mb()
    last[0] = began
    timer, ask, loop = QTimer(), QTimer(), QEventLoop()
    timer.setTimerType(Qt.TimerType.PreciseTimer)
    timer.timeout.connect(beat)
    timer.start(3)
    behind: list[int] = []
    held: list[float] = []
    left_out = 0

    def look() -> None:
        nonlocal left_out
        behind.append(model.state.behind)
        held.append(memory_mb())
        left_out += model.state.one_of > 1
        done = model.state.came - came >= most if most else time.perf_counter() - began >= seconds
        if done:
            loop.quit()

    ask.timeout.connect(look)
    ask.start(50)
    loop.exec()
    timer.stop()
    ask.stop()
    spent = time.perf_counter() - began
    half = len(behind) // 2
    s = model.state
    print(f"{(s.came - came) / spent:,.0f} points a second for {spent:.0f} s ({s.came:,} in all, {s.kept:,} kept, "
          f"{s.spacing:g} mm apart, {100 * s.coverage:.0f} % of the part seen)")  # fmt: skip
    print(f"blocks that waited: median {np.median(behind[:half] or [0]):.0f} in the first half, "
          f"{np.median(behind[half:]):.0f} in the second; {len(pictures) / spent:.0f} pictures a second; "
          f"silence at most {1000 * max(gaps):.0f} ms; "
          f"memory {before:.0f} MB before, {memory_mb():.0f} MB after, {max(held):.0f} MB at most; "
          f"points were left out {100 * left_out / max(1, len(behind)):.0f} % of the time")  # fmt: skip
    model.throw_away()
    portable.disconnect_line(portable.scanner)
    window.view.picture.render = render
    sender.communicate("\n", 10)


def main() -> None:
    """Scan at the rate, and as fast as it goes."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else SECONDS
    faster = float(sys.argv[2]) if len(sys.argv) > 2 else 0.0
    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.resize(1280, 800)
    window.show()
    session.files.open_plan(demo.PLAN)
    session.files.open_scan(demo.SCAN)
    _until(lambda: session.evaluation is not None and not session.queue.is_busy)
    session.set_stage("devices")
    window.get(DevicesModel).set_page("portable")
    with tempfile.TemporaryDirectory() as folder:
        blocks = recorded(session, Path(folder))
        scan(window, session, blocks, seconds, RATE)
        if faster:
            scan(window, session, blocks, 0.0, 0.0, most=faster * seconds * RATE)
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    window.close()


if __name__ == "__main__":
    main()
