"""How long is the window silent, and how soon is it there: ``benchmarks/silence.py [OLD_SRC] [--where]``.

A timer of the window's thread beats every few milliseconds; the longest time between two beats is how long a user finds
the window dead. It is measured while the demo is gone through, while a large scan comes in, and while uncertainties are
worked out. With the folder `src` of an earlier state of the program the same is measured beside it, in the same run.
`--where` tells what the window's thread was at, whenever it was silent for longer than 50 ms.
"""

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

POINTS, STARTS, RUNS = 1_000_000, 3, 4
SCENARIOS = ("demo", "scan", "uncertainties")

# Runs with this state of the program and with an earlier one: names that differ are looked for.
_CHILD = """
import json, os, sys, tempfile, threading, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from PySide6.QtCore import QEventLoop, QTimer, Qt
from truegauge.app.main import make_application
try:
    from truegauge.app.window import MainWindow
    from truegauge.app.document.session import Session
except ImportError:
    from truegauge.app.window import MainWindow
    from truegauge.app.session import Session
from truegauge import demo
what, scan, where = sys.argv[1], sys.argv[2], sys.argv[3] == "1"
make_application()
session = Session()
window = MainWindow(session, "day")
new = hasattr(session, "queue")
files = session.files if new else session
busy = (lambda: session.queue.is_busy) if new else (lambda: session.is_busy)
select = session.selection.select if new else session.select_groups
row = session.selection.select_characteristic if new else session.select_characteristic
undo = session.document.undo if new else session.undo
old_show = lambda **k: [getattr(session, "set_show_" + name)(value) for name, value in k.items()]
show = (lambda **k: session.show(**k)) if new else old_show
hover = session.pointer.hover if new else session.hover

main, beats, told = threading.main_thread().ident, [time.perf_counter()], {}
gaps = []
def beat():
    now = time.perf_counter()
    gaps.append(now - beats[-1])
    beats[-1] = now
def stack(frame):
    own = []
    while frame is not None:
        if "truegauge" in frame.f_code.co_filename:
            own.append(f"{os.path.basename(frame.f_code.co_filename)}:{frame.f_lineno} {frame.f_code.co_name}")
        frame = frame.f_back
    return own
def watch():
    while True:
        time.sleep(0.01)
        silent = time.perf_counter() - beats[-1]
        if silent > 0.05:
            own = stack(sys._current_frames()[main])
            # Nothing of ours: it is in Qt, or waits for the interpreter, which other work has.
            beside = session.queue.busy_text if new else session.busy_text
            beside = f"(beside {beside or 'nothing'}, {session.stage})"
            told.setdefault(len(gaps), []).append(" < ".join(own[:7]) or beside)
timer = QTimer()
timer.setTimerType(Qt.TimerType.PreciseTimer)
timer.timeout.connect(beat)
def until(done, patience=180):
    loop, ask, end = QEventLoop(), QTimer(), time.monotonic() + patience
    ask.timeout.connect(lambda: loop.quit() if done() or time.monotonic() > end else None)
    ask.start(20)
    loop.exec()
    ask.stop()
def settle():
    until(lambda: not busy())
def begin():
    if where and not told:
        threading.Thread(target=watch, daemon=True).start()
    gaps.clear()
    beats[-1] = time.perf_counter()
    timer.start(4)

window.show()
if what == "demo":
    begin()
    files.open_plan(demo.PLAN); files.open_scan(demo.SCAN)
    until(lambda: session.sample is not None and session.evaluation is not None and not busy())
    for stage in ("part", "devices", "align", "measure", "evaluate", "report"):
        session.set_stage(stage)
        until(lambda: False, 0.3)
        settle()
    session.set_stage("measure")
    for f in session.plan.features:
        select((f.faces,))
        settle()
        hover(f.faces[0])
        until(lambda: False, 0.05)
    for c in session.plan.characteristics:
        row(c.id)
        until(lambda: False, 0.05)
    settle()
    show(map=True); show(points=True)
    until(lambda: False, 0.3)
    show(why=True)
    until(lambda: False, 0.3)
    from truegauge.core.commands.requirements import EditCharacteristic
    for _ in range(3):
        c = session.plan.characteristics[6]
        session.run(EditCharacteristic(c.id, (("upper", c.upper + 0.001),)))
        settle()
    for _ in range(3):
        undo()
        settle()
elif what == "scan":
    files.open_plan(demo.PLAN)
    settle()
    begin()
    files.open_scan(__import__("pathlib").Path(scan))
    until(lambda: session.sample is not None and session.evaluation is not None and not busy())
    show(points=True)
    until(lambda: False, 1.0)
    show(map=True)
    until(lambda: False, 3.0)
    settle()
elif what == "uncertainties":
    files.open_plan(demo.PLAN); files.open_scan(demo.SCAN)
    until(lambda: session.sample is not None and session.evaluation is not None and not busy())
    session.set_stage("measure")
    row(session.plan.characteristics[0].id)
    begin()
    until(lambda: session.evaluation is not None and not busy()
          and all(r.uncertainty is not None or r.measured is None for r in session.evaluation.results), 120)
timer.stop()
known = sum(r.uncertainty is not None for r in session.evaluation.results) if session.evaluation else 0
print(json.dumps({"gaps": sorted(gaps)[-5:], "over": sum(g > 0.05 for g in gaps), "known": known,
                  "told": [[gaps[k], told[k]] for k in told if k < len(gaps)]}), flush=True)
(session.document.history if new else session.history).mark_saved()
window.close()
os._exit(0)
"""

# Starts as the command does; what is reached when is asked every few milliseconds.
_START = """
import json, os, sys, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
try:
    from truegauge.app.start import run
except ImportError:
    from truegauge.app.main import run
from truegauge import demo
begun, times = float(os.environ["BEGUN"]), []
def look():
    from PySide6.QtWidgets import QApplication
    window = [w for w in QApplication.topLevelWidgets() if type(w).__name__ == "MainWindow"][0]
    session = window.session
    if not times and session.model is not None:
        window.view.repaint()
        times.append(time.time() - begun)
    results = session.evaluation.results if session.evaluation is not None else ()
    if len(times) == 1 and any(r.measured is not None for r in results):
        times.append(time.time() - begun)
    queue = getattr(session, "queue", session)
    if len(times) == 2 and not queue.is_busy:
        print(json.dumps([*times, time.time() - begun]), flush=True)
        os._exit(0)
def later():
    global timer
    from PySide6.QtCore import QTimer
    timer = QTimer()
    timer.timeout.connect(look)
    timer.start(5)
from PySide6.QtWidgets import QApplication
execute = QApplication.exec
def exec_and_look(*application):
    later()
    return execute()
QApplication.exec = exec_and_look
run([demo.PLAN, demo.SCAN])
"""


def _run(source: Path | None, code: str, *arguments: object) -> list:
    """Return what a state of the program prints last, and the share of a core that others took meanwhile."""
    env = os.environ | {"XDG_STATE_HOME": tempfile.mkdtemp()} | ({"PYTHONPATH": str(source)} if source else {})
    env.pop("PYTHONDONTWRITEBYTECODE", None)  # users have compiled modules
    before, begun = stolen(), time.time()
    env["BEGUN"] = str(begun)
    ran = subprocess.run([sys.executable, "-c", code, *map(str, arguments)], capture_output=True, text=True,
                         check=False, env=env)  # fmt: skip
    if ran.returncode:
        raise RuntimeError(f"ended with {ran.returncode}: {ran.stderr[-2000:]}")
    return [json.loads(ran.stdout.splitlines()[-1]), (stolen() - before) / (time.time() - begun)]


def stolen() -> float:
    """Return the seconds that this machine's cores were not given by what it runs on."""
    try:
        return int(Path("/proc/stat").read_text().split()[8]) / os.sysconf("SC_CLK_TCK")
    except (OSError, IndexError, ValueError):
        return 0.0


def undisturbed(source: Path | None, code: str, *arguments: object) -> list:
    """Return what came of the run, of some, in which others took least of the machine."""
    runs = []
    for _ in range(RUNS):
        runs.append(_run(source, code, *arguments))
        if runs[-1][1] < 0.01:
            break
    return min(runs, key=lambda r: r[1])


def say(what: str, value: float, unit: str) -> None:
    """Print a figure."""
    print(f"{what:<78} {value:10.2f} {unit}", flush=True)


def make_scan_file(folder: Path) -> Path:
    """Write a scan of the demo part as many points as wanted."""
    from truegauge import demo
    from truegauge.core.cad.projection import Projector
    from truegauge.demo.scan_maker import ScanSettings, make_scan
    from truegauge.formats.part import read_part
    from truegauge.formats.ply import ply_from_points

    model = read_part(demo.PART)
    points, _ = make_scan(model, Projector(model), ScanSettings(points=POINTS, seed=9))
    path = folder / "large.ply"
    path.write_bytes(ply_from_points(points))
    return path


def main() -> None:
    where = "--where" in sys.argv
    only = [a[2:] for a in sys.argv[1:] if a[2:] in (*SCENARIOS, "start")] or (*SCENARIOS, "start")
    paths = [a for a in sys.argv[1:] if not a.startswith("--")]
    states = [("", None)] + ([(", before", Path(paths[0]).resolve())] if paths else [])
    with tempfile.TemporaryDirectory() as folder:
        scan = make_scan_file(Path(folder)) if "scan" in only else Path(folder)
        for what in (w for w in SCENARIOS if w in only):
            words = {"scan": f"a scan of {POINTS:,} points comes in", "demo": "the demo is gone through",
                     "uncertainties": "uncertainties are worked out"}[what]  # fmt: skip
            for state, source in states:
                found, taken = undisturbed(source, _CHILD, what, scan, int(where))
                longest = ", ".join(f"{1000 * g:.0f}" for g in reversed(found["gaps"][-5:-1]))
                say(f"longest silence while {words}{state} (then {longest})", 1000 * found["gaps"][-1], "ms")
                print(f"    over 50 ms: {found['over']} times; of a core others took {100 * taken:.0f} %")
                for gap, stacks in sorted(found["told"], reverse=True)[:10]:
                    often = Counter(stacks).most_common(2)
                    print(f"    {1000 * gap:5.0f} ms  " + "\n              ".join(f"{n} x {s}" for s, n in often))
        if "start" in only:
            taken: dict[str, list] = {state: [] for state, _ in states}
            for _ in range(STARTS):  # in turns: what disturbs one disturbs the other
                for state, source in states:
                    taken[state].append(undisturbed(source, _START)[0])
            for k, words in enumerate(("the demo part drawn", "all demo results", "nothing left to work out")):
                values = {state: statistics.median(t[k] for t in found) for state, found in taken.items()}
                for state, value in values.items():
                    say(f"start to {words}{state}", value, "s")
                if len(values) > 1:
                    say(f"    of before: {words}", values[""] / values[", before"], "times")


if __name__ == "__main__":
    main()
