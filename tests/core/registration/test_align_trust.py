"""What an alignment from nothing must find, and what it must not be sure of."""

import numpy as np
import pytest

from truegauge.core.cad.kernel.documents import document_of_shape
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.prepared import prepare
from truegauge.core.frames import apply, random_rigid
from truegauge.core.registration.align import AlignmentSettings, align
from truegauge.core.registration.alignment import Candidate
from truegauge.core.registration.ambiguity import notes_on
from truegauge.core.registration.best_fit import FitSettings
from truegauge.core.registration.candidates import _Search
from truegauge.core.registration.on_itself import OnItself
from truegauge.core.registration.weak_motions import turn_about


@pytest.fixture
def trust(benchmark):
    """Parts and scans of the benchmark of trust."""
    return benchmark("trust")


def model_of(shape):
    return model_from_document(document_of_shape(shape, "part"), "part", "part")


@pytest.mark.parametrize(
    ("name", "seed"), [("beam, 8 m", 1001), ("needle", 1005), ("thin sheet", 1010), ("plate, nearly", 1001)]
)
def test_few_points_that_hold_a_part_are_found(trust, name, seed):
    model = model_of(trust.parts()[name])
    projector, rng = Projector(model), np.random.default_rng(seed)
    points, pose = trust.scan(model, rng), random_rigid(rng, 2 * model.diagonal)
    found = align(prepare(apply(pose, points)), model, projector)
    assert trust.error_of(found.part_from_scan @ pose, model, projector) < 5e-4
    assert found.trusted


def test_a_scan_without_what_tells_two_poses_apart_is_not_trusted(trust, rng):
    model = model_of(trust.parts()["plate, nearly"])
    projector = Projector(model)
    whole = trust.surface(model, rng, 20_000, 0.005)
    # The blind hole at (50, 40) is what tells: it and its surroundings are not scanned, nor the place opposite.
    off = np.min([np.hypot(whole[:, 0] - 50, whole[:, 1] - y) for y in (20, 40)], axis=0)
    pose = random_rigid(rng, 100)
    cloud = prepare(apply(pose, whole[off > 8]))
    found = align(cloud, model, projector)
    assert "the points as well" in found.doubts[0]
    others = [c for c in found.candidates if c.as_good and c.differs > 0.0005]
    assert others  # all of them are offered, the right one among them
    errors = [trust.error_of(c.part_from_scan @ pose, model, projector) for c in found.candidates if c.as_good]
    assert min(errors) < 5e-4 < max(errors)
    assert align(cloud, model, projector, AlignmentSettings(candidate=1)).trusted
    # With the hole it is told.
    assert align(prepare(apply(pose, whole)), model, projector).trusted


@pytest.mark.parametrize("groove", [True, False])
def test_a_turn_that_no_point_tells_is_not_trusted_but_on_round_parts(trust, rng, groove):
    pin = trust.pin(0, 0, 0, 10, 60)
    points = trust.surface(model_of(pin), rng, 20_000, 0.003)
    points = points[~((points[:, 1] > -2) & (points[:, 2] > 35))]  # the groove's side is not scanned
    model = model_of(trust.cut(pin, trust.pin(0, 14, 40, 6, 30)) if groove else pin)
    found = align(prepare(apply(random_rigid(rng, 100), points)), model, Projector(model))
    assert found.trusted == (not groove), found.doubts
    assert not groove or "tell" in found.doubts[0]


def test_where_a_part_differs_from_itself_turned(trust):
    """A flange with six holes and one more: turned by a sixth, the one more hole is missing and is where none was."""
    model = model_of(trust.flange(True))
    projector = Projector(model)
    sixth = turn_about(np.zeros(3), np.array([0.0, 0.0, 1.0]), np.pi / 3)
    itself = OnItself(projector, model)
    places = itself.places_that_tell(sixth, 0.001)
    angle, radius = np.arctan2(places[:, 1], places[:, 0]), np.hypot(places[:, 0], places[:, 1])
    assert (np.abs(radius - 37) < 2.6).all()
    at = [np.abs(angle - a) * 37 < 2.6 for a in (0.5, 0.5 - np.pi / 3)]
    assert (at[0] | at[1]).all()
    assert at[0].any()
    assert at[1].any()
    # The walls and the floor of the hole, and the top that closes it in the other pose, of all of the surface.
    hole = 2 * np.pi * 2.5 * 6 + 2 * np.pi * 2.5**2
    surface = sum(face.area for face in model.faces)
    assert itself.share_that_differs(sixth, 0.001) == pytest.approx(hole / surface, rel=0.35)
    assert itself.share_that_differs(np.linalg.matrix_power(sixth, 6), 0.001) == 0


@pytest.mark.parametrize(
    ("differs", "said"),
    [((), ""), ((0.0, 0.3), "2 poses fit equally well: the part is symmetrical"), ((0.004, 0.3), "differs on 0.4 %"),
     ((0.4, 0.3), "2 more poses fit nearly as well"), ((0.01,) * 30, "almost symmetrical")],
)  # fmt: skip
def test_only_a_part_that_is_the_same_is_called_symmetrical(differs, said):
    listed = [Candidate(np.eye(4), 0.01, 1.0, True, d) for d in (0.0, *differs)]
    assert said in " ".join(notes_on(listed))
    assert ("is symmetrical" in " ".join(notes_on(listed))) == (0.0 in differs)


def test_of_many_turns_that_nearly_fit_the_right_one_is_found_from_any(trust, rng):
    """A flange upside down: none of its six turns there leads to the right one but by half a turn and some more."""
    model = model_of(trust.flange(True))
    projector = Projector(model)
    points = trust.scan(model, np.random.default_rng(7))
    upside_down = turn_about(np.array([0, 0, 6.0]), np.array([1.0, 0.0, 0.0]), np.pi)
    search = _Search(points[::3], projector, model, FitSettings(3.0))
    search.refine(turn_about(np.zeros(3), np.array([0.0, 0.0, 1.0]), 0.5 * np.pi) @ upside_down)
    search.try_turns()
    search.complete(lambda fraction, text="": None)
    best = search.ranked(points)[0]
    assert trust.error_of(best.part_from_scan, model, projector) < 5e-4
