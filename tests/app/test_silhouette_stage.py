"""The whole silhouette job through real widgets: calibrated, programmed by dragging, found, recognised, a series."""

import csv

import ezdxf
import numpy as np
import pytest
from fits import everything
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtWidgets import QApplication, QFileDialog

import truegauge as tg
from truegauge import demo
from truegauge.app.shell.stage import STAGES
from truegauge.app.stages.silhouette.bench import SilhouetteBench
from truegauge.app.stages.silhouette.edits import usual_limits
from truegauge.app.stages.silhouette.middle import SilhouetteMiddle
from truegauge.app.stages.silhouette.model import SilhouetteModel
from truegauge.app.stages.silhouette.recognising_model import RecognisingModel
from truegauge.app.stages.silhouette.series_model import SeriesModel, next_serial
from truegauge.app.widgets.text_size import TEXT
from truegauge.core.silhouette.looking import Place
from truegauge.demo.flat_parts import plate_outline
from truegauge.demo.shadow_camera import ShadowBench
from truegauge.demo.shadow_plans import PARTS, PLATE_PART, SHAFT, camera
from truegauge.formats.camera_record_file import read_camera
from truegauge.formats.pictures import png_of
from truegauge.formats.plan_file import read_plan
from truegauge.formats.sample_file import read_sample

LEVEL = Place(np.array([-15.7, 0.0]))


class Job:
    """A window with the Silhouette stage, and hands."""

    def __init__(self, window, qtbot):
        self.window, self.qtbot, self.session = window, qtbot, window.session
        self.model, self.middle = window.get(SilhouetteModel), window.get(SilhouetteMiddle)
        self.series, self.recognising = window.get(SeriesModel), window.get(RecognisingModel)
        self.bench = window.parts["silhouette"].bench
        assert isinstance(self.bench, SilhouetteBench)
        self.view = self.middle.picture

    @property
    def hand(self):
        return self.model.camera.stand_in

    def until(self, holds, most=60_000):
        self.qtbot.waitUntil(holds, timeout=most)

    def rest(self):
        """Wait until what is seen was measured by the plan as it is now."""
        m = self.model
        self.until(lambda: not self.session.queue.is_busy and m.seen is not None
                   and m.seen.silhouette is m.silhouette and self.session.evaluation is not None)  # fmt: skip

    def open(self, plan):
        self.session.files.open_plan(plan)
        self.until(lambda: self.session.plan.silhouette is not None and bool(self.session.plan.characteristics))

    def new(self):
        self.window.actions_table.trigger("new-silhouette")
        assert self.session.stage == "silhouette"

    def connect(self):
        self.bench.camera_page.open.click()
        self.until(lambda: self.hand is not None and self.model.seen is not None)

    def put(self, number, drawing=SHAFT.drawing, place=None):
        before = self.model.seen
        self.hand.put(number, drawing, place)
        self.until(lambda: self.model.seen is not before and self.model.seen.happening == "lying")

    def take_away(self):
        self.hand.take_away()
        self.until(lambda: self.model.seen.happening == "nothing")

    def calibrate(self):
        self.hand.plate()
        self.until(lambda: self.model.camera.picture is not None and self.model.camera.picture[::64, ::64].min() < 60)
        page = self.bench.camera_page
        self.model.set_page("camera")
        page.plate.header.click()
        page.pitch.setValue(2.0)
        page.dot.setValue(1.0)
        page.plate_due.setText("2099-01-01")
        page.by_plate.click()
        self.until(lambda: self.model.camera.lens is not None)
        self.take_away()

    def at(self, x, y):
        """Where a place of the part is in the picture's widget."""
        a, b = self.view.on(np.array([[x, y]]))[0]
        return QPointF(float(a), float(b))

    def pixel(self, x, y, place):
        """Where a place of the part would be that lies at a place, before anything is found."""
        lens = self.model.camera.lens.calibration.lens
        a, b = self.view.view().on(lens.pixels(place.picture_from_part(np.array([[x, y]]))))[0]
        return QPointF(float(a), float(b))

    def drag(self, a, b):
        self.qtbot.mousePress(self.view, Qt.MouseButton.LeftButton, pos=_point(a))
        for share in (0.3, 0.7, 1.0):
            self.qtbot.mouseMove(self.view, _point(a + (b - a) * share))
        seen = self.view.grab().toImage()
        assert not seen.isNull()
        self.qtbot.mouseRelease(self.view, Qt.MouseButton.LeftButton, pos=_point(b))
        self.rest()

    def click(self, a):
        self.qtbot.mouseClick(self.view, Qt.MouseButton.LeftButton, pos=_point(a))

    def offer(self, words):
        self.model.set_page("sizes")
        page = self.bench.sizes_page
        self.until(lambda: any(b.text().startswith(words) and b.isEnabled() for b in page.buttons.values()))
        next(b for b in page.buttons.values() if b.text().startswith(words)).click()
        self.rest()

    def values(self):
        return {r.characteristic.name: r.measured for r in self.session.evaluation.results}


def _point(at):
    return QPoint(round(at.x()), round(at.y()))


@pytest.fixture
def job(window, qtbot, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    made = Job(window, qtbot)
    yield made
    made.series.end()
    made.model.camera.close()


def test_the_whole_job(job, tmp_path, monkeypatch):
    job.new()
    assert [k for k, b in job.window.rail.buttons.items() if not b.isHidden()] == ["silhouette", "report"]
    job.connect()
    assert "not calibrated" in job.model.why_not
    job.calibrate()
    identity = job.model.camera.source.identity
    assert read_camera(identity).lens.due_at == "2099-01-01"
    job.put(0, place=LEVEL)
    assert job.session.sample is None or job.values() == {}
    # Three sizes across by dragging.
    job.window.actions_table.trigger("shadow-across")
    for x in (1.8, 9.5, 15.0):
        job.drag(job.pixel(x, 9.0, LEVEL), job.pixel(x + 0.1, -9.0, LEVEL))
    true = SHAFT.true(SHAFT.made(0))
    got = list(job.values().values())
    assert got == pytest.approx([true["Journal"], true["Bearing seat"], true["Collar"]], abs=2e-3)
    assert [c.nominal for c in job.session.plan.characteristics] == [6.0, 8.0, 14.0]
    # A rounding along its edge, taken as a radius; a shoulder and the left end, their spacing; one above the rest.
    job.window.actions_table.trigger("shadow-along")
    job.drag(job.pixel(12.75, 4.03, LEVEL), job.pixel(13.47, 4.75, LEVEL))
    job.offer("radius")
    job.drag(job.pixel(0.0, -2.0, LEVEL), job.pixel(0.0, 2.0, LEVEL))
    left = job.model.selected
    job.drag(job.pixel(13.5, 5.0, LEVEL), job.pixel(13.5, 6.4, LEVEL))
    job.model.select((*left, *job.model.selected))
    job.offer("spacing")
    names = {e.name: e.id for e in job.model.silhouette.edges}
    sides = [k for k, e in ((e.id, e) for e in job.model.silhouette.edges)][:6]
    job.model.select((sides[2], sides[1]))
    job.offer("height above the rest")
    assert len(names) == len(job.model.silhouette.edges) == 9
    told = list(job.values().values())
    assert told[3] == pytest.approx(true["Fillet"], abs=8e-3)
    assert told[4] == pytest.approx(true["Journal length"] + true["Seat length"], abs=2e-3)
    assert told[5] == pytest.approx((true["Bearing seat"] + true["Journal"]) / 2, abs=2e-3)
    # Limits are set in the ledger as for any characteristic; undo goes back step by step.
    job.session.run(_limits(job.session.plan.characteristics[0].id))
    assert job.session.evaluation.results[0].upper == pytest.approx(0.02)
    job.session.document.undo()
    job.rest()
    assert job.session.evaluation.results[0].upper != pytest.approx(0.02)
    job.session.document.redo()
    # Found by two sides of the seat and the left end, wherever it lies.
    page = job.bench.part_page
    job.model.set_page("part")
    job.model.select((sides[2], sides[3]))
    page.along.click()
    job.model.select(left)
    page.begins.click()
    page.find_it.click()
    job.until(lambda: job.model.silhouette.datums is not None and job.model.silhouette.taught is not None)
    job.take_away()
    job.put(7)
    true = SHAFT.true(SHAFT.made(7))
    assert list(job.values().values())[:3] == pytest.approx(
        [true["Journal"], true["Bearing seat"], true["Collar"]], abs=2e-3
    )
    assert abs(np.sin(job.model.place.turn)) > 1e-4
    # Saved like any plan, and ten parts in a row with a log.
    path = tmp_path / "shaft.tgplan"
    assert job.session.files.save_plan(path)
    assert read_plan(path).plan == job.session.plan
    log = tmp_path / "series.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(log), ""))
    series = job.bench.series_page
    job.model.set_page("series")
    series.operator.setText("Ada")
    series.operator.editingFinished.emit()
    series.log.click()
    job.take_away()
    series.start.click()
    assert job.series.is_running
    for k in range(10):
        count = len(job.series.parts)
        job.put(k)
        job.until(lambda n=count: len(job.series.parts) == n + 1)
        assert "take it away" in job.middle.verdict.said
        job.take_away()
    rows = list(csv.DictReader(log.read_text().splitlines()))
    assert [r["no"] for r in rows] == [str(k) for k in range(1, 11)]
    assert {r["operator"] for r in rows} == {"Ada"}
    for k, row in enumerate(rows):
        own = SHAFT.true(SHAFT.made(k))
        cells = [float(v) for name, v in row.items() if name.endswith("[mm]")]
        assert cells[:3] == pytest.approx([own["Journal"], own["Bearing seat"], own["Collar"]], abs=2e-3)
        off = [v - c.nominal for v, c in zip(cells, job.session.plan.characteristics, strict=True)]
        good = all(c.lower <= d <= c.upper for d, c in zip(off, job.session.plan.characteristics, strict=True))
        assert row["verdict"] == ("good" if good else "bad")
    counts = job.series.counts
    assert counts["good"] == sum(r["verdict"] == "good" for r in rows)
    assert counts["good"] + counts["bad"] == 10
    assert len(job.middle.values.rows()) == 6
    assert job.middle.values.rows()[0][2] != ""
    job.middle.grab()
    # The same part again is not counted twice; set aside it is neither good nor bad.
    job.put(4)
    job.until(lambda: len(job.series.parts) == 11)
    series.again.click()
    assert len(job.series.parts) == 11
    series.aside.click()
    assert job.series.counts["aside"] == 1
    series.end.click()
    rows = list(csv.DictReader(log.read_text().splitlines()))
    assert [(r["what"], r["of"]) for r in rows[-3:]] == [("measured", ""), ("again", "11"), ("set aside", "11")]
    book = tmp_path / "series.xlsx"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(book), ""))
    series.table.click()
    job.until(book.exists)
    job.rest()
    assert book.read_bytes().startswith(b"PK")


def _limits(characteristic_id):
    from truegauge.core.commands.requirements import EditCharacteristic

    return EditCharacteristic(characteristic_id, (("lower", -0.02), ("upper", 0.02)))


def test_values_and_boxes_can_be_dragged_and_it_is_one_step_of_undo(job):
    job.open(demo.SHAFT_PLAN)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.put(2, place=LEVEL)
    job.until(lambda: job.session.evaluation is not None and job.model.figure() is not None)
    job.view.grab()
    first = job.view._placed[0]
    x, y, wide, high = first.box
    start = QPointF(x + wide / 2, y + high / 2)
    before = job.session.plan
    job.drag(start, start + QPointF(40.0, 55.0))
    moved = job.model.silhouette.size(first.key).value_at
    assert moved is not None
    job.view.grab()
    again = next(p for p in job.view._placed if p.key == first.key)
    assert (again.box[0] - x, again.box[1] - y) == pytest.approx((40.0, 55.0), abs=1.5)
    job.session.document.undo()
    assert job.session.plan == before
    # An edge is chosen by a click; its box is moved, widened, turned by its handles.
    seat = next(e for e in job.model.silhouette.edges if e.name == "seat above")
    job.click(job.at(9.5, 4.0))
    assert job.model.selected == (seat.id,)
    job.drag(job.at(seat.look.x, seat.look.y), job.at(seat.look.x - 1.0, seat.look.y + 0.1))
    look = job.model.silhouette.edge(seat.id).look
    assert (look.x - seat.look.x, look.y - seat.look.y) == pytest.approx((-1.0, 0.1), abs=0.08)
    job.drag(job.at(look.x - look.wide / 2, look.y), job.at(look.x - 1.0, look.y))
    assert job.model.silhouette.edge(seat.id).look.wide == pytest.approx(2.0, abs=0.1)
    job.session.document.undo()
    job.session.document.undo()
    assert job.session.plan == before
    assert job.window.actions_table.table["undo"].enabled() is False
    job.qtbot.keyClick(job.view, Qt.Key.Key_Delete)
    assert job.model.silhouette.edge(seat.id) is None
    assert all(c.name != "Bearing seat" for c in job.session.plan.characteristics)
    assert job.model.silhouette.datums is None
    job.session.document.undo()
    assert job.session.plan == before


def test_an_edge_is_set_on_its_page_and_what_is_offered_suits_it(job):
    job.open(demo.PLATE_PLAN)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.put(1, PLATE_PART.drawing, Place(np.array([-13.0, -8.0])))
    job.until(lambda: job.session.evaluation is not None and job.model.found is not None)
    ids = {e.name: e.id for e in job.model.silhouette.edges}
    page = job.bench.sizes_page
    job.model.set_page("sizes")
    job.model.select((ids["corner"],))
    assert list(page.buttons) == ["diameter", "radius", "roundness"]
    assert float(page.buttons["radius"].text().split()[-1]) == pytest.approx(PLATE_PART.made(1).corner, abs=6e-3)
    page.name.setText("rounding")
    page.name.editingFinished.emit()
    assert job.model.silhouette.edge(ids["corner"]).name == "rounding"
    page.turn.setCurrentIndex(page.turn.findData("either"))
    page.turn.activated.emit(page.turn.currentIndex())
    assert job.model.silhouette.edge(ids["corner"]).turn == "either"
    job.model.select((ids["notch lower"], ids["notch upper"]))
    page.middle.click()
    page.refresh()
    job.model.select((ids["left"], ids["right"]))
    page.corner.click()
    assert {p.how for p in job.model.silhouette.points} == {"meeting", "middle"}
    job.model.select((ids["below"], ids["above"]))
    job.offer("spacing")
    job.rest()
    assert job.values()["spacing 1"] == pytest.approx(PLATE_PART.true(PLATE_PART.made(1))["Height"], abs=2e-3)


@pytest.mark.parametrize("percent", [100, 150])
def test_everything_fits_on_every_page(job, settle, percent):
    TEXT.become(percent)
    try:
        found = {}
        job.open(demo.SHAFT_PLAN)
        job.session.set_stage("silhouette")
        for connected in (False, True):
            if connected:
                job.connect()
                job.model.camera.use(job.session.plan.silhouette.lens)
                job.put(3, place=LEVEL)
                job.until(lambda: job.session.evaluation is not None)
            for page in ("camera", "sizes", "part", "series"):
                job.model.set_page(page)
                if connected and page == "camera":
                    for fold in (job.bench.camera_page.plate, job.bench.camera_page.pins, job.bench.camera_page.check,
                                 job.bench.camera_page.hand):  # fmt: skip
                        fold.header.setChecked(True)
                if connected and page == "sizes":
                    edges = job.model.silhouette.edges
                    for chosen in ((edges[0].id,), (edges[0].id, edges[1].id)):
                        job.model.select(chosen)
                        settle()
                        for _ in range(4):
                            QApplication.processEvents()
                        found[f"{page} {len(chosen)}"] = everything(job.window, 1280)
                if connected and page == "series":
                    job.series.start()
                for _ in range(4):
                    QApplication.processEvents()
                found[f"{page} {connected}"] = everything(job.window, 1280)
        assert {name: what for name, what in found.items() if what} == {}
    finally:
        TEXT.become(100)


def test_faults_are_said_and_nothing_wrong_is_logged(job, tmp_path):
    job.open(demo.SHAFT_PLAN)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.series.log_path = tmp_path / "log.csv"
    assert job.series.start()
    outline = SHAFT.outlines(SHAFT.nominal)[0]

    def lay(outlines, place, **how):
        job.hand.device.do(lambda scene: scene.put(outlines, place, **how))

    cases = {
        "border": ([outline], Place(np.array([-18.0, 5.0]), 1.2)),
        "parts": ([0.3 * outline, 0.3 * outline + np.array([0.0, 9.0])], Place(np.array([-5.0, -6.0]))),
    }  # fmt: skip
    for words, (outlines, place) in cases.items():
        lay(outlines, place)
        job.until(lambda w=words: w in job.model.why_not)
    job.hand.take_away()
    job.until(lambda: "no part" in job.model.why_not)
    job.hand.device.do(lambda scene: setattr(scene, "lit", 0.1))
    job.until(lambda: "dark" in job.model.why_not)
    job.hand.device.do(lambda scene: setattr(scene, "lit", 1.0))
    job.hand.device.do(lambda scene: setattr(scene, "sharp", 2.0))
    job.hand.put(1, place=LEVEL)
    job.until(lambda: "out of focus" in job.series.note or "out of focus" in job.model.why_not)
    job.until(lambda: "out of focus" in job.series.note.lower())
    job.hand.device.do(lambda scene: setattr(scene, "sharp", 1.0))
    job.take_away()
    assert job.series.parts == []
    assert len((tmp_path / "log.csv").read_text().splitlines()) == 1
    # Dirt on the glass is told after some parts; a camera that is gone too; then it goes on.
    job.hand.device.do(lambda scene: scene.dirty(1))
    for k in range(7):
        count = len(job.series.parts)
        job.put(k)
        job.until(lambda n=count: len(job.series.parts) == n + 1)
        job.take_away()
    assert "dirt" in job.series.note
    port = job.hand.port
    job.hand.close()
    job.until(lambda: "looked for again" in job.model.camera.words)
    rows = (tmp_path / "log.csv").read_text().splitlines()
    assert len(rows) == 8
    again = ShadowBench(port=port)
    try:
        job.model.camera.stand_in = again
        job.until(lambda: job.model.camera.source.state.is_open)
        count = len(job.series.parts)
        job.put(9)
        job.until(lambda: len(job.series.parts) == count + 1)
    finally:
        job.model.camera.close()


def test_what_is_put_down_is_recognised_loaded_when_sure_and_never_in_silence(job, tmp_path):
    for drawing, part in PARTS.items():
        part.plan().save(tmp_path / f"{drawing}.tgplan")
    job.open(tmp_path / "LW-1410.tgplan")
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.session.files.save_plan(tmp_path / "LW-1410.tgplan")
    job.recognising.use_folder(tmp_path)
    job.until(lambda: job.recognising.is_on)
    assert len(job.recognising.plans) == 3
    job.put(3, "LW-1408")
    job.until(lambda: job.session.plan.name.startswith("LW-1408"))
    job.take_away()
    job.put(3, "LW-1409")
    job.until(lambda: job.session.plan.name.startswith("LW-1409"))
    job.take_away()
    # A stranger is none of them: nothing is loaded.
    job.hand.device.do(lambda scene: scene.put([np.array([[-6.0, -5.0], [7.0, -4.0], [2.0, 6.0]])], Place(np.zeros(2))))
    job.until(lambda: "None" in job.recognising.words)
    assert job.session.plan.name.startswith("LW-1409")


def test_pictures_of_a_folder_are_gone_through(job, tmp_path):
    for k in range(3):
        (tmp_path / f"part-{k}.png").write_bytes(png_of(SHAFT.picture(SHAFT.made(k), LEVEL, camera(k))))
    job.open(demo.SHAFT_PLAN)
    job.model.camera.open_files(tmp_path)
    job.until(lambda: job.session.evaluation is not None and bool(job.session.evaluation.results))
    page = job.bench.camera_page
    job.until(lambda: job.session.sample is not None and job.session.sample.name == "part-0")
    assert job.values()["Bearing seat"] == pytest.approx(SHAFT.made(0).seat, abs=2e-3)
    page.after.click()
    job.until(lambda: job.session.sample.name == "part-1")
    assert job.values()["Bearing seat"] == pytest.approx(SHAFT.made(1).seat, abs=2e-3)
    assert page.after.isEnabled()
    page.before.click()
    job.until(lambda: job.session.sample.name == "part-0")
    # The report is that of what is seen.
    job.session.set_stage("report")
    job.qtbot.waitUntil(lambda: not job.session.queue.is_busy, timeout=30_000)
    bad = tmp_path / "none"
    bad.mkdir()
    said = []
    job.session.queue.noticed.connect(lambda notice: said.append(notice.text))
    job.model.camera.open_files(bad)
    assert any("no pictures" in text for text in said)
    assert job.model.camera.source is None


def test_a_pin_tells_whether_the_calibration_holds(job):
    job.open(demo.SHAFT_PLAN)
    job.connect()
    job.calibrate()
    page = job.bench.camera_page
    job.hand.pin(4.0)
    job.until(lambda: job.model.seen.happening == "lying")
    page.check_pin.setValue(4.0)
    page.do_check.click()
    job.until(lambda: bool(job.model.camera.record.checks))
    assert job.model.camera.record.checks[-1].holds
    assert job.model.camera.trouble() == ""
    page.check_pin.setValue(4.05)
    page.do_check.click()
    job.until(lambda: len(job.model.camera.record.checks) == 2)
    assert "calibrate the camera again" in job.model.camera.trouble()
    assert job.model.lens is None
    # By pins too; what they do not tell is said.
    page.pin.setValue(4.0)
    page.take_pin.click()
    assert job.model.camera.pins == 1
    page.by_pins.click()
    job.until(lambda: job.model.camera.lens.by == "pins")
    assert job.model.camera.lens.notes
    assert job.model.camera.trouble() == ""
    assert read_camera(job.model.camera.source.identity).before


def test_samples_are_kept_with_their_pictures_and_none_is_written_over(job, tmp_path):
    job.open(demo.SHAFT_PLAN)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.series.samples = tmp_path / "kept"
    for _ in range(2):
        job.series.set_about(serial="7", batch="B/1")
        job.series.start()
        job.take_away()
        count = len(job.series.parts)
        job.put(3)
        job.until(lambda n=count: len(job.series.parts) == n + 1)
        job.series.again()
        job.rest()
        job.series.end()
    kept = sorted(p.name for p in (tmp_path / "kept").iterdir())
    assert kept == ["B-1-7 (2).tgsample", "B-1-7.tgsample"]
    sample, _ = read_sample(tmp_path / "kept" / kept[0])
    assert (sample.about.serial, sample.name) == ("7", "part 7")
    found = tg.inspect(tg.open_silhouette(demo.SHAFT_PLAN), sample=sample)
    assert found["Bearing seat"].value == pytest.approx(SHAFT.made(3).seat, abs=2e-3)


def test_statistics_are_of_the_parts_that_count_and_of_the_values_that_were_told(job, tmp_path):
    """Mean and range as they are written, against the rows of the log, also when one part lacks a value."""
    job.open(demo.SHAFT_PLAN)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.series.log_path = tmp_path / "log.csv"
    assert job.series.start()
    outline = SHAFT.outlines(SHAFT.made(3))[0].copy()
    filled = (outline[:, 0] > 3.1) & (outline[:, 0] < 4.5) & (outline[:, 1] > 2.0)
    assert filled.sum() > 1
    outline[filled, 1] = 3.6  # the groove is full of something: nothing of it can be told

    def put(number, burr=False):
        job.take_away()
        count = len(job.series.parts)
        if burr:
            job.hand.device.do(lambda scene: scene.put([outline], LEVEL))
        else:
            job.hand.put(number, place=LEVEL)
        job.until(lambda: len(job.series.parts) == count + 1)

    def written():
        return {row[0].split("  ")[1]: row[2:] for row in job.middle.values.rows()}

    def as_logged(rows):
        made = {}
        log = list(csv.DictReader((tmp_path / "log.csv").read_text().splitlines()))
        for head in [h for h in log[0] if "[mm]" in h]:
            told = [float(log[k][head]) for k in rows if log[k][head]]
            made[head.split(" ", 1)[1].removesuffix(" [mm]")] = (f"{np.mean(told):.3f}", f"{np.ptp(told):.3f}")
        return log, made

    def agrees(rows):
        log, true = as_logged(rows)
        found = written()
        assert {name: found[name] for name in true} == true
        return log

    put(1)
    put(2)
    put(3, burr=True)
    log = agrees([0, 1, 2])
    groove = next(h for h in log[0] if "Groove [mm]" in h)
    assert [bool(row[groove]) for row in log] == [True, True, False]
    assert log[2]["verdict"] == "incomplete"
    job.series.set_aside()  # it had no groove: that of the part before stays
    agrees([0, 1])
    job.series.again()
    job.rest()
    log = agrees([0, 1, 4])
    assert [row["what"] for row in log] == ["measured", "measured", "measured", "set aside", "again"]
    put(4)
    agrees([0, 1, 4, 5])


def test_a_calibration_is_due_on_its_date_and_what_is_no_date_is_refused(job):
    job.open(demo.SHAFT_PLAN)
    job.connect()
    said = []
    job.session.queue.noticed.connect(lambda notice: said.append(notice.text))
    job.hand.plate()
    job.until(lambda: job.model.camera.picture is not None and job.model.camera.picture[::64, ::64].min() < 60)
    job.model.camera.calibrate_by_plate(2.0, 1.0, "next year")
    assert "no date" in said[-1]
    assert job.model.camera.lens is None
    job.model.camera.calibrate_by_plate(2.0, 1.0, "2020-01-31")
    job.until(lambda: job.model.camera.lens is not None)
    assert "was due on 2020-01-31" in job.model.camera.trouble()
    assert job.model.lens is None


def test_the_example_runs_by_itself(job):
    job.window.actions_table.trigger("shadow-example")
    job.until(lambda: len(job.series.parts) >= 2, 120_000)
    assert job.session.stage == "silhouette"
    assert STAGES["silhouette"].missing(job.session.document) == ""
    job.window.actions_table.trigger("series-end")
    # Another plan with a part brings its stages back, and the camera is given back.
    job.session.files.open_plan(demo.PLAN)
    job.until(lambda: job.session.model is not None)
    assert job.session.stage != "silhouette"
    assert job.model.camera.source is None


def test_nominals_and_serial_numbers_are_likely_ones():
    assert usual_limits("size", 8.0023)[0] == 8.0
    assert usual_limits("size", 7.6212)[0] == 7.6
    assert usual_limits("size", 7.6561)[0] == 7.66
    assert usual_limits("angle", np.radians(59.97))[0] == pytest.approx(np.radians(60.0))
    assert usual_limits("straightness", 0.003)[0] == 0.0
    assert [next_serial(s) for s in ("1", "A-009", "B99", "x")] == ["2", "A-010", "B100", "x-2"]


def test_pictures_and_samples_are_opened_like_scans(job, tmp_path):
    picture = tmp_path / "part-5.png"
    picture.write_bytes(png_of(SHAFT.picture(SHAFT.made(5), LEVEL, camera(5))))
    said = []
    job.session.queue.noticed.connect(lambda notice: said.append(notice.text))
    job.session.files.open_file(picture)
    assert "plan for silhouettes" in said[-1]
    job.open(demo.SHAFT_PLAN)
    job.window.files.open_dropped([picture])
    job.until(lambda: job.model.found is not None)
    assert job.values()["Bearing seat"] == pytest.approx(SHAFT.made(5).seat, abs=2e-3)
    assert job.model.why_not == ""
    assert job.middle.verdict.verdict == "good"
    assert job.model.figure() is not None
    job.view.grab()
    saved = tmp_path / "five.tgsample"
    assert job.session.files.save_sample(saved)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.put(2)
    job.until(lambda: job.values().get("Bearing seat") is not None and job.session.sample.name.startswith("picture"))
    job.session.files.open_file(saved)
    job.until(lambda: job.model.camera.source is None and job.model.found is not None)
    assert job.session.sample.name == "part-5"
    assert job.values()["Bearing seat"] == pytest.approx(SHAFT.made(5).seat, abs=2e-3)
    assert job.window.actions_table.table["batch"].enabled()
    # A part begins another plan.
    job.session.document.history.mark_saved()
    job.session.files.open_part(demo.PART)
    job.until(lambda: job.session.model is not None)
    assert job.session.plan.silhouette is None
    assert job.session.stage == "part"


def test_a_size_across_is_told_at_a_place(job):
    job.open(demo.SHAFT_PLAN)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.put(2, place=LEVEL)
    job.model.set_page("sizes")
    ids = {e.name: e.id for e in job.model.silhouette.edges}
    job.model.select((ids["taper above"], ids["taper below"]))
    job.offer("size across")
    page, made = job.bench.sizes_page, SHAFT.made(2)
    name = job.session.plan.characteristics[-1].name
    for x in (17.0, 21.5):
        page.at.setText(f"{x}")
        page.at.editingFinished.emit()
        job.rest()
        begin = made.journal_long + made.seat_long + made.collar_long
        true = made.taper + (made.taper_small - made.taper) * (x - begin) / made.taper_long
        assert job.values()[name] == pytest.approx(true, abs=3e-3)
    page.at.setText("")
    page.at.editingFinished.emit()
    assert job.model.silhouette.sizes[-1].at is None


def test_a_contour_of_a_drawing_is_seen_along_the_outline(job, tmp_path, monkeypatch):
    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    document.modelspace().add_lwpolyline(plate_outline(PLATE_PART.nominal).tolist(), close=True)
    path = tmp_path / "plate.dxf"
    document.saveas(path)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    job.open(demo.PLATE_PLAN)
    job.connect()
    job.model.camera.use(job.session.plan.silhouette.lens)
    job.put(6, PLATE_PART.drawing)
    job.model.set_page("sizes")
    job.bench.sizes_page.contour.click()
    job.until(lambda: bool(job.model.silhouette.contours))
    job.rest()
    value = job.values()["profile of the outline 1"]
    assert 0.001 < value < 0.1
    assert list(job.bench.sizes_page.buttons)[:2] == ["profile", "profile_fitted"]
    figure = job.model.figure()
    assert len(figure.found.contours) == 1
    job.view.grab()
    job.bench.sizes_page.remove.click()
    assert job.model.silhouette.contours == ()
    assert all(c.kind != "shadow_profile" for c in job.session.plan.characteristics)
