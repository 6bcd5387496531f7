"""Several pieces on one table: where each lies, and what is in the way of one."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.arrays import box_corners, unit
from truegauge.core.frames import apply, rigid, rotation_about
from truegauge.core.routes.pieces import Pieces
from truegauge.core.samples.serials import serials


def test_pieces_lie_in_rows_and_columns_and_the_first_is_found_from_any():
    rng = np.random.default_rng(2)
    pieces = Pieces(rows=3, columns=4, row_pitch=120.0, column_pitch=90.0, turned_deg=30.0)
    first = rigid(rotation_about(unit(rng.normal(size=3)), 1.1)[:3, :3], rng.uniform(0, 500, 3))
    x, y = np.array([np.cos(np.pi / 6), 0.5, 0]), np.array([-0.5, np.cos(np.pi / 6), 0])
    for k in range(12):
        pose = pieces.pose(first, k)
        assert_allclose(pose[:3, 3], first[:3, 3] + (k % 4) * 90 * x + (k // 4) * 120 * y, atol=1e-9)
        assert_allclose(pose[:3, :3], first[:3, :3])
        assert_allclose(pieces.first(pose, k), first, atol=1e-9)


def test_the_others_are_in_the_way_and_it_is_not_itself():
    rng = np.random.default_rng(5)
    box = np.array([[0.0, -10, 0], [80, 20, 40]])
    pieces = Pieces(rows=2, columns=2, row_pitch=100.0, column_pitch=130.0)
    first = rigid(rotation_about(np.array([0, 0, 1.0]), 0.2)[:3, :3], np.array([100.0, 200, 5]))
    for k in range(4):
        there = pieces.neighbours(box, pieces.pose(first, k), k)
        assert [f.name for f in there] == [f"piece {j + 1}" for j in range(4) if j != k]
        inside = rng.uniform(box[0], box[1], (200, 3))
        for f, j in zip(there, [j for j in range(4) if j != k], strict=True):
            points = np.vstack([apply(pieces.pose(first, j), inside), apply(pieces.pose(first, j), box_corners(box))])
            assert (points >= np.array(f.low) + 1.9).all()
            assert (points <= np.array(f.high) - 1.9).all()
        own = apply(pieces.pose(first, k), inside)
        assert not any(((own >= f.low) & (own <= f.high)).all(axis=1).any() for f in there)


def test_too_many_pieces_are_refused():
    with pytest.raises(ValueError, match="1000 pieces are too many"):
        Pieces(rows=50, columns=20)


@pytest.mark.parametrize(
    ("first", "made"), [("A08", ("A08", "A09", "A10")), ("x", ("x 1", "x 2", "x 3")), ("9-b", ("9-b", "10-b", "11-b"))]
)
def test_serial_numbers_of_pieces_count_on(first, made):
    assert serials(first, 3) == made
    assert serials(first, 1) == (first,)  # one part keeps its name
