"""What a value is too large by: against errors that are known, of vectors and of extremes."""

import numpy as np
import pytest
from numpy.random import default_rng

from truegauge.core.characteristics.registry import KINDS
from truegauge.core.evaluation.uncertainty import spread_and_bias
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import Characteristic

TRIALS = 32


@pytest.mark.parametrize("true", [0.0, 0.5, 1.0, 2.0, 3.0, 5.0, 30.0])
@pytest.mark.parametrize("dimensions", [1, 2, 3])
def test_the_length_of_a_noisy_vector(true: float, dimensions: int) -> None:
    """A position is such a length: of nothing it is never below zero, of much it is right on average."""
    rng, off, stated = default_rng(11), [], []
    for _ in range(1200):
        at = np.eye(dimensions)[0] * true + rng.normal(size=dimensions)
        own = float(np.linalg.norm(at))
        trials = np.linalg.norm(at + rng.normal(size=(TRIALS, dimensions)), axis=1)
        off.append(own - true)
        stated.append(spread_and_bias(own, trials, above=(own, trials)))
    ratio = np.sqrt(np.mean(np.square(stated)) / np.mean(np.square(off)))
    assert 0.82 < ratio < 1.55
    assert np.mean(np.abs(off) < 2 * np.array(stated)) > 0.91


@pytest.mark.parametrize("lobes", [0.0, 1.0, 2.0, 5.0, 10.0])
@pytest.mark.parametrize("count", [8, 25, 100])
def test_the_largest_of_noisy_touches(count: int, lobes: float) -> None:
    rng, off, stated = default_rng(12), [], []
    shape = lobes * np.cos(3 * np.arange(count) * 2 * np.pi / count + 0.3)
    for _ in range(1200):
        touches = 10 + shape + rng.normal(size=count)
        trials = touches + rng.normal(size=(TRIALS, count))
        own, above = touches.max(), touches.max() - touches.mean()
        off.append(own - 10 - shape.max())
        stated.append(spread_and_bias(own, trials.max(axis=1), above=(above, trials.max(axis=1) - trials.mean(axis=1))))
    ratio = np.sqrt(np.mean(np.square(stated)) / np.mean(np.square(off)))
    assert 0.8 < ratio < 1.6
    assert np.mean(np.abs(off) < 2 * np.array(stated)) > 0.88


@pytest.mark.parametrize("count", [8, 25, 100])
def test_a_place_from_a_datum_that_touches(count: int) -> None:
    """The datum stands out by the extreme of its touches, and nothing says to which side."""
    rng, off, stated = default_rng(14), [], []
    for _ in range(1200):
        touches, place = rng.normal(size=count), rng.normal(scale=0.3)
        trials = place + rng.normal(scale=0.3, size=TRIALS) - (touches + rng.normal(size=(TRIALS, count))).max(axis=1)
        off.append(place - touches.max())
        stated.append(spread_and_bias(place - touches.max(), trials))
    ratio = np.sqrt(np.mean(np.square(stated)) / np.mean(np.square(off)))
    assert 0.8 < ratio < 1.6


def test_without_a_bias_it_is_the_scatter() -> None:
    trials = default_rng(13).normal(40, 0.002, 4000)
    assert abs(spread_and_bias(40.0, trials) / 0.002 - 1) < 0.05
    assert spread_and_bias(0.0, [0.0] * TRIALS, above=(0.0, [0.0] * TRIALS)) == 0.0


@pytest.mark.parametrize("kind", [name for name in KINDS if KINDS[name].has_size])
def test_every_size_by_extremes_has_a_mean_size_beside_it(kind: str, plan: Plan) -> None:
    for modifiers in ((), ("E",), ("GX",), ("LP", "SX"), ("LP", "ACS")):
        c = Characteristic(id="c", number=1, name="x", kind=kind, features=("f",), nominal=10, modifiers=modifiers)
        rule = KINDS[kind].rule(plan, c)
        mean = KINDS[kind].mean_beside(plan, c)
        assert (mean is None) == (rule.is_spread or (rule.how == "GG" and not rule.section))
        assert mean is None or KINDS[mean.kind].definition(plan, mean) == "GG"
    flat = Characteristic(
        id="c", number=1, name="x", kind="distance", features=("f", "g"), nominal=10, modifiers=("E",)
    )
    beside = KINDS["distance"].mean_beside(plan, flat)
    assert KINDS[beside.kind].definition(plan, beside) == "GG"
