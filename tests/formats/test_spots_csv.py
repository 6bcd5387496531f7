import pytest

from truegauge.core.errors import FormatError
from truegauge.formats.spots_csv import read_named_places, read_spots


def table(tmp_path, text):
    path = tmp_path / "places.csv"
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    return path


def test_spot_checks_of_a_table_with_directions_and_limits(tmp_path):
    text = "Name;X;Y;Z;I;J;K;lower;upper;radius\nP1;1,5;2;3;0;0;1;-0,1;0,2;2\n\n;4;5;6;;;;;;\n"
    first, second = read_spots(table(tmp_path, text))
    assert (first.name, first.place, first.direction) == ("P1", (1.5, 2.0, 3.0), (0.0, 0.0, 1.0))
    assert (first.lower, first.upper, first.radius) == (-0.1, 0.2, 2.0)
    assert (second.name, second.direction, second.upper, second.radius) == ("", None, 0.1, 1.0)


def test_nominal_points_have_names(tmp_path):
    (point,) = read_named_places(table(tmp_path, "name,x,y,z,i,j,k\nA,1,2,3,0,1,0\n"))
    assert (point.name, point.place, point.normal) == ("A", (1.0, 2.0, 3.0), (0.0, 1.0, 0.0))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("a,b\n1,2\n", "no column x, y, z"), ("x,y,z\n", "no row"), ("x,y,z\n1,2,three\n", "line 2, column z: 'three'"),
        ("x,y,z\n1,,3\n", "line 2: y is missing"), ("x,y,z,i,j,k\n1,2,3,0,0,0\n", "length zero"),
        ("x,y,z,lower,upper\n1,2,3,0.2,0.1\n", "above the upper"), ("x,y,z,radius\n1,2,3,0\n", "radius"),
        ("x,y,z\n1,2,nan\n", "column z"), (b"x,y,z\n\xff\xfe,1,2\n", "not a text file"),
    ],
)  # fmt: skip
def test_bad_tables_say_what_and_where(tmp_path, text, said):
    with pytest.raises(FormatError, match=said):
        read_spots(table(tmp_path, text))


@pytest.mark.parametrize(
    ("text", "said"), [("name,x,y,z\n,1,2,3\n", "no name"), ("name,x,y,z\na,1,2,3\nA,1,2,3\n", "another")]
)
def test_nominal_points_without_or_with_the_same_name_are_refused(tmp_path, text, said):
    with pytest.raises(FormatError, match=said):
        read_named_places(table(tmp_path, text))
