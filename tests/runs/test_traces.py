"""Traces on the stand-in: led in contact where the protocol has a command for them, else touched point by point."""

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose
from tests.runs.shop import confirms

from truegauge.core.routes.document import MeasureStep
from truegauge.core.routes.strategies import Helix, Rings, StraightLine, Trace
from truegauge.devices.cmm.scans import command_through
from truegauge.devices.cmm_sim.scanning import scan_path
from truegauge.devices.ipp.messages import read_command

_TURN = np.array([[0.6, -0.8, 0.0], [0.48, 0.36, 0.8], [-0.64, -0.48, 0.6]])


def _again(points, normals):
    """Return the points that the stand-in makes of the command, and their normals."""
    command = read_command(f"00001 {command_through(points, normals)}").call
    return tuple(np.array(v) for v in zip(*scan_path(command), strict=True))


def _ring(count, span, radius=20.0, side=0.0, lead=0.0):
    a = np.linspace(0, span, count)
    radial = np.column_stack([np.cos(a), np.sin(a), 0 * a])
    points = radius * radial + np.outer(lead * np.abs(a) / (2 * np.pi), [0, 0, 1.0])
    normals = np.cos(side) * radial + np.sin(side) * np.array([0, 0, 1.0])
    return points @ _TURN.T + [3.0, -7.0, 11.0], normals @ _TURN.T


@pytest.mark.parametrize("span", [1.2, -1.2, 5.5, 2 * np.pi, -4 * np.pi])
@pytest.mark.parametrize("side", [0.0, np.pi, np.pi / 2, 0.6, 2.4])
def test_circles_are_led_through_their_points(span, side):
    points, normals = _ring(25, span, side=side)
    found, out = _again(points, normals)
    assert_allclose(found, points, rtol=0, atol=1e-6)
    assert_allclose(out, normals, rtol=0, atol=1e-6)


@pytest.mark.parametrize("span", [3 * np.pi, -5.0])
@pytest.mark.parametrize("side", [0.0, np.pi])
@pytest.mark.parametrize("lead", [4.0, -4.0])
def test_helices_are_led_through_their_points(span, side, lead):
    points, normals = _ring(41, span, side=side, lead=lead)
    found, out = _again(points, normals)
    assert_allclose(found, points, rtol=0, atol=1e-5)
    assert_allclose(out, normals, rtol=0, atol=1e-5)


def test_lines_are_led_through_their_points():
    t = np.linspace(0, 30, 13)
    points, normals = np.outer(t, _TURN[:, 0]) + 5.0, np.tile(_TURN[:, 2], (13, 1))
    found, out = _again(points, normals)
    assert_allclose(found, points, rtol=0, atol=1e-9)
    assert_allclose(out, normals, rtol=0, atol=1e-9)


def test_what_is_none_of_these_has_no_command():
    points, normals = _ring(20, 4.0)
    rng = np.random.default_rng(2)
    assert command_through(points + rng.normal(0, 0.2, points.shape), normals) is None
    assert command_through(points[[0, 1, 2, 5, 9, 10, 14]], normals[[0, 1, 2, 5, 9, 10, 14]]) is None  # uneven
    assert command_through(points[:2], normals[:2]) is None
    assert command_through(points, rng.normal(0, 1, points.shape)) is None


def _traced(shop, strategy, feature="main-bore"):
    step = MeasureStep(id=f"m-{feature}", feature=feature, strategy=strategy)
    return shop.plan.replace(route=shop.plan.route.with_step(step))


@pytest.mark.parametrize(
    ("strategy", "feature"),
    [(Rings(rows=2, first=2.5, last=4.0, trace=Trace(spacing=2.0, speed=8.0)), "main-bore"),
     (Helix(turns=2.0, first=2.5, last=5.0, trace=Trace(spacing=2.5)), "main-bore"),
     (StraightLine(pulled_in=4.0, trace=Trace(spacing=0.5)), "slot-left")],
)  # fmt: skip
def test_a_trace_is_run_in_contact_and_tells_the_truth(shop, tmp_path, strategy, feature):
    here = shop()
    plan = _traced(here, strategy, feature)
    run = confirms(here.begin(tmp_path / "run.tgrun", plan=plan))
    asked = []
    ask = here.cmm.link.ask
    here.cmm.link.ask = lambda command, *rest, **more: (asked.append(command.name), ask(command, *rest, **more))[1]
    sample = run.go()
    made = [n for n in asked if n.startswith("ScanOn")]
    assert made
    own = [t for t in sample.probed if t.feature == feature]
    planned = next(s for s in run.program.work.route.steps if s.id == f"m-{feature}")
    assert planned.strategy == strategy
    assert len(own) >= 15
    assert len({t.place for t in own}) == len(own)
    found = here.evaluator.evaluate(plan, sample)
    if feature == "main-bore":
        size = next(r for r in found.results if r.characteristic.features == (feature,) and not r.characteristic.datums)
        assert size.measured == pytest.approx(42.012, abs=0.006)
        assert found.features[feature].form < 0.03
    else:  # straight along the face, within its form and the noise
        places = np.array([t.place for t in own])
        assert np.linalg.svd(places - places.mean(axis=0), compute_uv=False)[1] < 0.02


def test_a_machine_that_does_not_scan_touches_every_point(shop, tmp_path):
    here = shop()
    strategy = Rings(rows=1, first=4.0, last=4.0, trace=Trace(spacing=6.0))
    here.cmm.abilities = replace(here.cmm.abilities, scans=False)
    plan = _traced(here, strategy)
    run = confirms(here.begin(tmp_path / "run.tgrun", plan=plan))
    own = [t for t in run.go().probed if t.feature == "main-bore"]
    assert len(own) >= 12


def test_a_trace_of_which_a_point_was_not_told_is_touched_from_its_beginning(shop, tmp_path):
    """The tip stands somewhere along it then: it goes to the place anew, and touches that."""
    here = shop()
    plan = _traced(here, Rings(rows=1, first=4.0, last=4.0, trace=Trace(spacing=6.0)))
    led, lost = here.cmm.led, []

    def loses_one(command, *rest):
        told = led(command, *rest)
        if lost:
            return told
        lost.append(here.cmm.where())
        return told[:-1]

    here.cmm.led = loses_one
    run = confirms(here.begin(tmp_path / "run.tgrun", plan=plan))
    sample = run.go()
    assert lost
    own = np.array([t.place for t in sample.probed if t.feature == "main-bore"])
    assert len(own) >= 12
    assert len(np.unique(own.round(2), axis=0)) == len(own)
    size = next(c for c in plan.characteristics if c.features == ("main-bore",) and not c.datums)
    found = here.evaluator.evaluate(plan, sample)
    assert found.result(size.id).measured == pytest.approx(42.012, abs=0.006)
