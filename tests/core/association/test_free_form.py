"""Free-form association against motions that are known."""

import numpy as np
import pytest

from truegauge.core.association.constraints import DatumSystem
from truegauge.core.association.fit import Criterion
from truegauge.core.association.free_form import fit_free_form
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.errors import AssociationError
from truegauge.core.frames import apply, from_rotation_vector, identity, invert
from truegauge.demo.faces import face_of_kind

MOTION = from_rotation_vector(np.array([0.0006, -0.0004, 0.0009]), np.array([0.04, -0.03, 0.05]))


@pytest.fixture(scope="module")
def shroud(model):
    face = face_of_kind(model, SurfaceKind.BSPLINE)
    mesh = model.mesh
    corners = mesh.vertices[mesh.triangles[mesh.triangle_face == face]]
    return (face,), corners.mean(axis=1)


@pytest.fixture(scope="module")
def on_face(shroud, projector):
    """Points on the true surface and their normals."""
    found = projector.deviations(shroud[1], max_distance=1.0)
    inside = (found.face == shroud[0][0]) & ~found.on_edge
    return found.feet[inside], found.normals[inside]


def test_a_moved_face_is_found_where_it_was_moved(shroud, on_face, projector):
    fit = fit_free_form(projector, shroud[0], apply(MOTION, on_face[0]), reach=1.0)
    assert fit.rms < 1e-8
    moved = apply(fit.part_from_nominal, on_face[0])
    # The motion itself may slide along the face where that changes no distance; the surface is where it was moved.
    found = projector.deviations(apply(invert(MOTION), moved), max_distance=1.0)
    assert np.abs(found.distance).max() < 1e-7


def test_a_bump_stays_in_the_residuals_and_the_zone_is_narrower(shroud, on_face, projector, rng):
    feet, normals = on_face
    points = feet + normals * rng.normal(0, 0.01, (len(feet), 1))
    points[7] += 0.1 * normals[7]
    least = fit_free_form(projector, shroud[0], points, reach=1.0)
    narrow = fit_free_form(projector, shroud[0], points, Criterion.MINIMUM_ZONE, reach=1.0)
    assert narrow.profile < least.profile
    assert narrow.rms > least.rms
    assert int(np.argmax(least.residuals)) == int(np.flatnonzero(least.rows == 7)[0])
    assert np.sqrt(np.diag(least.covariance)[:3]).max() < 0.1


def test_a_datum_system_leaves_one_freedom(shroud, on_face, projector):
    only_z = DatumSystem(identity(), ("tz",))
    fit = fit_free_form(projector, shroud[0], apply(MOTION, on_face[0]), reach=1.0, datums=only_z)
    assert np.array_equal(fit.part_from_nominal[:3, :3], np.eye(3))
    assert np.abs(fit.part_from_nominal[:2, 3]).max() < 1e-12
    held = fit_free_form(projector, shroud[0], on_face[0], reach=1.0, datums=DatumSystem(identity()))
    assert np.array_equal(held.part_from_nominal, np.eye(4))


def test_too_few_points_and_other_criteria_are_refused(shroud, on_face, projector):
    with pytest.raises(AssociationError, match="6"):
        fit_free_form(projector, shroud[0], on_face[0][:4], reach=1.0)
    with pytest.raises(AssociationError, match="near the faces"):
        fit_free_form(projector, shroud[0], on_face[0] + 500, reach=1.0)
    with pytest.raises(AssociationError, match="cannot be associated by"):
        fit_free_form(projector, shroud[0], on_face[0], Criterion.MAXIMUM_INSCRIBED, reach=1.0)
