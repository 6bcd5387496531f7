import pytest

from truegauge.core.cad.model import SurfaceKind
from truegauge.core.cad.recognition import describe_face, nominal_of, whole_surface
from truegauge.core.errors import GeometryError
from truegauge.demo.faces import cylinder_along, cylinder_at, face_of_kind, plane_at
from truegauge.demo.housing_sizes import MAIN_BORE


def test_the_main_bore_is_described_as_an_inspector_would(model):
    assert describe_face(model, cylinder_at(model, 21.0, *MAIN_BORE)) == "cylinder, diameter 42.000, hole"


def test_boss_socket_seat_and_plane_are_told_apart(model):
    assert describe_face(model, cylinder_along(model, 15.0, 0)) == "cylinder, diameter 30.000, boss"
    assert describe_face(model, face_of_kind(model, SurfaceKind.SPHERE)) == "sphere, diameter 24.000, socket"
    assert describe_face(model, face_of_kind(model, SurfaceKind.CONE)) == "cone, angle 60.000°, hole"
    assert describe_face(model, plane_at(model, (0, 0, -1), 0)) == "plane, facing -Z"
    assert describe_face(model, face_of_kind(model, SurfaceKind.BSPLINE)) == "free-form face"


def test_the_two_ends_of_the_slot_are_two_features(model):
    ends = [f.index for f in model.faces if f.surface.kind == SurfaceKind.CYLINDER and f.surface.radius == 6.0
            and f.surface.outward < 0]  # fmt: skip
    assert len(ends) == 2
    assert all(len(whole_surface(model, e)) == 1 for e in ends)


def test_a_face_that_is_not_there_is_refused(model):
    with pytest.raises(GeometryError, match="no such face"):
        nominal_of(model, (9999,))
    with pytest.raises(GeometryError, match="free-form"):
        nominal_of(model, (face_of_kind(model, SurfaceKind.BSPLINE),))
