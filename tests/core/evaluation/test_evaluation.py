import numpy as np

from truegauge.core.authoring.proposals import accept, proposals
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.nodes.graph import Graph, NotComputed
from truegauge.core.tolerancing.judgement import State
from truegauge.demo.faces import cylinder_along, cylinder_at, face_of_kind, plane_at
from truegauge.demo.housing_sizes import MAIN_BORE


def test_editing_a_tolerance_computes_nothing_again(evaluator, plan, sample, evaluation):
    edited = EditCharacteristic("c4", (("upper", 0.005),)).apply(plan)
    before = evaluator.graph.computed
    assert evaluator.is_quick(edited, sample)
    result = evaluator.evaluate(edited, sample).result("c4")
    assert evaluator.graph.computed == before
    assert result.state == State.OUTSIDE
    assert result.measured == evaluation.result("c4").measured


def test_without_a_sample_everything_has_the_reason(evaluator, plan):
    result = evaluator.evaluate(plan, None)
    assert {r.state for r in result.results} == {State.NOT_MEASURED}
    assert all("bring in a scan" in r.reason for r in result.results)


def test_a_fresh_evaluator_gives_the_same_digits(model, plan, sample, evaluation):
    again = Evaluator(model).evaluate(plan, sample)
    assert [r.measured for r in again.results] == [r.measured for r in evaluation.results]
    assert np.array_equal(again.alignment.part_from_scan, evaluation.alignment.part_from_scan)


def names(found):
    return [p.kind.name for p in found if p.kind.common]


def test_proposals_fit_the_selection(evaluator, plan, sample, model):
    def offered(*faces):
        return proposals(evaluator.context(plan, sample), tuple((f,) for f in faces))

    bore = cylinder_at(model, 21.0, *MAIN_BORE)
    base, top = plane_at(model, (0, 0, -1), 0), plane_at(model, (0, 0, 1), 60)
    side = plane_at(model, (0, -1, 0), 0)
    hole = cylinder_at(model, 3.3, 10.0, 10.0)
    assert names(offered(bore))[:2] == ["diameter", "position"]
    assert "cylindricity" in names(offered(bore))
    assert names(offered(base))[0] == "flatness"
    assert names(offered(base, top))[0] == "distance"
    assert "parallelism" in names(offered(base, top))
    assert names(offered(bore, hole))[0] == "distance"
    assert "perpendicularity" in names(offered(bore, base))
    assert "perpendicularity" in names(offered(side, base))
    assert "parallelism" in names(offered(cylinder_along(model, 12.0, 1), base))
    free_form = offered(face_of_kind(model, SurfaceKind.BSPLINE))
    assert {p.kind.name for p in free_form} == {"profile_surface", "profile_line"}
    assert [d.letter for d in free_form[0].datums] == ["A", "B", "C"]
    assert all(p.value is not None for p in offered(bore))


def test_an_accepted_proposal_has_number_nominal_and_tolerance(evaluator, plan, sample, model):
    pads = plane_at(model, (0, 0, 1), 16), plane_at(model, (0, 0, -1), 0)
    proposal = proposals(evaluator.context(plan, sample), tuple((f,) for f in pads))[0]
    nominals = tuple(evaluator.nominal(f) for f in proposal.groups)
    after = accept(plan, proposal, nominals).apply(plan)
    added = after.characteristics[-1]
    assert added.number == len(plan.characteristics) + 1
    assert abs(added.nominal - 16.0) < 1e-9
    assert (added.lower, added.upper) == (-0.1, 0.1)  # ISO 2768-1 f, 6 to 30 mm
    assert len(after.features) == len(plan.features) + 1  # the base was there already
    result = evaluator.evaluate(after, sample).result(added.id)
    assert abs(result.measured - 16.0) < 0.02


def test_a_failing_node_keeps_its_reason_and_others_go_on():
    graph = Graph()
    from truegauge.core.errors import AssociationError

    def fails():
        raise AssociationError("1 point, a plane needs 3")

    assert graph.node((int, None, "a"), fails) == NotComputed("1 point, a plane needs 3")
    assert graph.node((int, None, "b"), lambda: 5) == 5
    assert graph.node((int, None, "b"), lambda: 6) == 5


def test_our_own_mistakes_are_not_hidden():
    import pytest

    with pytest.raises(ZeroDivisionError):
        Graph().node("a", lambda: 1 // 0)
