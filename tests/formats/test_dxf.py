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


def test_outlines_in_blocks_lie_where_they_are_put_also_mirrored(tmp_path):
    def draw(space):
        inner, outer = (space.doc.blocks.new(name) for name in ("inner", "outer"))
        slot(inner)
        outer.add_blockref("inner", (1, 0))
        own = space.add_blockref("outer", (100, 50), dxfattribs={"xscale": 2, "yscale": 2, "rotation": 90})
        own.grid(size=(1, 2), spacing=(0, 80))
        space.add_arc((-30, 0), 5, 0, 180, dxfattribs={"extrusion": (0, 0, -1)})  # seen from below: x is the other way

    *slots, arc = contour_from_dxf(drawing(tmp_path, draw))
    assert len(slots) == 2
    for k, line in enumerate(sorted(slots, key=lambda one: one[:, 1].mean())):
        # Turned by a quarter, twice as large: its x goes along y, and so does the row.
        assert line.min(axis=0) == pytest.approx([100 - 10, 52 - 10 + 80 * k], abs=0.01)
        assert line.max(axis=0) == pytest.approx([100 + 10, 52 + 30 + 80 * k], abs=0.01)
    assert np.hypot(arc[:, 0] - 30, arc[:, 1]) == pytest.approx(np.full(len(arc), 5.0), abs=1e-9)


def test_thousands_of_pieces_in_any_order_are_joined_and_none_is_lost(tmp_path):
    """Two outlines and an open line, cut to pieces that are shuffled and turned about; three ends at one place."""
    rng = np.random.default_rng(2)
    turns = np.linspace(0, 2 * np.pi, 3001)
    outlines = [np.column_stack([r * np.cos(turns), r * np.sin(turns)]) for r in (40.0, 25.0)]
    outlines.append(np.column_stack([np.linspace(50, 90, 2000), np.zeros(2000)]))
    pieces = [piece for line in outlines for piece in np.stack([line[:-1], line[1:]], axis=1)]
    spur = np.array([[90.0, 0.0], [90.0, 5.0]]), np.array([[90.0, 0.0], [90.0, -5.0]])
    pieces.extend(spur)

    def draw(space):
        for k in rng.permutation(len(pieces)):
            a, b = pieces[k] if rng.integers(2) else pieces[k][::-1]
            space.add_line(a, b)

    lines = contour_from_dxf(drawing(tmp_path, draw))
    long = sorted(float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) for line in lines)
    whole = [float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) for line in (*outlines, *spur)]
    assert sum(long) == pytest.approx(sum(whole), abs=1e-6)
    closed = [line for line in lines if np.array_equal(line[0], line[-1])]
    assert sorted(len(line) for line in closed) == [3001, 3001]
    assert len(lines) == 4  # of the three ends two are one line, and the third is left


def test_a_block_in_itself_ends(tmp_path):
    def draw(space):
        block = space.doc.blocks.new("own")
        block.add_circle((0, 0), 1)
        block.add_blockref("own", (3, 0))
        space.add_blockref("own", (0, 0))

    assert 1 <= len(contour_from_dxf(drawing(tmp_path, draw))) <= 9


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
