"""Points of a sample put to features, removed, renamed; and everything taken back."""

import numpy as np
import pytest

from truegauge.core.samples.document import ProbedTouch, SampleData, Touch
from truegauge.core.samples.points import by_names, key_of, measured_points, put_to, removed, renamed
from truegauge.core.samples.sample import Sample


def touch(x, feature="", name="", row=-1):
    return ProbedTouch(
        place=(float(x), 0.0, 0.0),
        approach=(0.0, 0.0, -1.0),
        radius=1.0,
        feature=feature,
        name=name,
        row=row,
        stylus="A",
    )


def target(x, name):
    return Touch(target=name, place=(float(x), 5.0, 0.0))


def sample_of(*probed, named=()):
    return Sample.of(SampleData(name="S", probed=probed, touches=named))


def serves(sample):
    """Return what each point serves, by name."""
    return {p.name: p.features for p in measured_points(sample)}


def keys(sample, *names):
    return [p.key for p in measured_points(sample) if p.name in names]


def test_points_are_called_by_their_names_else_by_their_order():
    s = sample_of(touch(1), touch(2, "a"), touch(3, name="edge"), named=(target(1, "P1"),))
    assert serves(s) == {"1": (), "2": ("a",), "edge": (), "P1": ()}
    assert [p.is_target for p in measured_points(s)] == [False, False, False, True]


def test_a_point_goes_from_one_feature_to_another_and_its_place_in_the_order_stays():
    s = sample_of(touch(1, "a", row=2), touch(2, "a"), touch(3))
    made = put_to(s, {keys(s, "1")[0]: ("b",)}, "put").done(s)
    assert [(t.place[0], t.feature, t.row) for t in made.probed] == [(1.0, "b", -1), (2.0, "a", -1), (3.0, "", -1)]


def test_one_point_serves_several_features():
    s = sample_of(touch(1, "a", row=2), touch(2))
    also = put_to(s, dict.fromkeys(keys(s, "1", "2"), ("b", "c")), "put", also=True).done(s)
    assert serves(also) == {"1": ("a", "b", "c"), "2": ("b", "c")}
    assert {f: len(c.touches) for f, c in also.touched.items()} == {"a": 1, "b": 2, "c": 2}
    assert also.touched["a"].touches[0].row == 2  # what it was for its own feature stays
    back = put_to(also, {keys(also, "1")[0]: ()}, "free").done(also)
    assert serves(back) == {"1": (), "2": ("b", "c")}


def test_a_named_point_becomes_a_touch_and_stays_a_target():
    s = sample_of(named=(target(1, "P1"), target(2, "P2")))
    made = put_to(s, {keys(s, "P1")[0]: ("a",)}, "put").done(s)
    assert made.touches == s.touches
    (one,) = made.probed
    assert (one.place, one.feature, one.name, one.radius) == ((1.0, 5.0, 0.0), "a", "P1", 0.0)
    assert serves(made) == {"P1": ("a",), "P2": ()}
    free = put_to(made, {keys(made, "P1")[0]: ()}, "free").done(made)
    assert free.probed == ()
    assert free.touches == s.touches


def test_points_are_removed_with_all_that_is_made_of_them_and_renamed():
    s = sample_of(touch(1, "a"), touch(1, "b"), touch(2), named=(target(1, "P1"),))
    gone = removed(s, keys(s, "1", "P1")).done(s)
    assert [t.place[0] for t in gone.probed] == [2.0]
    assert gone.touches == ()
    named = renamed(s, keys(s, "1")[0], "corner").done(s)
    assert [t.name for t in named.probed] == ["corner", "corner", ""]
    other = renamed(s, keys(s, "P1")[0], "P9").done(s)
    assert [t.target for t in other.touches] == ["P9"]


def test_what_was_measured_meanwhile_stays_when_a_change_is_taken_back():
    s = sample_of(touch(1, "a"), touch(2))
    change = put_to(s, dict.fromkeys(keys(s, "1", "2"), ("b",)), "put")
    later = change.done(s)
    later = later.with_probed((*later.probed, touch(3, "c")))
    assert serves(change.undone(later)) == {"1": ("a",), "2": (), "3": ("c",)}
    again = change.done(change.undone(later))
    assert serves(again) == {"1": ("b",), "2": ("b",), "3": ("c",)}


@pytest.mark.parametrize("seed", range(20))
def test_any_row_of_changes_is_taken_back_exactly(seed):
    rng = np.random.default_rng(seed)
    probed = tuple(touch(int(x), rng.choice(["", "a", "b"]), row=int(rng.integers(-1, 3))) for x in rng.permutation(12))
    now = sample_of(*probed, named=(target(1, "P1"), target(2, "P2")))
    states, changes = [now], []
    for k in range(15):
        points = measured_points(now)
        if not points:
            break
        some = [points[i].key for i in rng.choice(len(points), min(len(points), 3), replace=False)]
        what = rng.integers(0, 5)
        if what == 0:
            change = removed(now, some[:1])
        elif what == 1:
            change = renamed(now, some[0], f"n{k}")
        else:
            features = tuple(rng.choice(["a", "b", "c"], rng.integers(0, 3), replace=False))
            change = put_to(now, dict.fromkeys(some, features), "put", also=bool(what == 2))
            wanted = {p.name: p.features for p in points}
            names = {p.key: p.name for p in points}
            for key in some:
                before = wanted[names[key]] if what == 2 else ()
                wanted[names[key]] = tuple(dict.fromkeys((*before, *features)))
            assert serves(change.done(now)) == wanted
        now = change.done(now)
        states.append(now)
        changes.append(change)
    for change, before in zip(reversed(changes), reversed(states[:-1]), strict=True):
        now = change.undone(now)
        assert now.data == before.data
    for change, after in zip(changes, states[1:], strict=True):
        now = change.done(now)
        assert now.data == after.data


def test_names_speak_of_features():
    names = {"f1": "main bore", "f2": "bolt hole 1", "f3": "bolt hole 11", "f4": "bore", "f5": "2"}
    called = {
        "main bore": "f1", "Main_Bore 3": "f1", "main bore-12": "f1", "MAIN BORE #7": "f1", "bolt hole 1": "f2",
        "bolt hole 1.4": "f2", "bolt hole 11/2": "f3", "bore 5": "f4", "2": "f5", "main": None, "main bores": None,
        "bolt hole": None, "bolt hole 2": None, "": None, "7": None,
    }  # fmt: skip
    s = sample_of(*(touch(k, name=name) for k, name in enumerate(called) if name))
    points = {p.key: p for p in measured_points(s)}
    found = by_names(points.values(), names)
    assert {points[k].name: f for k, f in found.items()} == {n: f for n, f in called.items() if f}


def test_the_same_place_touched_twice_in_other_directions_are_two_points():
    s = sample_of(touch(1), touch(1).replace(approach=(0.0, 1.0, 0.0)))
    assert len(measured_points(s)) == 2
    assert len({key_of(t) for t in s.probed}) == 2
