"""The check of the machine from the window: touched by the operator, judged, kept, seen."""

import numpy as np
import pytest
from tests.app.test_running import PATIENCE, known, machine  # noqa: F401 - fixtures
from tests.runs.conftest import small_plan  # noqa: F401 - a fixture

from truegauge.app.stages.devices.check_result import CheckResult
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.core.commands.requirements import SetRules
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.formats.machine_file import read_machine, record_file


@pytest.fixture
def page(machine):  # noqa: F811
    machine.actions_table.trigger("devices-check")
    return machine.parts["devices"].bench.check_page


def test_the_machine_is_checked_and_the_check_is_kept(machine, page, qtbot, settle, tmp_path):  # noqa: F811
    s, m = machine.session, machine.get(MachineModel)
    s.run(SetRules((("device", StatedErrors(probing=0.0019, constant=0.0016, per_metre=0.002857)),)))
    assert "0.0019 mm on a sphere" in page.stated.text()
    assert "five touches by joystick" in page.words.text()
    checking = machine.get(DevicesModel).checking
    page.start.click()
    asked = []

    def done():
        state = checking.run_state
        if state is not None and state.text and state.text not in asked and page.operator.isVisible():
            asked.append(state.text)
            assert page.words.text().lower().startswith(state.text[:20].lower())
            page.operator.click()
        return state is None and not m.busy

    qtbot.waitUntil(done, timeout=PATIENCE)
    assert len(asked) >= 5
    assert not machine.shop.troubles
    check = checking.last
    assert check.verdict in ("within", "undecided")
    assert len(check.lengths) == 15
    # It was taken away again.
    qtbot.waitUntil(lambda: machine.shop.world.gauge is None and not m.hand_queue.is_busy, timeout=PATIENCE)
    result = machine.get(CheckResult)
    assert result.isVisible()
    pixels = result.grab().toImage()
    assert pixels.width() > 300
    colors = {pixels.pixelColor(x, y).name() for x in range(0, pixels.width(), 3) for y in range(0, 120, 3)}
    assert len(colors) > 5
    assert "machine checked on" in machine.floating.notice.text.text().lower()
    assert read_machine(record_file(tmp_path / "machines", m.machine), m.machine).checks == (check,)


def test_what_is_typed_of_the_gauge_is_an_edit_and_nonsense_is_refused(machine, page):  # noqa: F811
    s = machine.session
    page.lengths.setText("20 60 140.001")
    page.lengths.editingFinished.emit()
    assert s.plan.probing.gauge.lengths == (20.0, 60.0, 140.001)
    page.expansion.setValue(0.75)
    assert s.plan.probing.gauge.expansion == 0.75e-6
    s.document.undo()
    assert page.expansion.value() == 11.5
    page.lengths.setText("20 30")
    page.lengths.editingFinished.emit()
    assert "grow from block to block" in machine.floating.notice.text.text()
    page.lengths.setText("a b")
    page.lengths.editingFinished.emit()
    assert "are no lengths" in machine.floating.notice.text.text()
    assert s.plan.probing.gauge.lengths == (20.0, 60.0, 140.001)
    s.document.undo()
    assert len(s.plan.probing.gauge.lengths) == 11
    page.gauge.click()
    page.sphere.click()
    assert not page.start.isEnabled()
    assert not np.any([page.go_on.isVisible(), page.skip.isVisible()])
