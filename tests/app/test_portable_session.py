"""A session with portable devices: holes with their spot faces, planes, a scan, a report in inch; another device."""

import io

import numpy as np
import pypdfium2
import pytest
from PySide6.QtCore import Qt
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.page import PortablePage
from truegauge.app.stages.devices.portable.prepared import PreparedModel
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.stages.devices.setup.model import SetupModel, Task
from truegauge.app.stages.devices.setup.page import SetupPage
from truegauge.core.device_checks.records import Check
from truegauge.core.features.extraction import Measured
from truegauge.core.frames import random_rigid
from truegauge.core.plan.alignments import AlignmentDatum, DatumAlignment, GuidedAlignment, GuideTarget
from truegauge.core.registration.alignment import Alignment
from truegauge.core.routes.document import Route
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.demo.housing_sizes import bolt_holes
from truegauge.formats.plan_file import read_plan, write_plan
from truegauge.reporting.pdf import write_pdf
from truegauge.reporting.report import make_report

WANTED = ("side B to base", "side C to base", "top height", "slot width", "boss", "ball socket")
BY_TOUCH = ("base A", "side B", "side C", "top face", "slot side 1", "slot side 2")


@pytest.fixture
def session_plan(tmp_path):
    """The housing located by four holes with their spot faces, then by A, B, C; in inch."""
    file = read_plan(demo.CMM_PLAN)
    plan = file.plan
    ids = {f.name: f.id for f in plan.features}
    targets = tuple(
        GuideTarget(name=f"H{k + 1}", kind="hole", place=(float(x), float(y), 60.0), direction=(0.0, 0.0, 1.0),
                    diameter=5.5)
        for k, (x, y) in enumerate(bolt_holes()[i] for i in (0, 1, 2, 4))
    )  # fmt: skip
    by_hand = GuidedAlignment(id="holes", name="Four holes", targets=targets)
    abc = DatumAlignment(id="abc", name="A, B, C", base="holes",
                         datums=tuple(AlignmentDatum(feature=ids[n]) for n in BY_TOUCH[:3]))  # fmt: skip
    plan = plan.replace(
        alignments=(by_hand, abc), in_force="abc", unit="inch", decimals=4, route=Route(),
        characteristics=tuple(c for c in plan.characteristics if c.name in WANTED),
        device=StatedErrors(name="arm", probing=0.03, constant=0.02, per_metre=0.025),
    )  # fmt: skip
    path = tmp_path / "session.tgplan"
    write_plan(path, plan, file.part)
    return path


def faces_of(model, feature, count, seed):
    """Return places on the faces of a feature, away from their edges, and the ways out."""
    rng, mesh = np.random.default_rng(seed), model.mesh
    rows = np.flatnonzero(np.isin(mesh.triangle_face, feature.faces))
    corners = mesh.vertices[mesh.triangles[rows]]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    while True:
        k = rng.choice(len(rows), 400, p=area / area.sum())
        places = np.einsum("nk,nkj->nj", rng.dirichlet(np.full(3, 3.0), 400), corners[k])
        normal = mesh.normals[mesh.triangles[rows[k]]].mean(axis=1)
        order = rng.permutation(400)
        yield from ((places[i], normal[i] / np.linalg.norm(normal[i])) for i in order)


def touch_planes(window, qtbot, names, count=4):
    """Touch features by the arm, so many times each, spread over them."""
    s, m = window.session, window.get(PortableModel)
    arm = m.arm.stand_in
    for n, name in enumerate(names):
        feature = next(f for f in s.plan.features if f.name == name)
        spread, chosen = s.model.diagonal / 12, []
        for tries, (place, out) in enumerate(faces_of(s.model, feature, count, n)):
            apart = min((np.linalg.norm(place - c) for c in chosen), default=np.inf)
            if apart < spread * (1.0 if tries < 200 else 0.3):
                continue
            before = sum(t.feature == feature.id for t in (s.sample.probed if s.sample else ()))
            if arm.touch(place, out) is None:
                continue
            m.poll()
            qtbot.waitUntil(lambda: m.arm.device.has(arm.server.hello().next - 1), timeout=PATIENCE)
            m.poll()
            now = sum(t.feature == feature.id for t in s.sample.probed)
            if now > before:
                chosen.append(place)
            elif len(s.sample.probed) and s.sample.probed[-1].feature != feature.id:
                window.get(PreparedModel).take_back()  # beside it: another face was hit
            if now >= count:
                break


@pytest.fixture
def aligned(window, session_plan, qtbot, settle):
    """Located by four holes, and by the planes that were touched four times each."""
    s = window.session
    s.files.open_plan(session_plan)
    settle()
    s.set_stage("align")
    window.get(AlignModel).choose("holes")
    guide = window.get(GuideModel)
    guide.start_with("portable")
    rms = []
    for _ in range(80):
        if guide.current() is None:
            break
        guide.operator_touches()
        settle()
        found = None if s.evaluation is None else s.evaluation.alignments.get("holes")
        if isinstance(found, Alignment):
            rms.append(found.rms)
    settle()
    assert guide.current() is None
    assert rms
    assert rms[-1] < 0.05
    guide.stop()
    s.set_stage("devices")
    window.get(DevicesModel).set_page("portable")
    qtbot.mouseClick(window.get(PortablePage).measure, Qt.MouseButton.LeftButton)
    touch_planes(window, qtbot, BY_TOUCH)
    settle()
    qtbot.mouseClick(window.get(PortablePage).measure, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: s.evaluation is not None and isinstance(s.evaluation.alignments.get("abc"), Alignment)
                    and not s.queue.is_busy, timeout=PATIENCE)  # fmt: skip
    return window


def results(s):
    return {r.characteristic.name: r for r in s.evaluation.results}


def test_holes_planes_and_a_scan_make_one_sample_whose_results_are_those_of_the_part(aligned, qtbot, settle):
    s, m, scan, page = aligned.session, aligned.get(PortableModel), aligned.get(ScanModel), aligned.get(PortablePage)
    counts = {f.name: sum(t.feature == f.id for t in s.sample.probed) for f in s.plan.features}
    assert {n: counts[n] for n in BY_TOUCH} == dict.fromkeys(BY_TOUCH, 4)
    # Two faces are scanned by the scanner that sits on the arm: it is aligned already.
    chosen = [f for f in s.plan.features if f.name in ("boss", "ball socket")]
    qtbot.mouseClick(page.stand_ins["scanner"], Qt.MouseButton.LeftButton)
    page.scan_section.only.setChecked(True)
    s.selection.select(tuple(f.group for f in chosen))
    qtbot.mouseClick(page.scan_section.start, Qt.MouseButton.LeftButton)
    assert scan.on
    assert scan.is_aligned
    qtbot.mouseClick(page.scan_section.hand, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: scan.state.coverage > 0.5, timeout=PATIENCE)
    assert s.showing.live is not None
    assert np.isfinite(s.showing.live.values).any()
    assert page.scan_section.start.text() == "Stop, and make it the scan"
    qtbot.mouseClick(page.scan_section.start, Qt.MouseButton.LeftButton)
    settle()
    qtbot.waitUntil(lambda: s.evaluation is not None and not s.queue.is_busy, timeout=PATIENCE)
    assert not scan.on
    assert s.showing.live is None
    assert len(s.sample.probed) == 24
    assert len(s.sample.points) > 2000
    assert s.sample.about.device == m.arm.device.identity
    by_name = results(s)
    assert all(by_name[n].measured is not None for n in WANTED), {n: by_name[n].reason for n in WANTED}
    # What is wrong with the part, within what the arm states and how few touches there are.
    assert by_name["top height"].measured == pytest.approx(60.025, abs=0.04)
    assert by_name["slot width"].measured == pytest.approx(12.030, abs=0.04)
    assert by_name["side B to base"].measured == pytest.approx(0.021, abs=0.03)
    assert by_name["side C to base"].measured < 0.03
    assert by_name["boss"].measured == pytest.approx(29.978, abs=0.03)
    assert by_name["ball socket"].measured == pytest.approx(24.016, abs=0.03)
    for name in ("top height", "slot width"):
        stated = s.evaluator.uncertainty(s.plan, s.sample, by_name[name].characteristic)
        truth = {"top height": 60.025, "slot width": 12.030}[name]
        assert abs(by_name[name].measured - truth) < 3 * stated
    document = pypdfium2.PdfDocument(io.BytesIO(write_pdf(make_report(s.evaluation, s.sample, (), "2026-01-02 03:04"))))
    text = "".join(document[i].get_textpage().get_text_bounded() for i in range(len(document)))
    document.close()
    assert f"{by_name['boss'].measured / 25.4:.5f}" in text
    assert f"{by_name['top height'].measured / 25.4:.5f}" in text
    assert "inch" in text


def test_an_arm_that_is_moved_is_joined_again_and_measures_on(aligned, qtbot, settle):
    s, m, setup = aligned.session, aligned.get(PortableModel), aligned.get(SetupModel)
    arm, page = m.arm.stand_in, aligned.get(SetupPage)
    aligned.get(DevicesModel).set_page("setup")
    qtbot.mouseClick(page.measure, Qt.MouseButton.LeftButton)
    for _ in range(4):
        qtbot.mouseClick(page.hand, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(page.stop, Qt.MouseButton.LeftButton)
    assert [r.name for r in setup.references] == ["R1", "R2", "R3", "R4"]
    setup.start(Check.DRIFT)
    qtbot.mouseClick(page.hand, Qt.MouseButton.LeftButton)
    assert setup.book.record(m.arm).last(Check.DRIFT).value < 0.05
    height = results(s)["top height"].measured
    arm.world.stand_elsewhere(random_rigid(np.random.default_rng(6), 200.0))
    setup.start(Check.DRIFT)
    qtbot.mouseClick(page.hand, Qt.MouseButton.LeftButton)
    assert "join it again" in aligned.notices[-1].text
    setup.stop()
    qtbot.mouseClick(page.join, Qt.MouseButton.LeftButton)
    for _ in range(4):
        assert not page.accept.isVisible() or len(setup.places) >= 3
        qtbot.mouseClick(page.hand, Qt.MouseButton.LeftButton)
    assert setup.found.rms < 0.05
    qtbot.mouseClick(page.accept, Qt.MouseButton.LeftButton)
    assert len(s.sample.about.placed) == 1
    # The touches from before stay; the top face is touched anew from where the arm stands now.
    kept = tuple(t for t in s.sample.probed if s.plan.feature(t.feature).name != "top face")
    s.document.set_probed(kept)
    aligned.get(DevicesModel).set_page("portable")
    qtbot.mouseClick(aligned.get(PortablePage).measure, Qt.MouseButton.LeftButton)
    touch_planes(aligned, qtbot, ("top face",))
    settle()
    qtbot.waitUntil(lambda: s.evaluation is not None and results(s)["top height"].measured is not None
                    and not s.queue.is_busy, timeout=PATIENCE)  # fmt: skip
    assert results(s)["top height"].measured == pytest.approx(height, abs=0.06)
    assert results(s)["top height"].measured == pytest.approx(60.025, abs=0.06)


def test_a_second_device_measures_into_the_same_sample_once_it_is_joined(aligned, qtbot, settle):
    s, m, setup = aligned.session, aligned.get(PortableModel), aligned.get(SetupModel)
    setup.start(Task.REFERENCES)
    for _ in range(4):
        setup.operator_touches()
    setup.stop()
    tracker = m.start_stand_in("tracker")
    m.choose(tracker)
    assert m.placement(tracker) is None
    assert m.lie(tracker) is None
    before = len(s.sample.probed)
    aligned.get(PreparedModel).set_on(True)
    tracker.stand_in.touch(np.array([30.0, 0.0, 7.0]), np.array([0.0, -1.0, 0.0]))
    qtbot.waitUntil(lambda: any("not joined" in n.text for n in aligned.notices), timeout=PATIENCE)
    assert len(s.sample.probed) == before
    aligned.get(PreparedModel).set_on(False)
    setup.start(Task.JOIN)
    for _ in range(4):
        setup.operator_touches()
    setup.join()
    assert setup.found.rms < 0.05
    aligned.get(PreparedModel).set_on(True)
    for x in (15.0, 60.0, 125.0):
        tracker.stand_in.touch(np.array([x, 0.0, 7.0]), np.array([0.0, -1.0, 0.0]))
    qtbot.waitUntil(lambda: len(s.sample.probed) == before + 3, timeout=PATIENCE)
    settle()
    feature = next(f for f in s.plan.features if f.name == "side B")
    assert [t.feature for t in s.sample.probed[-3:]] == [feature.id] * 3
    assert {t.radius for t in s.sample.probed[-3:]} == {tracker.device.radius}
    assert {t.stylus for t in s.sample.probed} == {"Arm stand-in A-27", "Tracker stand-in T-27"}
    qtbot.waitUntil(lambda: s.evaluation is not None and not s.queue.is_busy, timeout=PATIENCE)
    found = s.evaluator.context(s.plan, s.sample).measured(feature.group)
    assert isinstance(found, Measured)
    assert len(found.rows) == 7
    # Both agree about the plane within what both state.
    off = found.feature.pose.distances(s.evaluator.context(s.plan, s.sample).need(_cloud()).points[found.rows])
    assert np.abs(off).max() < 0.06


def _cloud():
    from truegauge.core.nodes.aligned import AlignedCloud

    return AlignedCloud()
