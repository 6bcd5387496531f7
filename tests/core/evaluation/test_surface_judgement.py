"""Imperfections against what is allowed, by the definitions, over seeded random ones."""

from dataclasses import replace
from types import SimpleNamespace

import numpy as np
import pytest

from truegauge.core.evaluation.surface_judgement import WORDS, flagged, judge, state_of
from truegauge.core.imperfections.measuring import Imperfection
from truegauge.core.plan.surface_checks import AT_LEAST, EACH, SurfaceCheck, SurfaceLimit
from truegauge.core.tolerancing.judgement import DecisionRule, State

ONE = Imperfection("dent", -0.5, 0.01, (0, 0, 0), (0, 0, 0), (0, 0, 1), 90, 30.0, 9.0, 50.0, 12.0, 7.0, 6.0, (1, 0, 0),
                   0.1, 0.05, 40.0, 1, 12.0, 30.0)  # fmt: skip


def found_of(every, area=5e5):
    return SimpleNamespace(imperfections=tuple(every), quality=SimpleNamespace(area=area))


def some(rng, count):
    return [
        replace(ONE, depth=d, area=a, volume=v, length=x, width=w, edge_to_edge=e, border=b)
        for d, a, v, x, w, e, b in zip(
            rng.normal(0, 0.5, count), *rng.uniform(1, 50, (6, count)), strict=True)
    ]  # fmt: skip


@pytest.mark.parametrize("seed", range(20))
def test_limits_by_their_definition(seed):
    rng = np.random.default_rng(seed)
    every = some(rng, int(rng.integers(1, 12)))
    found = found_of(every)
    for quantity in EACH:
        amounts = [abs(getattr(i, quantity)) for i in every]
        limit = float(rng.choice(amounts) * rng.choice([0.9, 1.1]))
        (one,) = judge(found, [SurfaceLimit(quantity=quantity, limit=limit)])
        least = quantity in AT_LEAST
        worst = min(amounts) if least else max(amounts)
        assert one.value == worst
        assert one.worst == amounts.index(worst)
        broken = [k for k, a in enumerate(amounts) if (a < limit if least else a > limit)]
        assert list(one.beyond) == broken
        assert (one.decision.state == State.OUTSIDE) == bool(broken)
        assert flagged([one]) == tuple(broken)
    count, per, area, volume = judge(
        found, [SurfaceLimit(quantity=q, limit=3.0) for q in ("count", "per_area", "total_area", "total_volume")]
    )
    assert count.value == len(every)
    assert per.value == pytest.approx(len(every) * 2)
    assert area.value == pytest.approx(sum(i.area for i in every))
    assert volume.value == pytest.approx(sum(i.volume for i in every))
    assert (count.decision.state == State.OUTSIDE) == (len(every) > 3)


def test_where_there_is_nothing_all_limits_are_kept():
    judged = judge(found_of([]), [SurfaceLimit(quantity=q, limit=0.1) for q in WORDS])
    assert {one.decision.state for one in judged} == {State.WITHIN}
    assert state_of(judged) == State.WITHIN
    assert state_of([]) is None
    (lonely,) = judge(
        found_of([replace(ONE, edge_to_edge=float("nan"))]), [SurfaceLimit(quantity="edge_to_edge", limit=5)]
    )
    assert lonely.decision.state == State.WITHIN


def test_the_uncertainty_of_a_depth_takes_part_by_the_rule():
    found = found_of([ONE])
    limit = [SurfaceLimit(quantity="depth", limit=0.51)]
    assert judge(found, limit)[0].decision.state == State.NEAR  # within 2 u of the limit
    guarded = judge(found, limit, DecisionRule(rule="guard_band", k=2.0))[0]
    assert "not proven" in guarded.decision.words
    clear = judge(found, [SurfaceLimit(quantity="depth", limit=0.6)], DecisionRule(rule="guard_band", k=2.0))[0]
    assert clear.decision.state == State.WITHIN
    over = judge(found, [SurfaceLimit(quantity="depth", limit=0.49)])[0]
    assert (over.decision.state, over.beyond) == (State.OUTSIDE, (0,))


def test_two_limits_of_one_quantity_and_frames_on_a_line_are_refused():
    with pytest.raises(ValueError, match="two limits"):
        SurfaceCheck(id="a", limits=(SurfaceLimit(quantity="depth", limit=1), SurfaceLimit(quantity="depth", limit=2)))
    with pytest.raises(ValueError, match="lie on a line"):
        SurfaceCheck(id="a", frame=((0, 0, 0), (1, 0, 0), (5, 0, 0)))
    with pytest.raises(ValueError, match="lie on a line"):
        SurfaceCheck(id="a", frame=((1, 2, 3), (1, 2, 3), (5, 0, 0)))


@pytest.mark.parametrize("seed", range(5))
def test_a_frame_has_its_places_where_they_are_meant(seed):
    rng = np.random.default_rng(seed)
    a, b, c = rng.uniform(-500, 500, (3, 3))
    frame = SurfaceCheck(id="a", frame=(tuple(a), tuple(b), tuple(c))).frame_from_scan()
    told = np.column_stack([np.array([a, b, c]), np.ones(3)]) @ frame.T
    assert told[0, :3] == pytest.approx([0, 0, 0], abs=1e-9)
    assert told[1, :3] == pytest.approx([np.linalg.norm(b - a), 0, 0], abs=1e-9)
    assert told[2, 2] == pytest.approx(0, abs=1e-9)
    assert told[2, 1] > 0
    assert np.linalg.det(frame[:3, :3]) == pytest.approx(1)


@pytest.mark.parametrize("seed", range(30))
def test_no_depth_is_accepted_by_the_certainty_of_another(seed):
    """With a guard band every depth has to lie below the limit by its own uncertainty, not only the deepest."""
    rng = np.random.default_rng(seed)
    every = [
        replace(ONE, depth=-d, depth_u=u)
        for d, u in zip(*rng.uniform((0.3, 0.001), (0.5, 0.04), (6, 2)).T, strict=True)
    ]
    limit, k = float(rng.uniform(0.4, 0.6)), 2.0
    (one,) = judge(found_of(every), [SurfaceLimit(quantity="depth", limit=limit)], DecisionRule(rule="guard_band", k=k))
    deep = [abs(i.depth) for i in every]
    if max(deep) > limit:
        assert one.decision.state == State.OUTSIDE
        assert one.value == max(deep)
    elif any(d + k * i.depth_u > limit for d, i in zip(deep, every, strict=True)):
        assert one.decision.state == State.NEAR
        if "less than its uncertainty" in one.decision.words:
            assert deep[one.worst] + k * every[one.worst].depth_u > limit or deep[one.worst] == max(deep)
    else:
        assert one.decision.state in (State.WITHIN, State.NEAR)  # near: within a tenth of the limit
        assert "conformity" not in one.decision.words


def test_a_shallower_one_that_is_less_sure_decides():
    every = [replace(ONE, depth=-0.40, depth_u=0.001), replace(ONE, depth=-0.39, depth_u=0.1)]
    (one,) = judge(found_of(every), [SurfaceLimit(quantity="depth", limit=0.5)], DecisionRule(rule="guard_band", k=2.0))
    assert (one.worst, one.decision.state) == (1, State.NEAR)
    assert "not proven" in one.decision.words
