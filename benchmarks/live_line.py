"""The device protocol and the live readout: ``benchmarks/live_line.py [SECONDS]``.

How long it takes from a touch or a place of the tip until it is on the screen, and how many points of a scanner come
over the line and get their exact deviation.
"""

import os
import sys
import threading
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtWidgets import QApplication

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.main import make_application
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.readout import LiveReadout
from truegauge.app.window import MainWindow
from truegauge.cli.demonstrating import _until
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.frames import apply
from truegauge.devices.live.client import LiveClient
from truegauge.devices.live.messages import Hello
from truegauge.devices.live.server import LiveServer
from truegauge.devices.live.wire import Block
from truegauge.formats.plan_file import model_of_plan, read_plan
from truegauge.formats.sample_file import open_sample

MOVES = 150
SECONDS = 5.0
RATE = 600_000  # points a second
_BLOCK = 20_000
_EYE_S = 0.03  # between two places of the tip


def readout() -> None:
    """Print how old a place of the tip is when its deviation has been painted."""
    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.show()
    session.files.open_plan(demo.PLAN)
    session.files.open_scan(demo.SCAN)
    _until(lambda: session.evaluation is not None and not session.queue.is_busy)
    session.set_stage("devices")
    window.get(DevicesModel).set_page("portable")
    model, live = window.get(PortableModel), window.get(LiveReadout)
    model.start_stand_in()
    arm = model.arm.stand_in
    pose = arm.world.device_from_part
    shown: dict[float, float] = {}
    painted = live.paintEvent

    def paint(event: object) -> None:
        painted(event)
        if model.arm is not None and model.arm.device.at is not None:
            shown.setdefault(model.arm.device.at.time, arm.server.clock())

    live.paintEvent = paint
    rng = np.random.default_rng(1)

    def move() -> None:
        while len(shown) < MOVES:
            center = np.array([[58.0 + rng.uniform(-5, 5), 63.0, 50.0]])
            arm._show(apply(pose, center)[0], np.array([0.0, 0.0, 1.0]))
            time.sleep(_EYE_S)

    hand = threading.Thread(target=move)
    hand.start()
    while hand.is_alive():
        QApplication.processEvents()
        time.sleep(0.001)
    ages = np.array([at - told for told, at in shown.items()][2:]) * 1000
    print(f"tip to screen, {len(ages)} places: median {np.median(ages):.0f} ms, 99 % {np.percentile(ages, 99):.0f} ms")
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    window.close()


def points() -> None:
    """Print how many points a second come, with exact deviations, and how far the line is behind."""
    file = read_plan(demo.PLAN)
    evaluator = Evaluator(model_of_plan(demo.PLAN, file))
    projector, places = evaluator.projector, evaluator.aligned(file.plan, open_sample(demo.SCAN)[0])[1].points
    server = LiveServer(Hello(device="scanner", name="Scanner", boot="-", series="-", time=0.0))
    client = LiveClient("127.0.0.1", server.port)
    client.connect()
    ended = threading.Event()

    def scan_on() -> None:
        began, sent = time.monotonic(), 0
        while not ended.is_set():
            if sent < RATE * (time.monotonic() - began):
                at = sent % max(1, len(places) - _BLOCK)
                block = np.ascontiguousarray(places[at : at + _BLOCK])
                server.put(lambda seq, t, block=block: Block(seq, t, block))
                sent += len(block)
            else:
                time.sleep(0.001)

    scanner = threading.Thread(target=scan_on)
    scanner.start()
    began, count, near, behind = time.monotonic(), 0, 0, 0.0
    while time.monotonic() - began < SECONDS:
        for event in client.events(0.05):
            if isinstance(event, Block):
                found = projector.deviations(event.places, max_distance=5.0)
                count, near = count + len(event), near + int((found.face >= 0).sum())
                behind = server.clock() - event.time
                client.confirm(event.seq)
    spent = time.monotonic() - began
    ended.set()
    scanner.join()
    print(f"{count / spent:,.0f} points a second of {RATE:,} with exact deviations ({100 * near / count:.0f} % of them "
          f"on the part), the last {1000 * behind:.0f} ms old")  # fmt: skip
    client.close()
    server.close()


def main() -> None:
    """Print both."""
    global SECONDS
    SECONDS = float(sys.argv[1]) if len(sys.argv) > 1 else SECONDS
    readout()
    points()


if __name__ == "__main__":
    main()
