import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from truegauge.drawing.tag_layout import Box, TagBox, crossings, place_tags

AREA = Box(10, 10, 700, 560)
anchors = st.lists(st.tuples(st.floats(20, 700), st.floats(20, 560)), min_size=1, max_size=16)


def tags(places, width=130.0, height=46.0):
    return [TagBox(str(k), p, width, height) for k, p in enumerate(places)]


@given(anchors, st.sampled_from(["sides", "rows", "around"]))
def test_tags_never_overlap_and_leaders_never_cross(places, layout):
    spread = [(x + 0.013 * k, y - 0.017 * k) for k, (x, y) in enumerate(places)]  # no two at one place
    placed = place_tags(tags(spread), AREA, layout)
    for i, a in enumerate(placed):
        assert a.box.x >= AREA.x - 1e-9
        assert a.box.right <= AREA.right + 1e-9
        assert a.box.bottom <= AREA.bottom + 1e-9
        assert not any(a.box.overlaps(b.box) for b in placed[:i])
    feet, starts = np.array([p.tag.anchor for p in placed]), np.array([p.start for p in placed])
    assert crossings(feet, starts) == 0


def test_tags_stay_in_their_slots_while_the_view_turns_a_little():
    start = [(200.0 + 300 * np.cos(a), 280 + 150 * np.sin(a)) for a in np.linspace(0, 6, 9)]
    slots = {p.tag.key: p.slot for p in place_tags(tags(start), AREA)}
    moves = 0
    for turn in np.linspace(0, 0.15, 10):
        now = [(200.0 + 300 * np.cos(a + turn), 280 + 150 * np.sin(a + turn)) for a in np.linspace(0, 6, 9)]
        placed = place_tags(tags(now), AREA, before=slots)
        new = {p.tag.key: p.slot for p in placed}
        moves += sum(new[k] != slots[k] for k in new)
        slots = new
    assert moves <= 4


def test_pinned_tags_stay_where_they_are_and_others_keep_clear():
    pinned = TagBox("pinned", (300, 300), 130, 46, pinned=(75.0, 33.0))
    placed = place_tags([pinned, *tags([(50.0, 40.0), (60.0, 90.0)])], AREA)
    first = next(p for p in placed if p.tag.key == "pinned")
    assert (first.box.x, first.box.y) == (10, 10)
    assert first.slot == -1
    assert not any(first.box.overlaps(p.box) for p in placed if p is not first)


def test_the_least_important_are_left_out_where_there_is_no_room():
    placed = place_tags(tags([(100.0, 10.0 * k) for k in range(60)]), AREA, "sides")
    assert [p.tag.key for p in placed] == [str(k) for k in range(len(placed))]
    assert 16 <= len(placed) < 60


def test_slots_that_would_cover_a_foot_are_avoided():
    placed = place_tags(tags([(60.0, 290.0)]), AREA, "sides")
    box = placed[0].box
    assert not (box.x < 60 < box.right and box.y < 290 < box.bottom)


@pytest.mark.parametrize("size", [(40.0, 30.0), (400.0, 900.0)])
def test_a_view_that_is_too_small_is_no_error(size):
    assert len(place_tags(tags([(5.0, 5.0), (9.0, 9.0)]), Box(0, 0, *size))) <= 2
