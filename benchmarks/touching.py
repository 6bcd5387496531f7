"""Touches at 200 a second through the socket into the window: ``python benchmarks/touching.py [SECONDS]``.

Says how many came in, the longest time in which the window did not answer, and how late the count shown was.
"""

import os
import sys
import threading
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtCore import QTimer

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.main import make_application
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.window import MainWindow
from truegauge.demo.cmm import part_to_place
from truegauge.devices.cmm_sim.build import make_world, start
from truegauge.devices.cmm_sim.settings import MachineSettings
from truegauge.devices.cmm_sim.words import SensorTouch

RATE = 200.0


def main() -> None:
    """Stream touches of the base of the housing, aligned, while the Measure stage is shown."""
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 15.0
    app = make_application()
    session = Session()
    session.uncertainties.DELAY_MS = 10**8
    window = MainWindow(session, "day")
    window.show()

    def until(done, most=120.0):  # type: ignore[no-untyped-def]
        end = time.monotonic() + most
        while not done():
            app.processEvents()
            time.sleep(0.002)
            if time.monotonic() > end:
                raise TimeoutError

    session.files.open_plan(demo.CMM_PLAN)
    until(lambda: not session.queue.is_busy and session.evaluator is not None)
    plan = session.plan
    part = part_to_place(session.evaluator.model, session.evaluator.projector, is_housing=True)
    world = make_world(MachineSettings(), 1, (), plan, part)
    running = start(world, hands_port=0)
    window.get(MachineModel).connect_to("127.0.0.1", running.port, running.hands.port, running.hands.token)
    until(lambda: window.get(MachineModel).connected and not window.get(MachineModel).busy)
    window.get(DevicesModel).change(window.get(DevicesModel).probing.replace(allow_unqualified=True), "allow")
    window.get(MachineModel).home()
    until(lambda: window.get(MachineModel).homed and not window.get(MachineModel).busy)
    window.get(MachineModel).take_stylus(window.get(DevicesModel).probing.uses()[0])
    until(lambda: not window.get(MachineModel).busy)
    session.set_stage("measure")
    session.selection.select((plan.features[0].faces,))
    window.get(TouchModel).set_by_hand(True)
    count = int(RATE * seconds)
    pose = world.part.machine_from_part
    rng = np.random.default_rng(1)
    on_base = np.column_stack([rng.uniform(8, 30, count), rng.uniform(20, 70, count), np.full(count, -2.0)])
    places = on_base @ pose[:3, :3].T + pose[:3, 3]
    sent = np.zeros(count)

    def stream() -> None:
        began = time.monotonic()
        for k in range(count):
            wait = began + k / RATE - time.monotonic()
            if wait > 0:
                time.sleep(wait)
            sent[k] = time.monotonic()
            running.server.hand_touch(SensorTouch(places[k], pose[:3, 2]))

    beats, late = [time.monotonic()], []

    def beat() -> None:
        now = time.monotonic()
        beats.append(now)
        shown = len(window.get(TouchModel).probed)
        if 0 < shown < count and sent[shown] > 0:
            late.append(now - sent[shown])

    timer = QTimer()
    timer.timeout.connect(beat)
    timer.start(5)
    thread = threading.Thread(target=stream)
    thread.start()
    until(lambda: len(window.get(TouchModel).probed) >= count, seconds + 60)
    took = time.monotonic() - sent[0]
    thread.join()
    timer.stop()
    gaps = np.diff(beats)
    print(f"{count} touches sent in {sent[-1] - sent[0]:.1f} s, all shown after {took:.1f} s")
    print(
        f"longest silence of the window {1000 * gaps.max():.0f} ms, 99 % below {1000 * np.quantile(gaps, 0.99):.0f} ms"
    )
    print(f"a touch is counted after {1000 * np.median(late):.0f} ms (largest {1000 * max(late, default=0):.0f} ms)")
    until(lambda: not session.queue.is_busy)
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    window.close()
    running.close()


if __name__ == "__main__":
    main()
