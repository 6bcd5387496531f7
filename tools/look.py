"""Takes pictures of the window's main views from the demo data: ``python tools/look.py docs/screenshots``."""

import os
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["XDG_STATE_HOME"] = os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp()  # nothing is known of a machine yet

import numpy as np
from PySide6.QtWidgets import QApplication

from truegauge import demo
from truegauge.app.document.session import Session
from truegauge.app.main import make_application
from truegauge.app.shell.batch.dialog import BatchDialog
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.machine_view import MachineView
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.stages.devices.setup.model import SetupModel, Task
from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.stages.measure.running.page import RunPage
from truegauge.app.stages.report.making import ReportMaker
from truegauge.app.stages.silhouette.model import SilhouetteModel
from truegauge.app.stages.silhouette.series_model import SeriesModel
from truegauge.app.track.model import RouteModel
from truegauge.app.track.rehearsal_view import RehearsalView
from truegauge.app.track.track_panel import TrackPanel
from truegauge.app.window import MainWindow
from truegauge.cli.demonstrating import _until
from truegauge.core.commands.readouts import SetReadout
from truegauge.core.device_checks.records import NEEDED, Check
from truegauge.core.frames import apply, invert
from truegauge.core.plan.readouts import Readout
from truegauge.core.routes.checking import check
from truegauge.core.routes.document import PartFixture
from truegauge.core.routes.scene import make_scene
from truegauge.core.silhouette.looking import Place
from truegauge.demo.samples import write_samples

_PATIENCE_S = 60.0
_ASIDE = {"rehearsal", "setup", "align-guided"}  # only where they are asked for by name
_TOUCHED = 110  # touches after which a run is looked at


def live(session: Session, window: MainWindow, shot: Callable[[str], None]) -> None:
    """A picture of the live readout: the tip of an arm in the main bore."""
    session.files.open_plan(demo.PLAN)
    session.files.open_scan(demo.SCAN)
    _until(lambda: session.evaluation is not None and not session.queue.is_busy)
    session.set_stage("devices")
    window.get(DevicesModel).set_page("portable")
    portable = window.get(PortableModel)
    line = portable.start_stand_in()
    assert line is not None
    assert line.stand_in is not None
    arm, out = line.stand_in, np.array([0.0, -1.0, 0.0])
    center = np.array([58.0, 66.0, 50.0]) + (arm.settings.radius + 0.043) * out
    pose = arm.world.device_from_part
    arm._show(apply(pose, center[None])[0], pose[:3, :3] @ out)
    _until(lambda: portable.reading() is not None)
    ids = {f.name: f.id for f in session.plan.features}
    for made in (
        Readout(id="a"), Readout(id="b", subject="axis", feature=ids["main bore"], lower=19.45, upper=19.55),
    ):  # fmt: skip
        session.run(SetReadout(made))
    window.floating.notice.hide()
    shot("live")
    portable.start_stand_in("scanner")
    scan = window.get(ScanModel)
    scan.start()
    scan.let_hand_scan()
    _until(lambda: scan.state.coverage > 0.42)
    if scan.hand is not None:
        scan.hand.stop_sweep()
    _until(lambda: scan.state.behind == 0)
    shot("scanning")
    scan.throw_away()
    setup = window.get(SetupModel)
    window.get(DevicesModel).set_page("setup")
    for task in (Task.REFERENCES, Check.SEAT, Check.SPHERE, Check.DRIFT, Check.PART, Check.PART):
        setup.start(task)
        for _ in range(NEEDED.get(task, 4)):
            setup.operator_touches()
        setup.stop()
    window.floating.notice.hide()
    shot("setup")


def machine(session: Session, window: MainWindow, shot: Callable[[str], None]) -> None:
    """Pictures of the Devices stage and of touching, on the stand-in."""
    m = window.get(MachineModel)

    def idle() -> None:
        _until(lambda: not m.busy)

    session.files.open_plan(demo.CMM_PLAN)
    _until(lambda: not session.queue.is_busy)
    session.document.take_sample_out()
    session.set_stage("devices")
    m.start_stand_in(pace=0)
    _until(lambda: m.connected and not m.busy)
    m.home()
    idle()
    window.get(DevicesModel).set_page("qualify")
    run = window.get(DevicesModel).qualifying
    run.qualify(window.get(DevicesModel).in_need())
    _until(lambda: run.run_state is not None and bool(run.run_state.text))
    m.do("touch sphere")
    _until(lambda: run.run_state is None and not m.busy)
    window.floating.notice.hide()
    m.take_stylus(window.get(DevicesModel).probing.uses()[2])
    idle()
    session.set_stage("align")
    window.get(AlignModel).choose("touches")
    window.get(GuideModel).start_with("machine")
    for k in range(1, 8):
        window.get(GuideModel).operator_touches()
        _until(lambda n=k: len(window.get(GuideModel).touches) == n and not m.busy)
    window.get(GuideModel).stop()
    _until(lambda: not session.queue.is_busy)
    session.set_stage("devices")
    window.get(DevicesModel).set_page("machine")
    shot("devices")
    session.set_stage("measure")
    made, run = window.get(RouteModel), window.get(RunModel)
    made.make()
    _until(lambda: made.is_there and made.is_current and not session.queue.is_busy)
    run.open()
    run.take(run.offers()[0])
    run.part.serial = "LW-0417"
    m.hands.do("pace", pace=6.0)
    run.start()
    _until(lambda: run.at == "running" and run.run is not None and len(run.run.state.taken) > _TOUCHED)
    run.pause()
    _until(lambda: run.at == "stopped" and not m.busy)
    run.at = "running"  # as it was a moment ago
    window.floating.notice.hide()
    window.get(RunPage).refresh()
    shot("run")
    run.give_up()
    run.close_page()
    session.document.sample_is_saved = True
    m.disconnect_machine()


def route(session: Session, window: MainWindow, shot: Callable[[str], None], settle: Callable[[], None]) -> None:
    """Pictures of the track with a strategy being changed, and of a rehearsal with a marked collision."""
    m, panel = window.get(RouteModel), window.get(TrackPanel)
    session.set_stage("measure")
    _until(lambda: session.evaluator is not None and not session.queue.is_busy and m.track is not None)
    bore = next(f for f in session.plan.features if f.name == "cross bore")
    session.selection.select((bore.faces,))
    strategy = window.parts["measure"].bench.strategy
    strategy.header.setChecked(True)
    strategy.boxes["touches"].setValue(8)
    _until(lambda: m.is_current)
    settle()
    area = strategy.parentWidget().parentWidget().parentWidget()
    area.ensureWidgetVisible(strategy.back, 0, 20)
    window.floating.notice.hide()
    shot("track")
    # A clamp that was put there after the route was planned.
    found = m.routed
    leg = next(x for x in found.planned.legs if x.kind == "touch" and x.step == "m-cross-bore")
    place = apply(invert(found.scene.machine_from_part), (leg.end + np.array([0.0, 0.0, 30.0]))[None])[0]
    half = np.array([12.0, 9.0, 9.0])
    clamp = PartFixture(name="clamp", low=tuple((place - half).tolist()), high=tuple((place + half).tolist()))
    around = found.route.replace(fixtures=(clamp,))
    scene = make_scene(session.model, session.plan.probing, around)
    m.show(replace(found, route=around, scene=scene, checked=check(scene, found.planned, 1.0)))
    m.set_seconds(m.routed.checked.meetings[0].seconds)
    panel.bad.click()
    shot("rehearsal")
    panel.bad.click()
    m.set_rehearsing(False)
    session.document.undo()
    strategy.header.setChecked(False)
    session.selection.select(())
    _until(lambda: m.is_current)


def cover(
    session: Session, window: MainWindow, shot: Callable[[str], None], settle: Callable[[], None], folder: Path
) -> None:
    """Pictures of the Evaluate stage with the second demo part, and of the batch page."""
    session.files.open_plan(demo.COVER_PLAN)
    session.files.open_scan(demo.COVER_SCAN)
    _until(lambda: session.evaluation is not None and session.sample is not None and not session.queue.is_busy)
    session.set_stage("evaluate")
    window.get(EvaluateModel).set_page("views")
    session.showing.look_at_view("v-holes")
    window.get(EvaluateModel).set_page("sections")
    session.showing.look_at_section("s-middle")
    session.selection.select_characteristic("c32")
    shot("flat-section")
    session.showing.look_at_section("")
    batch_page(window, folder)


def batch_page(window: MainWindow, folder: Path) -> None:
    """Run a small batch and show its summary."""
    with tempfile.TemporaryDirectory() as made:
        write_samples(Path(made) / "scans", 5, 60_000)
        page = BatchDialog(demo.PLAN, window.theme, window.files.open_sample, window)
        page.out.setText(str(Path(made) / "out"))
        for box in page.formats.values():
            box.setChecked(False)
        page.formats["csv"].setChecked(True)
        page.add_scans([Path(made) / "scans"])
        page.show()
        page.start.click()
        _until(lambda: page.batch is None)
        page.told.setText("5 inspected, 0 failed")
        page.grab().save(str(folder / "batch.png"))
        page.close()


def surface(session: Session, window: MainWindow, shot: Callable[[str], None]) -> None:
    """A picture of the imperfections of a scan, without a part, judged by limits."""
    session.files.open_plan(demo.PANEL_PLAN, as_example=True)
    session.files.open_scan(demo.PANEL_SCAN)
    _until(lambda: session.sample is not None and not session.queue.is_busy)
    session.set_stage("evaluate")
    model = window.get(SurfaceModel)
    _until(lambda: model.found is not None and not session.queue.is_busy)
    model.choose(4)
    window.floating.notice.hide()
    shot("surface")
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    window.get(EvaluateModel).set_page("map")
    session.document.take_sample_out()
    session.set_stage("part")


def shadow(session: Session, window: MainWindow, shot: Callable[[str], None]) -> None:
    """Pictures of the demo's shaft in its shadow, and of a series of them."""
    session.files.open_plan(demo.SHAFT_PLAN, as_example=True)
    _until(lambda: session.plan.silhouette is not None)
    session.set_stage("silhouette")
    model, series = window.get(SilhouetteModel), window.get(SeriesModel)
    model.camera.open_stand_in()
    hand, own = model.camera.stand_in, session.plan.silhouette
    assert hand is not None
    assert own is not None
    assert own.lens is not None
    model.camera.use(own.lens)
    hand.put(3, place=Place(np.array([-15.4, 2.6]), -0.12))
    _until(lambda: model.seen is not None and model.seen.happening == "lying" and session.evaluation is not None)
    model.set_page("sizes")
    by_name = {e.name: e.id for e in own.edges}
    model.select((by_name["shoulder"], by_name["collar face"]))
    window.floating.notice.hide()
    shot("silhouette")
    model.select(())
    model.set_page("series")
    series.set_about(operator="A. Lind", batch="26-48", serial="0101")
    series.start()
    for number in (4, 5, 6, 7, 8, 13):
        hand.take_away()
        _until(lambda: model.seen is not None and model.seen.happening == "nothing")
        count = len(series.parts)
        hand.put(number)
        _until(lambda count=count: len(series.parts) > count)  # type: ignore[misc]
    window.floating.notice.hide()
    shot("series")
    series.end()
    model.camera.close()
    session.document.history.mark_saved()
    session.document.take_sample_out()


def blade(session: Session, window: MainWindow, shot: Callable[[str], None]) -> None:
    """A picture of a section of the vane."""
    session.files.open_plan(demo.VANE_PLAN, as_example=True)
    session.files.open_scan(demo.VANE_SCAN)
    _until(lambda: session.evaluation is not None and session.sample is not None and not session.queue.is_busy)
    session.set_stage("evaluate")
    window.get(EvaluateModel).set_page("blade")
    model = window.get(BladeModel)
    model.choose("z80")
    _until(lambda: model.sheet is not None and not session.queue.is_busy)
    window.floating.notice.hide()
    shot("blade")
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    window.get(EvaluateModel).set_page("map")
    session.document.take_sample_out()
    session.set_stage("part")


def guide(session: Session, window: MainWindow, shot: Callable[[str], None], settle: Callable[[], None]) -> None:
    """A picture of a guided alignment half done."""
    align = window.get(AlignModel)
    align.add("guided")
    for place in ((40, 4, 14), (100, 4, 14), (12, 45, 14), (40, 0, 7), (100, 0, 7), (0, 45, 7), (85, 45, 60)):
        at = np.array(place, dtype=float)
        session.pointer.pick_at(int(session.evaluator.projector.deviations(at[None]).face[0]), at)
    session.pointer.pick_at(session.plan.feature("mount-2").faces[0], np.array([130.0, 10.0, 16.0]))
    window.get(GuideModel).start_with("demo-arm")
    settle()
    for k in range(5):
        if k == 4:
            window.get(GuideModel).device.stand_in.slip_next(0.4)
        window.get(GuideModel).operator_touches()
        settle()
    shot("align-guided")
    window.get(GuideModel).stop()
    session.document.set_touches(())
    while session.document.history.undo_label:
        session.document.undo()
    align.choose("a1")
    settle()


TABLE = """type,name,x,y,z,i,j,k,diameter,length,width,depth,angle
plane,base,70,45,0,0,0,-1,,140,90,,
plane,side,70,0,7,0,-1,0,,140,14,,
hole,main bore,58,45,30,0,0,1,42,,,60,
boss,boss,122,45,31,1,0,0,30,,,8,
slot,slot,130,45,7,0,0,1,,30,12,14,
conical hole,seat,107,24,45,0,0,1,14.5,,,5,60
socket,socket,107,63,55.5,0,0,1,24,,,,
point,shroud 1,30,82,30,0,1,0,3,,,,
"""


def main() -> int:
    folder = Path(sys.argv[1])
    folder.mkdir(parents=True, exist_ok=True)
    wanted = set(sys.argv[2:])
    make_application()
    session = Session()
    window = MainWindow(session, "day")
    window.show()

    def settle() -> None:
        _until(lambda: not session.queue.is_busy)
        for _ in range(5):
            QApplication.processEvents()

    def shot(name: str) -> None:
        settle()
        if name in wanted or not (wanted or name in _ASIDE):
            for view in (window.view, window.get(MachineView), window.get(RehearsalView), window.get(RunPage).view):
                if view.isVisible():
                    view.finish()
            window.grab().save(str(folder / f"{name}.png"))

    shot("start")
    if not wanted or "surface" in wanted:
        surface(session, window, shot)
    if not wanted or "blade" in wanted:
        blade(session, window, shot)
    if not wanted or wanted & {"silhouette", "series"}:
        shadow(session, window, shot)
    session.files.open_plan(demo.PLAN)
    session.files.open_scan(demo.SCAN)
    _until(lambda: session.evaluation is not None and session.sample is not None and not session.queue.is_busy)
    shot("part")
    session.set_stage("align")
    session.show(points=True)
    window.get(AlignModel).choose("holes")
    shot("align")
    session.show(points=False)
    guide(session, window, shot, settle)
    session.set_stage("measure")
    faces = {f.id: f.faces for f in session.plan.features}
    session.selection.select((faces["boss"], faces["side-c"]))
    session.pointer.hover(window.session.model.faces[faces["cross-bore"][0]].index)
    shot("measure")
    session.pointer.hover(-1)
    session.selection.select((faces["cross-bore"],))
    window.view.show_standard("front")
    shot("feature")
    window.view.show_standard("corner")
    session.selection.select_characteristic("c21")
    session.show(why=True)
    end = time.monotonic() + _PATIENCE_S  # some have none, and say why
    _until(lambda: time.monotonic() > end
           or all(r.uncertainty is not None or r.measured is None for r in session.evaluation.results))  # fmt: skip
    shot("why")
    session.show(why=False)
    session.selection.select(())
    session.set_stage("evaluate")
    shot("evaluate")
    session.set_stage("report")
    settle()
    window.get(ReportMaker).refresh()
    shot("report")
    session.set_stage("part")
    session.show(map=False)
    if not wanted or wanted & {"flat-section", "views", "batch"}:
        cover(session, window, shot, settle, folder)
    on_machine = {"track", "rehearsal", "devices", "run"}
    if not wanted or wanted & on_machine:
        session.files.open_plan(demo.CMM_PLAN)
        session.document.take_sample_out()
        route(session, window, shot, settle)
        machine(session, window, shot)
    if not wanted or wanted & {"live", "scanning", "setup"}:
        live(session, window, shot)
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    QApplication.closeAllWindows()
    return 0


if __name__ == "__main__":
    sys.exit(main())
