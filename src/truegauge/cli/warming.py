"""Compiling the numeric kernels before anybody waits for them: each is run once, by two processes."""

from __future__ import annotations

import subprocess
import sys
import time
from typing import TYPE_CHECKING

import numpy as np

from truegauge import demo

if TYPE_CHECKING:
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample


def warm_up() -> None:
    """Run every kernel of an inspection on the demo; a second process does those that need no part meanwhile."""
    started = time.monotonic()
    beside = subprocess.Popen([sys.executable, "-c", f"import {__name__} as warming; warming.without_a_part()"])
    plan, evaluator, sample = _with_the_part()
    if beside.wait():  # features need its kernels
        sys.stderr.write("truegauge: the second process failed; its kernels are compiled now\n")
    evaluator.evaluate(plan, sample)
    sys.stdout.write(f"kernels compiled in {time.monotonic() - started:.0f} s\n")


def without_a_part() -> None:
    """Compile what associates features, tells how near solids come, orders routes and evaluates free-form surfaces."""
    for kernels in (_meeting, _orders, _free_form, _association, _thinning, _imperfections):
        kernels()


def _with_the_part() -> tuple[Plan, Evaluator, Sample]:
    """Align, project and map the demo's scan."""
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.formats.plan_file import model_of_plan, read_plan
    from truegauge.formats.sample_file import open_sample

    file = read_plan(demo.PLAN)
    evaluator = Evaluator(model_of_plan(demo.PLAN, file))
    sample, _ = open_sample(demo.SCAN)
    evaluator.aligned(file.plan, sample)
    evaluator.deviation_map(file.plan, sample)
    evaluator.projector.pick(np.array([0.0, 0.0, 500.0]), np.array([0.0, 0.0, -1.0]))
    evaluator.projector.hits(np.array([[0.0, 0.0, 500.0]]), np.array([[0.0, 0.0, -1.0]]))
    return file.plan, evaluator, sample


def _imperfections() -> None:
    from truegauge.core.imperfections.earlier_scan import EarlierScan
    from truegauge.core.imperfections.reference import Kind, Reference
    from truegauge.core.imperfections.search import find_imperfections

    x, y = (g.ravel() for g in np.meshgrid(np.arange(0.0, 200.0, 2.0), np.arange(0.0, 200.0, 2.0)))
    dent = -0.5 * np.exp(-((x - 100.0) ** 2 + (y - 100.0) ** 2) / 100.0)
    points = np.column_stack([x, y, dent])
    find_imperfections(points)
    find_imperfections(points, None, Reference(Kind.SCAN, 0.0), given=EarlierScan(points))


def _association() -> None:
    from truegauge.core.association.by_criterion import associate
    from truegauge.core.association.features import Shape
    from truegauge.core.association.fit import Criterion

    rng = np.random.default_rng(1)
    for count in (300, 4000):  # so many go by their extremes in cells
        angle, height = 2 * np.pi * rng.random(count), rng.uniform(0, 10, count)
        points = np.column_stack([5 * np.cos(angle), 5 * np.sin(angle), height]) + rng.normal(0, 0.01, (count, 3))
        for criterion in (Criterion.LEAST_SQUARES, Criterion.MINIMUM_ZONE, Criterion.ONE_SIDED):
            associate(Shape.CYLINDER, points, criterion)


def _thinning() -> None:
    from truegauge.core.scanning.thin_grid import ThinGrid

    grid = ThinGrid(1.0)
    for _ in range(5):  # its tables grow
        grid.add(np.random.default_rng(1).uniform(-60, 60, (40_000, 3)), np.ones(40_000))


def _meeting() -> None:
    from truegauge.core.meeting.swept import Around, ball, box_around, cylinder, nearest
    from truegauge.core.probing.clearance import segment_distances

    own = np.array([ball(np.zeros(3), 1.0), cylinder(np.zeros(3), np.array([0.0, 0.0, 9.0]), 0.5)])
    corners, facets = np.array([[5.0, 0, 0], [5.0, 9, 0], [5.0, 0, 9]]), np.array([[0, 1, 2]])
    around = [Around.of_solids("ball", [ball(np.full(3, 9.0), 1.0)]), Around.of_mesh("facet", corners, facets)]
    nearest(own, np.zeros(3), np.array([3.0, 1.0, 0.0]), around, 100.0)
    box_around(own, np.ones(3))
    segment_distances(corners, np.zeros(3), np.ones(3))


def _orders() -> None:
    from truegauge.core.routes.order_search import OrderSearch

    places = np.arange(6.0)
    OrderSearch(np.abs(places[:, None] - places), places, places, np.arange(6), np.zeros(6, dtype=bool)).go_on(2)


def _free_form() -> None:
    from truegauge.core.cad.bspline import nearest_parameters
    from truegauge.core.cad.model import BSpline

    knots = np.repeat([0.0, 1.0], 4)
    poles = np.stack(np.meshgrid(np.arange(4.0), np.arange(4.0), [0.0], indexing="ij"), axis=-1).reshape(4, 4, 3)
    nearest_parameters(BSpline(3, 3, knots, knots, poles, np.ones((4, 4))), np.array([[1.0, 1.0, 1.0]]))
