"""What is seen of a surface in the window: which are listed, what stands at the rings, how the reference is held."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFileDialog
from tests.app.test_surface_page import TRUTH, looked, opened, page, rows, scan_file, sheet, type_in

from truegauge.app.stages.evaluate.surface.before import BeforeModel
from truegauge.app.stages.evaluate.surface.flat_view import FlatView
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.core.commands.shown import SetDisplay
from truegauge.core.plan.surface_checks import SurfaceLimit
from truegauge.drawing.flat_map import held_scale_of
from truegauge.drawing.surface_numbers import tag_texts
from truegauge.drawing.units import NumberFormat

__all__ = ["looked", "opened", "page"]


def pick(box, key):
    box.setCurrentIndex(box.findData(key))
    box.activated.emit(box.currentIndex())


def test_the_list_and_the_map_are_of_those_that_are_wanted(looked, page, settle):
    model, flat = looked.get(SurfaceModel), looked.get(FlatView)
    pick(page.filter, "bump")
    assert [r.split()[1] for r in rows(page)] == ["bump"]
    spots = {
        k: flat._pixel(model.found, flat.frame_of(model.found), one) for k, one in enumerate(model.found.imperfections)
    }
    kinds = [one.kind for one in model.found.imperfections]
    assert [flat.at(spots[k]) == k for k in spots] == [kind == "bump" for kind in kinds]
    pick(page.filter, "flagged")
    assert rows(page) == []
    model.change(limits=(SurfaceLimit(quantity="depth", limit=0.27),))
    settle()
    assert [r.split()[0] for r in rows(page)] == ["1", "2"]
    pick(page.filter, "all")
    assert len(rows(page)) == 3


def test_tags_tell_what_is_wanted_and_the_plan_keeps_it(looked, page, settle):
    model = looked.get(SurfaceModel)
    found, numbers = model.found.imperfections, NumberFormat("mm", 3)
    pick(page.seeing.tags, "kind")
    settle()
    assert model.check.tags == "kind"
    looked.session.document.undo()
    assert model.check.tags == "number"
    assert model.found.imperfections is found  # nothing was worked out again
    assert tag_texts(found, "number", numbers) == ("1", "2", "3")
    assert tag_texts(found, "depth", numbers)[1] == f"2  {found[1].depth:+.3f}"
    assert tag_texts(found, "kind", numbers)[0] == f"1  dent {found[0].depth:.3f}"
    assert tag_texts(found, "area", NumberFormat("inch", 4))[0] == f"1  {found[0].area / 25.4**2:.4g} inch²"


def test_how_the_reference_is_held_is_seen_and_said(looked, page, qtbot, settle):
    model, flat = looked.get(SurfaceModel), looked.get(FlatView)
    pick(page.seeing.map, "held")
    qtbot.waitUntil(lambda: model.held() is not None)
    settle()
    held = model.held()
    assert f"{np.nanmax(held):.3f} mm where it is held least" in page.seeing.held.text()
    before = flat.grab().toImage()
    pick(page.seeing.map, "deviations")
    assert page.seeing.held.text() == ""
    assert flat.grab().toImage() != before
    model.change(reference="plane")
    settle()
    pick(page.seeing.map, "held")
    assert "all of the surface holds it alike" in page.seeing.held.text()


@pytest.mark.parametrize("worst", [0.01, 0.2, 0.0])
def test_more_than_a_third_of_the_depth_is_red(worst):
    scale = held_scale_of(0.3, worst)
    reds = [c for c in scale.colors if int(c[1:3], 16) > int(c[5:7], 16)]
    assert len(reds) == sum(e > 0.1 for e in scale.edges[1:])


def test_another_scan_is_the_reference(looked, page, settle, tmp_path, monkeypatch):
    """It is asked for where none is open, kept for the next check, and what is found is what has changed."""
    earlier = (TRUTH[0], TRUTH[2], (40.0, 160.0, 0.4, 9.0))  # two as they are now, one that is gone
    path = scan_file(tmp_path / "earlier.ply", *sheet(7, truth=earlier))
    asked = []

    def choose(*a, **k):
        asked.append(a)
        return str(path), ""

    monkeypatch.setattr(QFileDialog, "getOpenFileName", choose)
    pick(page.reference, "scan")
    settle()
    assert len(asked) == 1
    model = looked.get(SurfaceModel)
    assert [round(i.depth, 1) for i in model.found.imperfections] == [-0.4, 0.3]
    assert page.since.text() == "Measured from earlier.ply: what is found has changed since"
    assert looked.get(BeforeModel).changes() == ()
    pick(page.reference, "plane")
    settle()
    pick(page.reference, "scan")
    settle()
    assert len(asked) == 1
    assert len(rows(page)) == 2
    page.alone.click()
    settle()
    assert rows(page) == []
    assert "open the earlier one" in page.problem.text()


def test_a_surface_of_revolution_is_a_reference(looked, page, settle, tmp_path):
    rng = np.random.default_rng(3)
    z, a = rng.uniform(0, 150, 40_000), rng.uniform(0, 2 * np.pi, 40_000)
    radius = 40 + 8 * np.sin(z / 25) + rng.normal(0, 0.01, len(z))
    radius += -0.5 * np.exp(-((40 * (a - 2)) ** 2 + (z - 70) ** 2) / 36)
    out = np.column_stack([np.cos(a), np.sin(a), np.zeros(len(a))])
    points = out * radius[:, None] + z[:, None] * [0, 0, 1.0]
    ways = out - (8 / 25 * np.cos(z / 25))[:, None] * [0, 0, 1.0]
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    looked.session.files.open_scan(scan_file(tmp_path / "vase.ply", points, ways))
    settle()
    pick(page.reference, "revolution")
    settle()
    (one,) = looked.get(SurfaceModel).found.imperfections
    assert one.depth == pytest.approx(-0.5 / np.hypot(1.0, 8 / 25 * np.cos(70 / 25)), abs=0.03)  # along the normal
    assert len(rows(page)) == 1


def test_a_frame_is_typed(looked, page, settle):
    model, box = looked.get(SurfaceModel), page.frame
    box.header.setChecked(True)
    type_in(box.fields[0], "10 20 0")
    settle()
    assert model.check.frame == ((10, 20, 0), (100, 0, 0), (0, 100, 0))
    type_in(box.fields[1], "10  120,5  0")
    type_in(box.fields[2], "-90 20 0")
    settle()
    assert model.place((10.0, 50.0, 0.0)) == pytest.approx((30, 0, 0), abs=1e-9)
    assert model.place((0.0, 20.0, 7.0)) == pytest.approx((0, 10, 7), abs=1e-9)
    looked.session.run(SetDisplay((("unit", "inch"),)))
    settle()
    assert [float(c) for c in box.fields[0].text().split()] == pytest.approx([10 / 25.4, 20 / 25.4, 0])
    before = model.check.frame
    for text, words in (("1 2", "three numbers"), ("a 1 2", "'a' is not a number"),
                        (box.fields[0].text(), "lie on a line")):  # fmt: skip
        type_in(box.fields[1], text)
        assert words in box.problem.text()
        assert model.check.frame == before
    looked.session.document.undo()
    looked.session.document.undo()
    assert model.check.frame != before


def test_waves_are_followed_by_the_filter_that_is_chosen(looked, page, settle):
    model = looked.get(SurfaceModel)
    first = model.found
    page.more.header.setChecked(True)
    assert page.filter_kind.isVisible()
    pick(page.filter_kind, "gaussian")
    settle()
    assert model.found.prepared.reference.by == "gaussian"
    pairs = zip(first.imperfections, model.found.imperfections, strict=True)
    assert all(a.depth == pytest.approx(b.depth, abs=0.03) for a, b in pairs)
    assert model.found.imperfections[0].depth != first.imperfections[0].depth
    pick(page.reference, "plane")
    settle()
    assert not page.filter_kind.isVisible()


def test_a_click_on_a_limit_looks_at_the_worst_one(looked, page, qtbot, settle):
    model, limits = looked.get(SurfaceModel), looked.ledger.surfaces
    first = model.check.id
    model.change(limits=(SurfaceLimit(quantity="count", limit=9), SurfaceLimit(quantity="border", limit=1)))
    model.add()
    settle()
    model.change(limits=(SurfaceLimit(quantity="area", limit=5000),), sides="out")
    settle()
    assert model.found is not None
    looked.session.set_stage("report")
    settle()
    nearest = int(np.argmin([i.border for i in looked.session.surfaces.known()[first].imperfections]))
    qtbot.mouseClick(limits, Qt.MouseButton.LeftButton, pos=QPoint(60, 26 + 42 + 20))  # the second of the first check
    settle()
    assert looked.session.stage == "evaluate"
    assert (model.check.id, model.number) == (first, nearest)
    qtbot.mouseClick(limits, Qt.MouseButton.LeftButton, pos=QPoint(60, 26 + 2 * 42 + 26 + 20))
    settle()
    assert model.check.id != first
    qtbot.mouseClick(limits, Qt.MouseButton.LeftButton, pos=QPoint(60, 10))  # the name: nothing of it is chosen
    settle()
    assert (model.check.id, model.number) == (first, -1)


def test_what_is_chosen_stays_when_a_change_is_taken_back(looked, page, settle):
    """What was found before is there at once, and numbered otherwise."""
    model = looked.get(SurfaceModel)
    first, there = model.found, len(model.found.imperfections) - 1
    model.choose(there)
    place = model.chosen.deepest
    model.change(sides="out" if model.chosen.depth > 0 else "in", depth=0.2)
    settle()
    assert model.chosen.deepest == pytest.approx(place, abs=0.5)
    assert model.number != there
    looked.session.document.undo()
    assert model.look() is first
    assert model.number == there
