"""A new revision of a part is matched face by face; what changed is said."""

import pytest
from kernel_files import box, drilled_plate, fuse, write_step

from truegauge.core.cad.kernel.documents import document_of_shape, read_document
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.recognition import describe_face
from truegauge.core.cad.revision import match_faces
from truegauge.core.commands.part import SetPart
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.part import PartReference


def model_of(shape):
    return model_from_document(document_of_shape(shape, "part"), "key", "part")


@pytest.fixture(scope="module")
def old():
    return model_of(drilled_plate())


def test_the_same_part_in_another_order_is_the_same(old, tmp_path):
    # Written and read again the faces are numbered anew.
    path = write_step(drilled_plate(), tmp_path / "again.step")
    again = model_from_document(read_document(str(path), "step"), "key", "again")
    matching = match_faces(old, again)
    assert (matching.same, matching.changes, matching.gone, matching.added) == (len(old.faces), (), (), ())
    for a, b in matching.new_of.items():
        assert describe_face(old, a) == describe_face(again, b)


def test_a_larger_bore_is_found_and_said(old):
    matching = match_faces(old, model_of(drilled_plate(hole=5.4)))
    said = [c.what for c in matching.changes]
    assert any("diameter 5.000 to 5.400" in text for text in said)
    assert len(matching.new_of) == len(old.faces)
    assert not matching.gone


def test_a_moved_face_an_added_boss_and_a_lost_hole_are_told_apart(old):
    higher = model_of(fuse(drilled_plate(), box(70, 5, 10, 6, 6, 4)))
    matching = match_faces(old, higher)
    assert len(matching.added) == 5
    assert matching.is_same_part
    back = match_faces(higher, old)
    assert len(back.gone) == 5


def test_another_part_is_no_revision(old, model):
    assert not match_faces(model, old).is_same_part


def test_features_follow_their_faces_and_lost_ones_stay_in_sight():
    plan = Plan(
        part=PartReference(file_name="a.step", sha256="0"),
        features=(NominalFeature(id="a", name="kept", faces=(3, 4)), NominalFeature(id="b", name="lost", faces=(7,))),
    )
    after = SetPart(PartReference(file_name="b.step", sha256="1"), "b", ((3, 9), (4, 2))).apply(plan)
    assert [f.faces for f in after.features] == [(2, 9), (-8,)]
