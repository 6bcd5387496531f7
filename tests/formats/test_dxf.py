"""Contours from DXF: what curves are, joined where they meet; units; what is none."""

import ezdxf
import numpy as np
import pytest

from truegauge.core.errors import FormatError
from truegauge.formats.dxf import contour_from_dxf


def drawing(tmp_path, draw, units=4):
    document = ezdxf.new()
    document.header["$INSUNITS"] = units
    draw(document.modelspace())
    path = tmp_path / "outline.dxf"
    document.saveas(path)
    return path


def slot(space):
    """Two half circles and two lines, in any order and way round."""
    space.add_line((10, 5), (0, 5))
    space.add_arc((10, 0), 5, 270, 90)
    space.add_line((0, -5), (10, -5))
    space.add_arc((0, 0), 5, 90, 270)


def test_lines_and_arcs_that_meet_are_one_closed_line(tmp_path):
    (line,) = contour_from_dxf(drawing(tmp_path, slot))
    assert np.array_equal(line[0], line[-1])
    x, y = line.T
    assert abs(0.5 * np.sum(x[:-1] * y[1:] - x[1:] * y[:-1])) == pytest.approx(100 + 25 * np.pi, rel=2e-4)
    off = np.where(np.abs(x - 5) <= 5, np.abs(np.abs(y) - 5), np.abs(np.hypot(np.abs(x - 5) - 5, y) - 5))
    assert off.max() < 1e-6  # corners of the flattened curve are on it
    middles = 0.5 * (line[1:] + line[:-1])
    a, b = middles.T
    sagged = np.where(np.abs(a - 5) <= 5, np.abs(np.abs(b) - 5), np.abs(np.hypot(np.abs(a - 5) - 5, b) - 5))
    assert sagged.max() < 0.0011


def test_units_circles_polylines_and_splines(tmp_path):
    def draw(space):
        space.add_circle((0, 0), 2.0)
        space.add_lwpolyline([(5, 0), (6, 0), (6, 1, 0, 0, 0.4), (5, 1)], close=True)
        space.add_spline([(10, 0, 0), (11, 1, 0), (12, 0, 0)])
        space.add_ellipse((20, 0), (3, 0), 0.5)
        space.add_text("a remark")

    lines = contour_from_dxf(drawing(tmp_path, draw, units=1))
    assert len(lines) == 4
    assert np.linalg.norm(lines[0], axis=1) == pytest.approx(np.full(len(lines[0]), 50.8), abs=1e-6)
    closed = [bool(np.allclose(line[0], line[-1])) for line in lines]
    assert closed == [True, True, False, True]


@pytest.mark.parametrize(("content", "words"), [
    (b"", "empty"), (b"no drawing at all", "no DXF"), (b"\x00\xff" * 2000, "no DXF"),
])  # fmt: skip
def test_what_is_no_dxf_is_said(tmp_path, content, words):
    path = tmp_path / "a.dxf"
    path.write_bytes(content)
    with pytest.raises(FormatError, match=words):
        contour_from_dxf(path)


def test_drawings_without_curves_or_in_odd_units_are_refused(tmp_path):
    with pytest.raises(FormatError, match="no line"):
        contour_from_dxf(drawing(tmp_path, lambda space: space.add_text("nothing")))
    with pytest.raises(FormatError, match="unit of length"):
        contour_from_dxf(drawing(tmp_path, slot, units=18))
    with pytest.raises(FormatError, match="no length"):
        contour_from_dxf(drawing(tmp_path, lambda space: space.add_line((1, 1), (1, 1))))


def test_no_damage_of_a_file_crashes_the_reader(tmp_path):
    whole = drawing(tmp_path, slot).read_bytes()
    rng, path = np.random.default_rng(4), tmp_path / "b.dxf"
    ends = set()
    for _ in range(40):
        data = bytearray(whole)
        for k in rng.integers(0, len(data), 30):
            data[int(k)] = int(rng.integers(256))
        path.write_bytes(bytes(data[: int(rng.integers(len(data) // 2, len(data)))]))
        try:
            ends.add(all(np.isfinite(line).all() for line in contour_from_dxf(path)))
        except FormatError as error:
            assert "b.dxf" in str(error)
            ends.add("refused")
    assert ends <= {True, "refused"}
