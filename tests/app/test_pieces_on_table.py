"""Several pieces on the table from the window: one start, each into its own saved sample."""

import numpy as np
from PySide6.QtWidgets import QFileDialog
from tests.app.test_running import PATIENCE, enter, known, located, machine  # noqa: F401 - fixtures
from tests.runs.conftest import small_plan  # noqa: F401 - a fixture

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.stages.measure.running.page import RunPage
from truegauge.core.frames import apply, invert
from truegauge.core.routes.document import NoteStep
from truegauge.core.routes.pieces import Pieces
from truegauge.formats.sample_file import read_sample


def test_a_start_runs_all_pieces_and_saves_each(machine, qtbot, settle, tmp_path, monkeypatch):  # noqa: F811
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    around = machine.parts["measure"].bench.around
    s.set_stage("measure")
    around.header.setChecked(True)
    assert not around.boxes["column_pitch"].isEnabled()
    around.boxes["columns"].setValue(2)
    around.boxes["column_pitch"].setValue(300.0)
    assert s.plan.route.pieces == Pieces(columns=2, column_pitch=300.0)
    s.document.undo()
    s.document.redo()
    route = s.plan.route
    machine.get(RunModel).route.run(
        route.replace(steps=tuple(x for x in route.steps if not isinstance(x, NoteStep))), "no note"
    )
    located(machine, settle)
    folder = tmp_path / "samples"
    folder.mkdir()
    (folder / "P9.tgsample").write_bytes(b"of an earlier load")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: "")
    m.open()
    enter(qtbot, page)
    assert "2 pieces, each saved by itself" in page.words.text()
    page.serial.setText("P9")
    enter(qtbot, page)
    assert m.at == "place"  # nobody said where they are saved
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(folder))
    enter(qtbot, page)
    seen = set()

    def done():
        seen.add(page.words.text()[:12])
        return m.at == "done" and m.pieces.number == 1 and not machine.get(MachineModel).busy

    qtbot.waitUntil(done, timeout=PATIENCE)
    qtbot.waitUntil(lambda: not machine.get(MachineModel).hand_queue.is_busy, timeout=PATIENCE)
    assert not machine.shop.troubles
    assert {"Piece 1 of 2", "Piece 2 of 2"} <= seen
    assert (folder / "P9.tgsample").read_bytes() == b"of an earlier load"
    world = machine.shop.world
    for file, pose in (("P9 (2)", world.part.machine_from_part), ("P10", world.others[0].machine_from_part)):
        own = read_sample(folder / f"{file}.tgsample")[0]
        local = apply(invert(pose), np.array([t.place for t in own.probed if t.feature == "main-bore"]))
        assert len(local) == 8
        assert np.abs(np.linalg.norm(local[:, :2] - [58, 45], axis=1) - 19).max() < 0.3
    assert s.sample.about.serial == "P10"
    # The next load begins with the first one again, where that was found.
    enter(qtbot, page)
    assert (m.at, m.pieces.number, page.serial.text()) == ("place", 0, "P11")
    # Touches of another piece tell nothing of the next one.
    m.back()
    m.take(next(o for o in m.offers() if o.key == "missing"))
    m.part.is_again = False
    assert not m.can_take_over()
    first = m.pose()
    assert np.abs(first - world.part.machine_from_part).max() < 0.2
