"""What is scanned and touched goes into one sample only where it is in the same coordinates."""

import numpy as np
import pytest
from tests.app.conftest import PATIENCE

from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.setup.model import SetupModel, Task
from truegauge.app.view.shown_scene import _by_device
from truegauge.core.nodes.aligned import AlignedCloud
from truegauge.core.samples.document import ProbedTouch
from truegauge.demo.portable import bench_of
from truegauge.formats.taken_scan import taken_scan
from truegauge.palette import DEVICE_COLORS, rgb


def touch(x=0.0, stylus="A"):
    return ProbedTouch(place=(x, 0.0, 0.0), approach=(0.0, 0.0, -1.0), radius=1.0, stylus=stylus)


@pytest.mark.parametrize("device", ["", "Machine 7"])
def test_touches_elsewhere_take_the_place_of_a_scan(loaded, settle, device):
    document = loaded.session.document
    assert len(document.sample.points)
    document.set_probed((touch(),), device=device)
    settle()
    assert len(document.sample.points) == 0
    assert len(document.sample.probed) == 1


def test_touches_in_its_coordinates_stay_beside_a_scan_when_the_last_is_taken_back(loaded, settle):
    document = loaded.session.document
    document.set_sample_data(device="Arm 3")
    document.set_probed((touch(), touch(1.0)), device="Arm 3")
    document.set_probed(document.sample.probed[:-1])
    settle()
    assert len(document.sample.points) > 1000
    assert len(document.sample.probed) == 1


def test_a_second_scan_is_added_and_can_be_a_sample_of_its_own(loaded, settle):
    document = loaded.session.document
    points = np.random.default_rng(1).uniform(0, 50, (500, 3))
    document.take_scan(*taken_scan(points, "first", "Arm 3", "made up"))
    settle()
    assert len(document.sample.points) == 500  # that of the file was in coordinates of its own
    document.take_scan(*taken_scan(points + 1.0, "second", "Arm 3", "made up"))
    settle()
    assert len(document.sample.points) == 1000
    assert len(document.sample_contents) == 2
    told = next(n for n in reversed(loaded.notices) if "added to the scan" in n.text)
    assert "500 and 500 points" in told.text
    told.callback()
    settle()
    assert [f.file_name for f in document.sample.files] == ["second.ply"]
    assert np.array_equal(np.sort(document.sample.points, axis=0), np.sort(points + 1.0, axis=0))


def test_reference_points_are_not_measured_into_a_sample_of_somebody_else(loaded, model, evaluator, qtbot):
    bench = bench_of(model, evaluator.projector, None, 4)
    s, m, setup = loaded.session, loaded.get(PortableModel), loaded.get(SetupModel)
    m.connect_to("127.0.0.1", bench.arm().port)
    qtbot.waitUntil(lambda: m.arm is not None, timeout=PATIENCE)
    assert s.sample.about.device == ""
    setup.start(Task.REFERENCES)
    assert setup.task is None
    assert "take it out first" in loaded.notices[-1].text
    s.document.take_sample_out()
    setup.start(Task.REFERENCES)
    assert setup.task is Task.REFERENCES
    bench.arm().seat(2)
    qtbot.waitUntil(lambda: len(setup.references) == 1, timeout=PATIENCE)
    assert s.sample.about.device == m.arm.device.identity
    m.disconnect_line(m.arm)
    bench.close()


def test_points_are_coloured_by_device_also_while_more_come(evaluator, plan, sample):
    plain = (1, 2, 3)
    some = sample.with_probed((touch(0.0, "Arm"), touch(1.0, "Tracker"), touch(2.0, "Arm")))
    cloud = evaluator.context(plan, some).need(AlignedCloud())
    later = some.with_probed((*some.probed, touch(3.0, "Tracker")))
    for now in (some, later):
        colors = _by_device(now, cloud, plain)
        assert len(colors) == len(sample.points) + 3
        assert (colors[:-3] == plain).all()
        assert colors[-3:].tolist() == [list(rgb(DEVICE_COLORS[k])) for k in (0, 1, 0)]
