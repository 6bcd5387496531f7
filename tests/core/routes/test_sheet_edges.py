"""Edges of a thin sheet: first the sheet beside, then the edge below it; by definition, and on the stand-in."""

import numpy as np
import pytest

import truegauge as tg
from truegauge import demo
from truegauge.core.commands.probing import SetProbing
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, invert
from truegauge.core.probing.travel import NoWay
from truegauge.core.routes.on_faces import on_faces
from truegauge.core.routes.places import BESIDE, FeatureToTouch, Surface
from truegauge.core.routes.strategies import SheetEdge
from truegauge.demo.cmm_plan import cover_on_fixture
from truegauge.jobs.routing import as_json
from truegauge.runs.touching import FeatureStep

SHEET, BACK, EDGES = 0, 15, (1, 4, 5, 8)


@pytest.fixture
def cover():
    plan = tg.open_plan(demo.COVER_PLAN)
    wanted = cover_on_fixture(plan.document)
    plan.run(SetProbing(wanted.probing, "probes"))
    plan.set_route(wanted.route)
    return plan


def to_polyline(point, line):
    a, along = line[:-1], np.diff(line, axis=0)
    t = np.clip(((point - a) * along).sum(axis=1) / (along**2).sum(axis=1), 0, 1)
    return np.linalg.norm(point - a - t[:, None] * along, axis=1).min()


@pytest.mark.parametrize("face", EDGES)
@pytest.mark.parametrize("strategy", [SheetEdge(touches=5), SheetEdge(touches=7, depth=1.0, inset=6.0, other=True)])
def test_each_touch_of_the_edge_follows_one_of_the_sheet_and_lies_so_far_below_it(cover, face, strategy):
    own = cover.evaluator
    surface = Surface(own.model, own.projector, FeatureToTouch("e", "e", (face,), None))
    places, _, troubles = on_faces(surface, strategy, 3.0)
    assert not troubles
    assert places.rows.tolist() == [BESIDE, -1] * strategy.touches
    on = own.projector.deviations(places.points)
    sheet = BACK if strategy.other else SHEET
    assert set(on.face[::2]) == {sheet}
    assert set(on.face[1::2]) == {face}
    edge = next(e.polyline for e in own.model.edges if set(e.faces) == {face, sheet})
    for at_sheet, at_edge in zip(places.points[::2], places.points[1::2], strict=True):
        assert to_polyline(at_sheet, edge) == pytest.approx(strategy.inset, abs=0.1)
        assert to_polyline(at_edge, edge) == pytest.approx(strategy.depth, abs=0.05)
    ends = [min(np.linalg.norm(p - e) for e in (edge[0], edge[-1])) for p in places.points[[1, -1]]]
    assert min(ends) > 3.0


def test_what_has_no_sheet_beside_it_or_is_thinner_is_told(cover):
    own = cover.evaluator
    deep = Surface(own.model, own.projector, FeatureToTouch("e", "e", (EDGES[0],), None))
    places, _, troubles = on_faces(deep, SheetEdge(touches=4, depth=3.0), 3.0)
    assert not len(places)
    assert {t.why for t in troubles} == {"the edge is not 3 mm deep there"}
    with pytest.raises(DeviceError, match="no sheet"):
        on_faces(Surface(own.model, own.projector, FeatureToTouch("e", "e", tuple(range(16)), None)), SheetEdge(), 3.0)


def test_the_edges_of_the_cover_are_planned_without_a_collision(cover):
    for k, near in enumerate(((0.0, 80.0, -0.7), (110.0, 0.0, -0.7))):
        cover.feature(f"edge {k}", near=near)
        cover.measure_by(f"edge {k}", SheetEdge(touches=5, depth=0.6))
    done = cover.route(make=True)
    assert not done.checked.meetings
    entries = [e for e in as_json(done)["route"] if e["feature"].startswith("edge")]
    assert len(entries) == 2
    for entry in entries:
        assert len(entry["places"]) == len(entry["beside"]) >= 3
        places = np.array(entry["places"])[:, :3]
        on = cover.evaluator.projector.deviations(np.ascontiguousarray(places))
        assert set(on.face) <= set(cover.feature(entry["feature"]).faces)


def depths_on_the_stand_in(cover, off):
    """Touch the rim of a cover that is believed to lie higher by `off`; return how far below its edge (n,)."""
    with tg.stand_in(cover, seed=3, pace=0, up=(0, 0, 1)) as stand_in, tg.connect(port=stand_in.port) as machine:
        machine.qualify(cover, ask=stand_in.touch_sphere)
        true = stand_in.machine_from_part
        believed = true.copy()
        believed[:3, 3] += off * true[:3, 2]
        sample = machine.touch(cover, believed, ["rim"])
        assert not stand_in._world.fault_text
    assert machine.left == {}
    rim = cover.document.feature(cover.feature("rim").id)
    touched = [t for t in sample.probed if t.feature == rim.id]
    assert len(touched) == 4
    at = apply(invert(true), np.array([np.array(t.place) + t.radius * np.array(t.approach) for t in touched]))
    edge = next(e.polyline for e in cover.evaluator.model.edges if set(e.faces) == {SHEET, rim.faces[0]})
    return np.array([to_polyline(p, edge) for p in at])


def test_the_edge_is_touched_below_where_the_sheet_is_found(cover):
    """The part is believed to lie higher or lower than it does: the depth below the true sheet stays the same."""
    cover.feature("rim", near=(110.0, 0.0, -0.7))
    cover.measure_by("rim", SheetEdge(touches=4, depth=0.6))
    right, high, low = (depths_on_the_stand_in(cover, off) for off in (0.0, 0.4, -0.4))
    assert np.abs(right - 0.6).max() < 0.2  # the stand-in's sheet is not as designed
    assert np.abs(high - right).max() < 0.03
    assert np.abs(low - right).max() < 0.03


def test_an_edge_whose_sheet_cannot_be_touched_is_left_out_with_it(cover, monkeypatch):
    """Where it lies is not known then: it is not touched by what was found at another place."""
    cover.feature("rim", near=(110.0, 0.0, -0.7))
    cover.measure_by("rim", SheetEdge(touches=4, depth=0.6))

    def no_way(step, visit, off):
        raise NoWay("something is in the way")

    monkeypatch.setattr(FeatureStep, "_come", no_way)
    with tg.stand_in(cover, seed=3, pace=0, up=(0, 0, 1)) as stand_in, tg.connect(port=stand_in.port) as machine:
        machine.qualify(cover, ask=stand_in.touch_sphere)
        sample = machine.touch(cover, stand_in.machine_from_part, ["rim"])
    assert machine.left == {"rim": "2 of 8 places were not touched: something is in the way"}
    assert len(sample.probed) == 3
