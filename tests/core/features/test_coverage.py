import numpy as np
import pytest

from truegauge.core.features.coverage import AreaSamples


@pytest.fixture(scope="module")
def bore(model, plan):
    return AreaSamples(model, plan.feature("mount-1").faces)


def on_bore(rng, count, share):
    """Return points on mounting hole 1, of the first part of the way around."""
    angle = 2 * np.pi * share * rng.random(count)
    z = rng.uniform(0, 16, count)
    return np.column_stack([10 + 3.3 * np.cos(angle), 10 + 3.3 * np.sin(angle), z])


@pytest.mark.parametrize("share", [1.0, 0.5, 0.25])
@pytest.mark.parametrize("count", [300, 8000])
def test_coverage_is_the_share_of_the_area(bore, rng, share, count):
    assert bore.share(on_bore(rng, count, share)) == pytest.approx(share, abs=0.09 if count > 1000 else 0.15)


def test_a_heap_of_points_covers_little_and_none_covers_nothing(bore, rng):
    heap = np.array([13.3, 10.0, 8.0]) + rng.normal(0, 0.1, (5000, 3))
    assert bore.share(heap) < 0.03
    assert bore.share(np.zeros((0, 3))) == 0.0
