"""A shorter order from the window: looked for, shown beside the one of now, taken, undone, put back."""

import pytest
from PySide6.QtCore import Qt
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.track.model import RouteModel
from truegauge.app.track.shortening import ShorteningModel, ShorteningPage
from truegauge.core.routes.document import PartFixture
from truegauge.core.routes.strategies import Grid


@pytest.fixture
def routed(window, settle, qtbot):
    window.session.files.open_plan(demo.CMM_PLAN)
    settle()
    window.session.document.take_sample_out()
    window.session.set_stage("measure")
    route = window.get(RouteModel)
    qtbot.waitUntil(lambda: not route.why_not(), timeout=PATIENCE)
    route.make()
    qtbot.waitUntil(lambda: route.is_there and route.is_current and not window.session.queue.is_busy, timeout=PATIENCE)
    return window


def test_a_shorter_order_is_seen_before_it_is_taken(routed, qtbot, settle):
    m, page, s = routed.get(ShorteningModel), routed.get(ShorteningPage), routed.session
    before = s.plan
    routed.actions_table.trigger("route-shorten")
    assert page.isVisible()
    assert page.stop.isVisible()
    qtbot.waitUntil(lambda: m.found is not None, timeout=PATIENCE)
    qtbot.mouseClick(page.stop, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not m.looking, timeout=PATIENCE)
    settle()
    assert s.plan == before
    assert page.title.text().endswith("shorter")
    seconds = [m.found.before.seconds, m.found.planned.seconds]
    assert seconds[1] < seconds[0]
    shown = [[page.cells[r, c].text() for c in range(4)] for r in range(1, 4)]
    assert [row[0] for row in shown] == ["time", "travel", "changes of stylus or pose"]
    assert shown[2][1:3] == [str(m.found.before.changes), str(m.found.planned.changes)]
    assert shown[0][3].startswith("-")
    (_, hidden), (still, seen) = page.tracks
    assert seen.isVisible()
    assert not hidden.isVisible()
    assert {c.step for c in still.track.chips} == {x.id for x in before.route.steps}
    qtbot.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert not page.isVisible()
    assert [x.id for x in s.plan.route.steps] != [x.id for x in before.route.steps]
    assert s.plan.route.original == tuple(x.id for x in before.route.steps)
    numbers = [c.number for c in s.plan.characteristics]
    assert numbers == [c.number for c in before.characteristics]
    routed.actions_table.trigger("route-original")
    assert s.plan.route == before.route
    s.document.undo()
    s.document.undo()
    assert s.plan == before


def test_missing_poses_are_added_with_the_order_and_undone_with_it(routed, qtbot, settle):
    m, page, s = routed.get(ShorteningModel), routed.get(ShorteningPage), routed.session
    route = routed.get(RouteModel)
    step = next(x for x in s.plan.route.steps if getattr(x, "feature", "") == "shroud")
    route.edit(step.replace(strategy=Grid(along=4, across=4)), "a grid")
    qtbot.waitUntil(lambda: route.is_current and not s.queue.is_busy, timeout=PATIENCE)
    before = s.plan
    routed.actions_table.trigger("route-shorten")
    qtbot.waitUntil(lambda: m.found is not None, timeout=PATIENCE)
    m.stop()
    qtbot.waitUntil(lambda: not m.looking, timeout=PATIENCE)
    settle()
    assert page.boxes["poses"].isVisible()
    assert "Added for shroud: Short 4, stylus 1, " in page.reached.text()
    assert not page.leave_out.isVisible()
    qtbot.mouseClick(page.take, Qt.MouseButton.LeftButton)
    assert len(s.plan.probing.assembly("p1").poses) == len(before.probing.assembly("p1").poses) + 1
    qtbot.waitUntil(lambda: route.is_current and not s.queue.is_busy, timeout=PATIENCE)
    assert not route.routed.planned.unreached
    s.document.undo()
    assert s.plan == before


def test_what_no_pose_gets_at_is_asked_about(routed, qtbot, settle):
    """A lid over one side: what it covers is left out, as one edit."""
    m, page, s = routed.get(ShorteningModel), routed.get(ShorteningPage), routed.session
    route = routed.get(RouteModel)
    low, high = s.model.box
    lid = PartFixture(name="lid", low=(low[0] - 30, low[1] - 30, high[2] - 4), high=tuple(high + 30.0))
    route.run(s.plan.route.replace(fixtures=(lid,)), "a lid")
    qtbot.waitUntil(lambda: route.is_current and not s.queue.is_busy, timeout=PATIENCE)
    lost = {u.step for u in route.routed.planned.unreached}
    assert 0 < len(lost) < len(s.plan.route.steps)
    routed.actions_table.trigger("route-shorten")
    qtbot.waitUntil(lambda: m.found is not None, timeout=PATIENCE)
    m.stop()
    qtbot.waitUntil(lambda: not m.looking, timeout=PATIENCE)
    settle()
    assert page.reached.text().startswith(("Not reached by any pose: ", "Added for "))
    still = {u.step for u in m.found.planned.unreached}
    assert still
    assert still <= lost
    qtbot.mouseClick(page.leave_out, Qt.MouseButton.LeftButton)
    assert {x.id for x in s.plan.route.steps if not x.on} == still
    qtbot.waitUntil(lambda: route.is_current and not s.queue.is_busy, timeout=PATIENCE)
    assert not page.leave_out.isVisible() or lost - still


def test_an_order_that_does_not_fit_any_more_is_not_taken(routed, qtbot, settle):
    m, s = routed.get(ShorteningModel), routed.session
    m.start()
    qtbot.waitUntil(lambda: m.found is not None, timeout=PATIENCE)
    m.stop()
    qtbot.waitUntil(lambda: not m.looking, timeout=PATIENCE)
    route = routed.get(RouteModel)
    route.choose((s.plan.route.steps[2].id,))
    route.remove()
    there = s.plan
    m.take()
    assert s.plan == there
    assert "changed meanwhile" in routed.floating.notice.text.text()
