"""A silhouette in a plan: what cannot be is refused, what is kept comes back, what depends on what goes with it."""

import json

import numpy as np
import pytest

from truegauge.core.authoring.silhouettes import (
    add_size,
    found_by,
    new_silhouette_plan,
    offers,
    with_edge,
    with_point,
    without_things,
)
from truegauge.core.commands.requirements import RemoveCharacteristic
from truegauge.core.commands.silhouettes import SetSilhouette
from truegauge.core.plan.document import Plan
from truegauge.core.plan.migrations.steps import as_of_now
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.silhouette import ShadowBand, ShadowBox, ShadowSize, ShadowTaught
from truegauge.core.silhouette.looking import Place
from truegauge.core.silhouette.measuring import Measurer
from truegauge.demo.shadow_plans import PLATE_PART, SHAFT, calibrated

BOX = ShadowBox(x=1.0, y=2.0, turn=0.5, reach=1.0, wide=2.0)


@pytest.fixture(scope="module")
def shaft():
    return SHAFT.plan().document


def test_a_plan_comes_back_as_it_was_with_the_shadow_it_was_taught(shaft):
    again = Plan.model_validate_json(json.dumps(shaft.model_dump(mode="json")))
    assert again == shaft
    a, b = shaft.silhouette.taught.stencil, again.silhouette.taught.stencil
    assert np.array_equal(a.dark, b.dark)
    assert np.array_equal(a.light, b.light)
    assert a.dark.any()
    assert a.light.any()


def test_plans_of_the_version_before_open(shaft):
    document = shaft.replace(silhouette=None, characteristics=()).model_dump(mode="json")
    del document["silhouette"]
    document["schema_version"] = 13
    assert Plan.model_validate_json(json.dumps(as_of_now(document))).silhouette is None


@pytest.mark.parametrize(("change", "words"), [
    (lambda s: s.replace(edges=s.edges[1:]), "does not have"),
    (lambda s: s.replace(edges=(*s.edges, s.edges[0])), "same id"),
    (lambda s: s.replace(datums=s.datums.replace(stop="nothing")), "does not have"),
    (lambda s: s.replace(datums=s.datums.replace(turn=(next(e.id for e in s.edges if e.name == "fillet"),))),
     "no direction"),
    (lambda s: s.replace(taught=s.taught.replace(dark="no base64!")), "broken"),
    (lambda s: s.replace(taught=s.taught.replace(dark=s.taught.light[:40])), "broken|as many"),
    (lambda s: s.replace(taught=s.taught.replace(cells=(3, 3))), "as many"),
    (lambda s: ShadowSize(id="a", name="a", what="colour", of=("b",)), "not told"),
    (lambda s: ShadowSize(id="a", name="a", what="size", of=("b",)), "told of 2"),
    (lambda s: ShadowBand(x=0.0, y=0.0, radius=1.0, begin=0.0, end=7.0, reach=1.0), "whole turn"),
    (lambda s: ShadowTaught.model_validate({**s.taught.model_dump(), "reach": (1.0,)}), "360"),
])  # fmt: skip
def test_what_cannot_be_is_refused_in_words(shaft, change, words):
    with pytest.raises(ValueError, match=words):
        change(shaft.silhouette)


def test_a_plan_with_a_part_has_no_silhouette(shaft):
    with pytest.raises(ValueError, match="no part"):
        shaft.replace(part=PartReference(file_name="a.step", sha256="0" * 64))


def test_sizes_go_with_their_edges_and_characteristics_with_their_sizes(shaft):
    own = shaft.silhouette
    edge = next(e for e in own.edges if e.name == "collar above")
    left = SetSilhouette(without_things(own, {edge.id})).apply(shaft)
    assert {c.name for c in shaft.characteristics} - {c.name for c in left.characteristics} == {"Collar"}
    assert left.silhouette.datums == own.datums
    stop = without_things(own, {own.datums.stop})
    assert stop.datums is None
    assert stop.taught is None
    removed = RemoveCharacteristic(shaft.characteristics[0].id).apply(shaft)
    assert shaft.characteristics[0].features[0] not in {s.id for s in removed.silhouette.sizes}
    assert removed.silhouette.edges == own.edges


def test_what_is_offered_suits_what_is_chosen_and_anything_else_is_refused():
    own, plan = new_silhouette_plan("a").silhouette, new_silhouette_plan("a")
    own, a = with_edge(own, BOX)
    own, b = with_edge(own, BOX.replace(y=5.0))
    own, arc = with_edge(own, ShadowBand(x=0.0, y=0.0, radius=1.0, reach=0.5))
    own, corner = with_point(own, "meeting", (a.id, b.id))
    assert with_point(own, "meeting", (b.id, a.id))[1] == corner
    assert offers(own, (a.id, b.id))[:3] == ("size", "spacing", "angle")
    assert offers(own, (arc.id,)) == ("diameter", "radius", "roundness")
    assert "spacing" in offers(own, (arc.id, corner.id))
    assert "symmetry" not in offers(own, (a.id, b.id))
    own, line = with_point(own, "middle", (a.id, b.id))
    assert "symmetry" in offers(own, (line.id, a.id))
    assert offers(own, ()) == ()
    with pytest.raises(ValueError, match="round edges"):
        add_size(plan, own, "diameter", (a.id,), 1.0)
    with pytest.raises(ValueError, match="not told"):
        add_size(plan, own, "colour", (a.id,), 1.0)
    command = add_size(plan, own, "size", (a.id, b.id), 3.0, -0.1, 0.1)
    made = command.apply(plan)
    assert made.characteristics[0].features == (made.silhouette.sizes[0].id,)
    names = [t.name for t in (*own.edges, *own.points)]
    assert len(set(names)) == len(names)


def test_coordinates_by_edges_leave_every_value_as_it_was():
    """Found by other edges, a part measures the same; spacings along x and y are those of the new axes."""
    plan = PLATE_PART.plan()
    own, known = plan.silhouette, calibrated().calibration
    picture, place = PLATE_PART.picture(PLATE_PART.nominal, PLATE_PART.taught), PLATE_PART.taught
    ids = {e.name: e.id for e in own.edges}
    other = found_by(own, (ids["left"],), ids["above"], picture, known, place, upside_down=True)
    before, after = (Measurer(s.recipe, known).measure(picture) for s in (own, other))
    for size in own.sizes:
        a, b = before.sizes[size.id], after.sizes[size.id]
        if size.what in ("spacing_x", "spacing_y"):
            continue
        assert a.value == pytest.approx(b.value, abs=2e-5), size.name
    # x goes along the left edge now, and begins where the upper one is: a quarter turn from before.
    assert abs(np.cos(after.place.turn - before.place.turn)) < 1e-3
    corner = before.place.part_from_picture(after.place.origin[None])[0]
    assert corner == pytest.approx([0.0, 16.0], abs=2e-3)


def test_places_after_one_another_are_what_points_say():
    rng = np.random.default_rng(2)
    for _ in range(20):
        a, b = (Place(rng.normal(size=2), rng.uniform(-3, 3), bool(rng.integers(2))) for _ in range(2))
        points = rng.normal(size=(5, 2))
        joint = a.after(b)
        assert joint.picture_from_part(points) == pytest.approx(a.picture_from_part(b.picture_from_part(points)))
        assert joint.part_from_picture(joint.picture_from_part(points)) == pytest.approx(points)
