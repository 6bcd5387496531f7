"""Damaged CAD files and tables: 200 of each, read in a process of their own, end in a message or a whole part."""

import sys
from pathlib import Path

import numpy as np
import pytest
from mutations import assert_only_refusals
from numpy.testing import assert_allclose

sys.path.insert(0, str(Path(__file__).parents[1] / "core" / "cad"))
from kernel_files import box, cut, cylinder, write_iges, write_step
from OCP.IGESControl import IGESControl_Writer
from OCP.TopAbs import TopAbs_FACE
from OCP.TopExp import TopExp_Explorer

from truegauge import demo
from truegauge.core.cad.nominal_part import NEEDS, NominalRow, part_from_rows
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import nominal_of
from truegauge.core.errors import FormatError
from truegauge.formats import guard, part
from truegauge.formats.nominal_csv import names_features, rows_from_csv, rows_to_csv
from truegauge.formats.part import read_part

TABLE = b"""type,name,x,y,z,i,j,k,diameter,length,width,depth,angle
plane,base,70,45,0,0,0,-1,,140,90,,
hole,main bore,58,45,30,0,0,1,42,,,60,
boss,boss,122,45,31,1,0,0,30,,,8,
slot,slot,130,45,7,0,0,1,,30,12,14,
conical hole,seat,107,24,45,0,0,1,14.5,,,5,60
socket,socket,107,63,55.5,0,0,1,24,,,,
point,p1,30,30,48,0,0,1,3,,,,
"""


@pytest.fixture
def uncached(tmp_path, monkeypatch):
    monkeypatch.setattr(part, "_cache_folder", lambda: tmp_path / "cache")
    monkeypatch.setattr(guard, "TIME_LIMIT", 6.0)


@pytest.mark.parametrize("name", ["part.step", "part.igs"])
def test_no_damaged_cad_file_crashes_hangs_or_comes_in_part(name, tmp_path, uncached):
    shape = cut(box(0, 0, 0, 30, 20, 10), cylinder(15, 10, -1, 4, 12))
    path = (write_step if name.endswith("step") else write_iges)(shape, tmp_path / name)
    good = path.read_bytes()
    faces = len(read_part(path).faces)
    # What is read is a part of faces that all could be built; a file that lost some says so or still closes.
    assert_only_refusals(
        read_part, path, good, 120, 5, lambda model: 1 <= len(model.faces) <= faces and model.diagonal > 0, 4000
    )


def test_no_damaged_annotations_crash_the_reader(tmp_path, uncached):
    path = tmp_path / "annotated.step"
    good = demo.PART.read_bytes()
    data = bytearray(good)
    rng = np.random.default_rng(6)
    tail = good.index(b"DATUM")
    outcomes = set()
    for _ in range(6):
        for at in rng.integers(tail, len(data) - 5000, 15):
            data[at] = rng.integers(32, 127)
        path.write_bytes(bytes(data))
        try:
            outcomes.add(len(read_part(path).faces))
        except FormatError as error:
            outcomes.add("refused")
            assert str(error).startswith("annotated.step: ")
        data = bytearray(good)
    assert outcomes


@pytest.mark.parametrize(
    ("change", "match"),
    [
        (lambda d: d[: len(d) // 2], "cut off"),
        (lambda d: b"\n".join(d.splitlines()[3:-1]), "not an IGES file|cut off"),
        (lambda d: d.replace(d.splitlines()[-3] + b"\n", b"", 1), "lines, .* are promised"),
    ],
)
def test_a_cut_iges_file_is_refused(change, match, tmp_path):
    path = write_iges(box(0, 0, 0, 1, 2, 3), tmp_path / "part.igs")
    path.write_bytes(change(path.read_bytes()))
    with pytest.raises(FormatError, match=match):
        read_part(path)


def test_no_damaged_table_crashes_the_reader(tmp_path):
    path = tmp_path / "nominals.csv"
    assert_only_refusals(
        read_part, path, TABLE, 300, 7, lambda model: np.isfinite(model.mesh.vertices).all() and model.faces, 600
    )


@pytest.mark.parametrize(
    ("content", "match"),
    [
        (b"type,name,x,y,z\n", "no features"),
        (b"type,name,x,y\nhole,a,1,2\n", "no column is called z"),
        (b"type,x,y,z,diameter\nhole,1,2,3,\n", "line 2: a hole needs a diameter"),
        (b"type,x,y,z,diameter\nhole,1,2,3,5\nhole,1,two,3,5\n", "line 3: y: 'two' is not a number"),
        (b"type,x,y,z,diameter\nwidget,1,2,3,5\n", "line 2: the type 'widget' is not known"),
        (b"type,x,y,z,i,j,k,diameter\nhole,1,2,3,0,0,0,5\n", "line 2: its direction has no length"),
        (b"type,x,x,y,z\nhole,1,2,3,5\n", "two columns are called 'x'"),
        (b"\xff\xfe\x00", "not a text file .byte 0"),
        (b'type,x,y,z\n"hole,1,2,3\n', "line 2"),
    ],
)
def test_a_bad_table_names_the_line(content, match, tmp_path):
    path = tmp_path / "nominals.csv"
    path.write_bytes(content)
    with pytest.raises(FormatError, match=match):
        read_part(path)


def test_a_table_comes_back_as_it_was_written(tmp_path):
    path = tmp_path / "t.csv"
    rows = rows_from_csv(path, TABLE)
    assert len(rows) == 7
    assert rows_from_csv(path, rows_to_csv(rows)) == rows


def test_semicolons_and_decimal_commas_are_understood(tmp_path):
    rows = rows_from_csv(tmp_path / "t.csv", b"Type;Name;X;Y;Z;Diameter\nhole;a;1,5;2,25;3;4,75\n")
    assert (rows[0].position, rows[0].diameter) == ((1.5, 2.25, 3.0), 4.75)


def test_a_list_of_points_is_a_part(tmp_path):
    path = tmp_path / "points.csv"
    path.write_text("name,x,y,z,nx,ny,nz\np1,0,0,0,0,0,1\np2,30,0,5,1,0,0\n")
    assert not names_features(path)
    model = read_part(path)
    assert [f.name for f in model.faces] == ["p1", "p2"]
    distances = Projector(model).deviations(np.array([[0.1, 0.2, 0.35], [30.2, 0.1, 5.0]])).distance
    assert_allclose(distances, (0.35, 0.2), atol=1e-12)


def test_typed_features_are_exact_surfaces_with_the_material_on_the_right_side(tmp_path):
    path = tmp_path / "t.csv"
    path.write_bytes(TABLE)
    model = read_part(path)
    points = np.array([[58 + 20.9, 45, 30], [70, 45, -0.5], [137.1, 45, 31.0], [107, 63 - 11.9, 55.5], [129, 39.1, 7]])
    points[2] = (122, 45 + 15.2, 31)
    found = Projector(model).deviations(points)
    assert_allclose(found.distance, (0.1, 0.5, 0.2, 0.1, 0.1), atol=1e-9)
    by_name = {f.name: f.index for f in model.faces}
    assert nominal_of(model, (by_name["main bore"],)).outward == -1
    assert nominal_of(model, (by_name["boss"],)).outward == 1
    seat = nominal_of(model, (by_name["seat"],))
    assert_allclose(np.degrees(2 * seat.feature.half_angle_rad), 60, atol=1e-9)
    # The cone has its diameter where it was said to have it.
    toward = np.array([107 + 7.25, 24, 45.0])
    assert_allclose(Projector(model).deviations(toward[None]).distance, 0, atol=1e-9)


@pytest.mark.parametrize("kind", NEEDS)
def test_every_type_of_feature_makes_a_part(kind):
    row = NominalRow(kind, "f", (1.0, 2.0, 3.0), (0.0, 0.6, 0.8), 10.0, 3.0, 20.0, 6.0, 4.0, 60.0)
    model = part_from_rows((row,), "key", "part")
    mesh = model.mesh
    assert np.abs(Projector(model).deviations(mesh.vertices).distance).max() < 1e-9
    flat = np.cross(*(mesh.vertices[mesh.triangles[:, k]] - mesh.vertices[mesh.triangles[:, 0]] for k in (1, 2)))
    assert (np.einsum("ij,ij->i", flat, mesh.normals[mesh.triangles[:, 0]]) > 0).all()


def test_a_part_that_takes_too_long_is_not_called_damaged(tmp_path, uncached, monkeypatch):
    monkeypatch.setattr(guard, "TIME_LIMIT", 0.05)  # s of processor time
    path = tmp_path / "part.step"
    path.write_bytes(demo.PART.read_bytes()[:])
    monkeypatch.setattr(guard, "_PER_MEGABYTE", 0.0)
    with pytest.raises(FormatError, match="takes too long to read") as caught:
        read_part(path)
    assert "damaged" not in str(caught.value)


def test_an_iges_file_of_single_faces_is_one_body(tmp_path, uncached):
    writer = IGESControl_Writer("MM", 0)
    explorer = TopExp_Explorer(cut(box(0, 0, 0, 30, 20, 10), cylinder(15, 10, -1, 4, 12)), TopAbs_FACE)
    while explorer.More():
        writer.AddShape(explorer.Current())
        explorer.Next()
    writer.ComputeModel()
    path = tmp_path / "faces.igs"
    assert writer.Write(str(path))
    model = read_part(path)
    assert len(model.bodies) == 1
    assert len(model.notes) == 1
    assert "separate faces were sewn into a closed solid" in model.notes[0]
