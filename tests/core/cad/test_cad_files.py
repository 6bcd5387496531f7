"""CAD files of every kind become the same part: schemas, units, assemblies, IGES, colours, healing, annotations."""

import numpy as np
import pytest
from kernel_files import ball, box, drilled_plate, fuse, write_assembly, write_iges, write_step
from numpy.testing import assert_allclose

from truegauge import demo
from truegauge.core.cad.kernel.documents import document_of_shape, read_document
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.cad.projection import Projector
from truegauge.demo.faces import housing_faces
from truegauge.demo.housing_pmi import DATUMS, DIMENSIONS, TOLERANCES
from truegauge.formats.part import read_part


def read(path):
    kind = "iges" if path.suffix == ".igs" else "step"
    return model_from_document(read_document(str(path), kind), "key", path.stem)


@pytest.fixture(scope="module")
def built():
    return model_from_document(document_of_shape(drilled_plate(), "plate"), "key", "plate")


@pytest.mark.parametrize("schema", ["AP203", "AP214IS", "AP242DIS"])
def test_every_schema_gives_the_same_faces(schema, built, tmp_path):
    model = read(write_step(drilled_plate(), tmp_path / "plate.step", schema=schema))
    assert sorted(f.surface.kind for f in model.faces) == sorted(f.surface.kind for f in built.faces)
    assert_allclose(model.box, built.box, atol=1e-9)
    assert model.bodies[0].name == "plate"


def test_inch_files_are_converted_and_said_to_be_inch(built, tmp_path):
    path = write_step(drilled_plate(), tmp_path / "inch.step", unit="INCH")
    model = read(path)
    assert model.unit == "inch"
    assert_allclose(model.box, built.box, atol=1e-6)
    assert_allclose(sorted(f.area for f in model.faces), sorted(f.area for f in built.faces), rtol=1e-6)


def test_iges_gives_a_closed_solid_with_true_cylinders(built, tmp_path, rng):
    model = read(write_iges(drilled_plate(), tmp_path / "plate.igs"))
    kinds = [f.surface.kind for f in model.faces]
    assert (kinds.count(SurfaceKind.CYLINDER), kinds.count(SurfaceKind.CONE)) == (7, 1)
    assert any("sewn into a closed solid" in note for note in model.notes)
    # Sewn and turned: outside is outside everywhere, as on the solid that was written.
    points = rng.uniform((-5, -5, -5), (85, 55, 15), (2000, 3))
    ours, theirs = (Projector(m).deviations(points).distance for m in (model, built))
    assert_allclose(ours, theirs, atol=1e-6)


def test_an_assembly_puts_every_part_in_its_place(tmp_path):
    model = read(write_assembly(tmp_path / "frame.step"))
    assert [b.name for b in model.bodies] == ["frame / block", "frame / pin", "frame / pin"]
    assert model.bodies[1].color == (200, 30, 30)
    pins = [f for f in model.faces if f.surface.kind == SurfaceKind.CYLINDER]
    assert_allclose(pins[0].surface.z @ (0, 0, 1), 1, atol=1e-12)
    assert_allclose(abs(pins[1].surface.z @ (1, 0, 0)), 1, atol=1e-12)
    assert_allclose(pins[0].centroid, (100, 0, 10), atol=1e-6)
    assert_allclose(pins[1].centroid, (10, 50, 0), atol=1e-6)
    assert [f.body for f in pins] == [1, 2]


def test_colours_and_names_reach_the_faces(tmp_path):
    model = read(write_step(fuse(box(0, 0, 0, 9, 9, 9), ball(4, 4, 9, 2)), tmp_path / "c.step", color=(10, 200, 30)))
    assert model.bodies[0].color == (10, 200, 30)
    assert len(model.bodies) == 1


def test_loose_faces_with_slight_gaps_are_closed():
    from OCP.BRep import BRep_Builder
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
    from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
    from OCP.TopoDS import TopoDS_Compound

    from truegauge.core.cad.kernel.healing import Healer

    builder, loose = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(loose)
    shift = 0.004  # mm between neighbours
    for axis in range(3):
        for side in (0.0, 10.0 + shift):
            place, normal = [5.0, 5.0, 5.0], [0.0, 0.0, 0.0]
            place[axis], normal[axis] = side, 1.0
            plane = gp_Pln(gp_Pnt(*place), gp_Dir(*normal))
            builder.Add(loose, BRepBuilderAPI_MakeFace(plane, -5, 5, -5, 5).Face())
    healer = Healer()
    healed = healer.healed(loose)
    model = model_from_document(document_of_shape(healed, "box"), "key", "box")
    assert healer.notes == ["6 separate faces were sewn into a closed solid (gaps up to 0.01 mm)"]
    inside, outside = Projector(model).deviations(np.array([[5.0, 5, 1], [5, 5, -1]])).distance
    assert_allclose((inside, outside), (-1, 1), atol=0.01)


def test_the_annotations_of_the_demo_part_come_back_as_they_were_written():
    model = read_part(demo.PART)
    a = model.annotations
    faces = housing_faces(model)
    assert {d.letter: d.faces for d in a.datums} == {x: (faces[f],) for x, f in DATUMS.items()}
    assert len(a.dimensions) == len(DIMENSIONS)
    for read_back, (_, _, first, second, value, lower, upper) in zip(a.dimensions, DIMENSIONS, strict=True):
        assert_allclose((read_back.value, read_back.lower, read_back.upper), (value, lower, upper), atol=1e-12)
        assert read_back.faces == tuple(faces[f] for f in first)
        assert read_back.other_faces == tuple(faces[f] for f in second)
    for read_back, (_, _, on, value, letters, cylindrical, at_maximum) in zip(a.tolerances, TOLERANCES, strict=True):
        assert read_back.value == value
        assert set(read_back.faces) == {faces[f] for f in on}
        assert "".join(u.letter for u in read_back.datums) == letters
        assert ("cylindrical zone" in read_back.modifiers) == cylindrical
        assert ("maximum material requirement" in read_back.modifiers) == at_maximum
    assert a.not_understood == ()
