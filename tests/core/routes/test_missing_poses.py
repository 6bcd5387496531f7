"""Poses that a route is missing: as few as are needed, each of them needed, and what none gets at is told."""

import pytest

from truegauge.core.evaluation.touch_needs import features_to_touch
from truegauge.core.plan.document import Plan
from truegauge.core.probing.probing import Probing
from truegauge.core.routes.document import PartFixture, Route
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.making import kept_up
from truegauge.core.routes.missing_poses import Completed, completed
from truegauge.core.routes.planning import Planner
from truegauge.core.routes.scene import make_scene
from truegauge.demo.cmm_plan import cmm_plan


def with_poses(probing: Probing, keep) -> Probing:
    """Return a probing whose heads have some of their poses only."""
    return probing.replace(assemblies=tuple(
        a.replace(poses=tuple(p for p in a.poses if keep(p))) if a.articulation else a for a in probing.assemblies
    ))  # fmt: skip


@pytest.fixture(scope="module")
def plan(model) -> Plan:
    return cmm_plan(model)


@pytest.fixture(scope="module")
def planned_with(plan, model, evaluator):
    """Return what plans a route (kept up with the features) with a probing."""
    features = features_to_touch(evaluator.context(plan, None))

    def with_route(route: Route):
        def planned(probing: Probing):
            planner = Planner(model, evaluator.projector, make_scene(model, probing, route), Kinematics())
            return planner.plan(kept_up(route, features), features)

        return planned

    return with_route


@pytest.fixture(scope="module")
def bare(plan):
    return with_poses(plan.probing, lambda pose: pose.tilt_deg == 0)


@pytest.fixture(scope="module")
def found(plan, bare, planned_with):
    planned = planned_with(plan.route)
    return completed(Completed(bare, planned(bare)), planned)


def test_a_head_that_only_points_down_gets_the_poses_that_everything_needs(plan, bare, found, planned_with):
    planned = planned_with(plan.route)
    assert len(planned(bare).unreached) > 3
    assert not found.planned.unreached
    assert not planned(found.probing).unreached
    assert 0 < len(found.added) <= len({p for a in plan.probing.assemblies for p in a.poses}) + 1
    for use in found.added:
        assert use.pose in found.probing.assembly(use.assembly).poses
        assert use.pose not in bare.assembly(use.assembly).poses


def test_each_pose_gets_at_something_that_those_before_it_did_not(plan, bare, found, planned_with):
    planned, lost = planned_with(plan.route), []
    for k in range(len(found.added) + 1):
        there = {(u.assembly, u.pose) for u in found.added[:k]}
        some = bare.replace(assemblies=tuple(
            a.with_poses((*a.poses, *(p for n, p in there if n == a.id))) for a in bare.assemblies))  # fmt: skip
        lost.append(len(planned(some).unreached))
    assert lost == sorted(set(lost), reverse=True)
    assert lost[-1] == 0


def test_what_no_pose_gets_at_stays_and_nothing_is_added_for_it(plan, model, planned_with):
    low, high = model.box
    lid = PartFixture(name="lid", low=tuple(low - 30.0), high=tuple(high + 30.0))
    route = plan.route.replace(fixtures=(lid,))
    planned = planned_with(route)
    there = Completed(plan.probing, planned(plan.probing))
    found = completed(there, planned)
    assert len(found.open_ones) == len(plan.features)
    assert (found.added, found.probing) == ((), plan.probing)


def test_where_everything_is_reached_nothing_is_added(plan, planned_with):
    planned = planned_with(plan.route)
    there = Completed(plan.probing, planned(plan.probing))
    assert completed(there, planned) is there
