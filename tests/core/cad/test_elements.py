"""What the faces of a part are found to be, on parts whose features are known because they were just built."""

import numpy as np
import pytest
from kernel_files import ball, box, cone, cut, cylinder, drilled_plate, fuse
from numpy.testing import assert_allclose

from truegauge import demo
from truegauge.core.cad.element import ElementKind
from truegauge.core.cad.elements import Elements
from truegauge.core.cad.kernel.documents import document_of_shape
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.patterns import PatternKind, Patterns
from truegauge.core.errors import Cancelled
from truegauge.core.progress import silent
from truegauge.demo.faces import cylinder_at
from truegauge.demo.housing_sizes import MOUNTING_HOLES, bolt_holes
from truegauge.formats.part import read_part


def model_of(shape):
    return model_from_document(document_of_shape(shape, "part"), "key", "part")


def found(shape, kind):
    return [e for e in Elements(model_of(shape)).all if e.kind == kind]


@pytest.fixture(scope="module")
def plate():
    return Elements(model_of(drilled_plate()))


def test_a_counterbore_knows_its_hole_and_its_shoulder(plate):
    (counterbore,) = [e for e in plate.all if e.kind == ElementKind.COUNTERBORE]
    assert_allclose((counterbore.diameter, counterbore.second, counterbore.depth), (5, 10, 10), atol=1e-9)
    assert counterbore.through
    assert_allclose(counterbore.position, (15, 25, 10), atol=1e-9)
    assert_allclose(counterbore.direction, (0, 0, 1), atol=1e-12)


def test_a_countersink_knows_its_angle_and_its_width(plate):
    (sink,) = [e for e in plate.all if e.kind == ElementKind.COUNTERSINK]
    assert_allclose((sink.diameter, np.degrees(sink.angle), sink.second), (4, 90, 8), atol=1e-6)
    assert "countersink ⌀ 8 x 90° on hole ⌀ 4, through" in sink.describe()


def test_a_blind_hole_is_told_from_a_through_hole(plate):
    holes = {round(e.diameter, 6): e for e in plate.all if e.kind == ElementKind.HOLE}
    assert (holes[8.0].through, round(holes[8.0].depth, 6)) == (False, 6.0)
    assert holes[3.0].through


def test_three_holes_in_a_row_are_a_line(plate):
    (line,) = [p for p in Patterns(plate).all if p.kind == PatternKind.LINE]
    assert (len(line.members), round(line.size, 9)) == (3, 12.0)
    assert Patterns(plate).of(line.members[1]).describe() == "line of 3, step 12"


def test_a_hole_of_two_half_cylinders_is_one_hole():
    # Cut in two halves and joined again: each half keeps its own half of the bore.
    block = cut(box(0, 0, 0, 20, 20, 10), cylinder(10, 10, -1, 3, 12))
    halves = fuse(cut(block, box(10, -1, -1, 20, 30, 20)), cut(block, box(-10, -1, -1, 20, 30, 20)))
    model = model_of(halves)
    bores = [f for f in model.faces if f.surface.kind.name == "CYLINDER"]
    (hole,) = [e for e in Elements(model).all if e.kind == ElementKind.HOLE]
    assert len(bores) == len(hole.faces) >= 2


def test_bosses_pins_and_cones_stand_out():
    shape = fuse(
        box(0, 0, 0, 60, 30, 10), cylinder(10, 15, 10, 6, 5), cylinder(30, 15, 10, 2, 12), cone(50, 15, 10, 5, 2, 6)
    )
    (boss,), (pin,), (tip,) = (found(shape, k) for k in (ElementKind.BOSS, ElementKind.PIN, ElementKind.CONE))
    assert_allclose((boss.diameter, boss.depth, pin.diameter, pin.depth), (12, 5, 4, 12), atol=1e-9)
    assert_allclose(boss.direction, (0, 0, 1), atol=1e-12)
    assert not tip.inside


def test_slots_and_pads_have_length_and_width():
    slot = fuse(box(20, 12, 5, 20, 6, 10), cylinder(20, 15, 5, 3, 10), cylinder(40, 15, 5, 3, 10))
    (blind,) = found(cut(box(0, 0, 0, 60, 30, 10), slot), ElementKind.SLOT)
    assert (blind.through, round(blind.diameter, 6), round(blind.second, 6), round(blind.depth, 6)) == (False, 6, 26, 5)
    (pad,) = found(fuse(box(0, 0, 0, 60, 30, 10), box(10, 10, 10, 12, 8, 2)), ElementKind.PAD)
    assert_allclose((pad.diameter, pad.second, pad.depth), (8, 12, 2), atol=1e-9)


def test_looking_for_elements_can_be_stopped_and_begun_again(plate):
    elements, told = Elements(plate.model), []

    def stop_later(share, doing):
        told.append((share, doing))
        if len(told) == 4:
            raise Cancelled

    with pytest.raises(Cancelled):
        elements.find(stop_later)
    elements.find(silent)
    assert [e.kind for e in elements.all] == [e.kind for e in plate.all]


def test_spheres_are_sockets_or_balls():
    (socket,) = found(cut(box(0, 0, 0, 30, 30, 20), ball(15, 15, 20, 8)), ElementKind.SPHERE)
    assert (socket.inside, round(socket.diameter, 9)) == (True, 16.0)


def test_opposite_faces_form_a_width():
    elements = Elements(model_of(cut(box(0, 0, 0, 40, 30, 20), box(10, -1, 12, 8, 40, 20))))
    wall = next(
        f.index for f in elements.model.faces if f.surface.kind.name == "PLANE"
        and np.allclose(f.surface.z * f.surface.outward, (1, 0, 0)) and abs(f.centroid[0] - 10) < 1e-9
    )  # fmt: skip
    other, width = elements.parallel_to(wall)
    assert width == pytest.approx(8, abs=1e-9)
    assert elements.model.faces[other].centroid[0] == pytest.approx(18)


def test_the_housing_has_its_bolt_circle_and_its_feet(model):
    patterns = Patterns(Elements(model))
    (circle,) = [p for p in patterns.all if p.kind == PatternKind.CIRCLE]
    assert (len(circle.members), round(circle.size, 6)) == (6, 60.0)
    assert_allclose(circle.center[:2], (58, 45), atol=1e-6)
    assert {m.groups[0][0] for m in circle.members} == {cylinder_at(model, 2.75, x, y) for x, y in bolt_holes()}
    feet = [p for p in patterns.all if p.kind == PatternKind.SET and p.members[0].kind == ElementKind.HOLE]
    # Four at the corners of a rectangle are equal, but on no bolt circle.
    assert {m.groups[0][0] for m in feet[0].members} == {cylinder_at(model, 3.3, x, y) for x, y in MOUNTING_HOLES}
    assert "4 equal ones" in feet[0].describe()


def test_each_face_belongs_to_one_element_at_most(model):
    faces = [f for e in Elements(model).all for f in e.faces]
    assert len(faces) == len(set(faces))
    fillets = [e for e in Elements(model).all if e.kind == ElementKind.FILLET]
    assert {round(e.diameter / 2, 6) for e in fillets} == {1.5, 4.0, 6.0}


def test_a_part_without_elements_has_no_patterns():
    """An aerofoil on a block: there is nothing that could be equal."""
    elements = Elements(read_part(demo.VANE_PART))
    assert elements.all == ()
    assert Patterns(elements).all == ()
