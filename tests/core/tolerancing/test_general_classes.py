"""The tables of ISO 2768-1:1989 by their own rows: the deviation of each class, mm, and where it is silent."""

import pytest

from truegauge.core.tolerancing.general import stated_length_tolerance

# (over, up to): f, m, c, v
LENGTHS = {
    (0.5, 3): (0.05, 0.1, 0.2, None),
    (3, 6): (0.05, 0.1, 0.3, 0.5),
    (6, 30): (0.1, 0.2, 0.5, 1),
    (30, 120): (0.15, 0.3, 0.8, 1.5),
    (120, 400): (0.2, 0.5, 1.2, 2.5),
    (400, 1000): (0.3, 0.8, 2, 4),
    (1000, 2000): (0.5, 1.2, 3, 6),
    (2000, 4000): (None, 2, 4, 8),
    (4000, 9000): (None, None, None, None),
}
BROKEN_EDGES = {(0.5, 3): (0.2, 0.2, 0.4, 0.4), (3, 6): (0.5, 0.5, 1, 1), (6, 100): (1, 1, 2, 2)}


@pytest.mark.parametrize(("table", "broken"), [(LENGTHS, False), (BROKEN_EDGES, True)])
def test_classes_say_what_their_tables_say(table, broken):
    for (over, up_to), row in table.items():
        for length in (over + 1e-9, (over + up_to) / 2, up_to):
            for sign in (1, -1):  # a coordinate is as far off one way as the other
                said = tuple(stated_length_tolerance(sign * length, g, broken_edge=broken) for g in "fmcv")
                assert said == row, length
    assert {stated_length_tolerance(0.499, g, broken_edge=broken) for g in "fmcv"} == {None}
