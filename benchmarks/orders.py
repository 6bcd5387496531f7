"""How short the orders of routes are that we find, beside a general routing solver, in one run.

``benchmarks/orders.py`` takes 200 places with five poses (15 s a change), free and with groups and pins, and gives the
solver a minute for each; then the demo housing from the order of its CAD.
"""

import sys
import time

import numpy as np

from truegauge import demo
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.evaluation.touch_needs import features_to_touch
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.making import kept_up
from truegauge.core.routes.order_costs import costs_between, stops_of
from truegauge.core.routes.order_search import OrderSearch
from truegauge.core.routes.planning import Planner
from truegauge.core.routes.scene import make_scene
from truegauge.core.routes.shortening import shorten
from truegauge.demo.cmm_plan import cmm_plan
from truegauge.formats.part import read_part

COUNT, POSES, CHANGE_S = 200, 5, 15.0
SEEDS, OURS_S, SOLVER_S = (1, 2, 3), 1.5, 60
SPLIT = 1000.0


def problem(seed):
    """Return costs (n, n) s: travel at 150 mm/s over a part of 400 mm, and changes; and groups (n,)."""
    rng = np.random.default_rng(seed)
    entry = rng.uniform(0, 400, (COUNT, 3)) * (1, 0.7, 0.3)
    leave = entry + rng.normal(0, 5, entry.shape)
    pose = rng.integers(0, POSES, COUNT)
    travel = np.linalg.norm(leave[:, None] - entry[None], axis=2) / 150 + 0.25
    groups = np.where(rng.random(COUNT) < 0.3, 10 * pose + rng.integers(0, 3, COUNT), 1000 + np.arange(COUNT))
    return travel + CHANGE_S * (pose[:, None] != pose[None]), pose, groups


def ours(costs, pose, fixed):
    zeros, order = np.zeros(len(costs)), np.argsort(pose, kind="stable")
    begun = time.perf_counter()
    search = OrderSearch(costs, zeros, zeros, order, fixed)
    while time.perf_counter() - begun < OURS_S:
        search.go_on(100)
    return search, time.perf_counter() - begun


def solved(costs, pins, order):
    """Return the length that the solver finds; `pins` are places and the things that stay there, as in `order`."""
    from ortools.constraint_solver import pywrapcp, routing_enums_pb2

    n = len(costs)
    whole = np.zeros((n + 1, n + 1))
    whole[:n, :n] = costs
    manager = pywrapcp.RoutingIndexManager(n + 1, 1, n)
    model = pywrapcp.RoutingModel(manager)
    model.SetArcCostEvaluatorOfAllVehicles(model.RegisterTransitMatrix(np.round(whole * 1000).astype(int).tolist()))
    if pins:
        model.AddConstantDimension(1, n + 1, True, "place")
        place = model.GetDimensionOrDie("place")
        for at, thing in pins:
            place.CumulVar(manager.NodeToIndex(int(thing))).SetValue(int(at) + 1)
    wanted = pywrapcp.DefaultRoutingSearchParameters()
    wanted.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.SAVINGS
    wanted.local_search_metaheuristic = routing_enums_pb2.LocalSearchMetaheuristic.GUIDED_LOCAL_SEARCH
    wanted.time_limit.seconds = SOLVER_S
    if pins:  # it finds no order by itself that keeps them
        model.CloseModelWithParameters(wanted)
        first = model.ReadAssignmentFromRoutes([[manager.NodeToIndex(int(k)) for k in order]], True)
        found = model.SolveFromAssignmentWithParameters(first, wanted)
    else:
        found = model.SolveWithParameters(wanted)
    return np.nan if found is None else found.ObjectiveValue() / 1000


def main():
    for seed in SEEDS:
        costs, pose, groups = problem(seed)
        free = np.zeros(COUNT, dtype=bool)
        search, took = ours(costs, pose, free)
        other = solved(costs, (), ())
        print(f"{COUNT} features, free: ours {search.best:.2f} s in {took:.1f} s, solver {other:.2f} s in {SOLVER_S}, "
              f"ours {100 * (search.best / other - 1):+.2f} %")  # fmt: skip
        split = SPLIT * (groups[:, None] != groups[None])
        search, took = ours(costs + split, pose, free)
        own = sum(costs[a, b] for a, b in zip(search.order, search.order[1:], strict=False))
        runs = 1 + int((groups[search.order][1:] != groups[search.order][:-1]).sum())
        other = solved(costs + split, (), ()) - SPLIT * (len(np.unique(groups)) - 1)
        print(f"  with groups: ours {own:.2f} s ({runs - len(np.unique(groups))} split), solver {other:.2f} s, "
              f"ours {100 * (own / other - 1):+.2f} %")  # fmt: skip
        fixed, order = free.copy(), np.argsort(pose, kind="stable")
        fixed[:: max(COUNT // 10, 1)] = True
        search, took = ours(costs, pose, fixed)
        other = solved(costs, [(k, order[k]) for k in np.flatnonzero(fixed)], order)
        print(f"  with {int(fixed.sum())} pins: ours {search.best:.2f} s, solver {other:.2f} s, "
              f"ours {100 * (search.best / other - 1):+.2f} %")  # fmt: skip
    model = read_part(demo.PART)
    evaluator, plan = Evaluator(model), cmm_plan(model)
    features = features_to_touch(evaluator.context(plan, None))
    planner = Planner(model, evaluator.projector, make_scene(model, plan.probing, plan.route), Kinematics())
    route = kept_up(plan.route, features)
    found = shorten(route, planner, features, at_most_s=OURS_S)
    for name, planned in (("order of the CAD", found.before), ("shorter", found.planned)):
        stops = stops_of(planned)
        there = [stops[s.step.id] for s in planned.steps if s.step.id in stops]
        costs = costs_between(there, planner)
        between = sum(costs[k, k + 1] for k in range(len(there) - 1))
        print(f"demo housing, {name}: {planned.seconds:.1f} s, {planned.travel:.0f} mm of travel, {planned.changes} "
              f"changes; between features {between:.1f} s")  # fmt: skip


if __name__ == "__main__":
    sys.exit(main())
