"""What holds the part: meshes beside the boxes that they are made of, in coordinates of the part and of the table."""

import numpy as np
import pytest
from tests.core.routes.routing import ON_ITS_BACK

from truegauge.core.errors import FormatError
from truegauge.core.frames import apply, invert
from truegauge.core.meeting.swept import ball, nearest
from truegauge.core.routes.document import PartFixture, Placement
from truegauge.core.routes.facets import MOST_FACETS, facets_from_text, facets_to_text
from truegauge.core.routes.scene import make_scene, placed
from truegauge.demo.cmm_plan import demo_probing
from truegauge.formats.fixture_file import read_fixture
from truegauge.formats.stl import stl_from_mesh
from truegauge.rendering.solids import plate

LOW, HIGH = np.array([150.0, 10.0, -6.0]), np.array([190.0, 50.0, 30.0])


def box_facets(low=LOW, high=HIGH):
    made = plate(low, high - low)
    return made.vertices[made.triangles]


def around_of(scene, name):
    return [a for a in scene.around if a.name == name]


@pytest.mark.parametrize("placement", [Placement(), Placement(up=(0.0, -1.0, 0.0), turn_deg=35.0, height=12.0)])
@pytest.mark.parametrize("where", ["part", "table"])
def test_a_mesh_is_as_far_as_the_box_that_it_is_the_surface_of(model, placement, where):
    route = ON_ITS_BACK.replace(placement=placement, fixtures=(
        PartFixture(name="box", low=tuple(LOW), high=tuple(HIGH), where=where),
        PartFixture.of_facets("mesh", box_facets(), where),
    ))  # fmt: skip
    scene = make_scene(model, demo_probing(), route)
    pose = placed(model, placement) if where == "part" else np.eye(4)
    rng = np.random.default_rng(7)
    for _ in range(60):
        start, end = rng.uniform(-60, 60, (2, 3)) + apply(pose, (LOW + HIGH)[None] / 2)[0]
        solids = np.array([ball(np.zeros(3), 2.0)])
        box, mesh = (nearest(solids, start, end, around_of(scene, n), 1e3).distance for n in ("box", "mesh"))
        # By definition: points of the way in the coordinates of the box.
        local = apply(invert(pose), start + np.linspace(0, 1, 2000)[:, None] * (end - start))
        gap = np.linalg.norm(np.maximum(np.maximum(LOW - local, local - HIGH), 0), axis=1).min() - 2.0
        assert max(box, 0.0) == pytest.approx(max(gap, 0.0), abs=0.01)
        if gap > 0.1:
            assert mesh == pytest.approx(box, abs=1e-4)
        elif (start - end).any() and np.linalg.norm(start - end) > 120:
            assert mesh <= 0


def test_on_a_machine_what_stands_on_the_table_keeps_its_place_beside_the_part(model):
    placement = Placement(up=(0.0, -1.0, 0.0), turn_deg=20.0, height=30.0)
    fixture = PartFixture(name="stop", low=(10.0, 10.0, 0.0), high=(40.0, 30.0, 25.0), where="table")
    route = ON_ITS_BACK.replace(placement=placement, fixtures=(fixture,))
    table_from_part = placed(model, placement)
    located = np.array([[0, -1, 0, 300.0], [1, 0, 0, 200], [0, 0, 1, -650], [0, 0, 0, 1.0]]) @ table_from_part
    scene = make_scene(model, demo_probing(), route, located)
    corner = apply(located @ invert(table_from_part), np.array([[10.0, 10.0, 25.0]]))[0]
    probe = np.array([ball(np.zeros(3), 0.5)])
    assert nearest(probe, corner, corner, around_of(scene, "stop"), 10.0).distance <= 0
    up = corner + np.array([0, 0, 4.5])
    assert nearest(probe, up, up, around_of(scene, "stop"), 10.0).distance == pytest.approx(4.0, abs=1e-6)


def test_facets_come_back_from_their_text_and_nonsense_is_refused():
    corners = np.random.default_rng(1).uniform(-500, 500, (300, 3, 3))
    text = facets_to_text(corners)
    assert np.abs(facets_from_text(text) - corners).max() < 5e-5  # float32
    for bad in (text[:-9], "%%%", text[:40] + "A" + text[41:], facets_to_text(corners)[:-4] + "===="):
        with pytest.raises(ValueError, match=r"facets|no numbers"):
            facets_from_text(bad)
    with pytest.raises(ValueError, match="save it coarser"):
        facets_to_text(np.zeros((MOST_FACETS + 1, 3, 3)))
    with pytest.raises(ValueError, match="no numbers"):
        facets_to_text(np.full((1, 3, 3), np.nan))
    with pytest.raises(ValueError, match="jig: a mesh has facets"):
        PartFixture(name="jig", shape="mesh", low=(0.0, 0.0, 0.0), high=(1.0, 1.0, 1.0))
    with pytest.raises(ValueError, match="jig: its facets"):
        PartFixture(name="jig", shape="mesh", facets="AAAA", low=(0.0, 0.0, 0.0), high=(1.0, 1.0, 1.0))


def test_fixtures_are_read_from_meshes_and_cad_and_damaged_files_say_what_is_wrong(tmp_path):
    made = plate(LOW, HIGH - LOW)
    (tmp_path / "jig.stl").write_bytes(stl_from_mesh(made.vertices, made.triangles))
    fixture = read_fixture(tmp_path / "jig.stl", on_table=True)
    assert (fixture.name, fixture.shape, fixture.where) == ("jig", "mesh", "table")
    assert np.allclose([fixture.low, fixture.high], [LOW, HIGH])
    from tests.core.routes.test_lines import FOREIGN

    cube = read_fixture(FOREIGN / "rounded-cube.step")
    assert len(facets_from_text(cube.facets)) > 20
    (tmp_path / "cut.stl").write_bytes((tmp_path / "jig.stl").read_bytes()[:-30])
    (tmp_path / "jig.obj").write_text("v 0 0 0")
    for name, words in (("cut.stl", "cut off"), ("jig.obj", "this kind of file"), ("none.step", "none.step")):
        with pytest.raises(FormatError, match=words):
            read_fixture(tmp_path / name)
